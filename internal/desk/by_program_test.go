package desk_test

import (
	"testing"
	"time"

	"trundo/internal/desk/firm"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
)

func TestACallOfTheComputersOwnProgramIsWrittenDownAndItsTimesAreSaid(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	_, err := w.Arrivals.SetPreferences(ctx, w.ines,
		contract.Preferences{Opens: contract.PreferencesOpensRing, Program: ptr(true)})
	require.NoError(t, err)
	w.ines = w.actor("ines")
	k := key()
	c, err := w.Calls.PlaceCall(ctx, w.ines, k, contract.NewCall{NumberID: &w.office})
	require.NoError(t, err)
	assert.Equal(t, []any{true, "program", "unconfirmed"}, []any{c.Unconfirmed, c.Device, c.State.EndReason})
	assert.Regexp(t, `^tel:\+1413555\d+;ext=\d+$`, c.DialTo)
	assert.Empty(t, w.sim.OutsideLegs(), "the carrier has nothing to do with it")
	again, err := w.Calls.PlaceCall(ctx, w.ines, k, contract.NewCall{NumberID: &w.office})
	require.NoError(t, err)
	assert.Equal(t, c.ID, again.ID, "a double click")
	now, err := w.Calls.MyDesk(ctx, w.ines)
	require.NoError(t, err)
	require.Len(t, now.Calls, 1, "its slip lies open")
	require.NotEmpty(t, now.Calls[0].Links)

	w.clock.Advance(5 * time.Minute)
	_, err = w.Calls.ConfirmTimes(ctx, w.tomas, c.ID, contract.CallTimes{Seconds: 60})
	require.ErrorIs(t, err, firm.ErrNotFound, "it is not his")
	said, err := w.Calls.ConfirmTimes(ctx, w.ines, c.ID, contract.CallTimes{Seconds: 83})
	require.NoError(t, err)
	assert.Equal(t, []any{false, int64(83_000), "ended_by_us", ""},
		[]any{said.Unconfirmed, said.TalkMs, said.State.EndReason, said.DialTo})
	assert.Equal(t, 83*time.Second, said.State.EndedAt.Sub(said.State.StartedAt))
	_, err = w.Calls.ConfirmTimes(ctx, w.ines, c.ID, contract.CallTimes{Seconds: 1})
	require.ErrorIs(t, err, firm.ErrNotFound, "once")
	_, err = w.Filing.ChangeSlip(ctx, w.ines, c.Slip.ID,
		contract.SlipChange{Version: c.Slip.Version, OutcomeID: &w.sold})
	require.NoError(t, err)
	_, err = w.Filing.File(ctx, w.ines, c.Slip.ID, key(), nil)
	require.NoError(t, err)

	c, err = w.Calls.PlaceCall(ctx, w.ines, key(), contract.NewCall{NumberID: &w.mobile})
	require.NoError(t, err)
	said, err = w.Calls.ConfirmTimes(ctx, w.ines, c.ID, contract.CallTimes{})
	require.NoError(t, err)
	assert.Equal(t, []any{"no_answer", true}, []any{said.State.EndReason, said.State.AnsweredAt == nil})
	_, err = w.Calls.PlaceCall(ctx, w.ines, key(), contract.NewCall{NumberID: &w.cannot})
	var refused *firm.RefusedError
	require.ErrorAs(t, err, &refused, "do-not-call holds for every way of calling")
}
