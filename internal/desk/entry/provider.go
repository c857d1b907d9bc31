package entry

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/coreos/go-oidc/v3/oidc"
	"golang.org/x/oauth2"

	"trundo/internal/contract"
	"trundo/internal/core/provided"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// backPath is where the provider sends browsers back to.
const backPath = "/api/sign-in/provider/back"

const (
	providerPatience = 5 * time.Second
	maxAnswer        = 1 << 20 // bytes of one answer of the provider's
	askedAgain       = time.Hour
)

// provider is the firm's identity provider as it has described itself.
type provider struct {
	version int
	at      time.Time
	secret  string
	row     db.IdentityProviderRow
	rules   []provided.Rule
	*oidc.Provider
}

// client is how the provider is asked: not for long, and for no endless answer.
var client = &http.Client{Timeout: providerPatience, Transport: bounded{http.DefaultTransport}}

type bounded struct{ http.RoundTripper }

func (b bounded) RoundTrip(r *http.Request) (*http.Response, error) {
	got, err := b.RoundTripper.RoundTrip(r)
	if err == nil {
		got.Body = struct {
			io.Reader
			io.Closer
		}{io.LimitReader(got.Body, maxAnswer), got.Body}
	}
	return got, err
}

// back is the address at the provider, of this installation as a browser reaches it at an origin.
func (en *Entry) back(origin string) string {
	if en.Public != "" {
		origin = strings.TrimSuffix(en.Public, "/")
	}
	return origin + backPath
}

// Provider is the firm's identity provider, for whoever gives rights. Error: firm.ErrForbidden.
func (en *Entry) Provider(ctx context.Context, a firm.Actor, origin string) (contract.IdentityProvider, error) {
	if !a.MayDo(rights.Roles) {
		return contract.IdentityProvider{}, firm.ErrForbidden
	}
	row, err := en.Store.IdentityProvider(ctx)
	if store.NotFound(err) {
		row, err = db.IdentityProviderRow{}, nil
	}
	view := contract.IdentityProvider{Label: row.Label, Issuer: row.Issuer, ClientID: row.ClientID, Scopes: row.Scopes,
		Rules: []contract.ProvidedRule{}, Version: int(row.Version), Back: new(en.back(origin)),
		HasSecret: new(row.ClientSecret != "")}
	if view.Scopes == nil {
		view.Scopes = []string{}
	}
	for _, r := range rulesOf(row.Rules) {
		view.Rules = append(view.Rules, contract.ProvidedRule{Claim: r.Claim, Value: r.Value,
			Role: contract.MemberRole(r.Role), Team: r.Team})
	}
	return view, err
}

// Label is what the firm calls its provider; "" where it has none.
func (en *Entry) Label(ctx context.Context) (string, error) {
	row, err := en.Store.IdentityProvider(ctx)
	if store.NotFound(err) {
		return "", nil
	}
	return row.Label, err
}

func rulesOf(text json.RawMessage) (rules []provided.Rule) {
	_ = json.Unmarshal(text, &rules) // written by SetProvider
	return rules
}

// SetProvider saves the provider once it has answered; without an issuer there is none any more. Errors:
// firm.ErrForbidden, firm.ErrChangedElse, *firm.FieldError.
func (en *Entry) SetProvider(ctx context.Context, a firm.Actor, origin string,
	e contract.IdentityProvider) (contract.IdentityProvider, error) {
	if !a.MayDo(rights.Roles) {
		return e, firm.ErrForbidden
	}
	p, err := en.saved(ctx, e)
	if err != nil {
		return e, err
	}
	err = en.Store.Tx(ctx, func(q *db.Queries) error {
		for i, r := range e.Rules {
			if err := firm.MayGive(ctx, q, a, string(r.Role)); err != nil {
				return firm.About(fmt.Sprintf("rules.%d.role", i), err)
			}
		}
		var n int64
		var err error
		if p.Issuer == "" {
			n, err = q.DeleteIdentityProvider(ctx, e.Version)
		} else {
			n, err = q.SaveIdentityProvider(ctx, p)
		}
		switch {
		case err != nil:
			return err
		case n == 0 && (p.Issuer != "" || e.Version != 0):
			return firm.ErrChangedElse
		}
		rules := []string{}
		for _, r := range e.Rules {
			rules = append(rules, strings.TrimSpace(r.Claim+" "+r.Value+": "+string(r.Role)+" "+r.Team))
		}
		return en.Audited(ctx, q, a, "member", a.ID, "identity provider set", map[string]string{},
			map[string]string{"issuer": p.Issuer, "client": p.ClientID, "rules": strings.Join(rules, "; ")})
	})
	if err != nil {
		return e, err
	}
	en.mu.Lock()
	en.asked = nil
	en.mu.Unlock()
	return en.Provider(ctx, a, origin)
}

// saved is a provider as it is stored, once it has answered. Errors: *firm.FieldError.
func (en *Entry) saved(ctx context.Context, e contract.IdentityProvider) (db.SaveIdentityProviderParams, error) {
	p := db.SaveIdentityProviderParams{Label: firm.CleanText(e.Label), Issuer: strings.TrimSpace(e.Issuer),
		ClientID: strings.TrimSpace(e.ClientID), Scopes: e.Scopes, Version: e.Version}
	if p.Issuer == "" {
		return p, nil
	}
	switch {
	case p.Label == "":
		return p, firm.Wrong("label", "say what its button is called, such as the name of your directory")
	case p.ClientID == "":
		return p, firm.Wrong("client_id", "the provider has given you one where you registered Trundo")
	}
	if err := safe(p.Issuer); err != nil {
		return p, err
	}
	rules := []provided.Rule{}
	for i, r := range e.Rules {
		rule := provided.Rule{Claim: firm.CleanText(r.Claim), Value: firm.CleanText(r.Value), Role: string(r.Role),
			Team: firm.CleanText(r.Team)}
		if rule.Claim == "" || rule.Value == "" {
			return p, firm.Wrong(fmt.Sprintf("rules.%d.value", i), "say which claim has to be what")
		}
		rules = append(rules, rule)
	}
	text, err := json.Marshal(rules)
	if err != nil {
		return p, err
	}
	p.Rules = text
	if e.ClientSecret != nil {
		p.ClientSecret, err = en.Seal(*e.ClientSecret)
	} else if row, was := en.Store.IdentityProvider(ctx); was == nil && row.Issuer == p.Issuer {
		p.ClientSecret = row.ClientSecret // only where it was given it: a secret is not told to another one
	}
	if err != nil {
		return p, err
	}
	if _, err := oidc.NewProvider(oidc.ClientContext(ctx, client), p.Issuer); err != nil {
		en.Log.Warn("an identity provider does not answer", "issuer", p.Issuer, "error", err)
		return p, firm.Wrong(
			"issuer",
			"it does not answer as OpenID Connect asks: look whether the address is exactly "+
				"the issuer's, without /.well-known",
		)
	}
	return p, nil
}

// safe refuses an issuer that is not asked over TLS, but on this machine. Error: *firm.FieldError.
func safe(issuer string) error {
	u, err := url.Parse(issuer)
	if err != nil || u.Host == "" || u.RawQuery != "" || u.Fragment != "" {
		return firm.Wrong("issuer", "this is no address")
	}
	ip := net.ParseIP(u.Hostname())
	here := u.Hostname() == "localhost" || ip != nil && ip.IsLoopback()
	if u.Scheme != "https" && !(u.Scheme == "http" && here) {
		return firm.Wrong("issuer", "an identity provider is asked over https")
	}
	return nil
}

// ErrNoProvider is told where the firm has no identity provider.
var ErrNoProvider = errors.New("no identity provider is set up")

// ErrProviderAway is told where the provider does not answer.
var ErrProviderAway = errors.New("the identity provider does not answer")

// provider is the firm's as it describes itself now. Errors: ErrNoProvider, ErrProviderAway.
func (en *Entry) provider(ctx context.Context) (*provider, error) {
	row, err := en.Store.IdentityProvider(ctx)
	if store.NotFound(err) {
		return nil, ErrNoProvider
	} else if err != nil {
		return nil, err
	}
	en.mu.Lock()
	p := en.asked
	en.mu.Unlock()
	if p != nil && p.version == row.Version && p.row.Issuer == row.Issuer && en.Clock.Since(p.at) < askedAgain {
		return p, nil
	}
	p = &provider{version: row.Version, at: en.Clock.Now(), row: row, rules: rulesOf(row.Rules)}
	if p.secret, err = en.Unseal(row.ClientSecret); err != nil {
		return nil, err
	}
	// What it describes is kept, and its keys are asked for later: not with a request that is over then.
	p.Provider, err = oidc.NewProvider(oidc.ClientContext(context.WithoutCancel(ctx), client), row.Issuer)
	if err != nil {
		en.Log.Warn("the identity provider does not answer", "error", err)
		return nil, ErrProviderAway
	}
	en.mu.Lock()
	en.asked = p
	en.mu.Unlock()
	return p, nil
}

func (en *Entry) oauth(p *provider, origin string) *oauth2.Config {
	return &oauth2.Config{ClientID: p.row.ClientID, ClientSecret: p.secret, Endpoint: p.Endpoint(),
		RedirectURL: en.back(origin),
		Scopes:      slices.Concat([]string{oidc.ScopeOpenID, "profile", "email"}, p.row.Scopes)}
}
