package desk_test

import (
	"errors"
	"sync"
	"testing"
	"time"

	"trundo/internal/desk/calls"
	"trundo/internal/desk/firm"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/core/call"
)

// The states that every firm begins with.
var (
	availableState = uuid.MustParse("00000000-0000-7000-8000-000000000001")
	awayState      = uuid.MustParse("00000000-0000-7000-8000-000000000002")
)

// sits gives a rep a window.
func (w *world) sits(a firm.Actor) {
	w.t.Helper()
	w.t.Cleanup(w.Hub.Subscribe(a.ID, "", 0).Close)
}

// rung waits until exactly one call rings for a.
func (w *world) rung(a firm.Actor) contract.Ring {
	w.t.Helper()
	var rings []contract.Ring
	w.until("it rings", func() bool {
		var err error
		rings, err = w.Arrivals.Rings(w.t.Context(), a)
		require.NoError(w.t, err)
		return len(rings) == 1
	})
	return rings[0]
}

func (w *world) comesIn(from string) string {
	w.t.Helper()
	ref, err := w.sim.CallIn(from, mainNumber)
	require.NoError(w.t, err)
	return ref
}

// missed are what the lane of a says about missed calls.
func (w *world) missed(a firm.Actor) []contract.LaneEntry {
	w.t.Helper()
	lane, err := w.Lane(w.t.Context(), a)
	require.NoError(w.t, err)
	var entries []contract.LaneEntry
	for _, e := range lane.Owed {
		if e.Kind == contract.LaneEntryKindMissed {
			entries = append(entries, e)
		}
	}
	return entries
}

func TestACallThatComesInRingsEverybodyAndOneTakesIt(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	w.sits(w.tomas)
	w.comesIn(mobileNumber)
	ring := w.rung(w.ines)
	assert.Equal(t, "Berit Osterlund", ring.Candidates[0].Record.Name)
	assert.Equal(t, []string{"413 555 0142", "Main"}, []string{ring.Display, ring.Line})
	assert.Equal(t, ring.CallID, w.rung(w.tomas).CallID)
	var group sync.WaitGroup
	errs := make([]error, 2)
	for i, a := range []firm.Actor{w.ines, w.tomas} {
		group.Go(func() { _, errs[i] = w.Arrivals.AnswerCall(t.Context(), a, ring.CallID) })
	}
	group.Wait()
	winner := w.ines
	if errs[0] != nil {
		errs[0], errs[1], winner = errs[1], errs[0], w.tomas
	}
	require.NoError(t, errs[0])
	require.Error(t, errs[1], "only one of them has it")
	assert.True(t, errors.Is(errs[1], call.ErrTaken) || errors.Is(errs[1], call.ErrNoRing), "%v", errs[1])
	page, err := w.CallPage(t.Context(), winner, ring.CallID)
	require.NoError(t, err)
	assert.Equal(t, winner.ID, page.Call.Slip.RepID)
	assert.Equal(t, contract.PhaseSpeaking, page.Call.State.Phase)
	w.clock.Advance(time.Minute)
	require.NoError(t, w.Calls.HangUp(t.Context(), winner, ring.CallID))
	ended := w.ended(ring.CallID)
	assert.Equal(t, int64(60_000), ended.TalkMs)
	assert.Empty(t, w.missed(w.ines))
	var slips int
	require.NoError(t, w.store.Pool.QueryRow(t.Context(), `SELECT count(*) FROM slips WHERE call_id = $1`,
		ring.CallID).Scan(&slips))
	assert.Equal(t, 1, slips)
}

func TestMissedCallsOfANumberAreOneThingOwedUntilSomebodySpeaksWithThem(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	for range 2 {
		ref := w.comesIn(mobileNumber)
		ring := w.rung(w.ines)
		require.True(t, w.sim.OutsideHangsUp(ref))
		assert.Equal(t, "abandoned", w.ended(ring.CallID).State.EndReason)
	}
	owed := w.missed(w.tomas)
	require.Len(t, owed, 1)
	assert.Contains(t, owed[0].Reason, "on Main, 2 times")
	assert.Equal(t, "nobody called back", owed[0].Late)
	assert.Equal(t, "Berit Osterlund", owed[0].Record.Name)
	change := func(a firm.Actor, c contract.UnreturnedChange) error {
		return w.Calls.ChangeUnreturned(t.Context(), a, owed[0].ID, c)
	}
	require.NoError(t, change(w.ines, contract.UnreturnedChange{Action: contract.UnreturnedChangeActionTake}))
	require.ErrorIs(
		t,
		change(w.tomas, contract.UnreturnedChange{Action: contract.UnreturnedChangeActionTake}),
		calls.ErrTakenOn,
	)
	require.ErrorIs(
		t,
		change(w.tomas, contract.UnreturnedChange{Action: contract.UnreturnedChangeActionGiveBack}),
		calls.ErrTakenOn,
		"it is not his to give back",
	)
	var wrong *firm.FieldError
	require.ErrorAs(t, change(w.ines, contract.UnreturnedChange{Action: contract.UnreturnedChangeActionClose}), &wrong)
	assert.Equal(t, "reason", wrong.Field)

	first := w.calls()
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, first.ID))
	w.ended(first.ID)
	require.Len(t, w.missed(w.ines), 1, "a try without an answer settles nothing")
	second := w.calls()
	require.True(t, w.sim.TheyAnswer(mobileNumber))
	w.until("speaking", func() bool { return w.phase(second.ID) == contract.PhaseSpeaking })
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, second.ID))
	w.ended(second.ID)
	assert.Empty(t, w.missed(w.ines))
	require.ErrorIs(
		t,
		change(w.tomas, contract.UnreturnedChange{Action: contract.UnreturnedChangeActionTake}),
		calls.ErrSettled,
	)
}

func TestACallIsMissedAtOnceWhereNobodyCanBeRung(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	require.NoError(t, w.Team.SetAvailability(t.Context(), w.ines, awayState))
	w.line(func(l *contract.FirmLine) { l.Unanswered = contract.FirmLineUnansweredEnd })
	w.comesIn("+14135550199")
	w.until("owed", func() bool { return len(w.missed(w.ines)) == 1 })
	owed := w.missed(w.ines)[0]
	assert.Equal(t, "413 555 0199", owed.Text)
	assert.Nil(t, owed.Record)
	page, err := w.CallPage(t.Context(), w.ines, *owed.CallID)
	require.NoError(t, err)
	assert.Equal(t, contract.SlipStateNone, page.Call.Slip.State)
	assert.Equal(t, "missed", page.Call.State.EndReason)
	assert.NotEmpty(t, page.Call.MissedWhy)
}

func TestWhoDeclinesIsRungNoLongerAndTheCallGoesOn(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	w.sits(w.tomas)
	w.comesIn("")
	ring := w.rung(w.ines)
	assert.True(t, ring.Withheld)
	require.NoError(t, w.Arrivals.DeclineCall(t.Context(), w.ines, ring.CallID, ""))
	rings, err := w.Arrivals.Rings(t.Context(), w.ines)
	require.NoError(t, err)
	assert.Empty(t, rings)
	assert.Equal(t, ring.CallID, w.rung(w.tomas).CallID)
	_, err = w.Arrivals.AnswerCall(t.Context(), w.tomas, uuid.New())
	require.ErrorIs(t, err, firm.ErrNotFound)
	got, err := w.Arrivals.AnswerCall(t.Context(), w.tomas, ring.CallID)
	require.NoError(t, err)
	assert.True(t, got.Withheld)
	assert.Empty(t, got.Links)
	require.NoError(t, w.Arrivals.HoldCall(t.Context(), w.tomas, ring.CallID, true))
	page, err := w.CallPage(t.Context(), w.tomas, ring.CallID)
	require.NoError(t, err)
	assert.True(t, page.Call.State.OnHold)
	_, err = w.Calls.PlaceCall(t.Context(), w.tomas, key(), contract.NewCall{NumberID: &w.mobile})
	var in *firm.InCallError
	require.ErrorAs(t, err, &in)
}

func TestTheWordThatItRingsCarriesWhatRings(t *testing.T) {
	w := newWorld(t)
	window := w.Hub.Subscribe(w.ines.ID, "", 0)
	t.Cleanup(window.Close)
	told := func() []contract.Ring {
		for e := range window.Events() {
			if e.Kind == contract.LiveEventKindRing {
				require.NotNil(t, e.Rings, "a window need not ask back")
				return *e.Rings
			}
		}
		return nil
	}
	ref := w.comesIn(mobileNumber)
	rings := told()
	require.Len(t, rings, 1)
	assert.Equal(t, "Berit Osterlund", rings[0].Candidates[0].Record.Name)
	assert.Equal(t, "Vesper Hollow Nursery", rings[0].Company)
	asked, err := w.Arrivals.Rings(t.Context(), w.ines)
	require.NoError(t, err)
	assert.Equal(t, asked, rings, "and it says the same as when one asks")
	require.True(t, w.sim.OutsideHangsUp(ref))
	assert.Empty(t, told())
}
