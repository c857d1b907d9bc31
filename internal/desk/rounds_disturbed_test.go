package desk_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
)

func TestARoundPausesWhereTheCarrierRefusesEveryCall(t *testing.T) {
	w := newWorld(t)
	w.refuses.Store(true)
	ids := w.people(5)
	r := w.starts(w.ines, ids, byKey)
	w.acts(w.ines, r.ID, contract.RoundActActGo)
	for i := range 3 {
		w.acts(w.ines, r.ID, contract.RoundActActCall)
		want := strings.TrimSpace(strings.Repeat("later ", i+1))
		w.after(time.Second, "the call is refused", func() bool { return strings.HasPrefix(w.beads(r.ID), want) })
		if i < 2 {
			w.acts(w.ines, r.ID, contract.RoundActActGo)
		}
	}
	w.until("it pauses", func() bool {
		r, _ := w.Rounds.Round(t.Context(), w.ines, r.ID)
		return r.Mine == "paused" && strings.Contains(r.Why, "the carrier refused three calls")
	})
	assert.Equal(t, "later later later waiting waiting", w.beads(r.ID))
	people, err := w.Rounds.RoundPeople(t.Context(), w.ines, r.ID, 0, 10)
	require.NoError(t, err)
	assert.Zero(t, people[0].Attempts, "it was no attempt")
	open, err := w.Calls.MyDesk(t.Context(), w.ines)
	require.NoError(t, err)
	assert.Empty(t, open.Calls)
}

func TestARoundWaitsForAPromise(t *testing.T) {
	w := newWorld(t)
	due := monday.Add(-time.Minute)
	promised := true
	_, err := w.Book.AddFollowUp(t.Context(), w.ines, w.berit, key(),
		contract.NewFollowUp{Text: "The price", DueAt: &due, Promised: &promised})
	require.NoError(t, err)
	r := w.starts(w.ines, w.people(2))
	r = w.acts(w.ines, r.ID, contract.RoundActActGo)
	assert.Nil(t, r.Current)
	assert.Equal(t, "you promised Berit Osterlund a call at 9:59 AM", r.Waits)
	anyway := true
	r, err = w.Rounds.ActOnRound(t.Context(), w.ines, r.ID, key(),
		contract.RoundAct{Act: contract.RoundActActGo, Anyway: &anyway})
	require.NoError(t, err)
	require.NotNil(t, r.Current)
	r = w.settles(w.ines, r, w.sold)
	assert.Empty(t, r.Waits, "it was asked about once")
	assert.NotNil(t, r.Current)
}

func TestSomebodyWhoIsDeletedOrMergedWhileTheyAreCalled(t *testing.T) {
	w := newWorld(t)
	nothing := w.outcome("No answer", `[]`)
	ids := w.people(3)
	r := w.starts(w.ines, ids)
	r = w.acts(w.ines, r.ID, contract.RoundActActGo)
	gone := w.odile
	require.NoError(t, w.Book.RemoveRecord(t.Context(), gone, ids[0]))
	r = w.settles(w.ines, r, nothing)
	assert.Equal(t, "cannot current waiting", w.beads(r.ID))
	keep := ids[1]
	_, err := w.Book.MergeRecords(t.Context(), w.odile, key(),
		contract.Merge{Keep: w.berit, Lose: keep, Take: []string{}})
	require.NoError(t, err)
	r = w.settles(w.ines, r, w.sold)
	assert.Equal(t, "cannot spoke current", w.beads(r.ID))
	people, err := w.Rounds.RoundPeople(t.Context(), w.ines, r.ID, 0, 10)
	require.NoError(t, err)
	assert.Equal(t, "Berit Osterlund", people[1].Record.Name)
	require.NoError(t, w.Book.RemoveRecord(t.Context(), gone, ids[2]))
	r = w.settles(w.ines, r, nothing)
	assert.True(t, r.Over)
}
