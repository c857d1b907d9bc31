package desk_test

import (
	"context"
	"testing"
	"time"

	"trundo/internal/desk/firm"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
)

func TestAServerThatStopsLetsCallsBeFinished(t *testing.T) {
	w := newWorld(t)
	window := w.Hub.Subscribe(w.ines.ID, "", 0)
	defer window.Close()
	c := w.calls()
	require.True(t, w.sim.TheyAnswer(mobileNumber))
	w.until("they speak", func() bool { return w.phase(c.ID) == contract.PhaseSpeaking })
	drained := make(chan struct{})
	go func() {
		w.Calls.Drain(t.Context())
		close(drained)
	}()
	w.until("the windows are told", func() bool {
		for len(window.Events()) > 0 {
			if e := <-window.Events(); e.Kind == contract.LiveEventKindSaving && e.Stopping != nil && *e.Stopping {
				return true
			}
		}
		return false
	})
	_, err := w.Calls.PlaceCall(t.Context(), w.tomas, key(), contract.NewCall{NumberID: &w.mobile})
	require.ErrorIs(t, err, firm.ErrStopping)
	_, err = w.Calls.SaveNotes(t.Context(), w.ines, c.Slip.ID, contract.NotesEdit{Body: "to the end", Writer: "left"})
	require.NoError(t, err)
	select {
	case <-drained:
		require.Fail(t, "it waits for the call")
	default:
	}
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	w.passes("it is done", func() bool {
		select {
		case <-drained:
			return true
		default:
			return false
		}
	})
	assert.Equal(t, "ended_by_us", w.ended(c.ID).State.EndReason)
	ended, cancel := context.WithCancel(t.Context())
	cancel()
	w.Calls.Drain(ended) // without patience it does not wait
}

func TestAServerThatSeemedLostSaysNothingThatIsNotSo(t *testing.T) {
	w := newWorld(t)
	c := w.calls()
	require.True(t, w.sim.TheyAnswer(mobileNumber))
	w.until("they speak", func() bool { return w.phase(c.ID) == contract.PhaseSpeaking })
	w.passes("a sign of life", func() bool { return w.clock.Since(monday) > 5*time.Second })
	_, err := w.store.Pool.Exec(
		t.Context(),
		`UPDATE calls SET ended_at = started_at + interval '3 seconds', state = 'ended', end_reason = 'cut_off' WHERE id = $1`,
		c.ID,
	)
	require.NoError(t, err) // as another server does
	w.clock.Advance(20 * time.Second)
	w.until("it ends here too", func() bool { return w.Calls.CallsInProgress() == 0 })
	got := w.page(c.ID).Call
	assert.Equal(t, "cut_off", got.State.EndReason)
	assert.Equal(t, 3*time.Second, got.State.EndedAt.Sub(got.State.StartedAt), "at the time that was written")
}

func TestAClockThatRanAheadKeepsNobodyWrappingUp(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	c := w.calls()
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	w.ended(c.ID)
	_, err := w.store.Pool.Exec(t.Context(), `UPDATE calls SET ended_at = $2 WHERE id = $1`, c.ID,
		w.clock.Now().Add(24*time.Hour))
	require.NoError(t, err)
	_, err = w.store.Pool.Exec(t.Context(), `UPDATE rep_state SET last_ended_at = $1`, w.clock.Now().Add(24*time.Hour))
	require.NoError(t, err)
	team, err := w.Team.Team(t.Context())
	require.NoError(t, err)
	for _, x := range team {
		if x.ID == w.ines.ID {
			assert.Equal(t, []any{"Available", true}, []any{x.Availability, x.Free})
			assert.False(t, x.Since.After(w.clock.Now()))
		}
	}
}
