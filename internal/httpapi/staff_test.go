package httpapi_test

import (
	"encoding/json"
	"maps"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/core/totp"
	"trundo/internal/desk/firm"
)

func TestSomebodyIsSignedOutEverywhereByAnAdmin(t *testing.T) {
	s := newSite(t)
	s.signIn("ines")
	ines := maps.Clone(s.jar)
	me := get[contract.Me](s, "/api/session")
	s.jar = map[string]string{}
	s.signIn("odile")
	r, _ := s.ask("DELETE", "/api/staff/"+me.ID.String()+"/sessions", nil)
	assert.Equal(t, http.StatusForbidden, r.StatusCode)
	s.jar = map[string]string{}
	s.signIn("ada")
	r, text := s.ask("DELETE", "/api/staff/"+me.ID.String()+"/sessions", nil)
	require.Equal(t, http.StatusNoContent, r.StatusCode, string(text))
	r, _ = s.ask("DELETE", "/api/staff/"+uuid.NewString()+"/sessions", nil)
	assert.Equal(t, http.StatusNotFound, r.StatusCode)
	s.jar = ines
	r, _ = s.ask("GET", "/api/session", nil)
	assert.Equal(t, http.StatusUnauthorized, r.StatusCode)
	s.signIn("ines") // she may come back
}

func TestNothingIsPossibleBeforeTheSecondFactorThatTheFirmAsksFor(t *testing.T) {
	s := newSite(t)
	s.signIn("ines")
	ines := s.jar["trundo_session"]
	s.signIn("ada")
	setup := get[contract.FirmSetup](s, "/api/settings/firm")
	setup.Regions, setup.SecondFactor = nil, &[]contract.MemberRole{"rep"}
	r, text := s.ask("PUT", "/api/settings/firm", setup)
	require.Equal(t, http.StatusOK, r.StatusCode, string(text))

	s.jar["trundo_session"] = ines
	for _, path := range []string{"/api/lane", "/api/desk", "/api/find?q=berit", "/api/live", "/api/calls.csv", "/api/staff"} {
		r, text := s.ask("GET", path, nil)
		assert.Equal(t, "second_factor_missing", problem(t, r, text).Code, path)
	}
	me := get[contract.Me](s, "/api/session")
	assert.True(t, me.SecondFactorMissing)
	r, text = s.ask("POST", "/api/second-factor", contract.PasswordAgain{Password: firm.DemoPassword})
	require.Equal(t, http.StatusOK, r.StatusCode, string(text))
	var begun contract.SecondFactorBegun
	require.NoError(t, json.Unmarshal(text, &begun))
	code, err := totp.Code(strings.ReplaceAll(begun.Secret, " ", ""), totp.StepAt(time.Now()))
	require.NoError(t, err)
	r, text = s.ask("PUT", "/api/second-factor", contract.SecondFactorCode{Code: code})
	require.Equal(t, http.StatusOK, r.StatusCode, string(text))
	get[contract.Lane](s, "/api/lane")

	r, text = s.ask("POST", "/api/session", contract.SignIn{Login: "ines", Password: firm.DemoPassword})
	assert.Equal(t, http.StatusUnauthorized, r.StatusCode)
	assert.Equal(t, "second_factor", problem(t, r, text).Code)
	r, text = s.ask("POST", "/api/session", contract.SignIn{Login: "ines", Password: firm.DemoPassword, Code: &code})
	p := problem(t, r, text)
	assert.Equal(t, "code", *p.Field, "it was used already")
}

func TestOnesOwnPasswordIsChangedAndOthersOfOnesSessionsEnd(t *testing.T) {
	s := newSite(t)
	s.signIn("ines")
	elsewhere := s.jar["trundo_session"]
	s.signIn("ines")
	here := s.jar["trundo_session"]
	window := s.listens()
	s.jar["trundo_session"] = elsewhere
	other := s.listens() // which is looked after a moment later than the first
	s.jar["trundo_session"] = here
	r, text := s.ask("PUT", "/api/password", contract.PasswordChange{Current: "not it", Fresh: "seven wet umbrellas"})
	assert.Equal(t, "current", *problem(t, r, text).Field)
	r, text = s.ask(
		"PUT",
		"/api/password",
		contract.PasswordChange{Current: firm.DemoPassword, Fresh: "seven wet umbrellas"},
	)
	require.Equal(t, http.StatusNoContent, r.StatusCode, string(text))
	s.jar["trundo_session"] = here
	get[contract.Me](s, "/api/session")
	s.jar["trundo_session"] = elsewhere
	r, text = s.ask("GET", "/api/session", nil)
	assert.Equal(t, "signed_out", problem(t, r, text).Code)
	s.ends(other, "of another session")
	select {
	case code := <-window:
		t.Fatalf("the window in which the password was changed was closed too: %d", code)
	default:
	}
	var last contract.Problem
	s.jar["trundo_session"] = here
	for range 9 {
		r, text = s.ask("PUT", "/api/password", contract.PasswordChange{Current: "guess", Fresh: "eight wet umbrellas"})
		last = problem(t, r, text)
	}
	assert.Equal(t, "throttled", last.Code, "who sits at somebody's desk does not guess on")
}

func TestWaysInThatNobodyHasAskedForLeadNowhere(t *testing.T) {
	s := newSite(t)
	r, text := s.ask("POST", "/api/sign-in-link", contract.LinkToken{Token: "nonsense"})
	assert.Equal(t, "link_used", problem(t, r, text).Code)
	r, text = s.ask("PUT", "/api/sign-in-link", contract.LinkUse{Token: "nonsense", Password: "seven wet umbrellas"})
	assert.Equal(t, "link_used", problem(t, r, text).Code)
	r, text = s.ask("POST", "/api/first-admin", contract.FirstAdmin{Code: "000000000", Name: "Eve", Login: "eve",
		Password: "seven wet umbrellas", Zone: "UTC"})
	assert.Equal(t, "not_first", problem(t, r, text).Code)
	assert.False(t, get[contract.FirstAdminAwaited](s, "/api/first-admin").Awaited)
	for _, login := range []string{"ines", "nobody"} {
		r, _ = s.ask("POST", "/api/forgotten-password", contract.Forgotten{Login: login})
		assert.Equal(t, http.StatusNoContent, r.StatusCode, login)
	}
	// A page elsewhere cannot take its visitor's link, nor make itself the first admin.
	for path, body := range map[string]any{"/api/sign-in-link": contract.LinkToken{Token: "x"},
		"/api/forgotten-password": contract.Forgotten{Login: "ines"}} {
		r, text := s.ask(
			"POST",
			path,
			body,
			func(r *http.Request) { r.Header.Set("Origin", "https://elsewhere.example") },
		)
		assert.Equal(t, "foreign_origin", problem(t, r, text).Code)
	}
}
