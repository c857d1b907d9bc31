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

func TestWhatTheDatabaseDoesNotTakeIsRefusedAtTheBorder(t *testing.T) {
	s := newSite(t)
	s.signIn("ines")
	for what, x := range map[string]struct{ method, path, body string }{
		"bad UTF-8 in an address":      {"GET", "/api/find?q=%FF", ""},
		"NUL in an address":            {"GET", "/api/find?q=a%00b", ""},
		"bad UTF-8 in a file":          {"GET", "/api/calls.csv?q=%FF", ""},
		"NUL in a path":                {"GET", "/api/records/%00", ""},
		"NUL in JSON":                  {"POST", "/api/calls", `{"typed": "413\u0000"}`},
		"bad UTF-8 in JSON":            {"POST", "/api/calls", "{\"typed\": \"\xff\"}"},
		"NUL in the stand-in's filter": {"POST", "/api/book/rows", `{"kinds": ["contact"], "q": "\u0000"}`},
	} {
		r, text := s.ask(x.method, x.path, x.body)
		assert.Equal(t, http.StatusUnprocessableEntity, r.StatusCode, "%s: %s", what, text)
		problem(t, r, text)
	}
	r, text := s.ask("POST", "/api/book/rows", `{"kinds": ["contact"], "q": "\\u0000"}`)
	assert.Equal(t, http.StatusOK, r.StatusCode, "a backslash and letters are no NUL: %s", text)
}

func TestWhatBelongsToAnotherDirectionIsRefused(t *testing.T) {
	s := newSite(t)
	s.signIn("ines")
	r, text := s.ask("POST", "/api/calls", `{"typed": "413 555 0142"}`)
	require.Equal(t, http.StatusCreated, r.StatusCode, string(text))
	var c contract.Call
	require.NoError(t, json.Unmarshal(text, &c))
	for _, act := range []string{"answer", "decline", "voicemail"} {
		r, text := s.ask("POST", "/api/calls/"+c.ID.String()+"/"+act, nil)
		assert.Less(t, r.StatusCode, 500, "%s: %s", act, text)
		assert.GreaterOrEqual(t, r.StatusCode, 400, "%s: %s", act, text)
	}
	slip := c.Slip.ID.String()
	s.signIn("tomas")
	person := s.rows(`{"kinds": ["contact"], "q": "Berit"}`)[0].ID.String()
	r, text = s.ask("POST", "/api/messages", `{"channel": "mail", "record_id": "`+person+`", "slip_id": "`+slip+
		`", "subject": "x", "body": "x"}`)
	p := problem(t, r, text)
	assert.Equal(t, "slip_id", *p.Field, "somebody else's slip")
	r, text = s.ask("POST", "/api/outside", `{"action": "write", "from": "413 555 0142", "text": "x"}`)
	assert.Equal(t, "channel", *problem(t, r, text).Field)
	s.signIn("ada")
	r, text = s.ask("POST", "/api/imports", `{"file_name": "x.csv", "format": "csv", "kind": "lead", "mends": "`+
		uuid.NewString()+`"}`)
	assert.Equal(t, "mends", *problem(t, r, text).Field)
}
