package e2e_test

import (
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
)

// looks keeps a picture where TRUNDO_LOOKS names a folder, to be looked at while something is made.
func (w *window) looks(name string) {
	if dir := os.Getenv("TRUNDO_LOOKS"); dir != "" {
		w.shot(dir + "/" + name + ".png")
	}
}

// textOf is what the first element that fits a selector says.
func (w *window) textOf(selector string) string {
	w.until(selector, `!!document.querySelector(`+quote(selector)+`)`)
	return eval[string](w, `document.querySelector(`+quote(selector)+`).innerText`)
}

func TestSomebodyIsHiredInvitedAndDismissed(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	ada := w.signedIn(t, "Ada")
	ada.visit("/settings?tab=staff")
	ada.see("Ines Calloway", "table")
	ada.looks("staff")
	ada.click("button", "Add a colleague")
	ada.fill("Name", "Wren Tamaro")
	ada.looks("staff-add")
	assert.Equal(t, "wren", eval[string](ada, `[...document.querySelectorAll('[data-testid=member-form] input')][1].value`),
		"a login is proposed")
	ada.fill("Signs in as", "ines")
	ada.fill("Team", "Sales")
	ada.fill("Extension", "77")
	ada.click("button", "Add a colleague", "[data-testid=member-form]")
	ada.see("somebody has this login already", "[data-testid=member-form]")
	ada.looks("staff-taken")
	ada.fill("Signs in as", "wren")
	ada.click("button", "Add a colleague", "[data-testid=member-form]")
	ada.see("A link for Wren Tamaro")
	ada.click("button", "Make the link")
	address := ada.textOf("[data-testid=sign-in-link]")
	ada.looks("staff-link")
	ada.click("button", "Close")
	ada.see("no password yet", "table")

	wren := open(t, w.url)
	wren.visit(address[len(w.url):])
	wren.see("Wren Tamaro")
	wren.see("You sign in as “wren”.")
	wren.looks("welcome")
	wren.fill("Choose a password", "wrentamaro1")
	wren.click("button", "Save and sign in")
	wren.see("made of your name")
	wren.fill("Choose a password", "seven wet umbrellas")
	wren.click("button", "Save and sign in")
	wren.see("Hello, Wren")
	again := open(t, w.url)
	again.visit(address[len(w.url):])
	again.see("This link cannot be used any more")
	again.looks("welcome-used")

	wren.visit("/settings")
	wren.fill("Your password now", "not this one")
	wren.fill("The new one", "eight wet umbrellas")
	wren.click("button", "Change the password")
	wren.see("this is not your password")
	wren.fill("Your password now", "seven wet umbrellas")
	wren.click("button", "Change the password")
	wren.see("Your password is changed")
	wren.looks("own-password")

	ada.visit("/settings?tab=staff")
	ada.click("button", "Switch Ines Calloway off")
	ada.see("They leave behind:")
	ada.choose("All of it goes to", "Wren Tamaro, Sales")
	ada.looks("staff-off")
	ada.click("button", "Switch off", "[role=dialog]")
	ada.see("Ines Calloway is switched off")
	ada.gone("Ines Calloway", "table")
	wren.visit("/lane")
	wren.see("Ask whether the pump runs")
	wren.looks("lane-of-receiver")

	ada.click("button", "Switch Wren Tamaro off")
	ada.choose("All of it goes to", "Tomas Reyl, Service")
	ada.click("button", "Switch off", "[role=dialog]")
	wren.see("Sign in")
	wren.fill("Name", "wren")
	wren.fill("Password", "eight wet umbrellas")
	wren.click("button", "Sign in")
	wren.see("wrong", "form")
	wren.click("button", "Forgot your password?")
	wren.see("If your mail address is known here", "form")
	wren.looks("sign-in-forgotten")
}
