package e2e_test

import (
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/carrier"
	"trundo/internal/contract"
	"trundo/internal/demo"
	"trundo/internal/desk/outreach"
)

// serviceE164 is the service hotline, which goes by a route.
const serviceE164 = "+14135550120"

// contractsE164 is the line of maintenance contracts, whose text messages wait in a queue.
const contractsE164 = "+14135550133"

func TestARouteIsWrittenTriedPutLiveAndRolledBack(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	ada := w.signedIn(t, "Ada")
	ada.visit("/settings?tab=routes")
	ada.see("Service hotline", "main")
	ada.looks("routes")
	ada.accessible("routes")
	ada.click("button", "Service hotline")
	ada.see("Ask for a key", "[role=list]")
	ada.looks("route")
	ada.accessible("a route")

	// Play somebody who presses 1 and asks to be called back.
	ada.click("button", "Try it")
	ada.fill("Who calls", "+1 413 555 0188")
	ada.click("button", "Start the call")
	ada.see("Service at Lindenfall Cisterns", "[data-testid=tried]")
	ada.click("button", "They listen to the end")
	ada.see("For a pump or a leak press 1", "[data-testid=tried]")
	ada.click("button", "They press 1")
	ada.see("They wait in “Service”", "[data-testid=tried]")
	ada.looks("route-try")
	ada.accessible("trying a route")
	ada.click("button", "They press 1")
	ada.see("They will be called back", "[data-testid=tried]")
	ada.fill("Who calls, and what must come of it", "A stranger is called back")
	ada.click("button", "Keep as a test")
	ada.see("Kept.", "main")

	// The greeting is changed; the sentence says so, and the draft is not live yet.
	ada.click("button", "Say “Service at Lindenfall", "[role=list]")
	ada.fill("What is said in English", "Hello from the hotline")
	ada.see("Say “Hello from the hotline”", "[role=list]")
	ada.see("Draft saved", "main")
	ada.click("button", "Put live")
	ada.see("version 2 is live", "main")
	ref, err := w.sim.CallIn("+14135550188", serviceE164)
	require.NoError(t, err)
	w.heard(t, ref, "“Hello from the hotline”")

	// A step without a queue is a fault, and keeps the draft from going live.
	ada.click("button", "Add a step after this: Take a voicemail.")
	ada.click("item", "Ring people")
	ada.see("This is never reached", "[role=list]")
	ada.see("2 problems", "main")
	assert.True(
		t,
		eval[bool](ada, `[...document.querySelectorAll('button')].find(b => b.innerText === 'Put live').disabled`),
	)
	ada.looks("route-faults")

	ada.choose(
		"Earlier versions",
		eval[string](ada, `[...document.querySelectorAll('option')].find((o) => o.text.startsWith('Version 1,')).text`),
	)
	ada.click("button", "Go back to it")
	ada.see("version 1 is live", "main")
	ada.see("Say “Service at Lindenfall Cisterns", "[role=list]")
	ref, err = w.sim.CallIn("+14135550187", serviceE164)
	require.NoError(t, err)
	w.heard(t, ref, "“Service at Lindenfall Cisterns. Hello.”")
}

func TestCallersWaitInAQueueAndKeepTheirPlace(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	tomas, roderick := w.signedIn(t, "Tomas Reyl"), w.signedIn(t, "Roderick Vane")
	w.calling(tomas)
	ref, err := w.sim.CallIn("+14135550188", serviceE164)
	require.NoError(t, err)
	w.heard(t, ref, "“For a pump or a leak press 1")
	require.True(t, w.sim.OutsidePresses(ref, "1"))
	w.heard(t, ref, "“You are next.")
	tomas.see("413 555 0188", "[data-testid=queue-waits]")
	second, err := w.sim.CallIn("+12125550187", serviceE164)
	require.NoError(t, err)
	w.heard(t, second, "“For a pump or a leak press 1")
	require.True(t, w.sim.OutsidePresses(second, "1"))
	w.heard(t, second, "“You are number 2 in the queue.")
	tomas.looks("queue-lane")
	tomas.accessible("waiting beneath the lane")

	roderick.visit("/team")
	roderick.click("radio", "People")
	roderick.see("2 waiting", "[data-testid=queues]")
	roderick.looks("queues-now")
	roderick.accessible("queues now")
	roderick.click("button", "Say something today: Service")
	roderick.see("It ends with the day", "[role=dialog]")
	roderick.keys("Storm: long waits.")
	roderick.click("button", "Say it", "[role=dialog]")
	roderick.see("says today: “Storm: long waits.”", "[data-testid=queues]")
	w.heard(t, ref, "“Storm: long waits. You are next.")
	roderick.click("button", "Members: Service")
	roderick.see("Who answers “Service”", "[role=dialog]")
	roderick.click("checkbox", "Maren Thackeray", "[role=dialog]")
	roderick.looks("queue-members")
	roderick.accessible("members of a queue")
	roderick.click("button", "Save", "[role=dialog]")
	roderick.see("Members of “Service” saved")

	// The first asks to be called back: the place is kept, and it is Tomas's turn once he is free.
	require.True(t, w.sim.OutsidePresses(ref, "1"))
	w.heard(t, ref, "“Thank you. We will call you back")
	tomas.see("wants a call back", "[data-testid=queue-waits]")
	tomas.command("e")
	tomas.see("we hung up", slipPart)
	tomas.command("1")
	tomas.command("f")
	tomas.see("Your turn to call back", "[data-testid=queue-waits]")
	tomas.looks("queue-turn")
	tomas.click("button", "Call ", "[data-testid=queue-waits]")
	tomas.see("413 555 0188", slipPart)
	tomas.until("only one waits", `document.querySelectorAll('[data-testid=queue-waits] li').length === 1`)
}

func TestAQueueIsSetUp(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	ada := w.signedIn(t, "Ada")
	ada.visit("/settings?tab=queues")
	ada.see("Contracts", "main")
	ada.looks("queue-settings")
	ada.accessible("queue settings")
	ada.click("button", "New queue")
	ada.fill("Name", "Winter")
	ada.choose("Add a member", "Tomas Reyl")
	ada.click("button", "Save")
	ada.see("Winter", "main ul")
	ada.visit("/settings?tab=lines")
	ada.see("What happens to callers", "main")
	ada.looks("line-route")
	ada.accessible("a line with a route")
}

func TestACustomerIsAskedAboutTheCallAndTheScoreIsSeenAtOnce(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	tomas := w.signedIn(t, "Tomas Reyl")
	ref, err := w.sim.CallIn(demo.AnswersSoon, serviceE164)
	require.NoError(t, err)
	w.heard(t, ref, "“For a pump or a leak press 1")
	require.True(t, w.sim.OutsidePresses(ref, "1"))
	tomas.see(berit, "[data-testid=ring]")
	tomas.keys("y")
	tomas.see("speaking", slipPart)
	tomas.click("button", "Berit Osterlund the same number", slipPart)
	tomas.person(berit)
	tomas.command("e")
	tomas.see("we hung up", slipPart)
	w.heard(t, ref, "“How likely are you to recommend us?")
	require.True(t, w.sim.OutsidePresses(ref, "3"))
	tomas.see("would not recommend us (3 of 10)", "[data-testid=satisfaction]")
	tomas.see("File", slipPart)
	tomas.looks("survey-record")
	w.heard(t, ref, "“Is your question solved?")
	require.True(t, w.sim.OutsidePresses(ref, "2"))
	w.heard(t, ref, "a tone; now a remark can be spoken")
	tomas.command("1")
	tomas.command("f")
	tomas.see("Filed: ")
	begun := time.Now()
	require.Eventually(
		t,
		func() bool { return time.Since(begun) > 1100*time.Millisecond },
		patience,
		pace,
		"they speak",
	)
	require.True(t, w.sim.OutsidePresses(ref, "#"))
	w.heard(t, ref, "“Thank you. Goodbye.”")
	var call uuid.UUID // it is written beside the talking
	require.Eventually(t, func() bool {
		return w.Store.Pool.QueryRow(t.Context(), `SELECT call_id FROM survey_answers WHERE kind = 'remark'`).
			Scan(&call) == nil
	}, patience, pace, "the remark is kept")
	tomas.visit("/calls/" + call.String())
	tomas.see("3 of 10, would not", "[data-testid=survey]")
	tomas.see("a spoken remark of", "[data-testid=survey]")
	tomas.looks("survey-call")
	tomas.accessible("a call with a survey")

	ada := w.signedIn(t, "Ada")
	ada.visit("/settings?tab=survey")
	ada.see("ask customers after conversations", "main")
	ada.looks("survey-settings")
	ada.accessible("the survey")
}

func TestWhatSomebodyWroteWaitsForTheEndOfTheCall(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	tomas := w.signedIn(t, "Tomas Reyl")
	w.calling(tomas)
	require.NoError(t, w.Desk.Outreach.Receive(t.Context(), outreach.Received{Channel: contract.ChannelText,
		From: "+12125550187", To: contractsE164, Body: "When do you come for the yearly check?"}))
	tomas.see("wrote: When do you come", "[data-testid=queue-waits]")
	tomas.looks("written-waits")
	tomas.accessible("a message that waits")
	tomas.command("e")
	tomas.see("we hung up", slipPart)
	tomas.command("1")
	tomas.command("f")
	tomas.see("Filed: ")
	tomas.see("When do you come for the yearly check?", "[data-testid=lane]")
	tomas.until("it waits for nobody else", `!document.querySelector('[data-testid=queue-waits]')`)

	// It is a matter of sales: he hands it on, and it leaves his lane.
	tomas.click("button", "Hand on what 212 555 0187 wrote", "[data-testid=lane]")
	tomas.see("To which queue")
	tomas.looks("hand-on")
	tomas.click("item", "Sales")
	tomas.see("It waits in “Sales”")
	tomas.gone("When do you come for the yearly check?", "[data-testid=lane]")
}

// heard waits until somebody outside hears something that begins so.
func (w *world) heard(t *testing.T, ref, begins string) {
	t.Helper()
	heard := ""
	require.Eventually(t, func() bool {
		heard = w.Desk.Lines.WhatIsHeard(t.Context(), carrier.Ref(ref))
		return strings.HasPrefix(heard, begins)
	}, 2*patience, pace, "they hear %s", begins)
}
