package httpapi_test

import (
	"encoding/json"
	"maps"
	"net/http"
	"strings"
	"testing"

	"github.com/descope/virtualwebauthn"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
)

// holder is somebody with a telephone that keeps passkeys.
type holder struct {
	*site
	party virtualwebauthn.RelyingParty
	phone virtualwebauthn.Authenticator
	key   virtualwebauthn.Credential
}

// newHolder is a site that is reached by a name, and Ines with a telephone before it.
func newHolder(t *testing.T) *holder {
	s := newSite(t)
	s.url = strings.Replace(s.url, "127.0.0.1", "localhost", 1)
	me := func() string {
		var id string
		require.NoError(t, s.store.Pool.QueryRow(t.Context(), `SELECT id FROM users WHERE login = 'ines'`).Scan(&id))
		return id
	}()
	var handle []byte
	require.NoError(t, s.store.Pool.QueryRow(t.Context(), `SELECT uuid_send($1::uuid)`, me).Scan(&handle))
	return &holder{site: s, party: virtualwebauthn.RelyingParty{ID: "localhost", Name: "Trundo", Origin: s.url},
		phone: virtualwebauthn.NewAuthenticatorWithOptions(virtualwebauthn.AuthenticatorOptions{UserHandle: handle}),
		key:   virtualwebauthn.NewCredential(virtualwebauthn.KeyTypeEC2)}
}

func free(t *testing.T, text string) (v map[string]any) {
	require.NoError(t, json.Unmarshal([]byte(text), &v))
	return v
}

// asked is a question as the telephone reads it.
func asked(t *testing.T, text []byte) string {
	var q contract.PasskeyQuestion
	require.NoError(t, json.Unmarshal(text, &q))
	options, err := json.Marshal(map[string]any{"publicKey": q.Options})
	require.NoError(t, err)
	return string(options)
}

// adds makes a passkey on the telephone.
func (h *holder) adds(name string) (int, string) {
	h.t.Helper()
	r, text := h.ask("POST", "/api/passkeys", nil)
	require.Equal(h.t, http.StatusOK, r.StatusCode, string(text))
	options, err := virtualwebauthn.ParseAttestationOptions(asked(h.t, text))
	require.NoError(h.t, err)
	made := virtualwebauthn.CreateAttestationResponse(h.party, h.phone, h.key, *options)
	r, text = h.ask("PUT", "/api/passkeys", contract.NewPasskey{Name: name, Credential: free(h.t, made)})
	return r.StatusCode, string(text)
}

// answers shows the passkey as it is asked for, at a path.
func (h *holder) answers(path string) (contract.PasskeyAnswer, int, string) {
	h.t.Helper()
	r, text := h.ask("POST", "/api/session/passkey", nil)
	require.Equal(h.t, http.StatusOK, r.StatusCode, string(text))
	options, err := virtualwebauthn.ParseAssertionOptions(asked(h.t, text))
	require.NoError(h.t, err)
	h.key.Counter++
	in := contract.PasskeyAnswer{Credential: free(h.t,
		virtualwebauthn.CreateAssertionResponse(h.party, h.phone, h.key, *options))}
	r, text = h.ask("PUT", path, in)
	return in, r.StatusCode, string(text)
}

func TestAPasskeyLetsIn(t *testing.T) {
	h := newHolder(t)
	assert.JSONEq(t, `{"passkeys":true,"provider":""}`, string(func() []byte {
		_, text := h.ask("GET", "/api/sign-in-ways", nil)
		return text
	}()))
	h.signIn("ines")
	status, text := h.adds(" ")
	assert.Equal(t, http.StatusUnprocessableEntity, status, text)
	status, text = h.adds("telephone")
	require.Equal(t, http.StatusOK, status, text)
	h.jar = map[string]string{}
	_, status, text = h.answers("/api/session/passkey")
	require.Equal(t, http.StatusOK, status, text)
	me, _ := h.me()
	assert.Equal(t, "ines", me.Login)
	list := get[[]contract.Passkey](h.site, "/api/passkeys")
	require.Len(t, list, 1)
	assert.Equal(t, "telephone", list[0].Name)
	assert.NotNil(t, list[0].UsedAt)
	var ways []string
	require.NoError(t, h.store.Pool.QueryRow(t.Context(), `SELECT array_agg(after ->> 'by' ORDER BY at) FROM audit
		WHERE action = 'signed in' AND after ? 'by'`).Scan(&ways))
	assert.Equal(t, []string{"password", "passkey"}, ways)

	// The same answer lets nobody in again, nor does an answer to another browser's question.
	used, status, _ := h.answers("/api/session/passkey")
	require.Equal(t, http.StatusOK, status)
	h.jar = map[string]string{}
	r, told := h.ask("PUT", "/api/session/passkey", used)
	assert.Equal(t, http.StatusConflict, r.StatusCode, string(told))
	r, _ = h.ask("POST", "/api/session/passkey", nil)
	require.Equal(t, http.StatusOK, r.StatusCode)
	r, told = h.ask("PUT", "/api/session/passkey", used)
	assert.Equal(t, http.StatusUnauthorized, r.StatusCode, string(told))

	// Nor one that is shown to another site, by a telephone that nobody unlocked, or with a counter that went back.
	for what, wrong := range map[string]func(h *holder){
		"another site": func(h *holder) { h.party.Origin = "http://localhost:1" },
		"another name": func(h *holder) { h.party.ID = "elsewhere" },
		"not unlocked": func(h *holder) { h.phone.Options.UserNotVerified = true },
		"a copy":       func(h *holder) { h.key.Counter = 0 },
		"another key":  func(h *holder) { h.key = virtualwebauthn.NewCredential(virtualwebauthn.KeyTypeEC2) },
	} {
		other := *h
		other.jar = maps.Clone(h.jar)
		wrong(&other)
		_, status, text := other.answers("/api/session/passkey")
		assert.Equal(t, http.StatusUnauthorized, status, what+": "+text)
	}

	// Nor when it was taken away.
	_, status, _ = h.answers("/api/session/passkey")
	require.Equal(t, http.StatusOK, status)
	r, told = h.ask("DELETE", "/api/passkeys/"+list[0].Key, nil)
	require.Equal(t, http.StatusNoContent, r.StatusCode, string(told))
	h.jar = map[string]string{}
	_, status, _ = h.answers("/api/session/passkey")
	assert.Equal(t, http.StatusUnauthorized, status)
}

func TestAPasskeyIsTwoFactorsAndAProof(t *testing.T) {
	h := newHolder(t)
	h.signIn("ada")
	setup := get[contract.FirmSetup](h.site, "/api/settings/firm")
	setup.Regions, setup.SecondFactor = nil, &[]contract.MemberRole{"rep"}
	r, text := h.ask("PUT", "/api/settings/firm", setup)
	require.Equal(t, http.StatusOK, r.StatusCode, string(text))
	h.jar = map[string]string{}
	h.signIn("ines")
	me, _ := h.me()
	assert.True(t, me.SecondFactorMissing)
	r, _ = h.ask("GET", "/api/lane", nil)
	assert.Equal(t, http.StatusForbidden, r.StatusCode)
	status, told := h.adds("telephone") // is enough from now on
	require.Equal(t, http.StatusOK, status, told)
	me, _ = h.me()
	assert.False(t, me.SecondFactorMissing)
	h.jar = map[string]string{}
	_, status, told = h.answers("/api/session/passkey")
	require.Equal(t, http.StatusOK, status, told)
	r, _ = h.ask("GET", "/api/lane", nil)
	assert.Equal(t, http.StatusOK, r.StatusCode)
	_, status, told = h.answers("/api/session/proof/passkey")
	assert.Equal(t, http.StatusNoContent, status, told)
	// By the password alone it is asked for again, and somebody else's passkey proves nothing.
	h.jar = map[string]string{}
	h.signIn("ines")
	r, _ = h.ask("GET", "/api/lane", nil)
	assert.Equal(t, http.StatusForbidden, r.StatusCode)
	// Nor does whoever has found out the password make a second factor of their own.
	for path, body := range map[string]any{"/api/passkeys": nil,
		"/api/second-factor": contract.PasswordAgain{Password: firm.DemoPassword}} {
		r, text := h.ask("POST", path, body)
		assert.Equal(t, http.StatusForbidden, r.StatusCode, path)
		assert.Contains(t, string(text), "use_passkey")
	}
	h.jar = map[string]string{}
	h.signIn("ada")
	_, status, told = h.answers("/api/session/proof/passkey")
	assert.Equal(t, http.StatusForbidden, status, told)
	// Whoever has lost it has it taken away.
	r, text = h.ask("DELETE", "/api/staff/"+me.ID.String()+"/second-factor", nil)
	require.Equal(t, http.StatusNoContent, r.StatusCode, string(text))
	h.jar = map[string]string{}
	_, status, _ = h.answers("/api/session/passkey")
	assert.Equal(t, http.StatusUnauthorized, status)
}

func TestThereAreNoPasskeysAtABareAddress(t *testing.T) {
	s := newSite(t)
	r, text := s.ask("POST", "/api/session/passkey", nil)
	assert.Equal(t, http.StatusConflict, r.StatusCode, string(text))
	s.signIn("ines")
	r, text = s.ask("POST", "/api/passkeys", nil)
	assert.Equal(t, http.StatusConflict, r.StatusCode, string(text))
}
