package httpapi_test

import (
	"encoding/json"
	"net/http"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
)

func TestAProgramComesInWithAKeyAndGoesAsFarAsItGoes(t *testing.T) {
	s := newSite(t)
	s.signIn("ines")
	made := func(scopes ...contract.Scope) string {
		t.Helper()
		r, text := s.ask("POST", "/api/tokens", contract.NewToken{Name: "test", Scopes: scopes})
		require.Equal(t, http.StatusCreated, r.StatusCode, string(text))
		var m contract.MadeToken
		require.NoError(t, json.Unmarshal(text, &m))
		return m.Token
	}
	reads, writes, calls := made(contract.ScopeRead), made(contract.ScopeWrite), made(contract.ScopeCalls)
	s.jar = map[string]string{}
	as := func(token string) func(*http.Request) {
		return func(r *http.Request) {
			r.Header.Del("Origin") // a program is no page
			r.Header.Set("Authorization", "Bearer "+token)
		}
	}
	for _, tt := range []struct {
		name, token, method, path string
		body                      any
		status                    int
	}{
		{"reads with a key for reading", reads, "GET", "/api/lane", nil, 200},
		{"lists are read by asking", reads, "POST", "/api/book/rows", `{"kinds": ["contact"]}`, 200},
		{"changes nothing with it", reads, "POST", "/api/records", `{"kind": "contact", "values": {"given": "A"}}`,
			403},
		{"calls nobody with it", reads, "POST", "/api/calls", `{"typed": "413 555 0142"}`, 403},
		{"sets nothing up", reads, "GET", "/api/settings/outcomes", nil, 403},
		{"makes no further keys", reads, "GET", "/api/tokens", nil, 403},
		{"changes with a key for that", writes, "POST", "/api/records",
			`{"kind": "contact", "values": {"given": "A", "family": "B"}}`, 201},
		{"does not read with it", writes, "GET", "/api/lane", nil, 403},
		{"calls with a key for that", calls, "POST", "/api/calls", `{"typed": "413 555 0142"}`, 201},
		{"nothing with a key that is none", "trundo_guess", "GET", "/api/lane", nil, 401},
		{"nothing with half a key", reads[:20], "GET", "/api/lane", nil, 401},
	} {
		t.Run(tt.name, func(t *testing.T) {
			r, text := s.ask(tt.method, tt.path, tt.body, as(tt.token))
			assert.Equal(t, tt.status, r.StatusCode, string(text))
		})
	}
	r, _ := s.ask("GET", "/api/openapi.json", nil)
	assert.Equal(t, http.StatusOK, r.StatusCode, "the contract is everybody's")
}

func TestBadInputAboutWhatFollowsACall(t *testing.T) {
	s := newSite(t)
	s.signIn("ines")
	ghost := uuid.NewString()
	for _, tt := range []struct {
		name, method, path string
		body               any
		status             int
		field              string
	}{
		{"a plan for a slip that is not there", "GET", "/api/slips/" + ghost + "/plan?outcome_id=" + ghost, nil, 422,
			"outcome_id"},
		{"undoing what is not there", "POST", "/api/slips/" + ghost + "/undo", nil, 404, ""},
		{"a message without a text", "POST", "/api/messages",
			`{"channel": "text", "address": "413 555 0142", "body": " "}`, 422, "body"},
		{"a message by pigeon", "POST", "/api/messages", `{"channel": "pigeon", "body": "x"}`, 422, "channel"},
		{"a mail to nobody", "POST", "/api/messages",
			`{"channel": "mail", "subject": "x", "body": "x", "address": "nobody"}`, 422, "address"},
		{"nobody's thread", "GET", "/api/messages", nil, 422, "address"},
		{"cancelling what is not there", "POST", "/api/messages/" + ghost + "/cancel", nil, 404, ""},
		{"templates by a rep", "PUT", "/api/templates", `{"templates": []}`, 403, ""},
		{"sequences by a rep", "PUT", "/api/sequences", `{"sequences": []}`, 403, ""},
		{"a sequence that is not there", "POST", "/api/sequences/" + ghost + "/members", `{"record_id": "` + ghost +
			`"}`, 404, ""},
		{"webhooks by a rep", "GET", "/api/webhooks", nil, 403, ""},
		{"outcomes by a rep", "GET", "/api/settings/outcomes", nil, 403, ""},
		{"a key for nothing", "POST", "/api/tokens", `{"name": "x", "scopes": []}`, 422, "scopes"},
		{"a key to everything, by a rep", "POST", "/api/tokens", `{"name": "x", "scopes": ["settings"]}`, 403, ""},
	} {
		t.Run(tt.name, func(t *testing.T) {
			r, text := s.ask(tt.method, tt.path, tt.body)
			p := problem(t, r, text)
			assert.Equal(t, tt.status, r.StatusCode, string(text))
			if tt.field != "" {
				require.NotNil(t, p.Field, string(text))
				assert.Equal(t, tt.field, *p.Field)
			}
		})
	}
}
