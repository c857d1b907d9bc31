package desk_test

import (
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/store"
)

func TestTodayIsTheDayInOrder(t *testing.T) {
	w := newWorld(t)
	due := func(text string, at time.Time, dayOnly bool) {
		_, err := w.Book.AddFollowUp(t.Context(), w.ines, w.berit, uuid.NewString(),
			contract.NewFollowUp{Text: text, DueAt: &at, DayOnly: &dayOnly})
		require.NoError(t, err)
	}
	now := w.clock.Now().In(w.ines.Location())
	midnight := time.Date(now.Year(), now.Month(), now.Day(), 0, 0, 0, 0, now.Location())
	due("tomorrow", midnight.AddDate(0, 0, 1), true)
	due("in the evening", midnight.Add(20*time.Hour), false)
	due("some time today", midnight, true)
	due("left of yesterday", midnight.AddDate(0, 0, -1), true)
	visit := store.NewID()
	_, err := w.store.Pool.Exec(
		t.Context(),
		`INSERT INTO records (id, kind, name, owner_id, company_id, starts_at, place)
		VALUES ($1, 'visit', 'Look at the roof', $2, $3, $4, 'the glasshouse')`,
		visit,
		w.ines.ID,
		w.vesper,
		midnight.Add(21*time.Hour),
	)
	require.NoError(t, err)
	day, err := w.Today(t.Context(), w.ines)
	require.NoError(t, err)
	said := func() []string {
		var lines []string
		for _, e := range day.Plan {
			line := string(e.Place) + " " + string(e.Kind) + ": " + e.Text
			if e.Late {
				line += ", late"
			}
			lines = append(lines, line)
		}
		return lines
	}
	assert.Equal(t, []string{"before call: left of yesterday, late", "day call: some time today",
		"hour call: in the evening", "hour visit: Look at the roof"}, said())
	assert.Equal(t, "Vesper Hollow Nursery", day.Plan[3].Record.Name)
	assert.Equal(t, "413 555 0142", day.Plan[0].Number.Display)
	assert.Zero(t, day.Figures)
	assert.Nil(t, day.Usual, "nothing is usual for somebody new")
	others, err := w.Today(t.Context(), w.tomas)
	require.NoError(t, err)
	assert.Empty(t, others.Plan)
}

func TestTodaysFiguresStandBesideWhatIsUsualByThisTime(t *testing.T) {
	w := newWorld(t)
	now := w.clock.Now().In(w.ines.Location())
	called := func(daysAgo int, at time.Time, spoke bool, talk time.Duration) {
		id := store.NewID()
		began := at.AddDate(0, 0, -daysAgo)
		_, err := w.store.Pool.Exec(
			t.Context(),
			`INSERT INTO calls (id, direction, remote_typed, caller_id, remote_e164, started_at, ended_at, state,
			owner_server, owner_epoch, device, spoke, talk_ms) VALUES ($1, 'outbound', '', '', $2, $3, $3, 'ended', 'test', 0, 'browser', $4, $5)`,
			id,
			mobileNumber,
			began,
			spoke,
			talk.Milliseconds(),
		)
		require.NoError(t, err)
		_, err = w.store.Pool.Exec(t.Context(), `INSERT INTO slips (id, call_id, user_id, state, created_at)
			VALUES ($1, $2, $3, 'filed', $4)`, store.NewID(), id, w.ines.ID, began)
		require.NoError(t, err)
	}
	for day := 1; day <= 3; day++ {
		called(day, now.Add(-time.Hour), true, 2*time.Minute)
		called(day, now.Add(-time.Minute), false, 0)
		called(day, now.Add(time.Hour), true, time.Hour) // later in the day: it does not count yet
	}
	called(0, now.Add(-time.Minute), true, 90*time.Second)
	day, err := w.Today(t.Context(), w.ines)
	require.NoError(t, err)
	assert.Equal(t, contract.DayFigures{Calls: 1, Conversations: 1, TalkMs: 90_000}, day.Figures)
	require.NotNil(t, day.Usual)
	assert.Equal(t, contract.DayFigures{Calls: 2, Conversations: 1, TalkMs: 120_000}, *day.Usual)
}

func TestADayIsTheSameDateForAColleagueElsewhere(t *testing.T) {
	w := newWorld(t)
	_, err := w.store.Pool.Exec(t.Context(), `UPDATE users SET zone = 'Europe/London' WHERE id = $1`, w.tomas.ID)
	require.NoError(t, err)
	w.clock.Advance(time.Minute) // until everybody is read again
	w.tomas = w.actor("tomas")
	london := w.tomas.Location()
	now := w.clock.Now().In(london)
	friday, dayOnly := time.Date(now.Year(), now.Month(), now.Day()+4, 0, 0, 0, 0, london), true
	f, err := w.Book.AddFollowUp(t.Context(), w.tomas, w.berit, key(),
		contract.NewFollowUp{Text: "Ask about the roof", DueAt: &friday, DayOnly: &dayOnly})
	require.NoError(t, err)
	_, err = w.Book.ChangeFollowUp(t.Context(), w.tomas, f.ID,
		contract.FollowUpChange{Version: f.Version, OwnerID: &w.ines.ID})
	require.NoError(t, err)
	theirs, err := w.Book.FollowUps(t.Context(), w.ines, true, true)
	require.NoError(t, err)
	require.Len(t, theirs, 1)
	assert.Equal(t, "2026-03-06 00:00", theirs[0].DueAt.In(w.ines.Location()).Format("2006-01-02 15:04"),
		"the sixth in New York, not the evening before")
}
