package e2e_test

import "testing"

func TestUseIsSeenAndLimited(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	ada, ines := w.signedIn(t, "Ada"), w.signedIn(t, "Ines")
	ada.visit("/settings?tab=usage")
	ada.see("Megabytes kept")
	ada.click("button", "Month before")
	ada.click("radio", "Lines", "[data-testid=usage]")
	ada.see("Sales", "[data-testid=usage]")
	ada.looks("usage")
	ada.click("button", "Month after")
	ada.click("button", "Add a price")
	ada.fill("A minute", "free")
	ada.click("button", "Save")
	ada.see("this is no price")
	ada.fill("A minute", "0.015")
	ada.click("button", "Add a limit")
	ada.fill("A month", "0")
	ada.check("stops")
	ada.click("button", "Save")
	ada.see("used up", "[data-testid=limit]")
	ada.looks("usage-limits")
	ines.visit("/people?q=Rosalind+Willowmere")
	ines.click("link", "Rosalind Willowmere")
	ines.click("button", "518 555 0185")
	ines.see("limit is reached")
	ada.visit("/")
	ada.see("no more can begin", "[data-testid=limit-notice]")
}

// check ticks a box by its label.
func (w *window) check(name string) {
	w.t.Helper()
	w.where("field", name)
	eval[any](w, `window.__find('field', `+quote(name)+`).click()`)
}
