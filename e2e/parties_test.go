package e2e_test

import (
	"fmt"
	"testing"

	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/demo"
)

const (
	whoHearsMe = "[data-testid=hears-me]"
	partyLine  = "[data-testid=parties]"
)

// speaks lets a window call Berit, who answers.
func (win *window) speaks(w *world) {
	win.t.Helper()
	win.person(berit)
	win.click("button", "413 555 0142", "[data-testid=numbers]")
	win.see("ringing", slipPart)
	require.True(win.t, w.sim.TheyAnswer(demo.AnswersSoon))
	win.until("they speak", `document.querySelector('[data-testid=slip]')?.dataset.phase === 'speaking'`)
}

// asks opens whom to ask by its key and takes the best guess for what is typed, which is to be best.
func (win *window) asks(typed, best string) {
	win.t.Helper()
	win.command("w")
	win.see("Whom to ask", "[role=dialog]")
	win.keys(typed)
	win.see(best, "[role=dialog] [role=option][aria-selected=true]")
	win.see("Ask", "[data-testid=whom-acts]")
	win.keys(kb.Enter)
	win.until("the picker closes", `!document.querySelector('[role=dialog]')`)
}

func TestAColleagueIsAskedAndGetsTheCallByKeys(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	ines, tomas := w.signedIn(t, "Ines Calloway"), w.signedIn(t, "Tomas Reyl")
	ines.speaks(w)
	ines.keys("The pump leaks")
	ines.command("w")
	ines.see("Whom to ask", "[role=dialog]")
	ines.looks("whom")
	ines.accessible("whom to ask")
	ines.keys("tom")
	ines.see("Tomas Reyl", "[role=option][aria-selected=true]")
	ines.see("Ask", "[data-testid=whom-acts]")
	presses := 0
	press := func(what func()) { what(); presses++ }
	press(func() { ines.keys(kb.Enter) })
	ines.see("rings", partyLine)
	tomas.see("Ines Calloway asks you", "[data-testid=ring]")
	tomas.see("The pump leaks", "[data-testid=ring]")
	tomas.see(berit, "[data-testid=ring]")
	tomas.looks("asked")
	assert.LessOrEqual(t, presses, 2, "presses for asking, after the choice")
	tomas.keys("y")
	ines.see("Tomas Reyl", whoHearsMe)
	ines.see("waits with music", partyLine)
	ines.looks("consulting")
	ines.accessible("asking a colleague")
	tomas.see("Ines Calloway", whoHearsMe)
	tomas.see("The pump leaks", "[data-testid=handed-from]")
	tomas.looks("consulted")
	tomas.accessible("being asked")
	// To the customer and back by one key, which is that of hold.
	ines.command("h")
	ines.see(berit, whoHearsMe)
	ines.see("waits for you", partyLine)
	ines.command("h")
	ines.see("Tomas Reyl", whoHearsMe)
	// What is typed goes into the notes all the while, and what she wrote is his to read.
	ines.keys(" at the seal")
	ines.until(
		"in the notes",
		`document.querySelector('[data-testid=slip] textarea').value === 'The pump leaks at the seal'`,
	)
	press(func() { ines.command("s") })
	tomas.see(berit, whoHearsMe)
	assert.LessOrEqual(t, presses, 3)
	ines.until(
		"hers is over",
		`document.querySelector('[data-testid=slip]')?.dataset.phase !== 'speaking' || !document.querySelector('[data-testid=parties]')`,
	)
	tomas.command("e")
	tomas.until("over", `document.querySelector('[data-testid=slip]')?.dataset.phase === 'ended'`)
	tomas.command("1")
	tomas.command("f")
	tomas.until("filed", `!document.querySelector('[data-testid=slip]')`)
	ines.visit("/calls")
	ines.until("the call is listed", `document.querySelector('#sheet [role=rowgroup] a[href^="/calls/"]')`)
	ines.runs(`document.querySelector('#sheet [role=rowgroup] a[href^="/calls/"]').click()`)
	ines.see("Who was in it")
	ines.see("took over")
	ines.see("Tomas Reyl", "[data-testid=call-path]")
	ines.see("consults", "[data-testid=call-path]")
	ines.looks("call-path")
	ines.looks("path")
	ines.accessible("the path of a call")
}

func TestACallGivenAwayComesBackAndIsJoinedAndParked(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	ines, tomas := w.signedIn(t, "Ines Calloway"), w.signedIn(t, "Tomas Reyl")
	ines.speaks(w)
	// Given away at once, and declined: it is hers again, with the reason.
	ines.command("w")
	ines.see("Whom to ask", "[role=dialog]")
	ines.keys("tom")
	ines.see("Tomas Reyl", "[role=option][aria-selected=true]")
	ines.see("Give the call", "[data-testid=whom-acts]")
	ines.click("button", "Give the call", "[role=dialog]")
	tomas.see("Ines Calloway gives you this call", "[data-testid=ring]")
	tomas.click("button", "In five minutes", "[data-testid=ring]")
	ines.see("Comes back to you", "[data-testid=ring]")
	ines.see("Tomas Reyl: “in five minutes”", "[data-testid=ring]")
	ines.looks("back")
	ines.command("y")
	ines.see(berit, whoHearsMe)
	// A number that is typed comes into the conversation, and then a colleague: four.
	ines.asks("802 555 0121", "802 555 0121")
	require.Eventually(t, func() bool { return w.sim.TheyAnswer("+18025550121") }, patience, pace)
	ines.see("Signe Nettlecombe", whoHearsMe)
	ines.command("j")
	ines.see(berit, whoHearsMe)
	ines.see("Signe Nettlecombe", whoHearsMe)
	ines.asks("tom", "Tomas Reyl")
	tomas.see("Ines Calloway asks you", "[data-testid=ring]")
	tomas.keys("y")
	ines.see("Tomas Reyl", whoHearsMe)
	ines.command("j")
	ines.see(berit, whoHearsMe)
	ines.see("Tomas Reyl", whoHearsMe)
	tomas.see("Signe Nettlecombe", whoHearsMe)
	ines.looks("conference")
	ines.accessible("four in a call")
	// She leaves, the others go on; he ends one of them, and parks the call, and she takes it with one key.
	ines.command("e")
	ines.until("she has left", `!document.querySelector('[data-testid=parties]')`)
	tomas.see(berit, whoHearsMe)
	tomas.click("button", "Remove Signe Nettlecombe from the call", partyLine)
	tomas.gone("Signe Nettlecombe", whoHearsMe)
	tomas.command("w")
	tomas.see("Park the call", "[role=dialog]")
	tomas.click("option", "Park the call", "[role=dialog]")
	tomas.click("button", "Park the call", "[data-testid=whom-acts]")
	ines.see("Parked at 1", "[data-testid=waiting]")
	ines.see("by Tomas Reyl", "[data-testid=waiting]")
	ines.looks("parked")
	ines.accessible("a parked call")
	ines.click("button", "Take", "[data-testid=waiting]")
	ines.see(berit, whoHearsMe)
	ines.command("e")
	ines.until("over", `document.querySelector('[data-testid=slip]')?.dataset.phase === 'ended'`)
	tomas.gone("Parked at 1")
}

func TestWhoLeadsIsHeardByTheirRepOnly(t *testing.T) {
	t.Parallel()
	talking, stop := startBrowser(microphone(t)...)
	t.Cleanup(stop)
	w := startSpeaking(t)
	ines := w.signedIn(t, "Ines Calloway")
	ines.sound("listening")
	odile := openIn(t, talking, w.url)
	odile.click("button", "Odile")
	odile.see("Hello, ")
	odile.sound("on")
	ines.speaks(w)
	odile.visit("/team")
	odile.click("radio", "People")
	odile.click("button", "Listen to Ines Calloway")
	odile.see("You are listening to Ines Calloway with Berit Osterlund.")
	ines.see("Odile Fairweather", partyLine)
	ines.see("listens", partyLine)
	odile.looks("listening")
	odile.accessible("listening")
	odile.click("button", "Whisper")
	odile.see("Only Ines Calloway hears you.")
	ines.see("whispers to you", partyLine)
	const seen = `Number(document.querySelector('[data-testid=listening] [data-testid=voice-trace]')?.dataset.values)`
	odile.until("the voices to be seen", seen+" > 0")
	odile.until("a second and a half of whispering", fmt.Sprintf("%s >= %d", seen, eval[int](odile, seen)+8))
	odile.click("button", "Stop")
	ines.gone("whispers to you", partyLine)
	odile.gone("You are listening")
	ines.command("e")
	ines.until("over", `document.querySelector('[data-testid=slip]')?.dataset.phase === 'ended'`)
	ours, theirs := w.sides(t)
	inOurs, _ := most(ours, whistle)
	inTheirs, _ := most(theirs, whistle)
	assert.Less(t, inOurs, 0.8, "the customer did not hear the whisper")
	assert.Less(t, inTheirs, 0.8)
}

func TestASecondCallIsJoinedToTheFirst(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	ines := w.signedIn(t, "Ines Calloway")
	ines.speaks(w)
	_, err := w.sim.CallIn("+18025550121", mainE164)
	require.NoError(t, err)
	ines.see("Signe Nettlecombe", "[data-testid=ring]")
	ines.command("y")
	ines.see("Join with Berit")
	ines.looks("second")
	ines.command("j")
	ines.see(berit, whoHearsMe)
	ines.see("Signe Nettlecombe", whoHearsMe)
	ines.looks("joined")
	ines.command("e")
	ines.until("over", `!document.querySelector('[data-testid=parties]')`)
}
