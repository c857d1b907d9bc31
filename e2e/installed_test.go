package e2e_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestTheShellIsInstallableAndKeepsNoAnswers looks at what the browser needs to install the window, and that nothing of
// the server's answers is kept.
func TestTheShellIsInstallableAndKeepsNoAnswers(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	ines := w.signedIn(t, "Ines")
	ines.see("Hello, Ines")
	kept := `[window.__kept, navigator.serviceWorker.getRegistration().then((r) => r?.active && caches.open('shell-1'))
		.then((c) => c?.keys()).then((all) => { window.__kept = all?.map((r) => new URL(r.url).pathname).sort().join(' '); })][0]`
	ines.until("the shell is kept", kept+" === '/icon.svg /offline.html'")
	assert.Equal(t, "standalone", eval[string](ines, `(() => { const r = new XMLHttpRequest();
		r.open('GET', document.querySelector('link[rel=manifest]').href, false); r.send();
		return JSON.parse(r.responseText).display; })()`))
	ines.visit("/lane")
	ines.see("My lane")
	ines.until("still nothing else is kept", kept+" === '/icon.svg /offline.html'")
}
