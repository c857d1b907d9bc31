package e2e_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/demo"
)

// look keeps a picture where somebody wants to look at what a test sees.
func (w *window) look(name string) {
	if to := os.Getenv("TRUNDO_LOOK"); to != "" {
		w.shot(to + "/" + name + ".png")
	}
}

func TestAnOutcomeDoesItsWorkByKeysAlone(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	win.person(berit)
	win.click("button", "413 555 0142", "[data-testid=numbers]")
	win.see("ringing", slipPart)
	require.True(t, w.sim.TheyAnswer(demo.AnswersSoon))
	win.see("speaking", slipPart)
	win.leaveFields()
	win.command("e")
	win.see("we hung up", slipPart)
	before := win.acts
	win.keys("4")
	win.see("call Berit Osterlund", "[data-testid=plan]")
	win.look("slip-with-plan")
	win.keys("f")
	assert.LessOrEqual(t, win.acts-before, 2, "filed by two keys")
	win.see("Filed: Berit Osterlund; call Berit Osterlund")
	win.see("Call Berit again", "section[aria-label='Follow-ups']")
	win.look("filed")

	win.click("button", "Undo")
	win.see("The slip of Berit Osterlund is open again")
	win.see("Call again later", slipPart)
	win.gone("Call Berit again", "section[aria-label='Follow-ups']")

	// An item is edited, then struck out, then wanted again.
	win.click("button", "call Berit Osterlund", "[data-testid=plan]")
	win.fill("What is to be done", "Ask about the overflow")
	win.look("edit-item")
	win.keys(kb.Escape)
	win.click("button", "Leave out: call Berit Osterlund")
	win.click("button", "Do it after all: call Berit Osterlund")
	win.leaveFields()
	win.keys("f")
	win.see("Ask about the overflow", "section[aria-label='Follow-ups']")

	// A correction afterwards says what follows.
	win.click("link", "Ines called mobile, talked", historyPart)
	win.see("What filing it did")
	win.choose("Outcome", "Wants an offer")
	win.see("What follows from this change")
	win.see("“Call again later” has done")
	win.look("correct")
	win.click("button", "Change it, and do this")
	win.gone("What follows from this change")
	win.see("write to Berit Osterlund: Send Berit the offer", "[data-testid=did]")
	win.person(berit)
	win.see("Send Berit the offer", "section[aria-label='Follow-ups']")
	win.gone("Ask about the overflow", "section[aria-label='Follow-ups']")
}

func TestAnAdminSetsWhatAnOutcomeDoes(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ada Millrace")
	win.click("link", "Settings")
	win.click("radio", "Outcomes")
	win.click("button", "Not now", "#sheet ol")
	win.see("It is written down, and nothing more.")
	win.click("button", "Add an action")
	win.see("call the person", "[data-testid=preview]")
	win.look("outcome-settings")
	win.choose("What it does", "tag")
	win.fill("Tag", "not now")
	win.see("tag “not now”", "[data-testid=preview]")
	win.click("button", "Save", "#sheet form")
	win.see("Outcomes are saved.")

	win.click("button", "Take off: Solved")
	win.see("is in use (on")
	win.click("button", "Keep it")
	win.see("Solved", "#sheet ol")
	win.keys(kb.Escape)
}

func TestMessagesGoOutAndAreAnswered(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	win.person(berit)
	win.click("button", "Message to 413 555 0142")
	win.see("From Sales 413 555 0110 to Berit Osterlund, 413 555 0142")
	win.choose("Begin with a template", "visit")
	win.until("the template to be filled in",
		`document.querySelector('[role=dialog] textarea').value.startsWith('Hello Berit')`)
	win.look("composer")
	win.click("button", "Send", "[role=dialog]")
	win.see("Goes to 413 555 0142 in five seconds")
	win.click("radio", "Messages", historyPart)
	win.see("as agreed", "[data-testid=thread]")
	win.look("thread")

	outside := win.another("/outside")
	outside.see("Hello Berit, we come to see the place as agreed", "[data-testid=outside-post]")
	outside.click("button", "Answer", "[data-testid=outside-post]")
	outside.fill("What they write", "Nine o'clock is fine.")
	outside.click("button", "Write to the firm")
	win.see("Nine o'clock is fine.", "[data-testid=thread]")
	win.see("nobody has answered", "[data-testid=lane]")
	win.look("answered")
	win.fill("Text", "See you then.")
	win.click("button", "Send", "[data-testid=thread]")
	win.see("See you then.", "[data-testid=thread] ol")
	win.gone("Nine o'clock is fine.", "[data-testid=lane]")

	// Somebody whom nobody knows.
	outside.fill("From (a number, or a mail address)", "207 555 0177")
	outside.fill("What they write", "Do you sell small tanks?")
	outside.click("button", "Write to the firm")
	win.see("207 555 0177", "[data-testid=lane]")
	win.click("button", "207 555 0177", "[data-testid=lane]")
	win.see("Nobody in the book is known to write from here.")
	win.look("unknown-sender")
	outside.fill("What they write", "STOP")
	outside.click("button", "Write to the firm")
	win.see("you will get no more messages", "[data-testid=thread]")
	win.see("they answered STOP")
	win.click("button", "Make a record", "#sheet")
	win.fill("Name", "Lene Marrow")
	win.fill("Company (a new one is made)", "vesper hollow")
	win.see("There already", "[data-testid=firms]")
	win.click("button", nursery, "[data-testid=firms]")
	win.click("button", "Keep", "[data-testid=unknown-caller]")
	win.see("Lene Marrow", "#sheet h1")
	win.gone("Nobody in the book is known to write from here.")
}

func TestAMailGoesOutWithAFile(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	win.person(berit)
	win.click("radio", "Messages", historyPart)
	win.click("radio", "Mail", "[data-testid=thread]")
	path := filepath.Join(t.TempDir(), "plan of the yard.pdf")
	require.NoError(t, os.WriteFile(path, []byte("%PDF-1.7 the plan"), 0o600))
	win.see("Attach files", "[data-testid=files]")
	win.upload(path)
	win.see("plan of the yard.pdf, 1 kB", "[data-testid=files]")
	win.fill("Subject", "The plan")
	win.fill("Mail", "As we said.")
	win.click("button", "Send", "[data-testid=thread]")
	win.see("plan of the yard.pdf, 1 kB", "[data-testid=thread] ol")
	win.until("the composer to be empty", `!document.querySelector('[data-testid=files]')?.innerText.includes('plan')`)
}

func TestANarrowTableDrawsOnlyWhatIsInSight(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	require.NoError(t, chromedp.Do(win.ctx, chromedp.EmulateViewport(820, 800)))
	win.goes("/people")
	win.see("252", "[data-testid=count]")
	win.until("rows", `document.querySelectorAll('#sheet [role=rowgroup] [role=row]').length > 5`)
	assert.Less(t, eval[int](win, `document.querySelectorAll('#sheet [role=rowgroup] [role=row]').length`), 60)
}

func TestAReplyStopsASequence(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	win.person(berit)
	win.choose("Add to a sequence", "After an offer")
	win.click("button", "See what is sent…")
	win.see("Your offer from Lindenfall Cisterns", "[role=dialog]")
	win.look("enrolling")
	win.click("button", "Add", "[role=dialog]")
	win.see("Step 2 of 4: a call", "[data-testid=memberships]") // the mail has gone out
	win.look("sequence")
	outside := win.another("/outside")
	outside.see("Your offer from Lindenfall Cisterns", "[data-testid=outside-post]")
	outside.click("button", "Answer", "[data-testid=outside-post]")
	outside.fill("What they write", "Thank you, it is here.")
	outside.click("button", "Write to the firm")
	win.see("After an offer: they replied", "[data-testid=memberships]")
	win.see("Thank you, it is here.", historyPart)
}

func TestOtherProgramsComeInAndAreTold(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ada Millrace")
	win.goes("/settings?tab=programs")
	win.fill("For which program", "reports")
	win.click("button", "Make a key")
	win.see("trundo_", "[data-testid=token]")
	win.click("button", "Add a program")
	win.fill("Program 1", "warehouse")
	win.fill("Address of program 1", "http://127.0.0.1:9/in")
	win.click("button", "Save", "section[aria-label='Webhooks']")
	win.see("Signatures are verified with")
	win.look("programs")
	win.click("link", "What they can ask is described here.")
	win.fill("Find", "slips")
	win.see("/api/slips/{id}/undo", "[data-testid=operations]")
	win.look("api")
}

func TestAScriptLiesOnTheSheetAndNotesAreForTheRepAlone(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	win.person(berit)
	win.click("button", "413 555 0142", "[data-testid=numbers]")
	win.see("ringing", slipPart)
	win.see("Hello Berit, this is Ines Calloway of Lindenfall Cisterns", "[data-testid=script]")
	win.click("button", "Yes", "[data-testid=script]")
	win.fill("How many litres does it hold?", "4000")
	win.keys(kb.Enter)
	win.see("Shall we come and see?", "[data-testid=script]")
	win.look("script")
	win.click("button", "Stop", slipPart)
	win.see("canceled before answer", slipPart)
	win.fill("Notes", "She is not well.")
	win.until("the notes to be saved",
		`document.querySelector('[data-testid=notes-status]').dataset.status === 'saved'`)
	win.choose("Who may read the notes", "notes for me")
	win.leaveFields()
	win.keys("5")
	win.until("the choice to be saved",
		`document.querySelector('[data-testid=slip] [role=radio][aria-checked=true]')?.innerText.includes('Not now')`)
	win.keys("f")
	win.see("Filed: Berit Osterlund")
	win.see("She is not well.", historyPart)
	colleague := w.signedIn(t, "Tomas Reyl")
	colleague.person(berit)
	colleague.see("There are notes that you may not read.", historyPart)
	colleague.gone("She is not well.")
	win.click("link", "Ines called mobile, canceled before answer", historyPart)
	win.see("How many litres does it hold?", "[data-testid=answers]")
	win.see("4000", "[data-testid=answers]")
}

func TestAQuoteIsPrintedAndSourcesCount(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	win.person(berit)
	win.click("link", "40,000 l tank", "section[aria-label^=Quotes]")
	win.click("link", "Print", "[data-testid=items]")
	win.see("Lindenfall Cisterns")
	win.see("Print or keep as PDF")
	win.see("$42,999.38")
	win.look("print")
	win.goes("/insight?tab=sources")
	win.see("Spring show leaflet", "[data-testid=sources]")
	win.look("insight")
	win.click("link", "Spring show leaflet", "[data-testid=sources]") // who came from there
	win.see("Filter · 1", "#sheet")
	win.see("Berit Osterlund", "#sheet")
}

func TestACaseIsMadeBesideTheCall(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	win.person(berit)
	win.click("button", "413 555 0142", "[data-testid=numbers]")
	win.see("ringing", slipPart)
	win.click("button", "new", slipPart)
	win.click("item", "New case")
	win.fill("What about", "Filter clogs")
	win.look("beside")
	win.click("button", "Save", "[role=dialog]")
	win.see("Filter clogs", slipPart)
	win.click("link", "Filter clogs", slipPart)
	win.see("Berit Osterlund", "#sheet")
	win.see("Ines called mobile", historyPart)
}
