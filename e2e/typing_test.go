package e2e_test

import (
	"testing"

	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/demo"
)

// blind is what somebody types who looks at nobody's focus.
const blind = "The pump leaks, he wants help"

// typesBlind types a sentence wherever the focus is, and sees it in the notes, whole, while the call goes on.
func (w *world) typesBlind(win *window) {
	win.t.Helper()
	win.keys(blind)
	w.endsWith(win)
}

func TestWhatIsTypedBlindIsNotes(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	answers := func() {
		t.Helper()
		win.see("ringing", slipPart)
		require.True(t, w.sim.TheyAnswer(demo.AnswersSoon))
		win.see("speaking", slipPart)
	}
	t.Log("by a click on a number")
	win.person(berit)
	win.click("button", "413 555 0142", "[data-testid=numbers]")
	answers()
	w.typesBlind(win)
	t.Log("by a number typed and Enter")
	win.keys("/")
	win.keys("413 555 0142")
	win.see("Call 413 555 0142", "[role=listbox]")
	win.keys(kb.Enter)
	answers()
	w.typesBlind(win)
	t.Log("by a click in the list of people, typed before the answer")
	win.click("link", "People")
	win.fill("Name, company or number", berit)
	win.until("one to be listed", `document.querySelectorAll('#sheet [role=rowgroup] [role=row]').length < 4`)
	win.click("button", "413 555 0142", "#sheet")
	win.see("ringing", slipPart)
	win.keys("The pump ")
	require.True(t, w.sim.TheyAnswer(demo.AnswersSoon))
	win.see("speaking", slipPart)
	win.keys("leaks, he wants help")
	w.endsWith(win)
	t.Log("by taking a call with its key")
	_, err := w.sim.CallIn(demo.NeverAnswers, mainE164)
	require.NoError(t, err)
	win.see(caller, ringPart)
	win.leaveFields()
	win.keys("y")
	win.see("speaking", slipPart)
	w.typesBlind(win)
	t.Log("by taking a call with a click, and typing at once")
	_, err = w.sim.CallIn(demo.NeverAnswers, mainE164)
	require.NoError(t, err)
	win.click("button", "Answer", ringPart)
	w.typesBlind(win)
	t.Log("after Hold was clicked")
	win.person(berit)
	win.click("button", "413 555 0142", "[data-testid=numbers]")
	answers()
	win.click("button", "Hold", slipPart)
	win.see("on hold", slipPart)
	win.click("button", "Resume", slipPart)
	win.see("speaking", slipPart)
	w.typesBlind(win)
}

// endsWith sees the sentence in the notes while the call goes on, alone, and ends it.
func (w *world) endsWith(win *window) {
	win.t.Helper()
	win.until("the sentence in the notes", `document.querySelector('[data-testid=slip] textarea')?.value === `+
		quote(blind))
	win.see("speaking", slipPart)
	assert.Equal(win.t, 1, w.Desk.Calls.CallsInProgress())
	win.command("e")
	win.until("the end", `document.querySelector('[data-testid=slip]')?.dataset.phase === 'ended'`)
	win.command("1")
	win.command("f")
	win.until("no slip", `!document.querySelector('[data-testid=slip]')`)
}

func TestKeysPressedBeforeTheDeskIsDrawnAreNotLost(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	w.calling(win)
	win.command("e")
	win.see("we hung up", slipPart)
	win.leaveFields()
	win.visit("/sign-in")
	win.until("the people", `!!window.__find('button', 'Ines Calloway')`)
	// Everything the server answers is slow from now on.
	eval[any](win, `const f = window.fetch; window.fetch = (...x) => new Promise((done) => setTimeout(done, 400)).then(() => f(...x))`)
	win.click("button", "Ines Calloway")
	win.keys("1f")
	win.see("Filed: Berit Osterlund")
}

func TestAnArrowKeySendsNothing(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	win.person(berit)
	win.until("the sequences", `!!window.__find('choice', 'Add to a sequence')`)
	members := func() (n int) {
		require.NoError(t, w.Store.Pool.QueryRow(t.Context(),
			`SELECT count(*) FROM sequence_members WHERE enrolled_at > now() - interval '5 minutes'`).Scan(&n))
		return n
	}
	before := members()
	eval[any](win, `window.__find('choice', 'Add to a sequence').focus()`)
	win.keys(kb.ArrowDown)
	win.click("button", "See what is sent…")
	win.see("Add to “", "[role=dialog]")
	win.until("its steps", `document.querySelectorAll('[role=dialog] ol li').length > 0`)
	assert.Equal(t, before, members(), "nothing is done by looking")
	win.click("button", "Add", "[role=dialog]")
	win.see("Added to the sequence.")
	assert.Equal(t, before+1, members())
	win.click("button", "Undo")
	win.see("Removed from the sequence.")
	win.until("nobody is in it", `![...document.querySelectorAll('[data-testid=memberships] li')].some((e) => e.innerText.includes('Step 1'))`)
}
