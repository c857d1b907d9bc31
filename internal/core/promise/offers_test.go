package promise_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/promise"
)

func TestTimesAreOfferedFromBothSidesHours(t *testing.T) {
	here, err := time.LoadLocation("America/New_York")
	require.NoError(t, err)
	there, err := time.LoadLocation("America/Los_Angeles") // three hours behind
	require.NoError(t, err)
	within := func(zone *time.Location, from, to int) func(time.Time) bool {
		return func(at time.Time) bool {
			l := at.In(zone)
			return l.Hour() >= from && l.Hour() < to && l.Weekday() != time.Saturday && l.Weekday() != time.Sunday
		}
	}
	sides := promise.Sides{Ours: within(here, 9, 17), Theirs: within(there, 9, 20), There: there}
	at := func(day, hour, minute int) time.Time { return time.Date(2026, 3, day, hour, minute, 0, 0, here) }
	for what, c := range map[string]struct {
		now   time.Time
		taken []time.Time
		want  []time.Time
	}{
		// They are up from 12 on, here: 12, three hours later, and the next day.
		"in the morning": {at(2, 8, 10), nil, []time.Time{at(2, 12, 0), at(2, 15, 0), at(3, 12, 0)}},
		// An hour ahead, on the half hour; three hours later it is the next day, and the third one later still.
		"in the afternoon": {at(2, 13, 40), nil, []time.Time{at(2, 15, 0), at(3, 12, 0), at(4, 12, 0)}},
		"exactly an hour":  {at(2, 13, 30), nil, []time.Time{at(2, 15, 0), at(3, 12, 0), at(4, 12, 0)}},
		"over the weekend": {at(6, 16, 30), nil, []time.Time{at(9, 12, 0), at(9, 15, 0), at(10, 12, 0)}},
		// On the Sunday between the clocks go on an hour here and there alike.
		"beside what there is": {at(2, 8, 10), []time.Time{at(2, 12, 15), at(2, 15, 30), at(3, 12, 0)},
			[]time.Time{at(2, 13, 0), at(2, 16, 0), at(3, 12, 30)}},
	} {
		sides.Taken = c.taken
		got := promise.Offer(sides, c.now)
		require.Len(t, got, len(c.want), what)
		for i := range got {
			assert.True(t, c.want[i].Equal(got[i]), "%s: %s", what, got[i].In(here))
		}
	}
	sides.Theirs = func(time.Time) bool { return false }
	assert.Empty(t, promise.Offer(sides, at(2, 8, 0)))
}

func TestWhichOfferAnAnswerNames(t *testing.T) {
	for text, want := range map[string]int{
		"2": 2, " 2. ": 2, "No. 2": 2, "no 3": 3, "#1": 1, "Number 2 please": 2, "the second one": 2, "Second.": 2, "one": 1,
		"3rd is fine, thanks": 3, "2!": 2, "2 2": 2,
		"": 0, "4": 0, "12": 0, "1 or 2": 0, "1, 2": 0, "2 pm": 0, "2:30": 0, "not 2": 0, "none": 0, "no": 0, "after 2": 0,
		"yes": 0, "call me": 0, "2 but tell my husband Orla about the filters": 0, "room 12 1": 0,
	} {
		got, is := promise.Choice(text, 3)
		assert.Equal(t, want, got, "%q", text)
		assert.Equal(t, want != 0, is, "%q", text)
	}
	_, is := promise.Choice("3", 2)
	assert.False(t, is, "only two were offered")
}

func FuzzChoice(f *testing.F) {
	for _, s := range []string{"2", "the second one", "1 or 2", "no. 3", "\xff2"} {
		f.Add(s, 3)
	}
	f.Fuzz(func(t *testing.T, text string, n int) {
		got, is := promise.Choice(text, n)
		if is != (got > 0) || is && got > n || got > promise.Offers {
			t.Errorf("%q of %d: %d, %t", text, n, got, is)
		}
	})
}
