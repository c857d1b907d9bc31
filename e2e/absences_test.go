package e2e_test

import (
	"testing"
	"time"

	"github.com/chromedp/chromedp/kb"
)

func TestADeputyForADay(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	ines, maren := w.signedIn(t, "Ines"), w.signedIn(t, "Maren")
	maren.visit("/lane")
	maren.gone("Ask whether the pump runs")
	ines.visit("/settings?tab=absences")
	zone, err := time.LoadLocation("America/New_York")
	if err != nil {
		t.Fatal(err)
	}
	today := time.Now().In(zone).Format(time.DateOnly)
	ines.date("First day", today)
	ines.date("Last day", today)
	ines.runs(`(() => { const e = window.__find('choice', 'Deputy'); e.focus(); e.click(); })()`)
	ines.see("Maren Thackeray", "[role=listbox]")
	ines.looks("deputy")
	ines.accessible("choosing a deputy")
	ines.keys(kb.Escape)
	ines.choose("Deputy", "Maren Thackeray")
	ines.click("button", "Add")
	ines.see("Maren Thackeray stands in", "[data-testid=absence]")
	ines.looks("absences")
	maren.see("Ask whether the pump runs")
	maren.see("for Ines Calloway")
	maren.looks("lane-of-deputy")
	maren.visit("/team")
	maren.see("Maren Thackeray stands in")
	maren.looks("team-away")
	ines.click("button", "End")
	ines.see("Nobody is away.")
	maren.visit("/lane")
	maren.gone("Ask whether the pump runs")
	ines.visit("/")
	ines.see("While you were away")
}

// date puts a day into a field for dates, as its calendar would.
func (w *window) date(name, day string) {
	w.t.Helper()
	w.where("field", name)
	eval[bool](w, `(() => { const e = window.__find('field', `+quote(name)+`);
		Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(e, `+quote(day)+`);
		e.dispatchEvent(new Event('input', {bubbles: true})); return true; })()`)
}
