package e2e_test

import (
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// dump is the whole database as PostgreSQL writes it, and every file of the server.
func (w *world) dump(t *testing.T) string {
	t.Helper()
	program, err := exec.LookPath("pg_dump")
	if err != nil { // Debian keeps it out of the way
		found, err := filepath.Glob("/usr/lib/postgresql/*/bin/pg_dump")
		require.NoError(t, err)
		require.NotEmpty(t, found)
		program = found[len(found)-1]
	}
	text, err := exec.CommandContext(t.Context(), program, w.Store.Pool.Config().ConnString()).Output()
	require.NoError(t, err)
	require.NoError(t, filepath.WalkDir(w.data, func(path string, d fs.DirEntry, err error) error {
		if err != nil || !d.Type().IsRegular() {
			return err
		}
		file, err := os.ReadFile(path)
		text = append(append(text, path...), file...)
		return err
	}))
	return string(text)
}

func TestAPersonIsErasedAndNowhereLeft(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	ines, ada := w.signedIn(t, "Ines"), w.signedIn(t, "Ada")
	ines.visit("/people?q=Rosalind+Willowmere")
	ines.click("link", "Rosalind Willowmere")
	ines.see("518 555 0185")
	ines.click("button", "518 555 0185")
	ines.see("ringing", slipPart)
	require.True(t, w.sim.TheyAnswer("+15185550185"))
	ines.see("speaking", slipPart)
	ines.keys("Rosalind Willowmere wants a bigger tank.")
	ines.see("saved", "[data-testid=notes-status]")
	trace := regexp.MustCompile(`(?i)rosalind willowmere|518[ -]?555[ -]?0185|5810555815|bigger tank`)
	ada.visit("/people?q=Rosalind+Willowmere")
	ada.click("link", "Rosalind Willowmere")
	ada.see("518 555 0185")
	ada.click("button", "More")
	ada.click("item", "Privacy")
	ada.see("they are on the phone right now", "[data-testid=erase]")
	ines.command("e")
	ines.command("1")
	ines.command("f")
	ines.see("Filed: Rosalind Willowmere")
	ada.click("button", "Close", "[role=dialog]")
	ada.click("button", "More")
	ada.click("item", "Consent")
	ada.fill("How they told us", "on the phone")
	ada.click("button", "They no longer agree")
	ada.see("Texts: no longer agrees", "[data-testid=consents]")
	ada.looks("consent")
	ada.click("button", "Close", "[role=dialog]")
	ada.click("button", "More")
	ada.click("item", "Privacy")
	ada.gone("they are on the phone right now", "[data-testid=erase]")
	ada.fill("Why they are erased", "asked by letter")
	ada.looks("privacy-dialog")
	require.Regexp(t, trace, w.dump(t))
	ada.click("button", "Erase for good")
	ada.see("This cannot be undone", "[data-testid=erase]")
	ada.click("button", "Erase for good")
	ada.see("Rosalind Willowmere is erased")
	if left := trace.FindStringIndex(w.dump(t)); left != nil {
		text := w.dump(t)
		assert.Fail(t, "a trace is left", "…%s…", text[max(0, left[0]-300):min(len(text), left[1]+100)])
	}
	ada.visit("/settings?tab=privacy")
	ada.see("asked by letter", "[data-testid=erasure]")
	ada.see("done", "[data-testid=erasure]")
	ada.looks("privacy")
	ada.fill("Notes of filed calls", "730")
	ada.click("button", "Save")
	ada.see("Saved")
}
