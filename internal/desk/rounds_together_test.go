package desk_test

import (
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
)

func TestNobodyIsCalledByTwo(t *testing.T) {
	w := newWorld(t)
	ids := w.people(3)
	mine := w.starts(w.ines, ids, byKey)
	theirs := w.starts(w.tomas, ids[:2], byKey)
	a := w.acts(w.ines, mine.ID, contract.RoundActActGo)
	assert.Equal(t, "Person 01", a.Current.Record.Name)
	b := w.acts(w.tomas, theirs.ID, contract.RoundActActGo)
	assert.Equal(t, "Person 02", b.Current.Record.Name, "the first is held by another round")
	assert.Equal(t, "later current", w.beads(theirs.ID))
	c := w.acts(w.odile, mine.ID, contract.RoundActActGo)
	assert.Equal(t, "Person 03", c.Current.Record.Name, "several on one round get the next free ones")
	assert.Equal(t, "current later current", w.beads(mine.ID))

	second := w.acts(w.ines, mine.ID, contract.RoundActActGo)
	assert.Equal(t, a.Current.Record, second.Current.Record, "in a second window it is the same person")

	// Somebody who is called by hand is not called by a round.
	number := w.number(ids[1], "office", "+15185550195")
	w.acts(w.tomas, theirs.ID, contract.RoundActActPause)
	_, err := w.Calls.PlaceCall(t.Context(), w.tomas, key(), contract.NewCall{NumberID: &number})
	require.NoError(t, err)
	w.acts(w.ines, mine.ID, contract.RoundActActPause)
	later := w.starts(w.ines, ids[1:2], byKey)
	later = w.acts(w.ines, later.ID, contract.RoundActActGo)
	assert.Nil(t, later.Current)
	people, err := w.Rounds.RoundPeople(t.Context(), w.ines, later.ID, 0, 10)
	require.NoError(t, err)
	assert.Equal(t, "is in a call with a colleague", people[0].Why)
}

func TestWhoGoesAwayLosesWhomTheyHold(t *testing.T) {
	w := newWorld(t)
	ids := w.people(2)
	r := w.starts(w.ines, ids, byKey)
	w.acts(w.ines, r.ID, contract.RoundActActGo)
	w.after(10*time.Second, "the lease ends", func() bool { return w.beads(r.ID) == "waiting waiting" })
	r, err := w.Rounds.Round(t.Context(), w.ines, r.ID)
	require.NoError(t, err)
	assert.Equal(t, "you were away", r.Why)
	require.Len(t, laneOf(t, w, w.ines), 1)

	// In a call it does not end, whoever looks.
	r = w.acts(w.ines, r.ID, contract.RoundActActGo)
	r = w.acts(w.ines, r.ID, contract.RoundActActCall)
	for range 30 {
		w.clock.Advance(10 * time.Second)
	}
	assert.Equal(t, "current waiting", w.beads(r.ID))
	other := w.starts(w.tomas, ids[:1], byKey)
	assert.Nil(t, w.acts(w.tomas, other.ID, contract.RoundActActGo).Current)
	// With her window open it does not end either.
	sub := w.Hub.Subscribe(w.ines.ID, "", 0)
	defer sub.Close()
	w.settles(w.ines, r, w.sold)
	for range 30 {
		w.clock.Advance(10 * time.Second)
		w.until("the server has looked", func() bool { return true })
	}
	assert.Equal(t, "spoke current", w.beads(r.ID))
}

func TestManyRepsOnOneListNeverGetTheSamePerson(t *testing.T) {
	w := newWorld(t)
	nothing := w.outcome("No answer", `[]`)
	r := w.starts(w.ines, w.people(72), func(s *contract.RoundSettings) {
		s.Pace, s.Then = contract.RoundSettingsPaceByKey, []contract.RoundRule{{OutcomeID: nothing,
			Then: contract.RoundRuleThenNotAgain}}
	})
	reps := w.reps(12)
	var mu sync.Mutex
	seen := map[int]int{}
	var group sync.WaitGroup
	for _, a := range reps {
		group.Go(func() {
			for range 5 {
				v, err := w.Rounds.ActOnRound(t.Context(), a, r.ID, key(),
					contract.RoundAct{Act: contract.RoundActActGo})
				if !assert.NoError(t, err) || !assert.NotNil(t, v.Current) {
					return
				}
				mu.Lock()
				seen[v.Current.Position]++
				mu.Unlock()
				_, err = w.Rounds.ActOnRound(t.Context(), a, r.ID, key(),
					contract.RoundAct{Act: contract.RoundActActSkip})
				assert.NoError(t, err)
				_, err = w.Rounds.ActOnRound(t.Context(), a, r.ID, key(),
					contract.RoundAct{Act: contract.RoundActActPause})
				assert.NoError(t, err)
			}
		})
	}
	group.Wait()
	assert.GreaterOrEqual(t, len(seen), 60)
	var double int
	require.NoError(t, w.store.Pool.QueryRow(t.Context(),
		`SELECT count(*) FROM round_people WHERE round_id = $1 AND state NOT IN ('done', 'waiting')`,
		r.ID).Scan(&double))
	assert.Zero(t, double)
	assert.Equal(t, 60, strings.Count(w.beads(r.ID), "skipped"), "each of twelve reps left five out")
	assert.Equal(t, 12, strings.Count(w.beads(r.ID), "waiting"))
}
