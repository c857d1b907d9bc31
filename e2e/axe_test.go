package e2e_test

import (
	"encoding/json"
	"fmt"
	"os"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// finding is what axe says against a page.
type finding struct {
	ID    string `json:"id"`
	Help  string `json:"help"`
	Nodes []struct {
		Target  []any  `json:"target"`
		Summary string `json:"failureSummary"`
	} `json:"nodes"`
}

// accessible holds the page against the rules of WCAG 2.2 AA, as far as axe can.
func (w *window) accessible(view string) {
	w.t.Helper()
	if !eval[bool](w, `'axe' in window`) {
		script, err := os.ReadFile("../web/node_modules/axe-core/axe.min.js")
		require.NoError(w.t, err)
		_, err = chromedp.Run(w.ctx, chromedp.Evaluate[bool](string(script)+"; true"))
		require.NoError(w.t, err)
	}
	only := `['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice']`
	if eval[string](w, `localStorage.getItem('trundo.theme') ?? ''`) == "dark" {
		only = `{type: 'rule', values: ['color-contrast']}` // all else is as it is in light
	}
	text, err := chromedp.Run(
		w.ctx,
		chromedp.Evaluate[string](
			fmt.Sprintf(
				`axe.run(document, {runOnly: %s, resultTypes: ['violations']}).then((r) => JSON.stringify(r.violations))`,
				only,
			),
			chromedp.EvalAwaitPromise,
		),
	)
	require.NoError(w.t, err)
	var findings []finding
	require.NoError(w.t, json.Unmarshal([]byte(text), &findings))
	for _, f := range findings {
		for _, n := range f.Nodes {
			assert.Fail(w.t, view+": "+f.ID, "%s\n%v\n%s", f.Help, n.Target, n.Summary)
		}
	}
}

// bookIsAccessible goes through the views of the book that a rep sees.
func (w *window) bookIsAccessible() {
	w.t.Helper()
	w.click("link", "People")
	w.click("button", "Filter")
	w.click("button", "Add a condition")
	w.click("button", "Select all rows loaded here")
	w.see("selected", "[data-testid=bulk]")
	w.accessible("list with a filter and a selection")
	w.leaveFields()
	w.click("button", "New person")
	w.see("Family name", "[role=dialog]")
	w.accessible("new person")
	w.keys(kb.Escape)
	w.click("radio", "Quotes")
	w.click("link", "40,000 l tank", "#sheet")
	w.see("Total", "[data-testid=items]")
	w.accessible("quote")
	w.click("link", "Lists")
	w.see("After the spring show")
	w.accessible("lists")
	w.click("link", "Follow-ups", "#sheet")
	w.see("open", "[data-testid=rows]")
	w.accessible("follow-ups")
	w.goes("/rounds/new?lane=true")
	w.see("can be called now", "[data-testid=round-sentence]")
	w.accessible("start of a round")
	w.goes("/duplicates")
	w.see("Scan for duplicates")
	w.accessible("duplicates")
	w.goes("/dial?to=tel:%2B14135550142")
	w.see(berit, "#sheet")
	w.accessible("number from elsewhere")
	w.goes("/settings")
	w.see("Calendar", "#sheet")
	w.accessible("settings")
}

// TestSettingsAreAccessible looks at what only supervisors and admins see.
func TestSettingsAreAccessible(t *testing.T) {
	t.Parallel()
	w := startSpeaking(t)
	w.recorded(t, 1)
	win := w.signedIn(t, "Ada Millrace")
	win.goes("/calls?whose=team")
	win.hears()
	win.accessible("a call with its recording")
	for path, text := range map[string]string{"/settings?tab=fields": "New field",
		"/settings?tab=numbers": "Number order", "/settings?tab=do_not_call": "asked in writing",
		"/imports": "Choose a file", "/settings?tab=sound": "Loudspeaker", "/settings?tab=prepared": "after the beep",
		"/settings?tab=outcomes":  "What filing with it does",
		"/settings?tab=templates": "What messages and mails can begin with",
		"/settings?tab=sequences": "Steps over days", "/settings?tab=scripts": "What may be said",
		"/settings?tab=roles": "What each of you may do", "/settings?tab=usage": "What you used in a month",
		"/settings?tab=health":   "How often people answered",
		"/settings?tab=privacy":  "For how long things are kept",
		"/settings?tab=absences": "Whoever is away is not called",
		"/settings?tab=staff":    "Everybody who signs in", "/settings?tab=firm": "Name of the firm",
		"/first-steps": "A test call", "/settings?tab=trail": "It cannot be changed",
		"/settings?tab=programs": "With a key a program acts as you",
		"/insight":               "Conversations by rep", "/insight?tab=sources": "New people", "/insight?tab=calls": "Words that were said", "/programs": "The contract as a file"} {
		win.goes(path)
		win.see(text, "#sheet")
		win.accessible(path)
	}
}

func TestEveryViewIsAccessible(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	for _, theme := range []string{"light", "dark"} {
		t.Run(theme, func(t *testing.T) {
			win := open(t, w.url)
			eval[any](win, fmt.Sprintf(`localStorage.setItem('trundo.theme', %q)`, theme))
			win.visit("/")
			win.see("one click")
			win.accessible("sign-in")
			win.click("button", map[string]string{"light": "Ines Calloway", "dark": "Maren Thackeray"}[theme])
			win.see("My lane")
			win.see(berit, "[data-testid=try]")
			win.accessible("today")
			win.click("link", "People")
			win.see("Ansel", "#sheet")
			win.accessible("people")
			win.person(berit)
			win.until("the page's title", `document.title === 'Berit Osterlund · Trundo'`)
			win.accessible("person")
			for _, path := range []string{"/lane", "/nowhere"} {
				win.goes(path)
				win.until("the page's title", `document.title.length > ' · Trundo'.length`)
				win.accessible(path)
			}
			win.person(berit)
			win.click("link", nursery, "#sheet")
			win.see("People", "#sheet")
			win.accessible("company")
			win.bookIsAccessible()
			win.person(berit)
			win.click("button", "413 555 0119", "[data-testid=numbers]")
			win.see("ringing", slipPart)
			win.accessible("slip")
			win.click("button", "Stop", slipPart)
			win.see("canceled before answer", slipPart)
			win.accessible("slip that waits")
			win.click("link", "Calls")
			win.see("Talked")
			win.accessible("calls")
			win.click("link", berit, "[data-testid=rows]")
			win.see("What happened")
			win.accessible("call page")
			win.leaveFields()
			win.keys("?")
			win.see("Single keys act")
			win.accessible("keys")
		})
	}
}
