package e2e_test

import (
	"fmt"
	"strconv"
	"testing"

	"github.com/chromedp/chromedp/kb"
	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// found is how many calls the page says it has found.
func (w *window) found() int {
	w.t.Helper()
	w.until(
		"the calls to be counted",
		`/^\d/.test(document.querySelector('[data-testid=found-count]')?.innerText ?? '')`,
	)
	n, err := strconv.Atoi(eval[string](w,
		`document.querySelector('[data-testid=found-count]').innerText.replace(/\D/g, '')`))
	require.NoError(w.t, err)
	return n
}

// figureOf is the number in the first column of a report's row.
func (w *window) figureOf(row string) int {
	w.t.Helper()
	return eval[int](w, fmt.Sprintf(`Number([...document.querySelectorAll('[data-testid=numbers] tr')]
		.find((r) => r.innerText.startsWith(%s)).querySelector('button').innerText)`, quote(row)))
}

// opensFirst opens the first of the calls that were found.
func (w *window) opensFirst() {
	w.t.Helper()
	w.click("link", eval[string](w, `document.querySelector('[data-testid=find-calls] [role=row] a').innerText`),
		"[data-testid=find-calls]")
}

func TestAFigureLeadsToItsCallsAndTheirRecordings(t *testing.T) {
	t.Parallel()
	w := startSpeaking(t)
	w.recorded(t, 30)
	win := w.signedIn(t, "Odile")
	win.click("link", "Insight")
	win.click("link", "Conversations by rep")
	win.see("Average wrap-up", "[data-testid=numbers]")
	win.until("bars", `document.querySelectorAll('.recharts-bar-rectangle').length > 5`)
	win.looks("report")
	win.accessible("a report")
	want := win.figureOf("Ines Calloway")
	win.click("button", strconv.Itoa(want), "[data-testid=numbers] tbody tr:nth-child(1)")
	win.until(
		"the calls behind it",
		fmt.Sprintf(`document.querySelector('[data-testid=found-count]')?.innerText.startsWith('%d ')`,
			want),
	)
	win.see("rep: Ines Calloway", "[data-testid=conditions]")
	win.click("button", "Only Recording", "[data-testid=facet-has]")
	win.until(
		"fewer calls",
		fmt.Sprintf(`parseInt(document.querySelector('[data-testid=found-count]').innerText) < %d`, want),
	)
	heard := win.found()
	require.Positive(t, heard)
	win.looks("find-calls")
	win.accessible("found calls")
	win.opensFirst()
	win.see("1 of "+strconv.Itoa(heard), "[data-testid=found-around]")
	win.until("it can be heard", `!!document.querySelector('[data-testid=player]')`)
	if heard > 1 {
		win.leaveFields()
		win.keys("]")
		win.see("2 of "+strconv.Itoa(heard), "[data-testid=found-around]")
	}
	win.click("link", "Back to the calls found")
	assert.Equal(t, heard, win.found())
}

func TestCallsAreNarrowedByWhatWasNotSaid(t *testing.T) {
	t.Parallel()
	w := startSpeaking(t)
	w.recorded(t, 30)
	ada := w.signedIn(t, "Ada")
	ada.visit("/settings?tab=topics")
	ada.click("button", "Add a topic")
	ada.fill("Name", "Pump")
	ada.fill("Words", "pump*")
	ada.click("button", "Try")
	ada.see("newest transcripts", "[data-testid=trial]")
	ada.looks("topics")
	ada.accessible("topics")
	ada.click("button", "Save")
	ada.see("“Pump” is saved")
	ada.visit("/insight?tab=calls&q=" + `{"period":"365d"}`)
	all := ada.found()
	ada.click("button", "Only Transcript", "[data-testid=facet-has]")
	ada.until(
		"fewer calls",
		fmt.Sprintf(`parseInt(document.querySelector('[data-testid=found-count]').innerText) < %d`, all),
	)
	written := ada.found()
	ada.see("Pump", "[data-testid=facet-topic]")
	ada.click("button", "not Pump", "[data-testid=facet-topic]")
	ada.until("those without it",
		fmt.Sprintf(`parseInt(document.querySelector('[data-testid=found-count]').innerText) < %d`, written))
	without := ada.found()
	require.Positive(t, without)
	ada.looks("not-said")
	ada.click("button", "Remove: topic: not Pump", "[data-testid=conditions]")
	ada.until(
		"all of them",
		fmt.Sprintf(`parseInt(document.querySelector('[data-testid=found-count]').innerText) === %d`, written),
	)
	ada.click("button", "Only Pump", "[data-testid=facet-topic]")
	ada.until(
		"those with it",
		fmt.Sprintf(`parseInt(document.querySelector('[data-testid=found-count]').innerText) === %d`,
			written-without),
	)
	ada.fill("Words that were said", "pump")
	ada.keys(kb.Enter)
	ada.see("said: “pump”", "[data-testid=conditions]")
	ada.opensFirst()
	ada.see("Pump", "[data-testid=topic-letters]")
	ada.looks("call-with-topics")
	ada.accessible("a call with topics")
}

func TestACallIsScoredAndItsRepAnswers(t *testing.T) {
	t.Parallel()
	w := startSpeaking(t)
	w.recorded(t, 30)
	var call uuid.UUID
	require.NoError(
		t,
		w.Store.Pool.QueryRow(t.Context(), `SELECT r.call_id FROM recordings r JOIN slips s ON s.call_id = r.call_id
		JOIN users u ON u.id = s.user_id WHERE u.login = 'ines' AND r.kind = 'call' ORDER BY r.began_at DESC LIMIT 1`).Scan(&call),
	)
	ada := w.signedIn(t, "Ada")
	ada.visit("/settings?tab=scorecards")
	ada.click("button", "Add a scorecard")
	ada.fill("Name", "Enquiries")
	ada.fill("Question", "Said who is speaking")
	ada.click("button", "Add a question")
	ada.click("field", "Question", "[data-testid=questions] li:nth-child(2) ")
	ada.keys("No card number was written down")
	ada.click("checkbox", "Must-have", "[data-testid=questions] li:nth-child(2) ")
	ada.looks("scorecards")
	ada.accessible("scorecards")
	ada.click("button", "Save")
	ada.see("“Enquiries” is saved")

	odile := w.signedIn(t, "Odile")
	odile.visit("/calls/" + call.String())
	odile.click("button", "Score this call")
	odile.click("button", "4 of 5", "[data-testid=score-form] fieldset:nth-of-type(1) ")
	odile.click("button", "5 of 5", "[data-testid=score-form] fieldset:nth-of-type(2) ")
	odile.fill("What was good, what to try next", "A warm hello. Ask what for, next time.")
	odile.looks("score")
	odile.accessible("a scorecard")
	odile.click("button", "Save the score")
	odile.see("90 %", "[data-testid=score]")

	ines := w.signedIn(t, "Ines")
	ines.visit("/insight?tab=scores")
	ines.see("Not accepted yet")
	ines.see("A warm hello. Ask what for, next time.")
	ines.fill("Your answer", "I will.")
	ines.click("button", "Accept")
	ines.see("Answer: I will.")
	ines.gone("Not accepted yet")
	odile.visit("/calls/" + call.String())
	odile.see("Answer: I will.", "[data-testid=scores]")
}

func TestTheWallFollowsTheTeam(t *testing.T) {
	t.Parallel()
	w := startSpeaking(t)
	odile, ines := w.signedIn(t, "Odile"), w.signedIn(t, "Ines")
	odile.click("link", "Team")
	odile.see("Today", "[data-testid=wall]")
	odile.see("Nobody needs you now.")
	w.calling(ines)
	odile.see("Berit Osterlund", "[data-testid=wall]")
	odile.click("button", "Limits")
	odile.fill("Customer on hold, seconds", "1")
	odile.click("button", "Save", "[role=dialog] ")
	odile.gone("When something calls", "[role=dialog]")
	ines.leaveFields()
	ines.command("h")
	ines.see("on hold", slipPart)
	odile.see("customer on hold for more than a second", "[data-testid=wall]")
	odile.looks("wall")
	odile.accessible("the wall")
	odile.click("button", "Large screen")
	odile.looks("wall-large")
	odile.click("button", "Close the large screen")
	odile.click("button", "Set availability of Ines Calloway")
	odile.click("item", "Away")
	ines.see("Odile Fairweather has set your availability to Away")
}

func TestAReportIsSavedAndMailed(t *testing.T) {
	t.Parallel()
	w := startSpeaking(t)
	odile := w.signedIn(t, "Odile")
	odile.visit("/insight?report=ready-queues")
	odile.see("Service level", "[data-testid=numbers]")
	odile.click("button", "Save as")
	odile.fill("Name", "Monday's queues")
	odile.choose("Mail it", "every day")
	odile.fill("To these addresses, one on each line", "odile@lindenfall.example")
	odile.click("checkbox", "Show it on Today")
	odile.click("button", "Save", "[role=dialog] ")
	odile.see("“Monday's queues” is saved")
	_, err := w.Store.Pool.Exec(t.Context(), `UPDATE reports SET mailed_at = now() - interval '3 days'`)
	require.NoError(t, err)
	odile.visit("/outside")
	odile.see("Monday's queues")
	odile.visit("/")
	odile.see("Monday's queues", "main")
	odile.click("link", "Monday's queues")
	odile.see("Average wait", "[data-testid=numbers]")
}
