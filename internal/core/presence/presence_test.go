package presence_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/presence"
)

// at is a time of Monday 23 November 2026.
func at(hour, minute int) time.Time { return time.Date(2026, 11, 23, hour, minute, 0, 0, time.UTC) }

func TestWhatSomebodyIsDoing(t *testing.T) {
	signedIn := presence.Rep{State: "Available", Takes: true, Since: at(8, 0), Window: true}
	with := func(change func(*presence.Rep)) presence.Rep {
		r := signedIn
		change(&r)
		return r
	}
	for name, c := range map[string]struct {
		rep                     presence.Rep
		what                    string
		since                   time.Time
		free, second, colleague bool
	}{
		"available": {signedIn, "Available", at(8, 0), true, false, true},
		"available again after a call": {with(func(r *presence.Rep) { r.LastEnded = at(9, 30) }), "Available",
			at(9, 30),
			true, false, true},
		"speaks": {with(func(r *presence.Rep) { r.Calls, r.SpeakingSince = 1, at(9, 12) }), presence.Speaking,
			at(9, 12),
			false, true, true},
		"speaks, with another on hold": {with(func(r *presence.Rep) { r.Calls, r.SpeakingSince = 2, at(9, 12) }),
			presence.Speaking, at(9, 12), false, false, false},
		"wraps up": {with(func(r *presence.Rep) { r.LastEnded, r.WrappingSince = at(9, 30), at(9, 30) }),
			presence.WrappingUp, at(9, 30), false, false, true},
		"has a slip that waits, and speaks again": {with(func(r *presence.Rep) {
			r.Calls, r.SpeakingSince, r.WrappingSince = 1, at(9, 31), at(9, 30)
		}), presence.Speaking, at(9, 31), false, true, true},
		"away, with a slip that waits": {with(func(r *presence.Rep) {
			r.State, r.Takes, r.WrappingSince, r.LastEnded = "Away", false, at(9, 30), at(9, 20)
		}), "Away", at(9, 20), false, false, false},
		"only by telephone": {with(func(r *presence.Rep) { r.Window, r.Telephone = false, true }), "Available",
			at(8, 0),
			true, false, true},
		"in a round that takes no calls": {with(func(r *presence.Rep) { r.Round = true }), "Available", at(8, 0),
			false, false, false},
		"by nothing": {with(func(r *presence.Rep) { r.Window = false }), presence.NotSignedIn, time.Time{},
			false, false, false},
	} {
		what, since := c.rep.Doing()
		assert.Equal(t, c.what, what, name)
		assert.Equal(t, c.since, since, name)
		assert.Equal(t, []bool{c.free, c.second, c.colleague},
			[]bool{c.rep.Free(), c.rep.Second(), c.rep.ForColleague()}, name)
	}
}

func TestADayIsMadeOfStatesAndCalls(t *testing.T) {
	chosen := []presence.Change{{at(8, 0), "Available", true, true}, {at(12, 0), "Away", false, false},
		{at(13, 0), "Available", true, true}}
	parts := []presence.Part{
		{at(9, 0), at(9, 10), at(9, 11)},    // filed after a minute
		{at(10, 0), at(10, 5), time.Time{}}, // never filed: two minutes count
		{at(10, 6), at(10, 8), at(10, 8)},   // taken while wrapping up
		{at(11, 55), at(12, 4), at(12, 20)}, // went on into the break
		{at(13, 30), time.Time{}, time.Time{}},
	}
	type line struct {
		At   time.Time
		What string
	}
	var got []line
	for _, c := range presence.Day(chosen, parts, at(7, 0), at(14, 0), 2*time.Minute) {
		got = append(got, line{c.At, c.What})
	}
	assert.Equal(t, []line{
		{at(13, 30), presence.Speaking}, {at(13, 0), "Available"}, {at(12, 4), "Away"}, {at(11, 55), presence.Speaking},
		{at(10, 8), "Available"}, {at(10, 6), presence.Speaking}, {at(10, 5), presence.WrappingUp},
		{at(10, 0), presence.Speaking},
		{at(9, 11), "Available"}, {at(9, 10), presence.WrappingUp}, {at(9, 0), presence.Speaking},
		{at(8, 0), "Available"},
	}, got)
	t.Run("what was begun before", func(t *testing.T) {
		day := presence.Day(chosen, parts, at(12, 30), at(12, 40), time.Minute)
		assert.Equal(t, []presence.Change{{at(12, 30), "Away", false, false}}, day)
	})
	assert.Empty(t, presence.Day(nil, nil, at(8, 0), at(9, 0), time.Minute))
}
