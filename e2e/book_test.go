package e2e_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/demo"
)

func TestAFileWithMistakesIsMendedAndBroughtAgain(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Odile Fairweather")
	file := filepath.Join(t.TempDir(), "show.csv")
	write := func(text string) { require.NoError(t, os.WriteFile(file, []byte(text), 0o600)) }
	write("First name,Last name,Company,E-mail,Mobile\nQuentin,Fernhollow,Fernhollow Farm,q@fern.example,607 555 " +
		"0144\nOlive,Fernhollow,Fernhollow Farm,olive(at)fern.example,607 555 0145\n")
	win.click("link", "Lists")
	win.click("link", "Import")
	win.upload(file)
	win.see("Which column is which field?")
	win.see("Quentin · Olive", "[data-testid=match]")
	win.click("button", "Check the rows")
	win.see("this is not a mail address", "[data-testid=rejects]")
	win.click("button", "Import 1 row")
	win.see("1 record made")
	// The file of rejected rows is what the person mends and brings again.
	win.until("the file of rejected rows to be offered", `!!document.querySelector('a[download]')`)
	rejects := eval[string](win, `fetch(document.querySelector('a[download]').href).then((r) => r.text())`,
		chromedp.EvalAwaitPromise)
	assert.Contains(t, rejects, "Why it was rejected")
	write(strings.Replace(rejects, "olive(at)fern", "olive@fern", 1))
	win.click("link", "Import the fixed file")
	win.upload(file)
	win.click("button", "Check the rows")
	win.see("1 row is good")
	win.click("button", "Import 1 row")
	win.see("1 record made")
	win.person("Olive Fernhollow")
	win.click("link", "Fernhollow Farm", "#sheet")
	win.see("Quentin Fernhollow", "#sheet")
}

func TestAMisspeltNameIsFoundAndCalled(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	win.keys("/")
	win.keys("Birkenshaw Wetherngton")
	win.see("Anneliese-Magdalena Birkenshaw-Wetherington of Nettlecombe", "[role=listbox]")
	for !eval[bool](win, `document.querySelector('[role=option][aria-selected=true]').innerText.includes('Magdalena')`) {
		win.keys(kb.ArrowDown)
	}
	win.keys(kb.ArrowRight + kb.Enter)
	win.see("ringing", slipPart)
	win.see("Anneliese-Magdalena", slipPart)
	win.keys("/")
	win.keys("reyl")
	win.see("Tomas Reyl", "[role=listbox]")
	win.see("colleague · Service · ext 31 · Not signed in", "[role=listbox]")
}

func TestALeadIsConvertedAndKeepsItsCalls(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	win.click("link", "People")
	win.click("button", "New person")
	win.choose("Kind", "lead")
	win.fill("Given name", "Joss")
	win.fill("Family name", "Fernhollow")
	win.fill("Number", "607 555 0158")
	win.click("button", "Save", "[role=dialog]")
	win.see("Joss Fernhollow", "h1")
	win.click("button", "607 555 0158", "[data-testid=numbers]")
	win.see("ringing", slipPart)
	win.click("button", "Stop", slipPart)
	win.see("canceled before answer", slipPart)
	win.command("6")
	win.command("f")
	win.until("the slip to be gone, and the sheet in its place", `!document.querySelector('[data-testid=slip]')`)
	win.see("Ines called mobile, canceled before answer", historyPart)
	win.click("button", "More", "#sheet h1 + div")
	win.click("item", "Convert to contact")
	win.choose("Company", "a new one")
	win.fill("Name of the company", "Fernhollow Stables")
	win.fill("A deal with it", "Cistern under the yard")
	win.fill("Amount", "$18,400")
	win.click("button", "Make a contact", "[role=dialog]")
	win.see("Fernhollow Stables", "#sheet")
	win.see("Ines called mobile, canceled before answer", historyPart)
	win.see("Cistern under the yard", "aside")
	win.see("$18,400", "aside")
	win.click("link", "Cistern under the yard", "aside")
	win.see("Cistern under the yard", "h1")
	win.click("link", "Fernhollow Stables", "#sheet")
	win.see("Joss Fernhollow", "#sheet")
}

func TestTwoPeopleAreMergedAndPartedAgain(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	win.person(berit)
	win.see("Probably the same as Berit Ostrlund", "[data-testid=twin]")
	win.click("link", "Look at both")
	win.see("Are these two the same?")
	win.see("Came by at the show", "[data-testid=merge]")
	win.click("button", "Merge into one")
	win.see("Merged: Berit Osterlund")
	win.see("Came by at the show, asked about overflows.", "aside")
	win.see("merged with", historyPart)
	win.gone("Probably the same", "#sheet")
	win.click("button", "Undo", "ol")
	win.see("Two records again")
	win.gone("Came by at the show", "aside")
	win.fillAgain("Ostrlund")
	win.see("Berit Ostrlund", "[data-testid=rows]")
}

// fillAgain searches the people.
func (w *window) fillAgain(text string) {
	w.t.Helper()
	w.click("link", "People")
	w.fill("Name, company or number", text)
}

func TestANumberOnAForeignPageIsFilledInHereAndDialedByAKey(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	win.goes("/settings")
	win.click("button", "Open numbers with Trundo")
	win.see("This browser asks once")
	// What the browser does once it was allowed: the address of the handler, with the link's in it.
	foreign := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, _ *http.Request) {
		handler := w.url + "/dial?to=" + url.QueryEscape("tel:+1-907-555-0101")
		_, _ = fmt.Fprintf(rw, `<!doctype html><title>elsewhere</title><a href="%s">+1 907 555 0101</a>`, handler)
	}))
	defer foreign.Close()
	require.NoError(t, chromedp.Do(win.ctx, chromedp.Navigate(foreign.URL)))
	win.click("link", "+1 907 555 0101")
	win.see("907 555 0101", "[data-testid=dial-number]")
	win.see("Nothing has been dialed yet.")
	assert.Zero(t, w.Desk.Calls.CallsInProgress())
	win.until("the key to be under the finger", `document.activeElement.innerText.includes('Call 907')`)
	win.keys(kb.Enter)
	win.see("ringing", slipPart)
	win.see("Whose number is it?", slipPart)
	assert.Equal(t, 1, w.Desk.Calls.CallsInProgress())
}

func TestManyRowsArePickedChangedAndPutBack(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	win.visit(`/people?f=` + url.QueryEscape(`{"all":[{"field":"stage","op":"is","value":"customer"}]}`))
	win.see("customer", "[data-testid=rows]")
	win.see("Filter · 1")
	win.until("the count", `/\d/.test(document.querySelector('[data-testid=count]').innerText)`)
	before := eval[string](win, `document.querySelector('[data-testid=count]').innerText`)
	win.click("button", "Save as a view")
	win.fill("Name", "Our customers")
	win.fill("Group", "Sales")
	win.click("button", "Save", "[role=dialog]")
	win.see("Our customers", "h1")
	// With keys alone: two rows by Space and Shift, then all.
	win.until("rows", `document.querySelectorAll('[role=rowgroup] [role=row]').length > 5`)
	eval[any](win, `document.querySelector('[data-testid=rows]').focus()`)
	win.keys(" ")
	win.see("1 selected", "[data-testid=bulk]")
	win.keys(kb.ArrowDown, chromedp.ModifierShift)
	win.see("2 selected", "[data-testid=bulk]")
	win.click("button", "Select all "+before+" that match")
	win.see("All " + before + " that match are selected")
	win.click("button", "Stage", "[data-testid=bulk]")
	win.click("item", "former customer")
	win.see("Nothing matches", "#sheet")
	win.click("button", "Undo", "ol")
	win.see(before, "[data-testid=count]")
	// An owner of two, by a part of the name.
	win.until("rows", `document.querySelectorAll('[role=rowgroup] [role=row]').length > 5`)
	eval[any](win, `document.querySelector('[data-testid=rows]').focus()`)
	win.keys(" ")
	win.keys(kb.ArrowDown, chromedp.ModifierShift)
	win.click("button", "Owner", "[data-testid=bulk]")
	win.see("New owner of 2 records", "[role=dialog]")
	win.see("Tomas Reyl", "[role=dialog] [role=listbox]")
	win.looks("owner-of-many")
	win.keys("tomas" + kb.Enter)
	win.see("Owner: 2 records", "ol")
	// Another person's window shows a view's address too.
	address := eval[string](win, `location.pathname`)
	other := w.signedIn(t, "Tomas Reyl")
	other.visit(address)
	other.see("Our customers", "h1")
	other.see(before, "[data-testid=count]")
}

func TestAFieldIsEditedWhileAColleagueChangesTheRecord(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	other := w.signedIn(t, "Tomas Reyl")
	win.person(berit)
	other.person(berit)
	win.click("button", "Edit Note")
	win.fill("Note", "Ring twice.")
	other.click("button", "Edit Note")
	other.fill("Note", "Asks for Tomas.")
	other.click("button", "Save", "aside")
	other.see("Asks for Tomas.", "aside")
	win.see("changed Note", historyPart) // it shows live
	assert.Equal(t, "Ring twice.", eval[string](win, `document.querySelector('aside textarea').value`),
		"what is typed stays")
	win.click("button", "Save", "aside")
	win.see("It now says: Asks for Tomas.", "aside")
	win.click("button", "Save", "aside")
	win.see("Ring twice.", "aside")
	other.see("Ring twice.", "aside")
}

func TestWhoMayCallsInSpiteOfDoNotCall(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Odile Fairweather")
	win.person(berit)
	win.click("button", "413 555 0163", "[data-testid=numbers]")
	win.see("asked not to be called at home", "[role=dialog]")
	win.fill("Why it is called anyway", "Her mother asked us to ring back")
	win.click("button", "Call anyway")
	win.see("ringing", slipPart)
	win.click("button", "Stop", slipPart)
	win.click("button", "More for 413 555 0142")
	win.click("item", "Do not call")
	win.fill("Why not", "only by mail")
	win.click("button", "Mark", "[role=dialog]")
	win.see("not to be called", "[data-testid=numbers]")
	rep := w.signedIn(t, "Ines Calloway")
	rep.keys("/")
	rep.keys(demo.AnswersSoon)
	rep.see("Call 413 555 0142", "[role=listbox]")
	rep.keys(kb.Enter)
	rep.see("only by mail", "[role=region], ol")
}
