package e2e_test

import (
	"fmt"
	"net/url"
	"os"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/google/uuid"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/demo"
	"trundo/internal/desk/firm"
)

// TestScreenshots makes docs/screenshots from the demo's data, when TRUNDO_SCREENSHOTS names the folder (make
// screenshots).
func TestScreenshots(t *testing.T) {
	dir := os.Getenv("TRUNDO_SCREENSHOTS")
	if dir == "" {
		t.Skip("TRUNDO_SCREENSHOTS is not set: pictures are only made when they are asked for")
	}
	w := startSpeaking(t)
	w.recorded(t, 12)
	talking, stop := startBrowser(microphone(t)...)
	t.Cleanup(stop)
	win := openIn(t, talking, w.url)
	win.see("one click")
	win.click("button", "Ines Calloway")
	win.see(berit, "[data-testid=try]")
	win.see("My lane")
	win.shot(dir + "/lane-at-rest.png")
	win.click("link", "People")
	win.see("252", "[data-testid=count]")
	win.fill("Name, company or number", "vesper")
	win.gone("Anneliese-Magdalena", "[data-testid=rows]")
	win.shot(dir + "/people.png")

	win.fill("Name, company or number", " ")
	win.see("252", "[data-testid=count]")
	win.visit(
		"/people?f=" + url.QueryEscape(
			`{"all":[{"field":"stage","op":"is","value":"customer"},{"field":"last_call","op":"not_past","value":"30"}]}`,
		),
	)
	win.see("customer", "[data-testid=rows]")
	win.click("button", "Filter")
	eval[any](win, `document.querySelector('[data-testid=rows]').focus()`)
	win.keys(" ")
	for range 3 {
		win.keys(kb.ArrowDown, chromedp.ModifierShift)
	}
	win.see("4 selected", "[data-testid=bulk]")

	w.calling(win)
	win.fill("Notes", "Wants the overflow on the north side. Visit before the ground freezes, Thursday suits, not "+
		"before ten.")
	win.see("saved", "[data-testid=notes-status]")
	win.leaveFields()
	win.command("1")
	win.choose("Call type", "Enquiry")
	win.see("Files “Visit agreed” on Berit Osterlund, Vesper Hollow Nursery.")
	win.until("a while of talk", `/0:0[4-9]/.test(document.querySelector('[data-testid=clock]').innerText)`)
	win.shot(dir + "/person-while-speaking.png")
	win.command("e")
	win.see("we hung up", slipPart)
	win.command("f")
	win.see("Filed: Berit Osterlund")
	win.see("Ines called mobile, talked 0:0", historyPart)
	win.click("link", "Ines called mobile, talked 0:0", historyPart)
	win.see("They answered")
	win.choose("Outcome", "Wants an offer")
	win.see("would do", "[role=dialog]")
	win.click("button", "Change the outcome only")
	win.see("Visit agreed → Wants an offer", "[data-testid=changes]")
	win.until("the toast to go", `!document.querySelector('ol li[data-state]')`)
	lead := openIn(t, talking, w.url) // an admin may hear all
	lead.click("button", "Ada")
	lead.see("Hello, ")
	lead.sound("on")
	lead.visit("/calls?whose=team")
	lead.until("several recordings", `document.querySelectorAll('#sheet a:has([data-testid=voice-trace])').length > 2`)
	lead.runs(`document.querySelectorAll('#sheet a:has([data-testid=voice-trace])')[2].click()`)
	lead.see("Who spoke")
	lead.fill("Remark at 0:00", "Asks before offering: well done.")
	lead.click("button", "Remark")
	lead.see("well done", "#sheet")
	lead.leaveFields()
	lead.sound("on")
	lead.until("the toast to go", `!document.querySelector('ol li[data-state]')`)
	lead.shot(dir + "/call-page.png")

	win.click("link", "People")
	win.see("252", "[data-testid=count]")
	win.keys("/")
	win.keys("(907) 555-0101")
	win.see("Call 907 555 0101", "[role=listbox]")
	win.keys(kb.Enter)
	win.see("Whose number is it?", slipPart)
	win.click("button", "Stop", slipPart)
	win.see("canceled before answer", slipPart)
	win.command("6")
	win.see("Files “No answer”", slipPart)
	win.command("f") // an unfiled slip would keep further calls away
	win.until("no slip", `!document.querySelector('[data-testid=slip]')`)

	win.click("link", "Calls")
	win.click("radio", "Everybody")
	win.see("left a message", "#sheet")
	win.until("the toast to go", `!document.querySelector('ol li[data-state]')`)
	win.shot(dir + "/calls.png")
	ada := w.signedIn(t, "Ada Millrace")
	_, err := w.Desk.Staff.AddMany(t.Context(), w.actorOf(t, "ada"), uuid.NewString(), w.url,
		contract.NewMembers{Text: "Wren Tamaro, wren@lindenfall.example, 77", Role: "rep", Team: "Sales",
			Zone: "America/New_York", Link: contract.NewMembersLinkNone})
	require.NoError(t, err)
	ada.visit("/settings?tab=staff")
	ada.see("Wren Tamaro", "table")
	ada.shot(dir + "/colleagues.png")
	ada.visit("/settings?tab=roles")
	ada.click("radio", "Supervisor · 2")
	ada.see("2 colleagues", "[data-testid=role-form]")
	ada.shot(dir + "/roles.png")
	ada.visit("/settings?tab=usage")
	ada.click("button", "Month before")
	ada.click("radio", "Lines", "[data-testid=usage]")
	ada.see("Sales", "[data-testid=usage]")
	ada.leaveFields()
	queuesAndRoutes(t, w, ada, dir)
	win.person(berit)
	win.click("radio", "Messages", historyPart)
	win.see("north side", "[data-testid=thread]")
	win.shot(dir + "/message-thread.png")
	win.click("link", "Today")

	firstSteps(t, dir)

	ref, err := w.sim.CallIn(demo.Household, mainE164)
	require.NoError(t, err)
	win.see(" or ", ringPart)
	win.until("a while of ringing", `/0:0[3-9]/.test(document.querySelector('[data-testid=ring-clock]').innerText)`)
	win.shot(dir + "/ringing.png")
	require.True(t, w.sim.OutsideHangsUp(ref))
	win.until("the ring to end", `!document.querySelector('[data-testid=ring]')`)

	roundGoing(t, w, dir)

	severalInACall(t, w, win, dir)
	if extra := os.Getenv("TRUNDO_LOOK"); extra != "" {
		look(t, w, win, extra)
	}
}

// firstSteps takes a picture of a new firm whose set-up has begun.
func firstSteps(t *testing.T, dir string) {
	ada := startEmpty(t).first(t)
	ada.fill("Name of the firm", "Lindenfall Cisterns")
	ada.click("button", "Save")
	ada.click("button", "Continue: Your numbers")
	ada.fill("Number", "413 555 0100")
	ada.fill("What it is for", "Main")
	ada.until("the toast to go", `!document.querySelector('ol li[data-state]')`)
	ada.shot(dir + "/first-steps.png")
}

// actorOf is somebody of the firm by their login.
func (w *world) actorOf(t *testing.T, login string) firm.Actor {
	var user uuid.UUID
	require.NoError(t, w.Store.Pool.QueryRow(t.Context(), `SELECT id FROM users WHERE login = $1`, login).Scan(&user))
	a, err := w.Desk.Actor(t.Context(), user)
	require.NoError(t, err)
	return a
}

// roundGoing takes a picture of a round in which some people have been called.
func roundGoing(t *testing.T, w *world, dir string) {
	list, _, numbers := w.roundOf(t, 46)
	a := w.actorOf(t, "tomas")
	settings, err := w.Desk.Rounds.RoundDefaults(t.Context(), a)
	require.NoError(t, err)
	settings.SkipCalledToday = false
	r, err := w.Desk.Rounds.StartRound(t.Context(), a, uuid.NewString(),
		contract.RoundStart{ListID: &list, Settings: settings})
	require.NoError(t, err)
	r, err = w.Desk.Rounds.ActOnRound(t.Context(), a, r.ID, uuid.NewString(),
		contract.RoundAct{Act: contract.RoundActActGo})
	require.NoError(t, err)
	labels := []string{"No answer", "Visit agreed", "No answer", "Busy", "Left a message", "Solved", "Not now",
		"No answer", "Wrong number", "Visit agreed", "No answer", "Not now", "Left a message",
		"No answer", "Call again later", "Busy", "Visit agreed", "No answer", "Not now"}
	for _, label := range labels {
		var outcome uuid.UUID
		require.NoError(t, w.Store.Pool.QueryRow(t.Context(), `SELECT id FROM outcomes WHERE label = $1`,
			label).Scan(&outcome))
		r, err = w.Desk.Rounds.SettleInRound(t.Context(), a, r.ID, uuid.NewString(),
			contract.RoundSettle{SlipID: r.Current.Call.Slip.ID, OutcomeID: &outcome})
		require.NoError(t, err)
	}
	// As if it had taken its time.
	_, err = w.Store.Pool.Exec(
		t.Context(),
		`UPDATE round_calls x SET settled_at = settled_at - (SELECT count(*) FROM round_calls y WHERE y.round_id = x.round_id AND y.at > x.at) * interval '141 seconds' WHERE round_id = $1`,
		r.ID,
	)
	require.NoError(t, err)
	win := w.signedIn(t, "Tomas")
	win.visit("/rounds/" + r.ID.String())
	win.see("ringing", slipPart)
	require.True(t, w.sim.TheyAnswer(numbers[len(labels)]))
	win.see("speaking", slipPart)
	win.see("20 of 46", "[data-testid=round-figures]")
	win.see("Everything", historyPart)
	win.shot(dir + "/round.png")
	win.command("0")
	win.command("e")
	win.see("we hung up", slipPart)
	win.command("5")
	win.until("no slip", `!document.querySelector('[data-testid=slip]')`)
}

// severalInACall takes pictures of whom to ask, of asking and of a call of four.
func severalInACall(t *testing.T, w *world, win *window, dir string) {
	tomas := w.signedIn(t, "Tomas Reyl")
	win.visit("/")
	win.speaks(w)
	win.keys("The pump runs dry again. She asks whether the float switch can be moved.")
	win.see("saved", "[data-testid=notes-status]")
	win.command("w")
	win.see("Ask", "[data-testid=whom-acts]")
	win.shot(dir + "/whom-to-ask.png")
	win.keys("tom")
	win.see("Tomas Reyl", "[role=dialog] [role=option][aria-selected=true]")
	win.keys(kb.Enter)
	tomas.see("asks you", "[data-testid=ring]")
	tomas.keys("y")
	win.see("Tomas Reyl", whoHearsMe)
	win.shot(dir + "/consulting.png")
	win.command("j")
	win.see(berit, whoHearsMe)
	win.asks("802 555 0121", "802 555 0121")
	require.Eventually(t, func() bool { return w.sim.TheyAnswer("+18025550121") }, patience, pace)
	win.see("Signe Nettlecombe", whoHearsMe)
	win.command("j")
	win.see("Tomas Reyl", whoHearsMe)
	win.see("Signe Nettlecombe", whoHearsMe)
	win.shot(dir + "/conference.png")
	win.command("e")
}

// look keeps pictures of what is easily forgotten: long names, narrow windows, nothing there, keys, menus.
func look(t *testing.T, w *world, win *window, dir string) {
	eval[any](win, `localStorage.removeItem('trundo.theme')`)
	require.NoError(t, chromedp.Do(win.ctx, chromedp.Reload()))
	win.see("speaking", slipPart)
	win.click("button", "More for 413 555 0119")
	win.see("Put on my lane")
	win.shot(dir + "/menu.png")
	win.keys(kb.Escape)
	win.click("link", "People")
	win.fill("Name, company or number", "Birkenshaw-Wetherington of")
	win.click("link", "Anneliese-Magdalena", "#sheet")
	win.see("Everything", historyPart)
	win.shot(dir + "/long.png")
	win.click("button", "413 555 0144", "[data-testid=numbers]")
	win.see("Nothing was dialed")
	win.shot(dir + "/in-call.png")
	win.click("button", "End it and call")
	win.see("ringing", slipPart)
	win.shot(dir + "/long-slip.png")
	win.command("e")
	win.see("canceled before answer", slipPart)
	win.shot(dir + "/waiting.png")
	win.keys("?")
	win.see("Single keys act")
	win.shot(dir + "/keys.png")
	win.keys(kb.Escape)
	win.visit("/people?q=zzzzz")
	win.see("Nothing matches")
	win.shot(dir + "/nothing.png")
	win.visit("/records/00000000-0000-7000-8000-000000000000")
	win.see("This record is not there")
	win.shot(dir + "/gone.png")
	win.keys("/")
	win.keys("osterlnd")
	win.see("Osterlund", "[role=listbox]")
	win.shot(dir + "/find.png")
	win.keys(kb.Escape)
	win.click("link", "Calls")
	win.see("Talked")
	win.shot(dir + "/calls.png")
	win.person(berit)
	require.NoError(t, chromedp.Do(win.ctx, chromedp.EmulateViewport(640, 800)))
	win.shot(dir + "/narrow.png")
	require.NoError(t, chromedp.Do(win.ctx, chromedp.EmulateViewport(1024, 700)))
	win.shot(dir + "/1024.png")
}

// figuresOf pictures a report, calls that were found, and a scorecard that is filled in.
func figuresOf(lead *window, dir string) {
	lead.visit("/insight?report=ready-reps")
	lead.see("Average wrap-up", "[data-testid=numbers]")
	lead.until("bars", `document.querySelectorAll('.recharts-bar-rectangle').length > 5`)
	lead.shot(dir + "/report.png")
	lead.visit(
		"/insight?tab=calls&q=" + url.QueryEscape(`{"period":"90d","where":[{"facet":"has","values":["recording"]}]}`),
	)
	lead.found()
	lead.shot(dir + "/find-calls.png")
	lead.opensFirst()
	lead.click("button", "Score this call")
	for n, mark := range []string{"2 of 2", "4 of 5", "3 of 3", "1 of 1"} {
		lead.click("button", mark, fmt.Sprintf("[data-testid=score-form] fieldset:nth-of-type(%d) ", n+1))
	}
	lead.fill("What was good, what to try next", "Calm and exact. Say the day again at the end.")
	lead.runs(`document.querySelector('[data-testid=score-form]').scrollIntoView({block: 'end'})`)
	lead.shot(dir + "/scorecard.png")
}

// queuesAndRoutes pictures a route, a caller who is played against it, and callers who wait, as who leads sees them.
func queuesAndRoutes(t *testing.T, w *world, ada *window, dir string) {
	ada.visit("/settings?tab=routes")
	ada.click("button", "Service hotline", "main")
	ada.click("button", "Ask for a key", "[role=list]")
	ada.see("What is said in English", "main")
	ada.shot(dir + "/route.png")
	ada.click("button", "Try it")
	ada.fill("Who calls", "+1 413 555 0188")
	ada.click("button", "Start the call")
	ada.see("Service at Lindenfall Cisterns", "[data-testid=tried]")
	ada.click("button", "They listen to the end")
	ada.see("For a pump or a leak press 1", "[data-testid=tried]")
	ada.click("button", "They press 1")
	ada.see("They wait in “Service”", "[data-testid=tried]")

	tomas, lead := w.signedIn(t, "Tomas Reyl"), w.signedIn(t, "Roderick Vane")
	w.calling(tomas)
	for _, from := range []string{"+14135550188", demo.Household, "+12125550187"} {
		ref, err := w.sim.CallIn(from, serviceE164)
		require.NoError(t, err)
		w.heard(t, ref, "“For a pump or a leak press 1")
		require.True(t, w.sim.OutsidePresses(ref, "1"))
		w.heard(t, ref, "“You are n")
		t.Cleanup(func() { w.sim.OutsideHangsUp(ref) })
		defer w.sim.OutsideHangsUp(ref)
	}
	lead.click("link", "Team")
	lead.see("3 wait", "[data-testid=wall]")
	lead.shot(dir + "/wall.png")
	figuresOf(lead, dir)
	tomas.command("e")
	tomas.command("6")
	tomas.command("f")
}
