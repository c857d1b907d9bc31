package round_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/callable"
	"trundo/internal/core/round"
)

// Monday 2 March 2026, 10:00 in New York, 15:00 UTC, 7:00 in Los Angeles.
var (
	ny, _   = time.LoadLocation("America/New_York")
	now     = time.Date(2026, 3, 2, 10, 0, 0, 0, ny)
	times   = round.Times{Now: now, DayStart: time.Date(2026, 3, 2, 0, 0, 0, 0, ny), Hours: callable.DefaultHours}
	eastern = []string{"America/New_York"}
	pacific = []string{"America/Los_Angeles"}
)

func settings() round.Settings {
	return round.Settings{Order: round.Listed, SkipCalledToday: true, PerDay: 3, PerRound: 5, Pace: round.AtOnce,
		RetryMinutes: 120, Then: map[string]round.Then{}}
}

func numbers(zones ...[]string) []round.Number {
	all := make([]round.Number, len(zones))
	for i, z := range zones {
		all[i] = round.Number{ID: fmt.Sprint("n", i), Label: fmt.Sprint("label ", i), Zones: z, Dialable: true}
	}
	return all
}

func TestWhoIsCalledNow(t *testing.T) {
	at := func(hour int) time.Time { return time.Date(2026, 3, 2, hour, 0, 0, 0, ny) }
	never := time.Time{}
	marked, broken := numbers(eastern), numbers(eastern)
	marked[0].DoNotCall, broken[0].Dialable = true, false
	tests := []struct {
		name   string
		person round.Person
		wanted string
		tried  []string
		reason round.Reason
		number int
		at     time.Time
	}{
		{"by the first number", round.Person{Numbers: numbers(eastern, eastern)}, "", nil, round.None, 0, never},
		{"by the one that is wanted", round.Person{Numbers: numbers(eastern, eastern)}, "n1", nil, round.None, 1,
			never},
		{"not by one that was tried", round.Person{Numbers: numbers(eastern, eastern)}, "", []string{"n0"}, round.None,
			1, never},
		{"by one that was tried where there is no other", round.Person{Numbers: numbers(eastern)}, "", []string{"n0"},
			round.None, 0, never},
		{"by the second where the first one's place still sleeps", round.Person{Numbers: numbers(pacific, eastern)}, "",
			nil, round.None, 1, never},
		{"later where all still sleep", round.Person{Numbers: numbers(pacific)}, "", nil, round.OutOfHours, -1, at(11)},
		{"the person's zone where the number has none",
			round.Person{Numbers: numbers(nil), Zone: "America/Los_Angeles"}, "", nil, round.OutOfHours, -1, at(11)},
		{"gone", round.Person{Gone: true, Numbers: numbers(eastern)}, "", nil, round.Removed, 0, never},
		{"no number", round.Person{}, "", nil, round.NoNumber, 0, never},
		{"no number that is one", round.Person{Numbers: broken}, "", nil, round.NoNumber, 0, never},
		{"asked not to be called", round.Person{Numbers: numbers(eastern), DoNotCall: true}, "", nil, round.AskedNot, 0,
			never},
		{"every number marked", round.Person{Numbers: marked}, "", nil, round.AskedNot, 0, never},
		{"called this morning", round.Person{Numbers: numbers(eastern), LastCalled: at(9), CallsToday: 1}, "", nil,
			round.CalledToday, 0, at(24)},
		{"called last night", round.Person{Numbers: numbers(eastern), LastCalled: at(-4)}, "", nil, round.None, 0,
			never},
		{"called this morning by this round",
			round.Person{Numbers: numbers(eastern), LastCalled: at(9), CallsToday: 1, Attempts: 1}, "", nil, round.None,
			0, never},
		{"three times today", round.Person{Numbers: numbers(eastern), LastCalled: at(9), CallsToday: 3, Attempts: 3},
			"", nil, round.ManyToday, 0, at(24)},
		{"five times in all", round.Person{Numbers: numbers(eastern), Attempts: 5}, "", nil, round.Tried, 0, never},
		{"a colleague speaks with them", round.Person{Numbers: numbers(eastern), BeingCalled: true}, "", nil,
			round.InACall, 0, now.Add(2 * time.Minute)},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			v := round.Judge(tt.person, settings(), times, tt.wanted, tt.tried)
			assert.Equal(t, tt.reason, v.Reason)
			assert.Equal(t, tt.number, v.Number)
			assert.True(t, tt.at.Equal(v.At), "asked again at %v, not %v", tt.at, v.At)
		})
	}
}

func TestWhoWasCalledTodayIsCalledWhereThatIsWanted(t *testing.T) {
	s := settings()
	s.SkipCalledToday = false
	v := round.Judge(round.Person{Numbers: numbers(eastern), LastCalled: now.Add(-time.Hour), CallsToday: 1}, s, times,
		"", nil)
	assert.Equal(t, round.None, v.Reason)
	assert.Equal(t, time.Date(2026, 3, 2, 21, 0, 0, 0, ny), v.Until.In(ny))
}

func TestTheNextNumberIsOneThatMayBeCalled(t *testing.T) {
	t.Parallel()
	p := round.Person{Numbers: numbers(eastern, pacific, eastern, eastern)}
	p.Numbers[2].DoNotCall = true
	i, more := round.NextAt(p, []string{"n0"}, callable.DefaultHours, now)
	assert.True(t, more)
	assert.Equal(t, 3, i, "in Los Angeles it is seven")
	_, more = round.NextAt(p, []string{"n0", "n3"}, callable.DefaultHours, now)
	assert.False(t, more)
	i, more = round.NextAt(p, []string{"n0", "n3"}, callable.DefaultHours, now.Add(time.Hour))
	assert.True(t, more)
	assert.Equal(t, 1, i)
	p = round.Person{Zone: "America/Los_Angeles", Numbers: numbers(nil)}
	_, more = round.NextAt(p, nil, callable.DefaultHours, now)
	assert.False(t, more, "by where the person is")
}

func TestANextNumberThatSleepsIsPassedOver(t *testing.T) {
	t.Parallel()
	s := settings()
	s.Then["busy"] = round.NextNumber
	p := round.Person{Numbers: numbers(eastern, pacific, eastern)}
	step := round.After(round.Ended{Outcome: "busy"}, p, round.Past{Attempts: 1, Today: 1, Tried: []string{"n0"}}, s,
		nil, times)
	assert.Equal(t, round.Step{Bead: round.Later, Again: true, At: now, Number: "n2"}, step)
	p = round.Person{Numbers: numbers(eastern, pacific)}
	step = round.After(round.Ended{Outcome: "busy"}, p, round.Past{Attempts: 1, Today: 1, Tried: []string{"n0"}}, s,
		nil, times)
	assert.Equal(t, now.Add(2*time.Hour), step.At, "nobody is awake at the other: they are tried again as usual")
}

func TestTheOrder(t *testing.T) {
	late := round.Person{Overdue: now.AddDate(0, 0, -3), Value: 100}
	later := round.Person{Overdue: now.AddDate(0, 0, -1), Value: 900}
	never := round.Person{}
	assert.Less(t, round.Rank(round.Listed, 1, later, 0), round.Rank(round.Listed, 2, late, 1))
	assert.Less(t, round.Rank(round.Overdue, 9, late, 0), round.Rank(round.Overdue, 1, later, 0))
	assert.Less(t, round.Rank(round.Overdue, 9, later, 0), round.Rank(round.Overdue, 1, never, 0))
	assert.Less(t, round.Rank(round.Valuable, 9, later, 0), round.Rank(round.Valuable, 1, late, 0))
	assert.Less(t, round.Rank(round.Best, 9, never, 0.6), round.Rank(round.Best, 1, late, 0.5))
}

func TestWhatFollowsAnAttempt(t *testing.T) {
	two, one := round.Person{Numbers: numbers(eastern, eastern)}, round.Person{Numbers: numbers(eastern)}
	first := round.Past{Attempts: 1, Today: 1, Tried: []string{"n0"}, Hour: 10}
	at := func(day, hour, minute int) time.Time { return time.Date(2026, 3, day, hour, minute, 0, 0, ny) }
	rules := map[string]round.Then{"no answer": round.Again, "busy": round.NextNumber, "not now": round.NotAgain}
	tests := []struct {
		name   string
		ended  round.Ended
		person round.Person
		past   round.Past
		other  bool
		want   round.Step
	}{
		{"spoken with", round.Ended{Reached: true}, two, first, false, round.Step{Bead: round.Spoke}},
		{"a message left", round.Ended{Message: true}, two, first, false, round.Step{Bead: round.Left}},
		{"nobody answered", round.Ended{Outcome: "no answer"}, two, first, false,
			round.Step{Bead: round.Later, Again: true, At: at(2, 12, 0)}},
		{"an outcome without a rule", round.Ended{Outcome: "other"}, two, first, false,
			round.Step{Bead: round.Later, Again: true, At: at(2, 12, 0)}},
		{"busy: the next number at once", round.Ended{Outcome: "busy"}, two, first, false,
			round.Step{Bead: round.Later, Again: true, At: now, Number: "n1"}},
		{"busy, and no other number", round.Ended{Outcome: "busy"}, one, first, false,
			round.Step{Bead: round.Later, Again: true, At: at(2, 12, 0)}},
		{"not again", round.Ended{Outcome: "not now"}, two, first, false, round.Step{Bead: round.NoReply}},
		{"the outcome says when", round.Ended{Outcome: "no answer", Retry: &round.Wish{At: at(3, 9, 30), Number: "n1"}},
			two, first, false,
			round.Step{Bead: round.Later, Again: true, At: at(3, 9, 30), Number: "n1"}},
		{"spoken with, and to be called again", round.Ended{Reached: true, Retry: &round.Wish{At: at(3, 9, 30)}}, two,
			first, false,
			round.Step{Bead: round.Later, Again: true, At: at(3, 9, 30)}},
		{"the outcome says a time at night", round.Ended{Retry: &round.Wish{At: at(2, 23, 0)}}, one, first, false,
			round.Step{Bead: round.Later, Again: true, At: at(3, 8, 0)}},
		{"wrong number, and another", round.Ended{Outcome: "wrong", Stops: true}, two, first, false,
			round.Step{Bead: round.Later, Again: true, At: now, Number: "n1"}},
		{"wrong number, and no other", round.Ended{Outcome: "wrong", Stops: true}, one, first, false,
			round.Step{Bead: round.Refused}},
		{"never call this person", round.Ended{Stops: true, Person: true, Reached: true}, two, first, false,
			round.Step{Bead: round.Refused}},
		{"five times in this round", round.Ended{Outcome: "no answer"}, two,
			round.Past{Attempts: 5, Today: 1, Tried: []string{"n0"}}, false,
			round.Step{Bead: round.NoReply, Why: "was tried often enough"}},
		{"three times today: tomorrow", round.Ended{Outcome: "no answer"}, two,
			round.Past{Attempts: 3, Today: 3, Tried: []string{"n0"}}, false,
			round.Step{Bead: round.Later, Again: true, At: at(3, 8, 0)}},
		{"three times today: no next number either", round.Ended{Outcome: "busy"}, two,
			round.Past{Attempts: 3, Today: 3, Tried: []string{"n0"}}, false,
			round.Step{Bead: round.Later, Again: true, At: at(3, 8, 0)}},
		{"another hour", round.Ended{Outcome: "no answer"}, one,
			round.Past{Attempts: 1, Today: 1, Tried: []string{"n0"}, Hour: 12}, true,
			round.Step{Bead: round.Later, Again: true, At: at(2, 13, 0)}},
		{"the carrier refused it", round.Ended{Ours: true}, two, first, false,
			round.Step{Bead: round.Later, Again: true, At: at(2, 10, 15), Why: "the carrier refused the call"}},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			s := settings()
			s.Then, s.OtherHour = rules, tt.other
			got := round.After(tt.ended, tt.person, tt.past, s, func(string) (a, b round.History) { return }, times)
			assert.True(t, tt.want.At.Equal(got.At), "at %v, not %v", tt.want.At, got.At)
			got.At, tt.want.At = time.Time{}, time.Time{}
			assert.Equal(t, tt.want, got)
		})
	}
}

func TestAnHourWithAClearlyBetterChanceIsWaitedFor(t *testing.T) {
	s := settings()
	s.OtherHour = true
	var own round.History
	for range 3 {
		own.Add(17, true)
	}
	// Without history every hour has 1 in 3. At 17: (4/3 + 3) / 7 = 0.62. At 16 and 18, half of it: (4/3 + 1.5) / 5.5 =
	// 0.515.
	got := round.After(round.Ended{}, round.Person{Numbers: numbers(eastern)},
		round.Past{Attempts: 1, Today: 1, Hour: 10}, s,
		func(string) (a, b round.History) { return own, round.History{} }, times)
	assert.Equal(t, time.Date(2026, 3, 2, 17, 0, 0, 0, ny), got.At.In(ny))
}

func TestTheChanceThatSomebodyAnswers(t *testing.T) {
	var none, twice, kind round.History
	twice.Add(10, true)
	twice.Add(10, true)
	for i := range 60 {
		kind.Add(10, i < 30)
	}
	tests := []struct {
		name            string
		own, kind       round.History
		hour            int
		mean, low, high float64
	}{
		// sd = sqrt(1/3 * 2/3 / 5) = 0.2108, times 1.2816 = 0.2702
		{"nothing known", none, none, 10, 0.3333, 0.0632, 0.6035},
		// (4/3 + 2) / 6 = 0.5556; sd = sqrt(0.5556 * 0.4444 / 7) = 0.1878
		{"answered twice", twice, none, 10, 0.5556, 0.3149, 0.7963},
		// half of it counts an hour later: (4/3 + 1) / 5 = 0.4667
		{"an hour later", twice, none, 11, 0.4667, 0.2057, 0.7277},
		{"two hours later", twice, none, 12, 0.3333, 0.0632, 0.6035},
		// base (4 + 30) / 72 = 0.4722; at ten (0.4722 * 12 + 30) / 72 = 0.4954
		{"others of its kind", none, kind, 10, 0.4954, 0.2088, 0.7819},
		{"others of its kind at another hour", none, kind, 15, 0.4722, 0.1861, 0.7583},
		{"midnight has a neighbour", twice, none, 0, 0.3333, 0.0632, 0.6035},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			c := round.Chance(tt.own, tt.kind, tt.hour)
			assert.InDelta(t, tt.mean, c.Mean, 0.0001)
			assert.InDelta(t, tt.low, c.Low, 0.0002)
			assert.InDelta(t, tt.high, c.High, 0.0002)
		})
	}
}

func TestMoreAttemptsMakeSurer(t *testing.T) {
	var few, many round.History
	for i := range 40 {
		many.Add(10, i%2 == 0)
		if i < 4 {
			few.Add(10, i%2 == 0)
		}
	}
	a, b := round.Chance(few, round.History{}, 10), round.Chance(many, round.History{}, 10)
	assert.Less(t, b.High-b.Low, a.High-a.Low)
	assert.Greater(t, b.Mean, a.Mean, "the prior of one in three counts for less")
}

func TestTheBestWindow(t *testing.T) {
	var own round.History
	for i := range 7 {
		own.Add(9+i%2, i < 5)
	}
	own.Add(15, false)
	w := round.BestWindow(own, round.History{}, 8, 21)
	assert.Equal(t, 9, w.From)
	assert.Equal(t, round.Tally{Tries: 7, Answered: 5}, w.Own)
	assert.Equal(t, fmt.Sprintf("best 9 to 11: 5 of 7 answered, %.0f to %.0f %% likely", w.Estimate.Low*100,
		w.Estimate.High*100), w.Text())
	assert.Contains(t, round.BestWindow(round.History{}, round.History{}, 8, 21).Text(),
		"best 8 to 10: from similar numbers")
}

func TestTheSentence(t *testing.T) {
	tests := []struct {
		total int
		why   map[round.Reason]int
		want  string
	}{
		{0, nil, "There is nobody on it."},
		{1, nil, "The one on it can be called now."},
		{84, nil, "All 84 can be called now."},
		{12_400, map[round.Reason]int{round.AskedNot: 1, round.OutOfHours: 2000, round.CalledToday: 3},
			"10,396 of 12,400 can be called now: 2,000 are outside calling hours, 3 were called today, 1 asked not " +
				"to be called."},
		{2, map[round.Reason]int{round.NoNumber: 2}, "0 of 2 can be called now: 2 have no number that can be called."},
	}
	for _, tt := range tests {
		assert.Equal(t, tt.want, round.Sentence(tt.total, tt.why))
	}
}

func TestThePace(t *testing.T) {
	at := func(minutes ...int) (all []time.Time) {
		for _, m := range minutes {
			all = append(all, now.Add(time.Duration(m)*time.Minute))
		}
		return all
	}
	assert.Zero(t, round.Average(at(0)))
	assert.Equal(t, 3*time.Minute, round.Average(at(0, 2, 6)))
	assert.Equal(t, 8*time.Minute, round.Average(at(0, 1, 200)),
		"a break counts as a quarter of an hour at most: (1 + 15) / 2")
	assert.Equal(t, now.Add(30*time.Minute), round.DoneAt(now, 20, 3*time.Minute, 2))
	assert.Zero(t, round.DoneAt(now, 20, 0, 1))
}

func TestSettingsThatCannotBe(t *testing.T) {
	require.NoError(t, settings().Check())
	for field, change := range map[string]func(*round.Settings){
		"order": func(s *round.Settings) { s.Order = "by chance" }, "per_day": func(s *round.Settings) { s.PerDay = 0 },
		"per_round": func(s *round.Settings) { s.PerRound = 21 }, "pace": func(s *round.Settings) { s.Pace = "" },
		"seconds":       func(s *round.Settings) { s.Pace = round.Seconds },
		"retry_minutes": func(s *round.Settings) { s.RetryMinutes = 4 },
		"then":          func(s *round.Settings) { s.Then["x"] = "perhaps" },
	} {
		s := settings()
		change(&s)
		var bad *round.SettingError
		require.ErrorAs(t, s.Check(), &bad)
		assert.Equal(t, field, bad.Field)
	}
}

// FuzzAfter holds what must be so whatever an attempt was: nobody is tried more often than allowed, nor before the
// attempt, nor outside calling hours.
func FuzzAfter(f *testing.F) {
	f.Add(true, false, false, uint8(1), uint8(1), uint8(10), uint16(60), uint8(0), true)
	f.Add(false, false, true, uint8(3), uint8(2), uint8(23), uint16(9000), uint8(1), false)
	f.Fuzz(func(t *testing.T, reached, message, stops bool, attempts, today, hour uint8, minutes uint16, then uint8,
		other bool) {
		s := settings()
		s.RetryMinutes, s.OtherHour = 5+int(minutes)%10_000, other
		s.Then["x"] = []round.Then{round.Again, round.NextNumber, round.NotAgain}[then%3]
		p := round.Person{Numbers: numbers(eastern, pacific)}
		past := round.Past{Attempts: 1 + int(attempts)%6, Today: 1 + int(today)%4, Tried: []string{"n0"},
			Hour: int(hour) % 24}
		got := round.After(round.Ended{Outcome: "x", Reached: reached, Message: message, Stops: stops}, p, past, s,
			func(string) (a, b round.History) { return }, times)
		if !got.Again {
			return
		}
		assert.Less(t, past.Attempts, s.PerRound)
		assert.False(t, got.At.Before(now))
		if past.Today >= s.PerDay {
			assert.False(t, got.At.Before(times.DayStart.AddDate(0, 0, 1)))
		}
		if got.Number == "" {
			assert.True(t, callable.Check(callable.Subject{Zones: eastern}, times.Hours, got.At).InHours, "%v", got.At)
		}
	})
}

func ExampleSentence() {
	fmt.Println(round.Sentence(120, map[round.Reason]int{round.CalledToday: 12, round.AskedNot: 9}))
	// Output: 99 of 120 can be called now: 12 were called today, 9 asked not to be called.
}
