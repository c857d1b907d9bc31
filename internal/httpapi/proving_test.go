package httpapi_test

import (
	"encoding/json"
	"net/http"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
	"trundo/internal/httpapi"
)

func TestWhatGivesRightsAsksWhoSitsThere(t *testing.T) {
	s := newSite(t, func(c *httpapi.Config) { c.ProofLasts = 300 * time.Millisecond })
	s.signIn("ada")
	role := func(name string) (int, contract.Problem) {
		r, text := s.ask("POST", "/api/roles", contract.RoleEdit{Name: name})
		var p contract.Problem
		if r.StatusCode >= 400 {
			require.NoError(t, json.Unmarshal(text, &p))
		}
		return r.StatusCode, p
	}
	require.Eventually(t, func() bool { // what is over is over
		status, p := role("Writer")
		return status == http.StatusForbidden && p.Code == "prove"
	}, 10*time.Second, 20*time.Millisecond)
	r, text := s.ask("POST", "/api/session/proof", contract.PasswordAgain{Password: "not this one"})
	assert.Equal(t, http.StatusUnprocessableEntity, r.StatusCode, string(text))
	status, _ := role("Caller")
	assert.Equal(t, http.StatusForbidden, status, "a wrong password proves nothing")
	require.Eventually(t, func() bool { // a slow machine may need more than one try
		r, text = s.ask("POST", "/api/session/proof", contract.PasswordAgain{Password: firm.DemoPassword})
		require.Equal(t, http.StatusNoContent, r.StatusCode, string(text))
		status, _ = role("Caller")
		return status == http.StatusCreated
	}, 10*time.Second, time.Millisecond)
	r, _ = s.ask("GET", "/api/roles", nil)
	assert.Equal(t, http.StatusOK, r.StatusCode, "reading asks for nothing")
}
