package httpapi_test

import (
	"bytes"
	"encoding/json"
	"log/slog"
	"net/http"
	"strings"
	"sync"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
)

// logged is what was logged, by any goroutine.
type logged struct {
	mu   sync.Mutex
	text bytes.Buffer
}

func (l *logged) Write(b []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.Write(b)
}

func (l *logged) String() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.String()
}

func TestNoSecretAndNothingThatWasWrittenIsInTheLog(t *testing.T) {
	var out logged
	s := newSiteLogging(t, slog.New(slog.NewJSONHandler(&out, &slog.HandlerOptions{Level: slog.LevelDebug})))
	asks := func(method, path string, body any, want int) []byte {
		t.Helper()
		r, text := s.ask(method, path, body)
		require.Equal(t, want, r.StatusCode, string(text))
		return text
	}
	secrets := map[string]string{"the password": firm.DemoPassword, "a wrong password": "six wrong kettles",
		"notes": "they quarrel about the cistern", "a reset password": "eight blue kettles"}
	r, _ := s.ask("POST", "/api/session", contract.SignIn{Login: "ines", Password: secrets["a wrong password"]})
	require.Equal(t, http.StatusUnauthorized, r.StatusCode)
	s.signIn("ada")
	for name, value := range s.jar {
		secrets["the session "+name] = value
	}
	var token contract.MadeToken
	require.NoError(t, json.Unmarshal(asks("POST", "/api/tokens", contract.NewToken{Name: "test",
		Scopes: []contract.Scope{contract.ScopeRead}}, http.StatusCreated), &token))
	secrets["a program's key"] = token.Token
	r, _ = s.ask("GET", "/api/session", nil, func(r *http.Request) {
		r.Header.Del("Cookie")
		r.Header.Set("Authorization", "Bearer "+token.Token)
	})
	require.Equal(t, http.StatusOK, r.StatusCode)
	var begun contract.SecondFactorBegun
	require.NoError(
		t,
		json.Unmarshal(asks("POST", "/api/second-factor", contract.PasswordAgain{Password: firm.DemoPassword},
			http.StatusOK), &begun),
	)
	secrets["a second factor"], secrets["its picture"] = begun.Secret, begun.Picture[40:]
	var tomas uuid.UUID
	require.NoError(t, s.store.Pool.QueryRow(t.Context(), `SELECT id FROM users WHERE login = 'tomas'`).Scan(&tomas))
	var link contract.SignInLink
	require.NoError(t, json.Unmarshal(asks("POST", "/api/staff/"+tomas.String()+"/link", contract.NewSignInLink{},
		http.StatusCreated), &link))
	_, secrets["a link"], _ = strings.Cut(link.Address, "#")
	asks("POST", "/api/sign-in-link", contract.LinkToken{Token: secrets["a link"]}, http.StatusOK)
	asks("PUT", "/api/sign-in-link", contract.LinkUse{Token: secrets["a link"], Password: secrets["a reset password"]},
		http.StatusOK)
	// A call with notes.
	var number, record uuid.UUID
	require.NoError(t, s.store.Pool.QueryRow(t.Context(), `SELECT n.id, n.record_id FROM phone_numbers n
		JOIN records r ON r.id = n.record_id LEFT JOIN records c ON c.id = r.company_id
		WHERE n.dnc_at IS NULL AND r.dnc_at IS NULL AND c.dnc_at IS NULL AND n.e164 LIKE '+1%' LIMIT 1`).Scan(&number, &record))
	var c contract.Call
	require.NoError(
		t,
		json.Unmarshal(asks("POST", "/api/calls", contract.NewCall{NumberID: &number}, http.StatusCreated), &c),
	)
	asks(
		"PUT",
		"/api/slips/"+c.Slip.ID.String()+"/notes",
		contract.NotesEdit{Body: secrets["notes"], Writer: "w"},
		http.StatusOK,
	)
	asks("POST", "/api/calls/"+c.ID.String()+"/hang-up", nil, http.StatusNoContent)
	asks("GET", "/api/find?q="+"quarrel+about", nil, http.StatusOK)
	secrets["what was sought"] = "quarrel about"

	text := out.String()
	assert.Contains(t, text, "signed in", "the log is looked at")
	for what, secret := range secrets {
		require.Greater(t, len(secret), 7, what)
		assert.NotContains(t, text, secret, what)
	}
}
