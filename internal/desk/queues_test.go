package desk_test

import (
	"slices"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/carrier"
	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/desk/firm"
)

// queue makes a queue of some members.
func (w *world) queue(name string, change func(*contract.QueueSettings), members ...firm.Actor) contract.QueueSettings {
	w.t.Helper()
	q := contract.QueueSettings{
		Name:          name,
		Active:        true,
		Members:       []uuid.UUID{},
		Needs:         []contract.SkillNeed{},
		Rings:         1,
		RingSeconds:   15,
		Misses:        3,
		PreferSeconds: 20,
		RelaxSeconds:  60,
		TargetSeconds: 20,
		Zone:          "America/New_York",
		SayPosition:   true,
		Comfort:       []contract.SpokenTexts{},
		EverySeconds:  30,
		Retries:       1,
		RetryMinutes:  10,
	}
	for _, m := range members {
		q.Members = append(q.Members, m.ID)
	}
	if change != nil {
		change(&q)
	}
	q, err := w.Queues.PutQueue(w.t.Context(), w.admin(), nil, q)
	require.NoError(w.t, err)
	return q
}

func inEnglish(text string) *contract.SpokenTexts { return &contract.SpokenTexts{"en": text} }

// frontDoor is a greeting, a queue in which 1 is a callback, and voicemail.
func frontDoor(queue uuid.UUID) []contract.RouteStep {
	return []contract.RouteStep{
		{ID: "hello", Do: contract.RouteStepDoSay, Texts: inEnglish("Welcome")},
		{ID: "queue", Do: contract.RouteStepDoQueue, Queue: new(queue.String()), Options: &[]contract.RouteOption{
			{Key: "1", Steps: []contract.RouteStep{{ID: "back", Do: contract.RouteStepDoCallback}}}}},
		{ID: "message", Do: contract.RouteStepDoVoicemail},
	}
}

// waiting is what a sees waiting.
func (w *world) waiting(a firm.Actor) []contract.WaitingCall {
	w.t.Helper()
	list, err := w.Waiting(w.t.Context(), a)
	require.NoError(w.t, err)
	return list
}

func (w *world) queueNow(a firm.Actor) contract.QueueNow {
	w.t.Helper()
	list, err := w.Queues.Now(w.t.Context(), a)
	require.NoError(w.t, err)
	require.NotEmpty(w.t, list)
	return list[0]
}

func (w *world) queueNamed(a firm.Actor, name string) contract.QueueNow {
	w.t.Helper()
	list, err := w.Queues.Now(w.t.Context(), a)
	require.NoError(w.t, err)
	at := slices.IndexFunc(list, func(q contract.QueueNow) bool { return q.Name == name })
	require.GreaterOrEqual(w.t, at, 0, name)
	return list[at]
}

// hears waits until the outside hears something.
func (w *world) hears(ref, text string) {
	w.t.Helper()
	heard := ""
	w.passes("they hear "+text, func() bool {
		heard = w.Lines.WhatIsHeard(w.t.Context(), carrier.Ref(ref))
		return heard == text
	})
}

func TestACallerWaitsInAQueueUntilAMemberIsFree(t *testing.T) {
	w := newWorld(t)
	q := w.queue("Service", nil, w.ines)
	w.routed(frontDoor(*q.ID)...)
	w.sits(w.ines)
	first := w.calls() // ines is in a call
	ref := w.comesIn("+14135550119;ext=12")
	w.hears(ref, "“Welcome”")
	w.hears(ref, "“You are next.”")
	w.hears(ref, "music")
	waits := w.waiting(w.ines)
	require.Len(t, waits, 1)
	assert.Equal(
		t,
		[]string{"Berit Osterlund", "Service", "Main"},
		[]string{waits[0].Name, *waits[0].Queue, waits[0].Line},
	)
	assert.Empty(t, w.waiting(w.tomas), "not a member")
	now := w.queueNow(w.ines)
	assert.Equal(t, []int{1, 1, 0}, []int{now.Waiting, now.There, now.Free})
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, first.ID))
	w.filesAs(w.ines, first.Slip.ID)
	var ring contract.Ring
	w.passes("it rings for ines", func() bool {
		rings, err := w.Arrivals.Rings(t.Context(), w.ines)
		require.NoError(t, err)
		if len(rings) == 1 {
			ring = rings[0]
		}
		return len(rings) == 1
	})
	assert.Empty(t, w.waiting(w.ines), "what rings for oneself stands at the ring")
	_, err := w.Arrivals.AnswerCall(t.Context(), w.ines, ring.CallID)
	require.NoError(t, err)
	assert.Equal(t, contract.PhaseSpeaking, w.phase(ring.CallID))
	w.until("it is written down", func() bool { return w.queueNow(w.ines).Answered == 1 })
	assert.Zero(t, w.queueNow(w.ines).Waiting)
	assert.Equal(t, 1, w.queueNow(w.ines).Offered)
	require.True(t, w.sim.OutsideHangsUp(ref))
	w.ended(ring.CallID)
	assert.Empty(t, w.missed(w.ines))
}

func TestWhoGivesUpInAQueueIsOwedByItsMembers(t *testing.T) {
	w := newWorld(t)
	q := w.queue("Service", nil, w.tomas)
	w.routed(frontDoor(*q.ID)...)
	w.sits(w.tomas)
	first, err := w.Calls.PlaceCall(t.Context(), w.tomas, key(), contract.NewCall{NumberID: &w.mobile})
	require.NoError(t, err)
	ref := w.comesIn("+14135550119;ext=12")
	w.hears(ref, "music")
	id := w.waiting(w.tomas)[0].CallID
	require.True(t, w.sim.OutsideHangsUp(ref))
	w.until("it is over", func() bool { return len(w.waiting(w.tomas)) == 0 })
	w.until("it is owed", func() bool { return len(w.missed(w.tomas)) == 1 })
	assert.Empty(t, w.missed(w.ines), "no member of the queue")
	assert.Equal(t, "abandoned", w.page(id).Call.State.EndReason)
	w.until("it is counted", func() bool { n := w.queueNow(w.tomas); return n.Abandoned+n.Short == 1 })
	require.NoError(t, w.Calls.HangUp(t.Context(), w.tomas, first.ID))
}

func TestACallbackKeepsItsPlace(t *testing.T) {
	w := newWorld(t)
	q := w.queue("Service", nil, w.ines)
	w.routed(frontDoor(*q.ID)...)
	w.sits(w.ines)
	busy := w.calls()
	ref := w.comesIn("+14135550119;ext=12")
	w.hears(ref, "music")
	since := w.waiting(w.ines)[0].Since
	later := w.comesIn("+14135550188")
	w.hears(later, "music")
	require.True(t, w.sim.OutsidePresses(ref, "1"))
	w.hears(ref, "“Thank you. We will call you back, and you keep your place. Goodbye.”")
	w.passes("the call ends", func() bool { return len(w.sim.OutsideLegs()) == 2 })
	waits := w.waiting(w.ines)
	require.Len(t, waits, 2)
	assert.True(t, *waits[0].Callback)
	assert.WithinDuration(t, since, waits[0].Since, 0, "in the place that they had")
	assert.False(t, *waits[0].Turn)
	assert.Empty(t, w.missed(w.ines), "who will be called back is not missed besides")
	_, err := w.Queues.TakeWait(t.Context(), w.ines, key(), *waits[0].WaitID)
	require.ErrorIs(t, err, firm.ErrForbidden, "not her turn, and she does not lead")

	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, busy.ID))
	w.filesAs(w.ines, busy.Slip.ID)
	w.passes("it is her turn", func() bool { x := w.waiting(w.ines); return len(x) == 2 && *x[0].Turn })
	c, err := w.Queues.TakeWait(t.Context(), w.ines, key(), *waits[0].WaitID)
	require.NoError(t, err)
	assert.Equal(t, "Berit Osterlund", c.Links[0].Record.Name)
	assert.Len(t, w.waiting(w.ines), 1, "somebody is calling them")
	w.behaviour.RingsOn = false
	w.passes("they answer, or it is tried again later", func() bool {
		s, there := w.Calls.State(c.ID)
		if there && s.Phase() == call.PhaseRinging {
			require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
		}
		return !there
	})
	w.until("it waits for its next try", func() bool {
		x := w.waiting(w.ines)
		return len(x) == 2 && x[1].Due != nil || len(x) == 2 && x[0].Due != nil
	})
}

func TestTheOwnerComesFirstAndThenOthers(t *testing.T) {
	w := newWorld(t)
	q := w.queue("Service", nil, w.ines, w.tomas)
	_, err := w.store.Pool.Exec(t.Context(), `UPDATE records SET owner_id = $1 WHERE id = $2`, w.tomas.ID, w.berit)
	require.NoError(t, err)
	w.routed(frontDoor(*q.ID)...)
	w.sits(w.ines)
	w.sits(w.tomas)
	ref := w.comesIn(mobileNumber)
	w.hears(ref, "music")
	ring := w.rung(w.tomas)
	assert.Empty(t, w.Arrivals.RingingFor(w.ines.ID))
	require.NoError(t, w.Arrivals.DeclineCall(t.Context(), w.tomas, ring.CallID, ""))
	assert.Equal(t, ring.CallID, w.rung(w.ines).CallID, "who has been asked is not asked again at once")
	require.True(t, w.sim.OutsideHangsUp(ref))
	w.ended(ring.CallID)
}

func TestWhoDoesNotAnswerIsSetAwayWithAWord(t *testing.T) {
	w := newWorld(t)
	q := w.queue("Service", func(q *contract.QueueSettings) { q.Misses, q.RingSeconds = 2, 5 }, w.ines)
	w.routed(frontDoor(*q.ID)...)
	sub := w.Hub.Subscribe(w.ines.ID, "", 0)
	defer sub.Close()
	ref := w.comesIn(mobileNumber)
	w.hears(ref, "music")
	w.passes("she is away", func() bool {
		me, err := w.Me(t.Context(), w.ines)
		require.NoError(t, err)
		return me.Availability.Label == "Away"
	})
	var word string
	for word == "" {
		e := <-sub.Events()
		if e.Kind == contract.LiveEventKindWord {
			word = *e.Word
		}
	}
	assert.Equal(t, "You missed two calls, so no more will ring. Your state is Away now.", word)
	require.True(t, w.sim.OutsideHangsUp(ref))
}

func TestAQueueThatIsFullClosedOrEmptyLetsTheRouteGoOn(t *testing.T) {
	for name, change := range map[string]func(*world, *contract.QueueSettings){
		"nobody is there":     func(*world, *contract.QueueSettings) {},
		"closed by its hours": func(w *world, q *contract.QueueSettings) { q.Hours = "Sun 09:00-10:00"; w.sits(w.ines) },
		"full": func(w *world, q *contract.QueueSettings) {
			q.MaxLength = 1
			w.sits(w.ines)
			w.calls()
			w.comesIn("+14135550188")
		},
	} {
		t.Run(name, func(t *testing.T) {
			w := newWorld(t)
			q := w.queue("Service", nil, w.ines)
			w.routed(frontDoor(*q.ID)...)
			change(w, &q)
			_, err := w.Queues.PutQueue(t.Context(), w.admin(), q.ID, q)
			require.NoError(t, err)
			if name == "full" {
				w.passes("one waits", func() bool { return len(w.waiting(w.ines)) == 1 })
			}
			ref := w.comesIn(mobileNumber)
			w.hears(ref, "a tone; now a message is left")
			w.until("it is counted", func() bool {
				var overflow int
				require.NoError(
					t,
					w.store.Pool.QueryRow(t.Context(), `SELECT count(*) FROM queue_waits WHERE how = 'overflow'`).
						Scan(&overflow),
				)
				return overflow == 1
			})
		})
	}
}

func TestAQueueForToday(t *testing.T) {
	w := newWorld(t)
	q := w.queue("Service", nil, w.ines)
	w.routed(frontDoor(*q.ID)...)
	w.sits(w.ines)
	w.calls()
	ref := w.comesIn("+14135550188")
	w.hears(ref, "music")
	_, err := w.Queues.SetToday(t.Context(), w.ines, *q.ID, contract.QueueToday{Today: "x"})
	require.ErrorIs(t, err, firm.ErrForbidden)
	now, err := w.Queues.SetToday(t.Context(), w.odile, *q.ID, contract.QueueToday{Today: "Storm: long waits."})
	require.NoError(t, err)
	assert.Equal(t, "Storm: long waits.", now[0].Today)
	w.hears(ref, "“Storm: long waits. You are next.”")
	now, err = w.Queues.SetToday(t.Context(), w.odile, *q.ID, contract.QueueToday{Closed: true})
	require.NoError(t, err)
	assert.False(t, now[0].Open)
	assert.Equal(t, 1, now[0].Waiting, "who waits goes on waiting")
	other := w.comesIn(mobileNumber)
	w.hears(other, "a tone; now a message is left")
}

func TestWhoLeadsSaysWhoAnswersAQueue(t *testing.T) {
	w := newWorld(t)
	q := w.queue("Service", nil, w.ines)
	w.routed(frontDoor(*q.ID)...)
	w.sits(w.tomas)
	w.sits(w.ines)
	busy := w.calls()
	ref := w.comesIn("+14135550188")
	w.hears(ref, "music")
	assert.Nil(t, w.queueNamed(w.ines, "Service").Members, "who leads sees who answers it")
	_, err := w.Queues.ChangeMembers(t.Context(), w.ines, *q.ID, contract.QueueMembersChange{In: []uuid.UUID{w.tomas.ID}})
	require.ErrorIs(t, err, firm.ErrForbidden)
	var wrong *firm.FieldError
	_, err = w.Queues.ChangeMembers(t.Context(), w.odile, *q.ID, contract.QueueMembersChange{In: []uuid.UUID{uuid.New()}})
	require.ErrorAs(t, err, &wrong)
	_, err = w.Queues.ChangeMembers(t.Context(), w.odile, uuid.New(), contract.QueueMembersChange{})
	require.ErrorIs(t, err, firm.ErrNotFound)
	all, err := w.Queues.ChangeMembers(t.Context(), w.odile, *q.ID, contract.QueueMembersChange{
		In: []uuid.UUID{w.tomas.ID, w.tomas.ID}, Out: []uuid.UUID{w.ines.ID}})
	require.NoError(t, err)
	assert.Equal(t, []uuid.UUID{w.tomas.ID}, *all[0].Members)
	assert.NotEmpty(t, w.rung(w.tomas).CallID, "who waits is given to him at once")
	_, err = w.Queues.PutQueue(t.Context(), w.admin(), q.ID, q)
	require.ErrorIs(t, err, firm.ErrChangedElse, "whoever has its settings open does not undo it")
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, busy.ID))
}

func TestWhoLeadsMovesAndTakesWhoWaits(t *testing.T) {
	w := newWorld(t)
	q := w.queue("Service", nil, w.ines)
	sales := w.queue("Sales", nil, w.tomas)
	w.routed(frontDoor(*q.ID)...)
	w.sits(w.ines)
	w.calls()
	ref := w.comesIn("+14135550188")
	w.hears(ref, "music")
	wait := w.waiting(w.odile)[0]
	require.ErrorIs(t, w.Queues.MoveWait(t.Context(), w.ines, *wait.WaitID, *sales.ID), firm.ErrForbidden)
	require.NoError(t, w.Queues.MoveWait(t.Context(), w.odile, *wait.WaitID, *sales.ID))
	w.sits(w.tomas)
	assert.Equal(t, wait.CallID, w.rung(w.tomas).CallID)
	require.NoError(t, w.Arrivals.DeclineCall(t.Context(), w.tomas, wait.CallID, ""))
	w.sits(w.odile)
	c, err := w.Queues.TakeWait(t.Context(), w.odile, key(), *wait.WaitID)
	require.NoError(t, err)
	assert.Equal(t, contract.PhaseSpeaking, c.State.Phase)
	require.True(t, w.sim.OutsideHangsUp(ref))

	ref = w.comesIn("+14135550188")
	w.hears(ref, "music")
	require.NoError(t, w.Queues.RemoveWait(t.Context(), w.odile, *w.waiting(w.odile)[0].WaitID))
	w.hears(ref, "a tone; now a message is left")
}

func TestARepGivesACallToAQueue(t *testing.T) {
	w := newWorld(t)
	q := w.queue("Service", nil, w.tomas)
	w.sits(w.ines)
	w.comesIn(mobileNumber)
	ring := w.rung(w.ines)
	c, err := w.Arrivals.AnswerCall(t.Context(), w.ines, ring.CallID)
	require.NoError(t, err)
	w.sits(w.tomas)
	_, err = w.Calls.Parties.Ask(t.Context(), w.ines, c.ID, contract.Ask{As: contract.AskAsHanded, QueueID: q.ID})
	require.NoError(t, err)
	assert.Equal(t, c.ID, w.rung(w.tomas).CallID)
	_, err = w.Arrivals.AnswerCall(t.Context(), w.tomas, c.ID)
	require.NoError(t, err)
	w.until("it is written down", func() bool { return w.queueNow(w.tomas).Answered == 1 })

	// Nobody is there: it comes back to who gave it.
	empty := w.queue("Night", nil, w.odile)
	_, err = w.Calls.Parties.Ask(
		t.Context(),
		w.tomas,
		c.ID,
		contract.Ask{As: contract.AskAsHanded, QueueID: empty.ID},
	)
	require.NoError(t, err)
	assert.Equal(t, c.ID, w.rung(w.tomas).CallID)
	_, err = w.Arrivals.AnswerCall(t.Context(), w.tomas, c.ID)
	require.NoError(t, err)
	_, err = w.Calls.Parties.Ask(
		t.Context(),
		w.tomas,
		c.ID,
		contract.Ask{As: contract.AskAsHanded, QueueID: new(uuid.New())},
	)
	require.Error(t, err)

	// He hands it to a colleague: the queue counts that it was given on.
	assert.Zero(t, w.queueNamed(w.tomas, "Service").Transferred)
	w.clock.Advance(time.Second)
	_, err = w.Calls.Parties.Ask(t.Context(), w.tomas, c.ID,
		contract.Ask{As: contract.AskAsHanded, ColleagueID: &w.ines.ID})
	require.NoError(t, err)
	assert.Equal(t, c.ID, w.rung(w.ines).CallID)
	w.until("it is counted", func() bool { return w.queueNamed(w.tomas, "Service").Transferred == 1 })
}

func TestWhoIsErasedWaitsNoMore(t *testing.T) {
	w := newWorld(t)
	q := w.queue("Service", nil, w.ines)
	w.routed(frontDoor(*q.ID)...)
	w.sits(w.ines)
	_, err := w.Calls.PlaceCall(t.Context(), w.ines, key(), contract.NewCall{Typed: new("+14135550199")})
	require.NoError(t, err)
	ref := w.comesIn("+14135550119;ext=12")
	w.hears(ref, "music")
	require.True(t, w.sim.OutsidePresses(ref, "1"))
	w.passes("she is to be called back", func() bool {
		x := w.waiting(w.ines)
		return len(x) == 1 && x[0].Callback != nil && len(w.sim.OutsideLegs()) == 1
	})
	e := w.erases(w.admin(), w.berit)
	require.Equal(t, contract.ErasureStateDone, e.State)
	w.passes("nobody waits", func() bool { return len(w.waiting(w.ines)) == 0 })
	var left int
	require.NoError(
		t,
		w.store.Pool.QueryRow(t.Context(), `SELECT count(*) FROM queue_waits WHERE e164 <> ''`).Scan(&left),
	)
	assert.Zero(t, left)
}
