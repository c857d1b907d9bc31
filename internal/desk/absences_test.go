package desk_test

import (
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/oapi-codegen/runtime/types"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/core/presence"
	"trundo/internal/desk/firm"
)

func date(y int, m time.Month, d int) types.Date {
	return types.Date{Time: time.Date(y, m, d, 0, 0, 0, 0, time.UTC)}
}

func (w *world) follow(a firm.Actor, text string) contract.FollowUp {
	w.t.Helper()
	f, err := w.Book.AddFollowUp(w.t.Context(), a, w.berit, key(), contract.NewFollowUp{Text: text})
	require.NoError(w.t, err)
	return f
}

// owes are the texts of somebody's lane, each with for whom it is.
func (w *world) owes(a firm.Actor) map[string]string {
	w.t.Helper()
	l, err := w.Lane(w.t.Context(), a)
	require.NoError(w.t, err)
	found := map[string]string{}
	for _, e := range l.Owed {
		whose := "own"
		if e.For != nil {
			whose = *e.For
		}
		found[e.Text] = whose
	}
	return found
}

func TestADeputyHasWhatTheAbsentOweAndGivesItBack(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	_, err := w.store.Pool.Exec(ctx, `UPDATE records SET owner_id = $2 WHERE id = $1`, w.berit, w.ines.ID)
	require.NoError(t, err)
	f := w.follow(w.ines, "Ask about the pump")
	w.follow(w.tomas, "Order filters")
	done := contract.FollowUpChange{Version: f.Version, State: ptr(contract.FollowUpChangeStateDone)}
	_, err = w.Book.ChangeFollowUp(ctx, w.tomas, f.ID, done)
	require.ErrorIs(t, err, firm.ErrForbidden)
	_, err = w.Staff.AddAbsence(ctx, w.ines, key(), contract.NewAbsence{From: date(2026, 3, 2), Until: date(2026, 3, 3),
		DeputyID: &w.tomas.ID})
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"Order filters": "own", "Ask about the pump": "ines"}, w.owes(w.tomas))
	_, err = w.store.Pool.Exec(ctx, `WITH r AS (INSERT INTO rounds (id, name, started_by, started_at, settings, total)
			SELECT gen_random_uuid(), 'Autumn filters', $1, $2, '{}', 0 RETURNING id)
		INSERT INTO round_reps (round_id, user_id, state, since) SELECT id, $1, 'going', $2 FROM r`, w.ines.ID, w.clock.Now())
	require.NoError(t, err)
	assert.Equal(t, "ines", w.owes(w.tomas)["Autumn filters"], "a round that was under way")
	_, err = w.store.Pool.Exec(ctx, `UPDATE rounds SET ended_at = $1`, w.clock.Now())
	require.NoError(t, err)
	team, err := w.Team.Colleagues(ctx)
	require.NoError(t, err)
	for _, c := range team {
		if c.ID == w.ines.ID {
			assert.Equal(t, []any{presence.Absent, "tomas", false}, []any{c.Availability, *c.Deputy, c.Free})
		}
	}
	w.clock.Advance(time.Hour)
	_, err = w.Book.ChangeFollowUp(ctx, w.tomas, f.ID, done)
	require.NoError(t, err, "what is theirs is the deputy's meanwhile")
	second := w.follow(w.ines, "Second thing")
	w.clock.Advance(2 * 24 * time.Hour)
	_, err = w.Settings(ctx) // read anew, as any request would
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"Order filters": "own"}, w.owes(w.tomas), "it went back")
	_, err = w.Book.ChangeFollowUp(ctx, w.tomas, second.ID, contract.FollowUpChange{Version: second.Version,
		State: ptr(contract.FollowUpChangeStateDone)})
	require.ErrorIs(t, err, firm.ErrForbidden)
	today, err := w.Today(ctx, w.ines)
	require.NoError(t, err)
	require.NotNil(t, today.Meanwhile)
	require.Len(t, today.Meanwhile.Done, 1)
	got := today.Meanwhile.Done[0]
	assert.Equal(t, []any{contract.MeanwhileDoneKindFollowUp, "Ask about the pump", "Berit Osterlund"},
		[]any{got.Kind, got.Text, got.Record.Name})
	w.clock.Advance(5 * 24 * time.Hour)
	today, err = w.Today(ctx, w.ines)
	require.NoError(t, err)
	assert.Nil(t, today.Meanwhile, "by then one knows")
}

func TestALineRingsWhoStandsIn(t *testing.T) {
	w := newWorld(t)
	w.line(func(l *contract.FirmLine) { l.Reps = []uuid.UUID{w.ines.ID} })
	w.sits(w.ines)
	w.sits(w.tomas)
	_, err := w.Staff.AddAbsence(t.Context(), w.ines, key(), contract.NewAbsence{From: date(2026, 3, 2),
		Until: date(2026, 3, 2), DeputyID: &w.tomas.ID})
	require.NoError(t, err)
	w.comesIn(mobileNumber)
	w.until("it rings for the deputy", func() bool { return len(w.Arrivals.RingingFor(w.tomas.ID)) == 1 })
	assert.Empty(t, w.Arrivals.RingingFor(w.ines.ID))
}

func TestAColleagueReachesWhoStandsIn(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	_, err := w.Staff.AddAbsence(
		ctx,
		w.ines,
		key(),
		contract.NewAbsence{From: date(2026, 3, 2), Until: date(2026, 3, 2),
			DeputyID: &w.tomas.ID},
	)
	require.NoError(t, err)
	for _, x := range []struct {
		by   firm.Actor
		want uuid.UUID
	}{{w.odile, w.tomas.ID}, {w.tomas, w.ines.ID}} { // the deputy leaves her a message
		c, err := w.Calls.PlaceCall(ctx, x.by, key(), contract.NewCall{ColleagueID: &w.ines.ID})
		require.NoError(t, err)
		var reached uuid.UUID
		require.NoError(
			t,
			w.store.Pool.QueryRow(ctx, `SELECT colleague_id FROM calls WHERE id = $1`, c.ID).Scan(&reached),
		)
		assert.Equal(t, x.want, reached)
		require.NoError(t, w.Calls.HangUp(ctx, x.by, c.ID))
	}
}

func TestWhatIsWrongWithAnAbsence(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	add := func(a firm.Actor, n contract.NewAbsence) error {
		_, err := w.Staff.AddAbsence(ctx, a, key(), n)
		return err
	}
	monday := contract.NewAbsence{From: date(2026, 3, 2), Until: date(2026, 3, 2)}
	for field, n := range map[string]contract.NewAbsence{
		"until":     {From: date(2026, 3, 5), Until: date(2026, 3, 4)},
		"deputy_id": {From: date(2026, 3, 5), Until: date(2026, 3, 5), DeputyID: &w.ines.ID},
	} {
		var wrong *firm.FieldError
		require.ErrorAs(t, add(w.ines, n), &wrong, field)
		assert.Equal(t, field, wrong.Field)
	}
	var wrong *firm.FieldError
	require.ErrorAs(
		t,
		add(w.ines, contract.NewAbsence{From: date(2026, 3, 1), Until: date(2026, 3, 1)}),
		&wrong,
		"yesterday",
	)
	require.ErrorIs(t, add(w.tomas, contract.NewAbsence{UserID: &w.ines.ID, From: monday.From, Until: monday.Until}),
		firm.ErrForbidden, "somebody else's")
	require.NoError(t, add(w.ines, monday))
	require.ErrorAs(t, add(w.ines, monday), &wrong, "twice")
	half := contract.NewAbsence{From: date(2026, 3, 4), Until: date(2026, 3, 4), UntilNoon: ptr(true)}
	require.NoError(t, add(w.ines, half))
	half.UntilNoon, half.FromNoon = nil, ptr(true)
	require.NoError(t, add(w.ines, half), "the other half of the day")
	all, err := w.Staff.Absences(ctx, w.tomas)
	require.NoError(t, err)
	require.Len(t, all, 3, "colleagues see them")
	assert.False(t, all[0].MayChange)
	require.ErrorIs(t, w.Staff.EndAbsence(ctx, w.tomas, all[0].ID), firm.ErrForbidden)
	require.NoError(t, w.Staff.EndAbsence(ctx, w.ines, all[0].ID), "she is back earlier")
	require.NoError(t, w.Staff.EndAbsence(ctx, w.admin(), all[1].ID))
	require.ErrorIs(t, w.Staff.EndAbsence(ctx, w.ines, all[1].ID), firm.ErrNotFound)
	left, err := w.Staff.Absences(ctx, w.ines)
	require.NoError(t, err)
	assert.Len(t, left, 1)
}
