package e2e_test

import (
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/carrier"
	"trundo/internal/core/callable"
	"trundo/internal/demo"
)

const (
	slipPart    = "[data-testid=slip]"
	historyPart = "[data-testid=history]"
)

// person opens somebody's sheet by searching the people.
func (w *window) person(name string) {
	w.t.Helper()
	w.click("link", "People")
	w.fill("Name, company or number", name)
	w.until("only they to be listed", fmt.Sprintf(`(() => { const rows = [...document.querySelectorAll('#sheet [role=rowgroup] [role=row]')];
		return rows.length > 0 && rows.every((r) => r.innerText.includes(%s)); })()`, quote(name)))
	w.click("link", name, "#sheet")
	w.see("Everything", historyPart)
}

func TestTheFirstCall(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	win.person(berit)
	// A second window, of a colleague, looks at the company.
	other := w.signedIn(t, "Tomas Reyl")
	other.person(berit)
	other.click("link", nursery, "#sheet")
	other.see("People", "#sheet")

	win.click("button", "413 555 0142", "[data-testid=numbers]")
	win.see("ringing", slipPart)
	win.see(nursery, slipPart)
	win.see("mobile 413 555 0142", slipPart)
	win.see("shown: Sales 413 555 0110", slipPart)
	require.True(t, w.sim.TheyAnswer(demo.AnswersSoon))
	win.see("speaking", slipPart)
	win.fill("Notes", "Wants the overflow on the north side.")
	win.until("the notes to be saved",
		`document.querySelector('[data-testid=notes-status]').dataset.status === 'saved'`)
	win.command("1")
	win.see("Files “Visit agreed” on Berit Osterlund, Vesper Hollow Nursery.", slipPart)
	win.command("e")
	win.see("we hung up", slipPart)
	win.command("f")
	win.see("Filed: Berit Osterlund")
	win.until("the slip to be gone", `!document.querySelector('[data-testid=slip]')`)
	win.see("Wants the overflow on the north side.", historyPart)
	win.see("Visit agreed", historyPart)
	// It is on the company in the other window, without a reload.
	other.see("Wants the overflow on the north side.", historyPart)
	other.see("Ines called mobile, talked", historyPart)
	other.click("link", "Ines called mobile, talked", historyPart)
	other.see("They answered")
	other.see("We hung up")
	other.see("shown: Sales 413 555 0110")
}

func TestANewcomersFirstFiledCallTakesSixActions(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := open(t, w.url)
	win.click("button", "Ines Calloway")
	win.click("button", "413 555 0142", "[data-testid=try]")
	win.see("ringing", slipPart)
	require.True(t, w.sim.TheyAnswer(demo.AnswersSoon))
	win.see("speaking", slipPart)
	win.click("button", "End", slipPart)
	win.see("we hung up", slipPart)
	win.click("radio", "Visit agreed", slipPart)
	win.see("Files “Visit agreed”", slipPart)
	win.click("button", "File", slipPart)
	win.see("Filed: Berit Osterlund")
	assert.LessOrEqual(t, win.acts, 6)
}

func TestEveryOtherEnding(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	win.person(berit)
	for _, end := range []struct {
		reason   carrier.Reason
		answered bool
		word     string
	}{
		{carrier.Busy, false, "busy"}, {carrier.NoAnswer, false, "no answer"}, {carrier.Declined, false,
			"declined"}, {carrier.OutOfService, false, "out of service"},
		{carrier.HungUp, true, "they hung up"}, {carrier.Lost, true, "cut off"},
	} {
		win.click("button", "413 555 0142", "[data-testid=numbers]")
		win.see("ringing", slipPart)
		if end.answered {
			require.True(t, w.sim.TheyAnswer(demo.AnswersSoon))
			win.see("speaking", slipPart)
		}
		require.True(t, w.sim.TheyEnd(demo.AnswersSoon, end.reason))
		win.see(end.word, slipPart)
		win.command("6")
		win.see("Files “No answer”", slipPart)
		win.command("f")
		win.until("the slip to be filed", `!document.querySelector('[data-testid=slip]')`)
		if end.answered {
			end.word = "talked"
		}
		win.see("Ines called mobile, "+end.word, historyPart)
	}
	// Canceled before answer.
	win.click("button", "413 555 0142", "[data-testid=numbers]")
	win.see("ringing", slipPart)
	win.click("button", "Stop", slipPart)
	win.see("canceled before answer", slipPart)
}

func TestWithKeysAlone(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	win.see("Call mobile", "[data-testid=next]")
	win.keys("/")
	win.keys("0142")
	win.see(berit, "[role=listbox]")
	// Several numbers end so. The second key calls the person.
	win.until("somebody to be chosen", `!!document.querySelector('[role=option][aria-selected=true]')`)
	for !eval[bool](win, `document.querySelector('[role=option][aria-selected=true]').innerText.includes('Berit')`) {
		win.keys(kb.ArrowDown)
	}
	win.until("the person to be chosen",
		`document.querySelector('[role=option][aria-selected=true]')?.innerText.includes('Berit')`)
	win.keys(kb.ArrowRight)
	win.see("Enter calls Berit Osterlund, mobile 413 555 0142", "[role=listbox]")
	win.keys(kb.Enter)
	win.see("ringing", slipPart)
	require.True(t, w.sim.TheyAnswer(demo.AnswersSoon))
	win.see("speaking", slipPart)
	win.keys("She wants 2 filters, e")
	win.see("speaking", slipPart)
	assert.Equal(t, "She wants 2 filters, e", eval[string](win, `document.querySelector('textarea').value`),
		"letters in a field are only letters")
	win.command("4")
	win.see("Files “Call again later”", slipPart)
	win.command("e")
	win.see("we hung up", slipPart)
	win.keys(kb.Enter, chromedp.ModifierCtrl)
	win.see("Filed: Berit Osterlund")
	win.keys("?")
	win.see("Single keys act", "[role=dialog]")
	win.until("the dialog to have the focus", `!!document.activeElement.closest('[role=dialog]')`)
	win.keys(kb.Escape)
	win.until("the dialog to close", `!document.querySelector('[role=dialog]')`)
	win.keys("p")
	win.see("252", "[data-testid=count]")
}

func TestASecondClickMakesNoSecondCall(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	win.person(berit)
	win.click("button", "413 555 0142", "[data-testid=numbers]")
	win.see("ringing", slipPart)
	second := win.another("/")
	second.see("ringing", slipPart)
	second.person(berit)
	second.click("button", "413 555 0119 ext 12", "[data-testid=numbers]")
	second.see("Nothing was dialed", "[role=dialog]")
	second.click("button", "Keep talking")
	second.see("mobile 413 555 0142", slipPart)
	second.click("button", "413 555 0119 ext 12", "[data-testid=numbers]")
	second.click("button", "End it and call Berit Osterlund")
	second.see("office 413 555 0119 ext 12", slipPart)
	win.see("office 413 555 0119 ext 12", slipPart)
	win.see("not filed yet", "[data-testid=lane]")
	assert.Equal(t, 1, w.Desk.Calls.CallsInProgress())
}

func TestDoNotCallIsSaidAndNothingIsDialed(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	win.person(berit)
	win.see("not to be called", "[data-testid=numbers]")
	win.click("button", "413 555 0163", "[data-testid=numbers]")
	win.see("asked not to be called at home", "[role=region], ol")
	win.click("button", "Close", "ol")
	win.gone("asked not to be called at home", "ol")
	win.keys("/")
	win.keys("413 555 0163")
	win.see("Call 413 555 0163", "[role=listbox]")
	win.keys(kb.Enter)
	win.see("asked not to be called at home", "[role=region], ol")
	assert.Zero(t, w.Desk.Calls.CallsInProgress())
}

func TestATypedNumberIsAskedAboutWhileItRings(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	// Nobody's number, while Berit's record is open.
	win.person(berit)
	win.keys("/")
	win.keys("(907) 555-0101")
	win.see("Call 907 555 0101", "[role=listbox]")
	win.keys(kb.Enter)
	win.see("ringing", slipPart)
	win.see("Whose number is it?", slipPart)
	win.see("was open while you typed", slipPart)
	assert.False(t, eval[bool](win, `document.querySelector('[data-testid=slip]').innerText.includes('Vesper')`),
		"nothing is attached yet")
	win.click("button", "Berit Osterlund was open", "[data-testid=attach-question]")
	win.gone("Whose number is it?", slipPart)
	win.see(nursery, slipPart)
	win.click("button", "Stop", slipPart)
	win.see("canceled before answer", slipPart)
	win.command("l")
	win.see("not filed yet", "[data-testid=lane]")
	// The empty field offers the calls just made.
	win.keys("/")
	win.see("Calls just made", "header")
	win.see(berit, "[role=listbox]")
}

func TestACallOutsideItsHoursIsAskedAboutOnce(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	w.Desk.Hours = callable.Hours{} // nobody may be called at any hour
	win := w.signedIn(t, "Ines Calloway")
	win.person(berit)
	win.click("button", "413 555 0142", "[data-testid=numbers]")
	win.see("outside calling hours", "[role=dialog]")
	win.see("Call Berit Osterlund now?", "[role=dialog]")
	win.click("button", "Not now", "[role=dialog]")
	win.until("the dialog to close", `!document.querySelector('[role=dialog]')`)
	assert.Zero(t, w.Desk.Calls.CallsInProgress())
	win.click("button", "413 555 0142", "[data-testid=numbers]")
	win.click("button", "Call anyway", "[role=dialog]")
	win.see("ringing", slipPart)
	win.command("e")
	win.see("canceled before answer", slipPart)
	win.click("button", "413 555 0142", "[data-testid=numbers]")
	win.see("ringing", slipPart)
}
