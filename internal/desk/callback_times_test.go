package desk_test

import (
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/core/call"
)

// withTimes is a front door at which a callback can be had at a time of one's own choosing.
func withTimes(queue uuid.UUID) []contract.RouteStep {
	steps := frontDoor(queue)
	(*steps[1].Options)[0].Steps[0].Times = new(true)
	return steps
}

// What they hear.
const (
	offersTimes = "“To be called back when it is your turn, press 1. To choose a time, press 2.”"
	asksTime    = "“Type the time as four digits, such as 1 4 3 0 for half past two in the afternoon.”"
	asksAgain   = "“We cannot call you at that time. Please type another one, as four digits.”"
)

// waitsWhileBusy lets ines be in a call, and somebody wait in her queue who then presses 1.
func (w *world) waitsWhileBusy(from string) (busy contract.Call, ref string) {
	w.t.Helper()
	w.sits(w.ines)
	busy = w.calls()
	ref = w.comesIn(from)
	w.hears(ref, "music")
	require.True(w.t, w.sim.OutsidePresses(ref, "1"))
	return busy, ref
}

func TestACallbackAtATimeOfTheirOwnChoosing(t *testing.T) {
	w := newWorld(t)
	q := w.queue("Service", nil, w.ines)
	w.routed(withTimes(*q.ID)...)
	busy, ref := w.waitsWhileBusy("+14135550119;ext=12")
	w.hears(ref, offersTimes)
	require.True(t, w.sim.OutsidePresses(ref, "2"))
	w.hears(ref, asksTime)
	require.True(t, w.sim.OutsidePresses(ref, "130#")) // half past one: after noon comes first
	w.passes("the call ends", func() bool { return len(w.sim.OutsideLegs()) == 1 })
	due := time.Date(2026, 3, 2, 18, 30, 0, 0, time.UTC)
	waits := w.waiting(w.ines)
	require.Len(t, waits, 1)
	assert.True(t, *waits[0].Callback)
	assert.WithinDuration(t, due, *waits[0].Due, 0)
	assert.False(t, *waits[0].Turn)

	// They call again and say another time: there is one callback for a number, and the later word counts.
	ref = w.comesIn("+14135550119;ext=12")
	w.hears(ref, "music")
	require.True(t, w.sim.OutsidePresses(ref, "121130"))
	w.passes("it is noted", func() bool {
		waits = w.waiting(w.ines)
		return len(waits) == 1 && waits[0].Due != nil && waits[0].Due.Hour() == 16
	})
	assert.WithinDuration(t, time.Date(2026, 3, 2, 16, 30, 0, 0, time.UTC), *waits[0].Due, 0)

	// Its turn comes at that time, not when somebody is free.
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, busy.ID))
	w.filesAs(w.ines, busy.Slip.ID)
	w.clock.Advance(waits[0].Due.Sub(w.clock.Now()) - 20*time.Second)
	assert.False(t, *w.waiting(w.ines)[0].Turn)
	w.passes("it is her turn", func() bool { return *w.waiting(w.ines)[0].Turn })
	assert.False(t, w.clock.Now().Before(*waits[0].Due))
	c, err := w.Queues.TakeWait(t.Context(), w.ines, key(), *waits[0].WaitID)
	require.NoError(t, err)
	assert.Equal(t, "Berit Osterlund", c.Links[0].Record.Name)
}

func TestATimeAtWhichNobodyCallsIsAskedForAgain(t *testing.T) {
	w := newWorld(t)
	q := w.queue("Service", func(q *contract.QueueSettings) { q.Hours = "Mon-Fri 09:00-17:00" }, w.ines)
	w.routed(withTimes(*q.ID)...)
	_, ref := w.waitsWhileBusy("+14135550119;ext=12")
	w.hears(ref, offersTimes)
	require.True(t, w.sim.OutsidePresses(ref, "2"))
	w.hears(ref, asksTime)
	require.True(t, w.sim.OutsidePresses(ref, "2200"))
	w.hears(ref, asksAgain)
	require.True(t, w.sim.OutsidePresses(ref, "9"))
	w.passes("tomorrow at nine", func() bool {
		x := w.waiting(w.ines)
		return len(x) == 1 && x[0].Due != nil && x[0].Due.Equal(time.Date(2026, 3, 3, 14, 0, 0, 0, time.UTC))
	})
}

func TestARepGivesACallToARoute(t *testing.T) {
	w := newWorld(t)
	w.routed(contract.RouteStep{ID: "hello", Do: contract.RouteStepDoSay, Texts: inEnglish("A moment")},
		contract.RouteStep{ID: "end", Do: contract.RouteStepDoEnd})
	w.sits(w.ines)
	w.behaviour.RingsOn = false
	out := w.calls()
	w.passes("they talk", func() bool { return w.phase(out.ID) == contract.PhaseSpeaking })
	whom, err := w.Calls.Parties.Whom(t.Context(), w.ines, out.ID, "")
	require.NoError(t, err)
	require.Len(t, whom.Routes, 1)
	assert.Equal(t, "Front door", whom.Routes[0].Name)
	_, err = w.Calls.Parties.Ask(t.Context(), w.ines, out.ID,
		contract.Ask{As: contract.AskAsHanded, RouteID: new(uuid.New())})
	require.Error(t, err)
	_, err = w.Calls.Parties.Ask(t.Context(), w.ines, out.ID,
		contract.Ask{As: contract.AskAsHanded, RouteID: &whom.Routes[0].ID})
	require.NoError(t, err)
	w.passes("the route ends the call", func() bool {
		s, there := w.Calls.State(out.ID)
		return !there || s.Phase() == call.PhaseEnded
	})
}

// withVoicemail is a front door with 2 for voicemail while waiting.
func withVoicemail(queue uuid.UUID) []contract.RouteStep {
	steps := frontDoor(queue)
	*steps[1].Options = append(*steps[1].Options, contract.RouteOption{Key: "2",
		Steps: []contract.RouteStep{{ID: "record", Do: contract.RouteStepDoVoicemail}}})
	return steps
}

func TestAVoicemailKeepsThePlaceInTheQueue(t *testing.T) {
	w := newWorld(t)
	q := w.queue("Service", func(q *contract.QueueSettings) { q.Voicemails, q.Retries = new(true), 0 }, w.ines)
	w.routed(withVoicemail(*q.ID)...)
	w.sits(w.ines)
	busy := w.calls()
	ref := w.comesIn("+14135550188")
	w.hears(ref, "music")
	wait := w.waiting(w.ines)[0]
	w.clock.Advance(time.Minute)
	require.True(t, w.sim.OutsidePresses(ref, "2"))
	w.hears(ref, "a tone; now a message is left")
	w.clock.Advance(20 * time.Second)
	require.True(t, w.sim.OutsideHangsUp(ref))
	w.until("they wait to be called back", func() bool { return len(w.waiting(w.ines)) == 1 })
	back := w.waiting(w.ines)[0]
	assert.True(t, *back.Callback)
	assert.WithinDuration(t, wait.Since, back.Since, 0, "in the place that they had")
	w.until("it is known how long the message is", func() bool {
		b := w.waiting(w.ines)[0]
		return b.LeftSeconds != nil && *b.LeftSeconds >= 15
	})
	w.until("it is owed to nobody besides", func() bool { return len(w.missed(w.ines)) == 0 })

	// It is her turn, and nobody answers: now it is owed.
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, busy.ID))
	w.filesAs(w.ines, busy.Slip.ID)
	w.passes("it is her turn", func() bool { return *w.waiting(w.ines)[0].Turn })
	w.behaviour.RingsOn = true
	c, err := w.Queues.TakeWait(t.Context(), w.ines, key(), *back.WaitID)
	require.NoError(t, err)
	w.passes("it rings", func() bool { return w.phase(c.ID) == contract.PhaseRinging })
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	w.until("it is owed", func() bool { return len(w.missed(w.ines)) == 1 && len(w.waiting(w.ines)) == 0 })
}

func TestWhoHangsUpWithoutAMessageHasCalledInVain(t *testing.T) {
	w := newWorld(t)
	q := w.queue("Service", func(q *contract.QueueSettings) { q.Voicemails = new(true) }, w.ines)
	w.routed(withVoicemail(*q.ID)...)
	w.sits(w.ines)
	w.calls()
	ref := w.comesIn("+14135550188")
	w.hears(ref, "music")
	require.True(t, w.sim.OutsidePresses(ref, "2"))
	require.True(t, w.sim.OutsideHangsUp(ref))
	w.until("it is owed", func() bool { return len(w.missed(w.ines)) == 1 })
	assert.Empty(t, w.waiting(w.ines))
}

func TestAConversationSettlesACallback(t *testing.T) {
	w := newWorld(t)
	q := w.queue("Service", nil, w.ines)
	w.routed(frontDoor(*q.ID)...)
	busy, _ := w.waitsWhileBusy("+14135550188")
	w.passes("they are to be called back", func() bool { x := w.waiting(w.ines); return len(x) == 1 && x[0].Callback != nil })
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, busy.ID))
	w.filesAs(w.ines, busy.Slip.ID)
	w.behaviour.RingsOn = false
	// A colleague calls them from somewhere else, and talks with them.
	c, err := w.Calls.PlaceCall(t.Context(), w.tomas, key(), contract.NewCall{Typed: new("+14135550188")})
	require.NoError(t, err)
	w.passes("they talk", func() bool { return w.phase(c.ID) == contract.PhaseSpeaking })
	w.clock.Advance(time.Minute)
	require.NoError(t, w.Calls.HangUp(t.Context(), w.tomas, c.ID))
	w.until("nobody has to call them back", func() bool { return len(w.waiting(w.ines)) == 0 })
	var how string
	var by uuid.UUID
	require.NoError(t, w.store.Pool.QueryRow(t.Context(),
		`SELECT how, answered_by FROM queue_waits WHERE kind = 'callback'`).Scan(&how, &by))
	assert.Equal(t, "called", how)
	assert.Equal(t, w.tomas.ID, by)
}
