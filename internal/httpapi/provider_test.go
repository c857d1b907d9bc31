package httpapi_test

import (
	"encoding/json"
	"net/http"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/idptest"
)

// provided is a site whose firm has an identity provider with these rules.
func provided(t *testing.T, rules ...contract.ProvidedRule) (*site, *idptest.Provider) {
	s, p := newSite(t), idptest.New(t)
	s.client.CheckRedirect = func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }
	s.signIn("ada")
	if rules == nil {
		rules = []contract.ProvidedRule{}
	}
	r, text := s.ask(
		"PUT",
		"/api/identity-provider",
		contract.IdentityProvider{Label: "Lindenfall directory", Issuer: p.URL,
			ClientID: idptest.Client, ClientSecret: new(idptest.Secret), Scopes: []string{"groups"}, Rules: rules},
	)
	require.Equal(t, http.StatusOK, r.StatusCode, string(text))
	assert.NotContains(t, string(text), idptest.Secret)
	s.jar = map[string]string{}
	return s, p
}

// comes goes to the provider and back, and gives where the browser ends.
func (s *site) comes(p *idptest.Provider, query string) string {
	s.t.Helper()
	r, text := s.ask("GET", "/api/sign-in/provider"+query, nil)
	require.Equal(s.t, http.StatusFound, r.StatusCode, string(text))
	to := r.Header.Get("Location")
	if !strings.HasPrefix(to, p.URL) {
		return to
	}
	r, err := s.client.Get(to)
	require.NoError(s.t, err)
	require.NoError(s.t, r.Body.Close())
	back := r.Header.Get("Location")
	require.True(s.t, strings.HasPrefix(back, s.url), back)
	r, _ = s.ask("GET", strings.TrimPrefix(back, s.url), nil)
	require.Equal(s.t, http.StatusFound, r.StatusCode)
	return r.Header.Get("Location")
}

// problemIn is what went wrong, as the sign-in page is told; "" for any other page.
func problemIn(t *testing.T, address string) string {
	u, err := url.Parse(address)
	require.NoError(t, err)
	if u.Path != "/sign-in" {
		return ""
	}
	return u.Query().Get("problem")
}

func (s *site) me() (me contract.Me, status int) {
	r, text := s.ask("GET", "/api/session", nil)
	_ = json.Unmarshal(text, &me)
	return me, r.StatusCode
}

func TestWhoTheProviderKnowsGetsInByTheFirmsRules(t *testing.T) {
	s, p := provided(t, contract.ProvidedRule{Claim: "groups", Value: "leads", Role: "supervisor", Team: "Sales"},
		contract.ProvidedRule{Claim: "groups", Value: "callers", Role: "rep", Team: "Service"})
	// Somebody new becomes what the first rule that fits says.
	p.Says(map[string]any{"sub": "1", "name": "Quill Ambersley", "preferred_username": "Quill@lindenfall.example",
		"email": "quill@lindenfall.example", "email_verified": true, "groups": []string{"callers", "all"}})
	assert.Equal(t, "/calls?only=mine", s.comes(p, "?to="+url.QueryEscape("/calls?only=mine")))
	me, _ := s.me()
	assert.Equal(t, []string{"Quill Ambersley", "quill", "rep"}, []string{me.Name, me.Login, string(me.Role)})
	assert.Equal(t, "openid profile email groups", p.Asked[0].Get("scope"))
	var team, invited string
	require.NoError(t, s.store.Pool.QueryRow(t.Context(), `SELECT team, mail_address FROM users WHERE login = 'quill'`).
		Scan(&team, &invited))
	assert.Equal(t, []string{"Service", "quill@lindenfall.example"}, []string{team, invited})
	// What they are follows the rules each time, and who is in no group any more stays outside.
	p.Says(map[string]any{"sub": "1", "groups": []string{"callers", "leads"}})
	assert.Equal(t, "/", s.comes(p, ""))
	again, _ := s.me()
	assert.Equal(t, me.ID, again.ID)
	assert.Equal(t, "supervisor", string(again.Role))
	p.Says(map[string]any{"sub": "1", "groups": []string{"all"}})
	s.jar = map[string]string{}
	assert.Equal(t, "no_place_here", problemIn(t, s.comes(p, "")))
	_, status := s.me()
	assert.Equal(t, http.StatusUnauthorized, status)
	// Whose login is somebody's already gets a number.
	p.Says(map[string]any{"sub": "2", "name": "Another Quill", "preferred_username": "quill", "groups": "callers"})
	assert.Equal(t, "/", s.comes(p, ""))
	me, _ = s.me()
	assert.Equal(t, "quill2", me.Login)
	// Nobody but these two came in.
	var n int
	require.NoError(t, s.store.Pool.QueryRow(t.Context(), `SELECT count(*) FROM provided_identities`).Scan(&n))
	assert.Equal(t, 2, n)
}

func TestWhoIsHereAlreadyIsFoundByAMailAddressThatWasMadeSureOf(t *testing.T) {
	s, p := provided(t)
	_, err := s.store.Pool.Exec(t.Context(), `UPDATE users SET mail_address = login || '@lindenfall.example'
		WHERE login IN ('ines', 'tomas'); UPDATE users SET mail_address = 'both@lindenfall.example' WHERE login IN ('odile', 'ada')`)
	require.NoError(t, err)
	s.forgetActors()
	for _, says := range []map[string]any{
		{"sub": "a", "name": "Ines Calloway", "email": "ines@lindenfall.example"},                             // anybody could write that
		{"sub": "a", "email": "ines@lindenfall.example", "email_verified": false},                             //
		{"sub": "a", "email": "nobody@lindenfall.example", "email_verified": true},                            // there are no rules by which to come
		{"sub": "a", "email": "both@lindenfall.example", "email_verified": true, "preferred_username": "ada"}, // who of both?
	} {
		p.Says(says)
		assert.Equal(t, "no_place_here", problemIn(t, s.comes(p, "")), says)
	}
	p.Says(map[string]any{"sub": "a", "email": "Ines@Lindenfall.example", "email_verified": true})
	require.Equal(t, "/", s.comes(p, ""))
	me, _ := s.me()
	assert.Equal(t, "ines", me.Login)
	// From then on it is the subject that counts, whatever becomes of the address.
	p.Says(map[string]any{"sub": "a", "email": "tomas@lindenfall.example", "email_verified": true})
	require.Equal(t, "/", s.comes(p, ""))
	me, _ = s.me()
	assert.Equal(t, "ines", me.Login)
	// Switched off here is switched off, whatever the provider says.
	_, err = s.store.Pool.Exec(t.Context(), `UPDATE users SET active = false, off_at = now() WHERE login = 'ines'`)
	require.NoError(t, err)
	s.forgetActors()
	s.jar = map[string]string{}
	assert.Equal(t, "signed_out", problemIn(t, s.comes(p, "")))
}

func TestAProviderThatLiesIsAwayOrChangesItsKeys(t *testing.T) {
	s, p := provided(t, contract.ProvidedRule{Claim: "groups", Value: "callers", Role: "rep"})
	honest := map[string]any{"sub": "1", "name": "Quill Ambersley", "preferred_username": "quill", "groups": "callers"}
	for what, lie := range map[string]func(map[string]any){
		"another issuer":   func(c map[string]any) { c["iss"] = "https://elsewhere.example" },
		"another audience": func(c map[string]any) { c["aud"] = "another program" },
		"another nonce":    func(c map[string]any) { c["nonce"] = "of another sign-in" },
		"no nonce":         func(c map[string]any) { delete(c, "nonce") },
		"over":             func(c map[string]any) { c["exp"] = time.Now().Add(-10 * time.Minute).Unix() },
		"another key":      nil,
	} {
		p.Says(honest)
		p.Lies(lie, lie == nil)
		assert.Equal(t, "provider_wrong", problemIn(t, s.comes(p, "")), what)
	}
	p.Says(honest)
	p.Refuses("access_denied")
	assert.Equal(t, "provider_refused", problemIn(t, s.comes(p, "")))
	p.Says(honest)
	p.Rotate() // its new key is asked for
	assert.Equal(t, "/", s.comes(p, ""))
	p.Away(true)
	s.jar = map[string]string{}
	r, _ := s.ask("GET", "/api/sign-in/provider", nil)
	require.Equal(t, http.StatusFound, r.StatusCode) // as it has described itself before
	p.Away(false)
	// A state of another browser, a code twice, an answer to nothing.
	r, _ = s.ask("GET", "/api/sign-in/provider", nil)
	other := r.Header.Get("Location")
	state, err := url.Parse(other)
	require.NoError(t, err)
	s.jar = map[string]string{}
	r, _ = s.ask("GET", "/api/sign-in/provider/back?code=x&state="+url.QueryEscape(state.Query().Get("state")), nil)
	assert.Equal(t, "asked_anew", problemIn(t, r.Header.Get("Location")))
	r, _ = s.ask("GET", "/api/sign-in/provider/back", nil)
	assert.Equal(t, "asked_anew", problemIn(t, r.Header.Get("Location")))
	// Only pages of this site are gone to.
	p.Says(honest)
	for _, to := range []string{"//elsewhere.example", "https://elsewhere.example", `/\elsewhere.example`, "/api/session"} {
		assert.Equal(t, "/", s.comes(p, "?to="+url.QueryEscape(to)), to)
	}
}

func TestWhatGivesRightsIsShownAgainAtTheProvider(t *testing.T) {
	s, p := provided(t, contract.ProvidedRule{Claim: "groups", Value: "office", Role: "admin"})
	who := map[string]any{"sub": "1", "name": "Quill Ambersley", "preferred_username": "quill", "groups": "office"}
	p.Says(who)
	require.Equal(t, "/", s.comes(p, ""))
	require.Equal(t, "/settings/roles", s.comes(p, "?again=true&to=/settings/roles"))
	asked := p.Asked[len(p.Asked)-1]
	assert.Equal(t, []string{"login", "0"}, []string{asked.Get("prompt"), asked.Get("max_age")})
	// Who is still signed in there has shown nothing; nor has somebody else.
	p.Lies(func(c map[string]any) { c["auth_time"] = time.Now().Add(-time.Hour).Unix() }, false)
	assert.Equal(t, "provider_wrong", problemIn(t, s.comes(p, "?again=true")))
	p.Says(map[string]any{"sub": "2", "name": "Somebody", "groups": "office"})
	assert.Equal(t, "somebody_else", problemIn(t, s.comes(p, "?again=true")))
	s.jar = map[string]string{}
	assert.Equal(t, "signed_out", problemIn(t, s.comes(p, "?again=true")))
}

func TestAProviderIsSetUpByWhoGivesRights(t *testing.T) {
	s, p := provided(t)
	good := func() contract.IdentityProvider {
		return contract.IdentityProvider{Label: "Directory", Issuer: p.URL, ClientID: "c", Scopes: []string{},
			Rules: []contract.ProvidedRule{}, Version: 1}
	}
	s.signIn("ada")
	for field, wrong := range map[string]func(*contract.IdentityProvider){
		"issuer":    func(e *contract.IdentityProvider) { e.Issuer = "http://directory.example" },
		"label":     func(e *contract.IdentityProvider) { e.Label = " " },
		"client_id": func(e *contract.IdentityProvider) { e.ClientID = "" },
		"rules.0.role": func(e *contract.IdentityProvider) {
			e.Rules = []contract.ProvidedRule{{Claim: "a", Value: "b", Role: "owner"}}
		},
		"rules.0.value": func(e *contract.IdentityProvider) {
			e.Rules = []contract.ProvidedRule{{Claim: "a", Value: " ", Role: "rep"}}
		},
	} {
		e := good()
		wrong(&e)
		r, text := s.ask("PUT", "/api/identity-provider", e)
		var told contract.Problem
		require.NoError(t, json.Unmarshal(text, &told))
		assert.Equal(t, http.StatusUnprocessableEntity, r.StatusCode, field)
		require.NotNil(t, told.Field, string(text))
		assert.Equal(t, field, *told.Field)
	}
	p.Away(true)
	r, text := s.ask("PUT", "/api/identity-provider", good())
	assert.Equal(t, http.StatusUnprocessableEntity, r.StatusCode)
	assert.Contains(t, string(text), "does not answer")
	p.Away(false)
	// The secret stays where nobody types another one, but is told to no other provider.
	r, _ = s.ask("PUT", "/api/identity-provider", good())
	require.Equal(t, http.StatusOK, r.StatusCode)
	stale := good()
	r, _ = s.ask("PUT", "/api/identity-provider", stale)
	assert.Equal(t, http.StatusConflict, r.StatusCode)
	elsewhere := good()
	elsewhere.Issuer, elsewhere.Version = idptest.New(t).URL, 2
	r, text = s.ask("PUT", "/api/identity-provider", elsewhere)
	require.Equal(t, http.StatusOK, r.StatusCode, string(text))
	assert.Contains(t, string(text), `"has_secret":false`)
	// And none any more.
	r, text = s.ask("PUT", "/api/identity-provider", contract.IdentityProvider{Scopes: []string{},
		Rules: []contract.ProvidedRule{}, Version: 3})
	require.Equal(t, http.StatusOK, r.StatusCode, string(text))
	_, text = s.ask("GET", "/api/sign-in-ways", nil)
	assert.JSONEq(t, `{"passkeys":false,"provider":""}`, string(text))
	r, _ = s.ask("GET", "/api/sign-in/provider", nil)
	assert.Equal(t, "no_provider", problemIn(t, r.Header.Get("Location")))
}
