// Package idptest is a small identity provider for tests (OpenID Connect Core 1.0, authorization code with PKCE), that can
// be told to lie, to be away and to change its keys. It must not know what is tested.
package idptest

import (
	"crypto/rand"
	"crypto/rsa"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"maps"
	"net/http"
	"net/http/httptest"
	"net/url"
	"sync"
	"testing"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/stretchr/testify/require"
)

// What a client of it is called, and its secret.
const (
	Client = "trundo"
	Secret = "a secret of the tests"
)

// Provider is one. Its fields may be changed between requests.
type Provider struct {
	URL string
	t   *testing.T

	mu sync.Mutex
	// Claims are what it says of whoever comes next, besides issuer, audience, nonce and times.
	claims map[string]any
	lie    func(claims map[string]any) // changes what is signed; nil: it says the truth
	key    *rsa.PrivateKey
	signs  *rsa.PrivateKey // with what it signs; another one than it publishes: it lies
	keyID  string
	away   bool
	refuse string // what it says instead of letting in
	codes  map[string]code
	Asked  []url.Values // how browsers were sent here
}

type code struct{ nonce, challenge, redirect string }

// New starts one for a test.
func New(t *testing.T) *Provider {
	p := &Provider{t: t, codes: map[string]code{}}
	p.Rotate()
	mux := http.NewServeMux()
	mux.HandleFunc("/.well-known/openid-configuration", p.describe)
	mux.HandleFunc("/keys", p.keys)
	mux.HandleFunc("/authorize", p.authorize)
	mux.HandleFunc("/token", p.token)
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		p.mu.Lock()
		defer p.mu.Unlock()
		if p.away {
			http.Error(w, "away", http.StatusServiceUnavailable)
			return
		}
		mux.ServeHTTP(w, r)
	}))
	t.Cleanup(server.Close)
	p.URL = server.URL
	return p
}

// Says is what it says of whoever comes next.
func (p *Provider) Says(claims map[string]any) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.claims, p.lie, p.signs, p.refuse = claims, nil, p.key, ""
}

// Lies changes what is signed from now on; "alone" signs with a key that it does not publish.
func (p *Provider) Lies(lie func(claims map[string]any), alone bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.lie = lie
	if alone {
		p.signs = newKey(p.t)
	}
}

// Refuses lets nobody in, with a reason.
func (p *Provider) Refuses(why string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.refuse = why
}

// Away makes it answer nothing, or again.
func (p *Provider) Away(is bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.away = is
}

// Rotate gives it another key.
func (p *Provider) Rotate() {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.key = newKey(p.t)
	p.signs, p.keyID = p.key, rand.Text()
}

func newKey(t *testing.T) *rsa.PrivateKey {
	key, err := rsa.GenerateKey(rand.Reader, 2048)
	require.NoError(t, err)
	return key
}

func answer(w http.ResponseWriter, v any) {
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(v)
}

func (p *Provider) describe(w http.ResponseWriter, _ *http.Request) {
	answer(w, map[string]any{"issuer": p.URL, "authorization_endpoint": p.URL + "/authorize",
		"token_endpoint": p.URL + "/token", "jwks_uri": p.URL + "/keys",
		"id_token_signing_alg_values_supported": []string{"RS256"}})
}

func (p *Provider) keys(w http.ResponseWriter, _ *http.Request) {
	answer(w, jose.JSONWebKeySet{Keys: []jose.JSONWebKey{{Key: &p.key.PublicKey, KeyID: p.keyID, Algorithm: "RS256",
		Use: "sig"}}})
}

// authorize lets everybody in at once, as somebody who is signed in there already.
func (p *Provider) authorize(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	p.Asked = append(p.Asked, q)
	back := url.Values{"state": {q.Get("state")}}
	if p.refuse != "" {
		back.Set("error", p.refuse)
	} else {
		c := rand.Text()
		p.codes[c] = code{q.Get("nonce"), q.Get("code_challenge"), q.Get("redirect_uri")}
		back.Set("code", c)
	}
	http.Redirect(w, r, q.Get("redirect_uri")+"?"+back.Encode(), http.StatusFound)
}

// token redeems a code once, for whoever has its verifier.
func (p *Provider) token(w http.ResponseWriter, r *http.Request) {
	id, secret, _ := r.BasicAuth()
	c, known := p.codes[r.PostFormValue("code")]
	delete(p.codes, r.PostFormValue("code"))
	sum := sha256.Sum256([]byte(r.PostFormValue("code_verifier")))
	if id, secret = unescaped(id), unescaped(secret); !known || id != Client || secret != Secret ||
		c.challenge != base64.RawURLEncoding.EncodeToString(sum[:]) || c.redirect != r.PostFormValue("redirect_uri") {
		w.WriteHeader(http.StatusBadRequest)
		answer(w, map[string]string{"error": "invalid_grant"})
		return
	}
	now := time.Now()
	claims := map[string]any{"iss": p.URL, "aud": Client, "nonce": c.nonce, "iat": now.Unix(),
		"exp": now.Add(time.Minute).Unix(), "auth_time": now.Unix()}
	maps.Copy(claims, p.claims)
	if p.lie != nil {
		p.lie(claims)
	}
	text, err := json.Marshal(claims)
	if err != nil {
		p.t.Error(err)
	}
	signer, err := jose.NewSigner(
		jose.SigningKey{Algorithm: jose.RS256, Key: jose.JSONWebKey{Key: p.signs, KeyID: p.keyID}},
		nil,
	)
	if err != nil {
		p.t.Error(err)
		return
	}
	signed, err := signer.Sign(text)
	if err != nil {
		p.t.Error(err)
		return
	}
	raw, err := signed.CompactSerialize()
	if err != nil {
		p.t.Error(err)
	}
	answer(w, map[string]any{"access_token": rand.Text(), "token_type": "Bearer", "expires_in": 60, "id_token": raw})
}

func unescaped(s string) string {
	plain, err := url.QueryUnescape(s)
	if err != nil {
		return s
	}
	return plain
}
