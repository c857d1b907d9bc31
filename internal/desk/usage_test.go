package desk_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
)

// talked writes a recorded call of ines down, in which she has talked with Berit's mobile for a time.
func (w *world) talked(long time.Duration) {
	w.t.Helper()
	_, err := w.store.Pool.Exec(w.t.Context(), `WITH c AS (
			INSERT INTO calls (id, direction, line_id, remote_e164, remote_typed, remote_label, caller_id, device, owner_server,
				owner_epoch, state, started_at, answered_at, ended_at, placed_by, talk_ms)
			SELECT gen_random_uuid(), 'outbound', l.id, $1, $1, 'mobile', '', 'browser', 'gone', 0, 'ended', $2::timestamptz,
				$2::timestamptz, $2::timestamptz, $3, $4 FROM lines l LIMIT 1 RETURNING id)
		INSERT INTO recordings (id, call_id, kind, state, server, file, began_at, total_ms)
		SELECT gen_random_uuid(), c.id, 'call', 'kept', 'gone', gen_random_uuid(), $2, $4 FROM c`,
		mobileNumber, w.clock.Now(), w.ines.ID, long.Milliseconds())
	require.NoError(w.t, err)
}

func TestUseIsCountedAndPriced(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	ada := w.admin()
	w.talked(90 * time.Second)
	w.talked(10 * time.Second)
	_, err := w.Usage.Month(ctx, w.ines, time.Time{})
	require.ErrorIs(t, err, firm.ErrForbidden)
	lines, err := w.Lines.Lines(ctx, ada)
	require.NoError(t, err)
	m, err := w.Usage.Set(ctx, ada, contract.UsageSettings{Limits: []contract.UsageLimit{}, Prices: contract.Prices{
		Minutes: []contract.MinutePrice{{Prefix: "", PerMinute: "0.90"}, {Prefix: "+1", PerMinute: "0.015"}},
		Lines:   []contract.LinePrice{{LineID: lines[0].ID, Month: "5"}}}})
	require.NoError(t, err)
	assert.EqualValues(t, 3, m.Firm.Minutes, "each begun minute counts")
	assert.EqualValues(t, 3, m.Firm.Recorded)
	require.Len(t, m.Reps, 1)
	assert.Equal(t, "ines", m.Reps[0].Name)
	assert.Equal(t, "Sales", m.Teams[0].Name)
	assert.EqualValues(t, 3, m.Lines[0].Used.Minutes)
	assert.Equal(t, "5.05 USD", m.Cost, "5 for the line and three minutes at 1.5 cents, rounded")
	assert.Equal(t, "0.015", m.Prices.Minutes[1].PerMinute)
	last, err := w.Usage.Month(ctx, ada, time.Date(2026, 2, 1, 0, 0, 0, 0, time.UTC))
	require.NoError(t, err)
	assert.Zero(t, last.Firm.Minutes)
	assert.Equal(t, time.February, last.Since.Month())
}

func TestALimitTellsAndRefusesButNeverAnEmergency(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	ada := w.admin()
	limit := func(amount int64, hard bool) contract.Usage {
		m, err := w.Usage.Set(
			ctx,
			ada,
			contract.UsageSettings{Prices: contract.Prices{Minutes: []contract.MinutePrice{},
				Lines: []contract.LinePrice{}}, Limits: []contract.UsageLimit{{What: "minutes", Scope: "rep",
				Of: w.ines.ID.String(), Amount: amount, Hard: hard}}},
		)
		require.NoError(t, err)
		return m
	}
	limit(5, true)
	w.talked(3*time.Minute + 10*time.Second)
	today, err := w.Today(ctx, ada)
	require.NoError(t, err)
	require.NotNil(t, today.Limits, "four fifths are used")
	assert.Equal(t, contract.UsageLimitLevelNear, *(*today.Limits)[0].Level)
	today, err = w.Today(ctx, w.ines)
	require.NoError(t, err)
	assert.Nil(t, today.Limits, "who may not see use is not told")
	limit(4, true)
	place := func(a firm.Actor, n contract.NewCall) error {
		c, err := w.Calls.PlaceCall(ctx, a, key(), n)
		if err == nil {
			require.NoError(t, w.Calls.HangUp(ctx, a, c.ID))
		}
		return err
	}
	err = place(w.ines, contract.NewCall{NumberID: &w.mobile})
	require.ErrorIs(t, err, firm.ErrLimit)
	assert.ErrorContains(t, err, "4 minutes")
	require.NoError(t, place(w.ines, contract.NewCall{Typed: ptr("911")}), "an emergency number is always called")
	require.NoError(t, place(w.tomas, contract.NewCall{NumberID: &w.mobile}), "it is hers alone")
	w.clock.Advance(time.Hour)
	limit(4, false)
	w.until("she may call again", func() bool {
		err := place(w.ines, contract.NewCall{NumberID: &w.mobile})
		var busy *firm.InCallError
		if err != nil {
			require.ErrorAs(t, err, &busy)
		}
		return err == nil
	})
}

func TestWhatIsNoLimit(t *testing.T) {
	w := newWorld(t)
	for what, l := range map[string][]contract.UsageLimit{
		"for whom":    {{What: "minutes", Scope: "rep"}},
		"too exactly": {{What: "minutes", Scope: "firm", Of: "Sales"}},
		"no line":     {{What: "minutes", Scope: "line", Of: w.ines.ID.String()}},
		"twice": {{What: "texts", Scope: "team", Of: "Sales"}, {What: "texts", Scope: "team", Of: "Sales",
			Amount: 3}},
		"storage": {{What: "storage", Scope: "firm", Hard: true}},
	} {
		var wrong *firm.FieldError
		_, err := w.Usage.Set(t.Context(), w.admin(), contract.UsageSettings{Limits: l, Prices: contract.Prices{}})
		require.ErrorAs(t, err, &wrong, what)
	}
}

func TestWhoIsAskedOutsideHasMinutesOfTheirOwn(t *testing.T) {
	w := newWorld(t)
	c := w.speaks()
	w.clock.Advance(70 * time.Second)
	_, err := w.Calls.Parties.Ask(t.Context(), w.ines, c.ID,
		contract.Ask{As: contract.AskAsConsult, NumberID: &w.office})
	require.NoError(t, err)
	w.passes("the office answers", func() bool {
		return w.sim.TheyAnswer("+14135550119;ext=12") &&
			w.party(w.ines, c.ID, "Berit Osterlund").State == contract.PartyStateSpeaking
	})
	w.clock.Advance(90 * time.Second)
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	w.ended(c.ID)
	m, err := w.Usage.Month(t.Context(), w.admin(), time.Time{})
	require.NoError(t, err)
	assert.EqualValues(t, 5, m.Firm.Minutes, "three begun minutes with her, and two with the office")
}
