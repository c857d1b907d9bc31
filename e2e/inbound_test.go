package e2e_test

import (
	"testing"

	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"trundo/internal/demo"
)

const (
	caller   = "Anneliese-Magdalena Birkenshaw-Wetherington of"
	ringPart = "[data-testid=ring]"
	lanePart = "[data-testid=lane]"
	mainE164 = "+14135550100"
)

func TestACallComesIn(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	ines, tomas := w.signedIn(t, "Ines Calloway"), w.signedIn(t, "Tomas Reyl")
	ref, err := w.sim.CallIn(demo.NeverAnswers, mainE164)
	require.NoError(t, err)
	// It rings for both, and says who it is before the first word.
	for _, win := range []*window{ines, tomas} {
		win.see(caller, ringPart)
		win.see("413 555 0144", ringPart)
		win.see("on Main", ringPart)
	}
	ines.see("Nettlecombe is calling on Main", "[aria-live=polite]")
	tomas.keys("x")
	tomas.see("Press X again to decline", ringPart)
	tomas.keys("x")
	tomas.gone(caller, "[aria-label='Desk strip']")
	ines.keys("y")
	ines.see("speaking", slipPart)
	ines.see("they called Main 413 555 0100", slipPart)
	ines.see(caller, "#sheet")
	ines.see("Everything", historyPart)
	ines.click("button", "Hold", slipPart)
	ines.see("on hold", slipPart)
	ines.click("button", "Resume", slipPart)
	ines.see("speaking", slipPart)
	ines.fill("Notes", "The pump hums again.")
	ines.command("1")
	ines.see("Files “Visit agreed”", slipPart)
	require.True(t, w.sim.OutsideHangsUp(ref))
	ines.see("they hung up", slipPart)
	ines.command("f")
	ines.see("Filed: " + caller)
	ines.see("They called, Ines answered, talked", historyPart)
}

func TestARingTellsWhatMattersBeforeTheFirstWord(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	ref, err := w.sim.CallIn(demo.Household, mainE164)
	require.NoError(t, err)
	win.see(" or ", ringPart) // two share the number: both are named, and why
	win.see("the same number", ringPart)
	win.keys("y")
	win.see("Whose number is it?", slipPart)
	win.click("button", "the same number", "[data-testid=attach-question]")
	win.gone("Whose number is it?", slipPart)
	require.True(t, w.sim.OutsideHangsUp(ref))
	win.see("they hung up", slipPart)
	win.command("1")
	win.command("f") // an unfiled slip would keep further calls away
	win.until("no slip", `!document.querySelector('[data-testid=slip]')`)
	_, err = w.sim.CallIn(beritMobile, mainE164)
	require.NoError(t, err)
	win.see(berit, ringPart) // two records have this number, and one is clearly meant
	win.see(nursery, ringPart)
	win.gone("Ostrlund", ringPart)
	win.see("not kept yet", ringPart) // a promise
	win.see("open case: Pump runs dry", ringPart)
	win.accessible("a ring")
	win.keys("y")
	win.see(nursery, slipPart)
}

func TestACallThatNobodyAnswersIsOwed(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	ines, tomas := w.signedIn(t, "Ines Calloway"), w.signedIn(t, "Tomas Reyl")
	ref, err := w.sim.CallIn(demo.NeverAnswers, mainE164)
	require.NoError(t, err)
	ines.see(caller, ringPart)
	require.True(t, w.sim.OutsideHangsUp(ref))
	ines.until("the ring to end", `!document.querySelector('[data-testid=ring]')`)
	ines.see("on Main, nobody called back", lanePart)
	tomas.see("on Main, nobody called back", lanePart)
	// One takes it on, and the other sees that.
	ines.click("button", "I'll handle "+caller, lanePart)
	tomas.see("Ines Calloway has taken it on", lanePart)
	// A conversation settles it, for everybody.
	ines.click("button", "Call back "+caller, lanePart)
	ines.see("ringing", slipPart)
	require.True(t, w.sim.TheyAnswer(demo.NeverAnswers))
	ines.see("speaking", slipPart)
	ines.command("e")
	ines.see("we hung up", slipPart)
	ines.gone("you have taken it on", lanePart)
	tomas.gone("has taken it on", lanePart)
}

func TestNobodyIsRungWhoIsAwayAndAMissedCallCanBeClosedWithAReason(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	win.click("button", "Ines Calloway", "header")
	win.see("Calls that come in")
	eval[any](win, `[...document.querySelectorAll('[role=menuitemradio]')].find((e) => e.textContent === 'Away').click()`)
	win.keys(kb.Escape)
	win.see("Away", "header")
	ref, err := w.sim.CallIn("+12125550187", mainE164)
	require.NoError(t, err)
	require.True(t, w.sim.OutsideHangsUp(ref)) // the voicemail greets nobody
	win.see("212 555 0187", lanePart)
	win.click("button", "No callback needed for 212 555 0187", lanePart)
	win.fill("Why nobody has to call back", "A wrong number.")
	win.click("button", "Close it")
	win.gone("212 555 0187", lanePart)
	win.click("button", "Undo")
	win.see("212 555 0187", lanePart)
}

func TestTheOutsidePhone(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	outside := win.another("/outside")
	outside.see("No call is in progress.")
	outside.fill("From", " ")
	outside.click("button", "Call the firm")
	win.see("Number withheld", ringPart)
	outside.see("Number withheld", "[data-testid=outside-legs]")
	win.click("button", "Answer", ringPart)
	win.see("speaking", slipPart)
	outside.see("speaking", "[data-testid=outside-legs]")
	outside.accessible("the outside phone")
	outside.click("button", "Hang up", "[data-testid=outside-legs]")
	win.see("they hung up", slipPart)
	outside.see("No call is in progress.")
}

func TestAnUnknownCallerBecomesAContactOfANewCompanyAndIsKnownTheNextTime(t *testing.T) {
	t.Parallel()
	const stranger = "+12125550187"
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	ref, err := w.sim.CallIn(stranger, mainE164)
	require.NoError(t, err)
	win.see("Unknown number", ringPart)
	win.keys("y")
	win.see("Whose number is it?", slipPart)
	win.click("button", "Make a record", slipPart)
	win.see("212 555 0187, from Main number", slipPart)
	win.accessible("an unknown caller")
	win.fill("Name", "Lene Marrow")
	win.fill("Company", "Marrow & Pike")
	win.keys(kb.Enter)
	win.see("Lene Marrow", "[data-testid=slip] h2")
	win.see("Marrow & Pike", slipPart)
	// A second call rings quietly, and holds the first when it is taken.
	second, err := w.sim.CallIn(beritMobile, mainE164)
	require.NoError(t, err)
	win.see("Answer, hold this one", ringPart)
	win.command("y")
	win.see(berit, slipPart)
	win.see("on hold", "[aria-label='Desk strip']")
	end := win.where("button", "End", slipPart)
	win.command("m")
	win.see("Unmute", slipPart)
	require.Equal(t, end, win.where("button", "End", slipPart), "a button that ends a call stays where it is")
	win.command("m")
	win.gone("Unmute", slipPart)
	win.click("button", "Keypad", slipPart)
	win.keys("42")
	win.see("Sent: 42")
	win.keys(kb.Escape)
	win.click("button", "Resume this one")
	win.see("Lene Marrow", "[data-testid=slip] h2")
	for _, r := range []string{ref, second} {
		require.True(t, w.sim.OutsideHangsUp(r))
	}
	win.see("they hung up", slipPart)
	win.command("1")
	win.command("f")
	win.see("Filed: Lene Marrow")
	win.until("the other slip", `document.querySelector('[data-testid=slip]')?.innerText.includes('they hung up')`)
	win.command("1")
	win.command("f")
	win.until("no slip", `!document.querySelector('[data-testid=slip]')`)
	third, err := w.sim.CallIn(stranger, mainE164)
	require.NoError(t, err)
	win.see("Lene Marrow", ringPart)
	win.keys("vv")
	win.until("the ring to end", `!document.querySelector('[data-testid=ring]')`)
	win.click("link", "Calls")
	win.click("radio", "Everybody")
	win.see("leaving a message", "[data-testid=rows]")
	require.True(t, w.sim.OutsideHangsUp(third))
	win.gone("leaving a message", "[data-testid=rows]")
	win.choose("Which", "Missed")
	win.see("Lene Marrow", "[data-testid=rows]")
}

func TestAColleagueIsCalledAndALineIsSetUp(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	ines, tomas := w.signedIn(t, "Ines Calloway"), w.signedIn(t, "Tomas Reyl")
	ines.click("link", "Team")
	ines.see("Tomas Reyl", "#sheet")
	ines.accessible("the team")
	ines.click("button", "Call Tomas Reyl", "#sheet")
	tomas.see("Ines Calloway", ringPart)
	tomas.keys("y")
	tomas.see("speaking", slipPart)
	ines.see("Speaking", "#sheet")
	ines.command("e")
	ines.until("no slip", `!document.querySelector('[data-testid=slip]')`)
	ines.click("button", "Leave a note for Tomas Reyl", "#sheet")
	ines.fill("It stands in their lane until it is done", "The pump is here.")
	ines.keys(kb.Enter)
	tomas.see("The pump is here.", lanePart)

	ada := w.signedIn(t, "Ada Millrace")
	ada.goes("/settings?tab=lines")
	ada.click("button", "Main", "#sheet")
	ada.accessible("lines")
	ada.see("Always open", "#sheet")
	eval[any](ada, `document.querySelectorAll("fieldset input[type=radio]")[1].click()`)
	ada.until("the hours of a week", `document.querySelectorAll('input[type=time]').length === 10`)
	eval[any](ada, `(() => { const e = document.querySelector('input[aria-label="Mon closes"]');
		Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(e, '08:00');
		e.dispatchEvent(new Event('input', {bubbles: true})); })()`)
	ada.click("button", "Save", "#sheet")
	ada.see("08:00 is not after 09:00")
	ada.accessible("the hours of a line")
	eval[any](ada, `document.querySelectorAll("fieldset input[type=radio]")[0].click()`)
	ada.click("button", "Save", "#sheet")
	ada.see("Saved")
	ada.goes("/settings?tab=availability")
	ada.until("the states", `[...document.querySelectorAll('input')].some((e) => e.value === 'In a meeting')`)
	ada.accessible("availability")
}
