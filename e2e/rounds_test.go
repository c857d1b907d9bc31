package e2e_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp/kb"
	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/carrier"
)

// tabTo goes with the Tab key until what has the focus is called so.
func (w *window) tabTo(name string) {
	w.t.Helper()
	for range 80 {
		if eval[bool](w, fmt.Sprintf(`((document.activeElement?.ariaLabel || document.activeElement?.innerText || '').replace(/\s+/g, ' ').startsWith(%s))`, quote(name))) {
			return
		}
		w.keys(kb.Tab)
	}
	w.fail("no Tab leads to “" + name + "”")
}

// roundOf makes a hand-made list of so many people of the demo, who can be called at any hour; the fifth has two
// numbers. It gives their names and numbers, in order.
func (w *world) roundOf(t *testing.T, n int) (list uuid.UUID, names, numbers []string) {
	t.Helper()
	exec := func(sql string, args ...any) {
		_, err := w.Store.Pool.Exec(t.Context(), sql, args...)
		require.NoError(t, err)
	}
	list = uuid.New()
	exec(`INSERT INTO lists (id, name, group_name, type, record_kind, owner_id, created_at) SELECT $1, 'Spring filters', 'Campaigns', 'hand', 'people', id, now() FROM users WHERE login = 'ines'`, list)
	rows, err := w.Store.Pool.Query(t.Context(), `SELECT r.id, r.name FROM records r WHERE r.kind = 'contact' AND r.dnc_at IS NULL AND r.deleted_at IS NULL
		AND NOT EXISTS (SELECT FROM records c WHERE c.id = r.company_id AND c.dnc_at IS NOT NULL) ORDER BY lower(r.name), r.id OFFSET 20 LIMIT $1`, n)
	require.NoError(t, err)
	var ids []uuid.UUID
	for rows.Next() {
		var id uuid.UUID
		var name string
		require.NoError(t, rows.Scan(&id, &name))
		ids, names = append(ids, id), append(names, name)
	}
	require.NoError(t, rows.Err())
	require.Len(t, ids, n)
	exec(`DELETE FROM phone_numbers WHERE record_id = ANY ($1)`, ids)
	exec(`UPDATE records SET zone = '' WHERE id = ANY ($1)`, ids)
	exec(`DELETE FROM follow_ups WHERE promised`)
	number := func(i, position int, label string) string {
		e164 := fmt.Sprintf("+1607555%04d", 100+i+50*position)
		exec(`INSERT INTO phone_numbers (id, record_id, label, typed, e164, region, position) VALUES ($1, $2, $3, $4, $4, 'US', $5)`, uuid.New(), ids[i], label, e164, position)
		return e164
	}
	for i, id := range ids {
		exec(`INSERT INTO list_members (list_id, record_id, at) VALUES ($1, $2, now())`, list, id)
		numbers = append(numbers, number(i, 0, "mobile"))
	}
	number(4, 1, "office")
	return list, names, numbers
}

// beads are the forms of a round's beads, in order.
func (w *window) beads(want string) {
	w.t.Helper()
	w.until("the beads "+want, fmt.Sprintf(`[...document.querySelectorAll('[data-testid=beads] button')].map((b) => b.dataset.bead).join(' ') === %s`, quote(want)))
}

func TestARoundOfEightByKeysAlone(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	list, names, numbers := w.roundOf(t, 8)
	win := w.signedIn(t, "Ines Calloway")
	on := func(i int) {
		t.Helper()
		win.see(names[i], slipPart)
		win.see("ringing", slipPart)
	}
	answers := func(to string) {
		t.Helper()
		require.True(t, w.sim.TheyAnswer(to))
		win.see("speaking", slipPart)
	}
	win.goes("/lists/" + list.String())
	win.tabTo("Start a round")
	win.keys(kb.Enter)
	win.see("All 8 can be called now.", "[data-testid=round-sentence]")
	win.look("round-start")
	win.tabTo("Start")
	win.keys(kb.Enter)

	// Nobody answers: one key, and the next one rings.
	on(0)
	win.see("Stop after this one")
	before := win.acts
	win.keys("6")
	on(1)
	assert.Equal(t, 1, win.acts-before)
	// Busy.
	require.True(t, w.sim.TheyEnd(numbers[1], carrier.Busy))
	win.see("busy", slipPart)
	win.keys("8")
	on(2)
	require.True(t, w.sim.TheyEnd(numbers[2], carrier.Declined))
	win.see("declined", slipPart)

	// The window is loaded again in the middle.
	win.visit(eval[string](win, `location.pathname`))
	win.see("declined", slipPart)
	win.beads("later later current waiting waiting waiting waiting waiting")
	win.keys("6")

	// A voicemail: its key leaves the message while the next one rings.
	on(3)
	answers(numbers[3])
	win.see("Leave “after the show” and go on", slipPart)
	win.command("d")
	on(4)
	win.beads("later later later message current waiting waiting waiting")
	require.True(t, w.sim.TheyEnd(numbers[3], carrier.HungUp)) // before the beep
	win.until("what became of the message to be told",
		`[...document.querySelectorAll('[data-testid=beads] button')][3]?.ariaLabel.includes('message cut off')`)

	// The second number of the same person, and a conversation.
	win.see("Next number", slipPart)
	win.look("round-ringing")
	win.keys("+")
	win.see("office", slipPart)
	on(4)
	answers("+16075550154")
	win.keys("Wants the same pair again")
	win.command("1")
	win.see("“Visit agreed”", slipPart)
	win.look("round-speaking")
	win.accessible("a round going")
	win.command("e")
	win.see("we hung up", slipPart)
	win.command("f")

	// Paused while the next one rings: the call goes on, and nobody is called after it.
	on(5)
	win.keys("0")
	win.see("The round is paused", "[data-testid=round-state]")
	answers(numbers[5])
	win.command("e")
	win.see("we hung up", slipPart)
	win.command("9") // wrong number
	win.command("f")
	win.until("the slip to be filed", `!document.querySelector('[data-testid=slip]')`)
	win.beads("later later later message spoke refused waiting waiting")
	win.see("5 left", "[data-testid=lane]")
	win.keys("0")
	on(6)

	// They hang up; the outcome's key files and goes on.
	answers(numbers[6])
	require.True(t, w.sim.TheyEnd(numbers[6], carrier.HungUp))
	win.see("they hung up", slipPart)
	win.command("5")
	on(7)
	// The last outcome is taken back, and another chosen.
	win.see("Undo: " + names[6] + ", Not now")
	win.keys("-")
	win.see("The slip of " + names[6] + " is open again")
	win.beads("later later later message spoke refused current current")
	require.True(t, w.sim.TheyEnd(numbers[7], carrier.OutOfService))
	win.see("out of service", slipPart)
	win.keys(".")
	win.see("607 555 0106", slipPart)
	win.keys("4")
	win.beads("later later later message spoke refused spoke skipped")
	win.see("Nobody can be called just now.", "[data-testid=next-of-round]")
	win.see("8 of 8", "[data-testid=round-figures]")
	win.gone("say first what came of the last attempt")

	// The beads tell who, by the arrow keys.
	win.keys("\t")
	eval[any](win, `document.querySelector('[data-testid=beads] button').focus()`)
	win.keys(kb.End)
	win.see(names[7], "[data-testid=bead-told]")
	win.keys(kb.ArrowLeft)
	win.see(names[6], "[data-testid=bead-told]")

	// Ended by hand: what came of it, and a list of the rest.
	win.tabTo("More")
	win.keys(kb.Enter)
	win.see("End the round", "[role=menu]")
	for !eval[bool](win, `document.activeElement.innerText.includes('End the round')`) {
		win.keys(kb.ArrowDown)
	}
	win.keys(kb.Enter)
	win.see("End the round?", "[role=dialog]")
	win.tabTo("End the round")
	win.keys(kb.Enter)
	win.see("Results")
	win.see("Visit agreed 1", "[data-testid=round-results]")
	win.look("round-over")
	win.tabTo("Make a list of them")
	win.keys(kb.Enter)
	win.see("Made the list Spring filters, the rest with 5 people.")
	win.see(names[0])
	// What came of the wrong number is on its record.
	var marked int
	require.NoError(t, w.Store.Pool.QueryRow(t.Context(),
		`SELECT count(*) FROM phone_numbers WHERE e164 = $1 AND dnc_at IS NOT NULL`, numbers[5]).Scan(&marked))
	assert.Equal(t, 1, marked)
}

func TestARoundByKeyTogetherAndFromPickedRows(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	list, names, numbers := w.roundOf(t, 6)
	ines, tomas := w.signedIn(t, "Ines Calloway"), w.signedIn(t, "Tomas")
	ines.goes("/lists/" + list.String())
	ines.see(names[0])
	ines.click("button", "Start a round")
	ines.choose("The next one is called", "only when I press the key")
	ines.click("button", "Start", "form")
	ines.see(names[0], "[data-testid=next-of-round]")
	ines.see("first try", "[data-testid=next-of-round]")
	ines.look("round-by-key")

	tomas.goes("/lists/" + list.String())
	tomas.click("button", "Start a round")
	tomas.see("A round on this list is under way: Spring filters")
	tomas.click("link", "Work on that one")
	tomas.click("button", "Work on it too")
	tomas.see(names[1], "[data-testid=next-of-round]")
	ines.see("Tomas", "[data-testid=round-state]")
	tomas.leaveFields()
	tomas.keys("c")
	tomas.see("ringing", slipPart)
	require.True(t, w.sim.TheyAnswer(numbers[1]))
	tomas.see("speaking", slipPart)

	// A number of theirs that is clicked is an attempt of the round.
	ines.click("button", "607 555 0100", "[data-testid=numbers]")
	ines.see("ringing", slipPart)
	ines.leaveFields()
	ines.keys("6")
	ines.see(names[2], "[data-testid=next-of-round]")
	ines.keys(".")
	ines.see(names[3], "[data-testid=next-of-round]")

	// Come back to somebody who was skipped.
	at := `document.querySelectorAll('[data-testid=beads] button')[2]`
	eval[any](ines, at+".focus()")
	ines.see(names[2], "[data-testid=bead-told]")
	ines.click("button", "Call them next")
	ines.see(names[2], "[data-testid=next-of-round]")

	// Handed over: a colleague finds it in the lane.
	ines.click("button", "More", "#sheet")
	ines.click("item", "Hand it over")
	ines.see("Who goes on with Spring filters", "[role=dialog]")
	ines.see("Tomas Reyl", "[role=dialog] [role=listbox]")
	ines.looks("hand-round-over")
	ines.keys("odile" + kb.Enter)
	ines.see("You do not work on this round.", "[data-testid=round-state]")
	odile := w.signedIn(t, "Odile")
	odile.see("round handed over by Ines", "[data-testid=lane]")
	odile.click("button", "Spring filters", "[data-testid=lane]")
	odile.click("button", "Resume")
	odile.see(names[2], "[data-testid=next-of-round]")
	assert.False(t, strings.Contains(eval[string](odile,
		`document.querySelector('[data-testid=next-of-round]').innerText`), names[1]), "Tomas is at them")
}
