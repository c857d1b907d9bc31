package desk_test

import (
	"strings"
	"testing"
	"time"

	"trundo/internal/desk/firm"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
)

func laneOf(t *testing.T, w *world, a firm.Actor) []string {
	t.Helper()
	l, err := w.Lane(t.Context(), a)
	require.NoError(t, err)
	lines := []string{}
	for _, e := range l.Owed {
		who := e.Typed
		if e.Record != nil {
			who = e.Record.Name
		}
		why := e.Reason
		if e.Late != "" {
			why += ", " + e.Late
		}
		lines = append(lines, who+": "+e.Text+" ("+why+")")
	}
	return lines
}

func TestAFollowUpGoesThroughTheLane(t *testing.T) {
	w := newWorld(t)
	due, promised := monday.Add(2*time.Hour), true
	f, err := w.Book.AddFollowUp(t.Context(), w.ines, w.berit, key(),
		contract.NewFollowUp{Text: "  Send the plan ", DueAt: &due, Promised: &promised})
	require.NoError(t, err)
	assert.Equal(t, "Send the plan", f.Text)
	_, err = w.Book.AddFollowUp(t.Context(), w.ines, w.aron, key(), contract.NewFollowUp{Text: "Ask about the roof"})
	require.NoError(t, err)
	assert.Equal(t, []string{"Berit Osterlund: Send the plan (promised at 12:00 PM)",
		"Aron Pell: Ask about the roof (no date)"}, laneOf(t, w, w.ines))
	assert.Empty(t, laneOf(t, w, w.tomas), "it is hers")
	l, err := w.Lane(t.Context(), w.ines)
	require.NoError(t, err)
	assert.Equal(t, "413 555 0142", l.Owed[0].Number.Display, "the first number that may be called")
	assert.Nil(t, l.Owed[1].Number, "he asked not to be called")
	w.clock.Advance(130 * time.Minute)
	assert.Equal(t, "Berit Osterlund: Send the plan (promised 12:00 PM, 10 minutes late)", laneOf(t, w, w.ines)[0])
	done, open := contract.FollowUpChangeStateDone, contract.FollowUpChangeStateOpen
	_, err = w.Book.ChangeFollowUp(t.Context(), w.tomas, f.ID,
		contract.FollowUpChange{Version: f.Version, State: &done})
	require.ErrorIs(t, err, firm.ErrForbidden)
	changed, err := w.Book.ChangeFollowUp(t.Context(), w.ines, f.ID,
		contract.FollowUpChange{Version: f.Version, State: &done})
	require.NoError(t, err)
	assert.Len(t, laneOf(t, w, w.ines), 1)
	_, err = w.Book.ChangeFollowUp(t.Context(), w.ines, f.ID, contract.FollowUpChange{Version: f.Version, State: &open})
	require.ErrorIs(t, err, firm.ErrChangedElse)
	tomorrow, day := monday.AddDate(0, 0, 1), true
	_, err = w.Book.ChangeFollowUp(t.Context(), w.odile, f.ID,
		contract.FollowUpChange{Version: changed.Version, State: &open, DueAt: &tomorrow, DayOnly: &day})
	require.NoError(t, err, "a supervisor may, and it can be taken back")
	assert.Equal(t, "Berit Osterlund: Send the plan (promised tomorrow)", laneOf(t, w, w.ines)[0])
	h, err := w.History(t.Context(), w.tomas, w.berit, "follow_up", "")
	require.NoError(t, err)
	require.Len(t, h.Entries, 1)
	assert.Equal(t, "ines", h.Entries[0].FollowUp.OwnerName)
}

func TestWhatWasGivenAwayCanBeTakenBackUntilItIsChanged(t *testing.T) {
	w := newWorld(t)
	f, err := w.Book.AddFollowUp(t.Context(), w.ines, w.berit, key(), contract.NewFollowUp{Text: "Send the plan"})
	require.NoError(t, err)
	give := func(a firm.Actor, to uuid.UUID) error {
		changed, err := w.Book.ChangeFollowUp(t.Context(), a, f.ID,
			contract.FollowUpChange{Version: f.Version, OwnerID: &to})
		if err == nil {
			f = changed
		}
		return err
	}
	require.NoError(t, give(w.ines, w.tomas.ID))
	done := contract.FollowUpChangeStateDone
	_, err = w.Book.ChangeFollowUp(t.Context(), w.ines, f.ID,
		contract.FollowUpChange{Version: f.Version, State: &done, OwnerID: &w.ines.ID})
	require.ErrorIs(t, err, firm.ErrForbidden, "taken back, and nothing else")
	require.NoError(t, give(w.ines, w.ines.ID))
	assert.Len(t, laneOf(t, w, w.ines), 1)
	require.NoError(t, give(w.ines, w.tomas.ID))
	text := "Send the plan, by mail"
	f, err = w.Book.ChangeFollowUp(t.Context(), w.tomas, f.ID, contract.FollowUpChange{Version: f.Version, Text: &text})
	require.NoError(t, err)
	require.ErrorIs(t, give(w.ines, w.ines.ID), firm.ErrForbidden, "he has begun with it")
}

func TestBadFollowUps(t *testing.T) {
	w := newWorld(t)
	far := time.Date(2999, 1, 1, 0, 0, 0, 0, time.UTC)
	for name, n := range map[string]contract.NewFollowUp{"text": {Text: " \x00 "}, "due_at": {Text: "x", DueAt: &far}} {
		_, err := w.Book.AddFollowUp(t.Context(), w.ines, w.berit, key(), n)
		var field *firm.FieldError
		require.ErrorAs(t, err, &field)
		assert.Equal(t, name, field.Field)
	}
	_, err := w.Book.AddFollowUp(t.Context(), w.ines, uuid.New(), key(), contract.NewFollowUp{Text: "x"})
	require.ErrorIs(t, err, firm.ErrNotFound)
	_, err = w.Book.ChangeFollowUp(t.Context(), w.ines, uuid.New(), contract.FollowUpChange{})
	require.ErrorIs(t, err, firm.ErrNotFound)
}

func TestUnfiledSlipsStandInTheLaneUntilTheyAreFiled(t *testing.T) {
	w := newWorld(t)
	c := w.calls()
	assert.Empty(t, laneOf(t, w, w.ines), "not while the call goes on")
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	w.ended(c.ID)
	w.clock.Advance(9 * time.Minute)
	lane := laneOf(t, w, w.ines)
	require.Len(t, lane, 1)
	assert.True(t, strings.HasPrefix(lane[0], "Berit Osterlund: 413 555 0142 (not filed yet, ended 9 minutes ago"),
		lane[0])
	_, err := w.Filing.ChangeSlip(t.Context(), w.ines, c.Slip.ID,
		contract.SlipChange{Version: c.Slip.Version, OutcomeID: &w.sold})
	require.NoError(t, err)
	_, err = w.Filing.File(t.Context(), w.ines, c.Slip.ID, key(), nil)
	require.NoError(t, err)
	assert.Empty(t, laneOf(t, w, w.ines))
}

func TestPuttingOffGoesToTheNextDayOnWhichTheFirmWorks(t *testing.T) {
	w := newWorld(t)
	_, err := w.store.Pool.Exec(
		t.Context(),
		`INSERT INTO settings (key, value) VALUES ('holidays', '[{"date":"2026-03-03","name":"Founding day"}]')
		ON CONFLICT (key) DO UPDATE SET value = excluded.value`,
	)
	require.NoError(t, err)
	w.clock.Advance(time.Minute) // until the settings are read again
	f, err := w.Book.AddFollowUp(t.Context(), w.ines, w.berit, key(), contract.NewFollowUp{Text: "Send the plan"})
	require.NoError(t, err)
	yes := true
	put := func() string {
		f, err = w.Book.ChangeFollowUp(
			t.Context(),
			w.ines,
			f.ID,
			contract.FollowUpChange{Version: f.Version, PutOff: &yes},
		)
		require.NoError(t, err)
		assert.True(t, f.DayOnly)
		return f.DueAt.In(w.ines.Location()).Format("Mon 2 Jan 15:04")
	}
	assert.Equal(t, "Wed 4 Mar 00:00", put(), "from Monday, past Tuesday's holiday")
	w.clock.Advance(4 * 24 * time.Hour)
	assert.Equal(t, "Mon 9 Mar 00:00", put(), "from Friday, past the weekend")
	f, err = w.Book.ChangeFollowUp(
		t.Context(),
		w.ines,
		f.ID,
		contract.FollowUpChange{Version: f.Version, ClearDue: &yes},
	)
	require.NoError(t, err)
	assert.Nil(t, f.DueAt)
}
