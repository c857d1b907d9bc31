package e2e_test

import (
	"testing"
)

func TestZZLook(t *testing.T) {
	w := startSpeaking(t)
	w.recorded(t, 12)
	win := w.signedIn(t, "Odile")
	win.see("My lane")
	win.visit("/insight")
	win.see("Conversations by rep")
	win.looks("reports")
	win.click("link", "Conversations by rep")
	win.see("Average wrap-up")
	win.until("bars", `document.querySelectorAll('.recharts-bar-rectangle').length > 5`)
	win.looks("report")
	win.visit("/insight?tab=calls")
	win.see("calls", "[data-testid=found-count]")
	win.looks("find")
	win.visit("/team")
	win.see("Today", "[data-testid=wall]")
	win.looks("wall")
}
