package e2e_test

import (
	"os"
	"strings"
	"testing"
	"time"

	"trundo/internal/core/totp"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
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

	secondFactor(t, w, wren)

	ada.visit("/settings?tab=staff")
	ada.click("button", "Switch off Ines Calloway")
	ada.see("They leave behind:")
	ada.choose("All of it goes to", "Wren Tamaro")
	ada.looks("staff-off")
	ada.click("button", "Switch off", "[role=dialog]")
	ada.see("Ines Calloway is switched off")
	ada.gone("Ines Calloway", "table")
	wren.visit("/lane")
	wren.see("Ask whether the pump runs")
	wren.looks("lane-of-receiver")

	ada.click("button", "Switch off Wren Tamaro")
	ada.choose("All of it goes to", "Tomas Reyl")
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

// first opens a window of an empty firm and becomes its first admin.
func (w *world) first(t *testing.T) *window {
	t.Helper()
	code, err := w.Desk.Staff.FirstCode(t.Context())
	require.NoError(t, err)
	ada := open(t, w.url)
	ada.visit("/")
	ada.click("link", "Nobody belongs to this firm yet. Set it up")
	ada.fill("The code that the server showed where it was started", "123 456 789")
	ada.fill("Your name", "Ada Millrace")
	ada.fill("Choose a password", "four green kettles")
	ada.looks("set-up")
	ada.click("button", "Begin")
	ada.see("this is not the code")
	ada.fill("The code that the server showed where it was started", code)
	ada.click("button", "Begin")
	ada.see("0 of 7 done")
	return ada
}

// TestFromNothingToAFiledCall sets a new firm up as somebody would who has read nothing.
func TestFromNothingToAFiledCall(t *testing.T) {
	t.Parallel()
	w := startEmpty(t)
	ada := w.first(t)
	ada.looks("first-steps")

	ada.fill("Name of the firm", "Lindenfall Cisterns")
	ada.click("button", "Save")
	ada.see("1 of 7 done")
	ada.click("button", "Continue: Your numbers")
	ada.fill("Number", "413 555 0100")
	ada.fill("What it is for", "Main")
	ada.click("button", "Add the number")
	ada.see("2 of 7 done")
	ada.looks("first-steps-lines")
	ada.click("button", "Continue: Opening hours and holidays")
	ada.click("button", "Use these for all numbers")
	ada.see("3 of 7 done")
	ada.looks("first-steps-hours")
	ada.click("button", "Continue: Colleagues")
	ada.click("button", "Add many")
	ada.fill("One in each line: name, mail address, extension", "Ines Calloway, 21\nTomas Reyl, Service")
	ada.click("button", "Add them")
	ada.see("Line 2: “Service” is neither a mail address nor an extension")
	ada.see("ines", "[data-testid=many-added]")
	ada.looks("first-steps-many")
	ada.fill("One in each line: name, mail address, extension", "Tomas Reyl")
	ada.click("button", "Add them")
	ada.see("tomas", "[data-testid=many-added]")
	ada.click("button", "Close", "[data-testid=many-form]")
	ada.see("4 of 7 done")
	ada.click("button", "Continue: Your customers")
	ada.click("button", "Skip", "[data-testid=step-book]")
	ada.click("button", "Skip", "[data-testid=step-recording]")
	ada.see("Call a number, write a note")
	ada.visit("/")
	ada.see("4 of 7 done.", "[data-testid=first-steps]")
	ada.looks("first-steps-today")
	ada.click("link", "Continue")
	ada.fill("Number", "413 555 0142")
	ada.click("button", "Call", "[data-testid=step-call]")
	ada.see("ringing", slipPart)
	require.True(t, w.sim.TheyAnswer("+14135550142"))
	ada.see("speaking", slipPart)
	ada.looks("first-call")
	ada.keys("The pump runs.")
	ada.see("saved", "[data-testid=notes-status]")
	ada.command("1")
	ada.command("e")
	ada.looks("first-call-over")
	ada.command("f")
	ada.see("5 of 7 done")
	ada.see("Everything is set up.")
	ada.looks("first-steps-done")
}

// secondFactor turns one on, signs out and in with it.
func secondFactor(t *testing.T, w *world, wren *window) {
	t.Helper()
	wren.fill("Your password", "eight wet umbrellas")
	wren.click("button", "Turn it on")
	key := strings.ReplaceAll(wren.textOf("[data-testid=totp-key]"), " ", "")
	wren.looks("second-factor")
	shows := func(step int64) string {
		code, err := totp.Code(key, totp.StepAt(time.Now())+step)
		require.NoError(t, err)
		return code
	}
	wren.fill("The code that it shows now", "000000")
	wren.click("button", "Confirm")
	wren.see("this code is not right")
	wren.fill("The code that it shows now", shows(-1))
	wren.click("button", "Confirm")
	wren.see("Each of these codes lets you in once")
	wren.looks("second-factor-codes")
	wren.click("button", "I have written them down")
	wren.see("asked for the code that an app on your telephone shows")

	again := open(t, w.url)
	again.visit("/sign-in")
	again.fill("Name", "wren")
	again.fill("Password", "eight wet umbrellas")
	again.click("button", "Sign in")
	again.see("Six digits, of the app")
	again.looks("sign-in-code")
	again.fill("The code on your telephone", shows(0))
	again.click("button", "Sign in")
	again.see("Hello, Wren")
}
