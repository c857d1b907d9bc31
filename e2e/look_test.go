package e2e_test

import (
	"os"
	"testing"

	"github.com/stretchr/testify/require"

	"trundo/internal/demo"
)

func TestLook(t *testing.T) {
	dir := os.Getenv("LOOK")
	if dir == "" {
		t.Skip()
	}
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	win.see("Owed next")
	ref, err := w.sim.CallIn(demo.Household, mainE164)
	require.NoError(t, err)
	win.see(" or ", ringPart)
	win.shot(dir + "/1-ring.png")
	win.keys("y")
	win.see("Whose number is it?", slipPart)
	win.shot(dir + "/2-whose.png")
	_, err = w.sim.CallIn("+12125550187", mainE164)
	require.NoError(t, err)
	win.see("212 555 0187", ringPart)
	win.shot(dir + "/3-second.png")
	win.keys("y")
	win.see("212 555 0187", slipPart)
	win.click("button", "Make a record", slipPart)
	win.fill("Name", "Lene Marrow")
	win.fill("Company", "Marrow & Pike")
	win.shot(dir + "/4-unknown.png")
	win.click("button", "Keep", slipPart)
	win.see("Marrow & Pike", slipPart)
	win.click("button", "Keypad", slipPart)
	win.shot(dir + "/5-keypad.png")
	win.keys("\x1b")
	require.True(t, w.sim.OutsideHangsUp(ref))
	_, err = w.sim.CallIn(demo.NeverAnswers, mainE164)
	require.NoError(t, err)
	win.click("link", "Calls")
	win.see("Without a person")
	win.click("radio", "Everybody")
	win.see("Everybody’s")
	win.shot(dir + "/6-calls.png")
	win.click("link", "Team")
	win.see("Not signed in")
	win.shot(dir + "/7-team.png")
	win.visit("/settings")
	win.see("as it rings")
	win.shot(dir + "/8-me.png")
	out := win.another()
	out.visit("/outside")
	out.see("A busy morning")
	out.shot(dir + "/9-outside.png")
	ada := w.signedIn(t, "Ada Millrace")
	ada.visit("/settings?tab=lines")
	ada.see("open now")
	ada.click("button", "Sales")
	ada.shot(dir + "/10-lines.png")
	ada.visit("/settings?tab=availability")
	ada.until("the states", `[...document.querySelectorAll("input")].some((e) => e.value === "In a meeting")`)
	ada.shot(dir + "/11-states.png")
}
