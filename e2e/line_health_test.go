package e2e_test

import "testing"

func TestALineRests(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	ada := w.signedIn(t, "Ada")
	ada.visit("/settings?tab=health")
	ada.see("Sales", "[data-testid=line-health]")
	ada.looks("line-health")
	ada.click("button", "Rest for a week", "[data-testid=line-health]")
	ada.see("is not shown for a week")
	ada.see("rests until", "[data-testid=line-health]")
	ada.click("button", "Show again", "[data-testid=line-health]")
	ada.see("is shown again")
}
