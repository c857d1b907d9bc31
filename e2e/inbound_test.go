package e2e_test

import (
	"testing"

	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"trundo/internal/demo"
)

const (
	caller    = "Anneliese-Magdalena Birkenshaw-Wetherington of"
	ringPart  = "[data-testid=ring]"
	lanePart  = "[data-testid=lane]"
	salesE164 = "+14135550110"
)

func TestACallComesIn(t *testing.T) {
	w := start(t, "", "127.0.0.1:0", "")
	ines, tomas := w.signedIn(t, "Ines Calloway"), w.signedIn(t, "Tomas Reyl")
	ref, err := w.sim.CallIn(demo.NeverAnswers, salesE164)
	require.NoError(t, err)
	// It rings for both, and says who it is before the first word.
	for _, win := range []*window{ines, tomas} {
		win.see(caller, ringPart)
		win.see("413 555 0144", ringPart)
		win.see("on Sales", ringPart)
	}
	ines.see("Nettlecombe is calling on Sales", "[aria-live=polite]")
	tomas.keys("x")
	tomas.gone(caller, "[aria-label='Desk strip']")
	ines.keys("y")
	ines.see("speaking", slipPart)
	ines.see("they called Sales 413 555 0110", slipPart)
	ines.see(caller, "#sheet")
	ines.see("Everything", historyPart)
	ines.click("button", "Hold", slipPart)
	ines.see("on hold", slipPart)
	ines.click("button", "Go on", slipPart)
	ines.see("speaking", slipPart)
	ines.fill("Notes", "The pump hums again.")
	ines.leaveFields()
	ines.keys("1")
	ines.see("Files “Visit agreed”", slipPart)
	require.True(t, w.sim.OutsideHangsUp(ref))
	ines.see("they hung up", slipPart)
	ines.keys("f")
	ines.see("Filed: " + caller)
	ines.see("They called, Ines answered, talked", historyPart)
}

func TestARingTellsWhatMattersBeforeTheFirstWord(t *testing.T) {
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	_, err := w.sim.CallIn(beritMobile, salesE164)
	require.NoError(t, err)
	win.see(berit+" or Berit Ostrlund", ringPart) // the number stands on two records: both are named
	win.see("promised: Send the plan of the tank house", ringPart)
	win.see("open case: Pump runs dry", ringPart)
	win.accessible("a ring")
	win.keys("y")
	win.see("Whose number is it?", slipPart)
	win.click("button", berit, "[data-testid=attach-question]")
	win.see(nursery, slipPart)
}

func TestACallThatNobodyAnswersIsOwed(t *testing.T) {
	w := start(t, "", "127.0.0.1:0", "")
	ines, tomas := w.signedIn(t, "Ines Calloway"), w.signedIn(t, "Tomas Reyl")
	ref, err := w.sim.CallIn(demo.NeverAnswers, salesE164)
	require.NoError(t, err)
	ines.see(caller, ringPart)
	require.True(t, w.sim.OutsideHangsUp(ref))
	ines.until("the ring to end", `!document.querySelector('[data-testid=ring]')`)
	ines.see("on Sales, nobody called back", lanePart)
	tomas.see("on Sales, nobody called back", lanePart)
	// One takes it on, and the other sees that.
	ines.click("button", "I see to "+caller, lanePart)
	tomas.see("Ines Calloway has taken it on", lanePart)
	// A conversation settles it, for everybody.
	ines.click("button", "Call back "+caller, lanePart)
	ines.see("ringing", slipPart)
	require.True(t, w.sim.TheyAnswer(demo.NeverAnswers))
	ines.see("speaking", slipPart)
	ines.keys("e")
	ines.see("we hung up", slipPart)
	ines.gone("you have taken it on", lanePart)
	tomas.gone("has taken it on", lanePart)
}

func TestNobodyIsRungWhoIsAwayAndAMissedCallCanBeClosedWithAReason(t *testing.T) {
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	win.click("button", "Ines Calloway", "header")
	win.see("Calls that come in")
	eval[any](win, `[...document.querySelectorAll('[role=menuitemradio]')].find((e) => e.textContent === 'Away').click()`)
	win.keys(kb.Escape)
	win.see("Away", "header")
	_, err := w.sim.CallIn("+12125550187", salesE164)
	require.NoError(t, err)
	win.see("212 555 0187", lanePart)
	win.click("button", "Nobody has to call 212 555 0187 back", lanePart)
	win.fill("Why nobody has to call back", "A wrong number.")
	win.click("button", "Close it")
	win.gone("212 555 0187", lanePart)
	win.click("button", "Undo")
	win.see("212 555 0187", lanePart)
}

func TestTheOutsidePhone(t *testing.T) {
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	outside := win.another()
	outside.visit("/outside")
	outside.see("No call is in progress.")
	outside.fill("From", " ")
	outside.click("button", "Call the firm")
	win.see("Number withheld", ringPart)
	outside.see("Number withheld", "[data-testid=outside-legs]")
	win.click("button", "Take it", ringPart)
	win.see("speaking", slipPart)
	outside.see("speaking", "[data-testid=outside-legs]")
	outside.accessible("the outside phone")
	outside.click("button", "Hang up", "[data-testid=outside-legs]")
	win.see("they hung up", slipPart)
	outside.see("No call is in progress.")
}
