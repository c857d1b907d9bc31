package e2e_test

import (
	"os"
	"testing"

	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
)

// TestScreenshots makes docs/screenshots from the demo's data, when TRUNDO_SCREENSHOTS names the folder (make screenshots).
func TestScreenshots(t *testing.T) {
	dir := os.Getenv("TRUNDO_SCREENSHOTS")
	if dir == "" {
		t.Skip("TRUNDO_SCREENSHOTS is not set")
	}
	w := start(t, "", "127.0.0.1:0", "")
	win := open(t, w.url)
	win.see("one click")
	win.shot(dir + "/sign-in.png")
	win.click("button", "Ines Calloway")
	win.see("Berit Osterlund", "[data-testid=try]")
	win.see("Owed next")
	win.shot(dir + "/lane-at-rest.png")
	win.click("link", "People")
	win.see("250 people")
	win.fill("Search by name", "vesper")
	win.see("Berit Osterlund", "[data-testid=rows]")
	win.gone("Anneliese-Magdalena", "[data-testid=rows]")
	win.shot(dir + "/people.png")
	win.click("link", "Berit Osterlund", "#sheet")
	win.see("Head grower")
	win.see("Everything")
	win.shot(dir + "/person.png")
	win.click("button", "413 555 0142", "[data-testid=numbers]")
	win.see("ringing", "[data-testid=slip]")
	require.True(t, w.sim.TheyAnswer(beritMobile))
	win.see("speaking", "[data-testid=slip]")
	win.fill("Notes", "Wants the overflow on the north side. Visit before the ground freezes, Thursday suits, not before ten.")
	win.see("saved", "[data-testid=notes-status]")
	win.leaveFields()
	win.keys("1")
	win.see("Files “Visit agreed” on Berit Osterlund, Vesper Hollow Nursery.")
	win.shot(dir + "/person-while-speaking.png")
	win.keys("e")
	win.see("we hung up", "[data-testid=slip]")
	win.keys("f")
	win.see("Filed: Berit Osterlund")
	win.click("link", "Calls")
	win.see("Talked")
	win.shot(dir + "/calls.png")
	win.keys(kb.Escape)
}
