package e2e_test

import (
	"context"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/webauthn"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/desk/firm"
	"trundo/internal/idptest"
)

// hasTelephone gives a window an authenticator that keeps passkeys and is unlocked by whoever holds it.
func (w *window) hasTelephone() {
	w.t.Helper()
	require.NoError(w.t, chromedp.Do(w.ctx, chromedp.Func(func(ctx context.Context, _ *chromedp.Target) error {
		if _, err := chromedp.Call(ctx, webauthn.Enable, webauthn.EnableParams{}); err != nil {
			return err
		}
		_, err := chromedp.Call(ctx, webauthn.AddVirtualAuthenticator, webauthn.AddVirtualAuthenticatorParams{
			Options: &webauthn.VirtualAuthenticatorOptions{Protocol: webauthn.AuthenticatorProtocolCtap2,
				Transport: webauthn.AuthenticatorTransportInternal, HasResidentKey: true, HasUserVerification: true,
				IsUserVerified: true, AutomaticPresenceSimulation: true}})
		return err
	})))
}

func TestAPasskeyAndADirectoryLetInWithoutAPassword(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	p := idptest.New(t)
	w.url = strings.Replace(w.url, "127.0.0.1", "localhost", 1) // a passkey belongs to a name
	ada := w.signedIn(t, "Ada")
	ada.hasTelephone()

	// A passkey, made in the settings after a password, and used from the page where one signs in.
	ada.goes("/settings?tab=me")
	ada.see("You have none yet", "[data-testid=passkeys]")
	ada.fill("What it is on", "Telephone of Ada")
	ada.click("button", "Add a passkey")
	ada.see("Telephone of Ada", "[data-testid=passkeys]")
	ada.looks("passkeys")

	// The directory, with a line for who comes from it.
	ada.goes("/settings?tab=signing_in")
	ada.fill("What its button says", "the Lindenfall directory")
	ada.fill("Address of the issuer", p.URL+"/nowhere")
	ada.fill("Client ID", idptest.Client)
	ada.fill("Client secret", idptest.Secret)
	ada.click("button", "Add a line")
	ada.fill("is, or holds", "callers")
	ada.fill("in the team (if new)", "Sales")
	ada.click("button", "Save", "[data-testid=identity-provider]")
	ada.see("it does not answer as OpenID Connect asks", "[data-testid=identity-provider]")
	ada.fill("Address of the issuer", p.URL)
	ada.accessible("signing in")
	ada.looks("signing-in")
	ada.click("button", "Save", "[data-testid=identity-provider]")
	ada.see("Saved. It has answered", "ol")
	ada.see(w.url+"/api/sign-in/provider/back", "[data-testid=identity-provider]")

	signsOut(ada)
	ada.see("Sign in with the Lindenfall directory", "[data-testid=ways-in]")
	ada.looks("ways-in")
	ada.click("button", "Sign in with a passkey")
	ada.see("Hello, Ada")
	signsOut(ada)

	// Somebody new comes by the directory, and finds the desk of a rep.
	p.Says(
		map[string]any{
			"sub":                "1",
			"name":               "Quill Ambersley",
			"preferred_username": "quill",
			"groups":             []string{"callers"},
		},
	)
	ada.see("Sign in with the Lindenfall directory", "[data-testid=ways-in]")
	ada.click("link", "Sign in with the Lindenfall directory")
	ada.see("Hello, Quill")
	var role, team string
	require.NoError(t, w.Store.Pool.QueryRow(t.Context(), `SELECT role, team FROM users WHERE login = 'quill'`).
		Scan(&role, &team))
	assert.Equal(t, []string{string(firm.Rep), "Sales"}, []string{role, team})
	signsOut(ada)
	p.Says(map[string]any{"sub": "2", "name": "Nobody Known", "groups": []string{"guests"}})
	ada.click("link", "Sign in with the Lindenfall directory")
	ada.see("you have no place in this firm yet", "[data-testid=ways-in]")
}

// signsOut ends a window's session as its user does.
func signsOut(win *window) {
	win.t.Helper()
	eval[any](win, `fetch('/api/session', { method: 'DELETE' }).then(() => { location.href = '/sign-in' })`)
	win.see("Or by name")
}
