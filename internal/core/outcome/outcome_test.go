package outcome_test

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/callable"
	"trundo/internal/core/outcome"
	"trundo/internal/core/workday"
)

func zone(t testing.TB, name string) *time.Location {
	z, err := time.LoadLocation(name)
	require.NoError(t, err)
	return z
}

func minutes(h, m int) *int { n := h*60 + m; return &n }

// The times below were counted by hand on a calendar of 2026 in which 26 November and 25 December are holidays.
func TestWhenSomethingIsDue(t *testing.T) {
	t.Parallel()
	days := workday.New([]workday.Holiday{{Date: "2026-11-26"}, {Date: "2026-12-25"}})
	for _, x := range []struct {
		name, now, zone string
		after           outcome.After
		zones           []string
		want            string
		any             bool // no call: calling hours do not count
	}{
		{name: "twenty minutes, rounded up", now: "2026-11-25 10:31", zone: "America/New_York",
			after: outcome.After{Count: 20, Unit: outcome.Minutes}, want: "2026-11-25 10:55"},
		{name: "at once", now: "2026-11-25 10:31", zone: "America/New_York",
			after: outcome.After{Unit: outcome.Minutes}, want: "2026-11-25 10:31"},
		{name: "an hour on the dot", now: "2026-11-25 10:30", zone: "America/New_York",
			after: outcome.After{Count: 1, Unit: outcome.Hours}, want: "2026-11-25 11:30"},
		{name: "past calling hours, and the next day is a holiday", now: "2026-11-25 20:30", zone: "America/New_York",
			after: outcome.After{Count: 1, Unit: outcome.Hours}, want: "2026-11-27 08:00"},
		{name: "before calling hours", now: "2026-11-25 06:00", zone: "America/New_York",
			after: outcome.After{Count: 30, Unit: outcome.Minutes}, want: "2026-11-25 08:00"},
		{name: "a task at any hour", now: "2026-11-25 20:30", zone: "America/New_York",
			after: outcome.After{Count: 1, Unit: outcome.Hours}, want: "2026-11-25 21:30", any: true},
		{name: "two business days over a holiday and a weekend", now: "2026-11-25 16:00", zone: "America/Denver",
			after: outcome.After{Count: 2, Unit: outcome.BusinessDays, At: minutes(9, 30)}, want: "2026-11-30 09:30"},
		{name: "a business day, whole", now: "2026-11-27 16:00", zone: "America/Denver",
			after: outcome.After{Count: 1, Unit: outcome.BusinessDays}, want: "2026-11-30"},
		{name: "three days end on a Saturday", now: "2026-12-02 16:00", zone: "America/Denver",
			after: outcome.After{Count: 3, Unit: outcome.Days, At: minutes(10, 0)}, want: "2026-12-07 10:00"},
		{name: "a week ends on a holiday", now: "2026-12-18 12:00", zone: "America/Denver",
			after: outcome.After{Count: 1, Unit: outcome.Weeks}, want: "2026-12-28"},
		{name: "later today", now: "2026-11-25 12:00", zone: "America/Denver",
			after: outcome.After{Count: 0, Unit: outcome.Days, At: minutes(15, 0)}, want: "2026-11-25 15:00"},
		{name: "today it has passed", now: "2026-11-25 16:00", zone: "America/Denver",
			after: outcome.After{Count: 0, Unit: outcome.Days, At: minutes(15, 0)}, want: "2026-11-27 15:00"},
		{name: "a call at six is moved into calling hours", now: "2026-11-30 12:00", zone: "America/Denver",
			after: outcome.After{Count: 1, Unit: outcome.BusinessDays, At: minutes(6, 0)}, want: "2026-12-01 08:00"},
		{name: "a call at ten at night is moved to the next morning", now: "2026-12-03 12:00", zone: "America/Denver",
			after: outcome.After{Count: 1, Unit: outcome.BusinessDays, At: minutes(22, 0)}, want: "2026-12-07 08:00"},
		{name: "an area code with two zones: open in both", now: "2026-11-30 12:00", zone: "America/Boise",
			after: outcome.After{Count: 1, Unit: outcome.BusinessDays, At: minutes(8, 0)},
			zones: []string{"America/Boise", "America/Los_Angeles"}, want: "2026-12-01 09:00"},
		{name: "over the change to summer time the clock counts", now: "2026-03-06 09:00", zone: "America/New_York",
			after: outcome.After{Count: 1, Unit: outcome.BusinessDays, At: minutes(9, 0)}, want: "2026-03-09 09:00"},
		{name: "twelve hours over the change to winter time", now: "2026-10-31 20:00", zone: "America/New_York",
			after: outcome.After{Count: 12, Unit: outcome.Hours}, want: "2026-11-01 07:00", any: true},
		{name: "two o'clock does not exist on that day", now: "2026-03-07 12:00", zone: "America/New_York",
			after: outcome.After{Count: 14 * 60, Unit: outcome.Minutes}, want: "2026-03-08 03:00", any: true},
	} {
		z := zone(t, x.zone)
		now, err := time.ParseInLocation("2006-01-02 15:04", x.now, z)
		require.NoError(t, err)
		due, dayOnly := outcome.Due(x.after, outcome.Situation{Now: now.UTC(), Zone: z, Zones: x.zones, Workdays: days},
			!x.any)
		format := "2006-01-02 15:04"
		if dayOnly {
			format = time.DateOnly
			assert.Equal(t, "00:00", due.Format("15:04"), x.name)
		}
		assert.Equal(t, x.want, due.Format(format), x.name)
	}
}

func situation(t testing.TB) outcome.Situation {
	return outcome.Situation{Now: time.Date(2026, 11, 25, 17, 0, 0, 0, time.UTC), Zone: zone(t, "America/Chicago"),
		Person: &outcome.Named{ID: "berit", Name: "Berit Osterlund"},
		Deal:   &outcome.Named{ID: "tank", Name: "Tank for the school", Stage: "enquiry"}, Deals: 1,
		Number: &outcome.Number{ID: "n1", Label: "mobile", E164: "+12075550101"},
		Next:   &outcome.Number{ID: "n2", Label: "office", E164: "+12075550102"}, Mail: "berit@vesper.example",
		Names:    map[string]string{"l1": "Spring show", "t1": "Thank you", "w1": "warehouse"},
		Sequence: 1, Fill: func(s string) string { return s + "!" }}
}

func TestThePlanInWords(t *testing.T) {
	t.Parallel()
	s := situation(t)
	without := outcome.Situation{Now: s.Now, Names: map[string]string{}}
	two := s
	two.Deal, two.Deals, two.NoText = nil, 2, "they wrote STOP"
	for _, x := range []struct {
		effect outcome.Effect
		s      outcome.Situation
		want   string // the words, or what is in the way
	}{
		{outcome.Effect{Kind: outcome.FollowUp, Act: outcome.Call, Text: "ask",
			After: outcome.After{Count: 1, Unit: outcome.Days}}, s, "call Berit Osterlund"},
		{outcome.Effect{Kind: outcome.FollowUp, Act: outcome.Meeting,
			After: outcome.After{Count: 1, Unit: outcome.Days}}, s, "meet Berit Osterlund"},
		{outcome.Effect{Kind: outcome.FollowUp, Act: outcome.Call, After: outcome.After{Count: 1, Unit: outcome.Days}},
			without, "! the call has no linked records"},
		{outcome.Effect{Kind: outcome.Retry, After: outcome.After{Count: 2, Unit: outcome.Hours}}, s,
			"try mobile again"},
		{outcome.Effect{Kind: outcome.Retry, Next: true, After: outcome.After{Unit: outcome.Minutes}}, s, "try office"},
		{outcome.Effect{Kind: outcome.Message, Target: "t1"}, s, "text “Thank you” to mobile"},
		{outcome.Effect{Kind: outcome.Message, Target: "t1"}, two, "! they wrote STOP"},
		{outcome.Effect{Kind: outcome.Message, Target: "t9"}, s, "! its template is gone"},
		{outcome.Effect{Kind: outcome.Mail, Target: "t1"}, s, "send “Thank you” to berit@vesper.example"},
		{outcome.Effect{Kind: outcome.AddToList, Target: "l1"}, s, "put on the list “Spring show”"},
		{outcome.Effect{Kind: outcome.TakeOffList, Target: "l2"}, s, "! its list is gone"},
		{outcome.Effect{Kind: outcome.AddTag, Text: "spring"}, s, "tag “spring”"},
		{outcome.Effect{Kind: outcome.DealStage, Value: "offer"}, s, "“Tank for the school” becomes “offer”"},
		{outcome.Effect{Kind: outcome.DealStage, Value: "enquiry"}, s, "! it is “enquiry” already"},
		{outcome.Effect{Kind: outcome.DealStage, Value: "offer"}, two,
			"! there are 2 open deals: put the call on one of them"},
		{outcome.Effect{Kind: outcome.CaseState, Value: "solved"}, s, "! there is no open case"},
		{outcome.Effect{Kind: outcome.NewCase, Text: "Leak"}, s, "open a case"},
		{outcome.Effect{Kind: outcome.DoNotCall, Value: outcome.ThisNumber}, s, "never call mobile"},
		{outcome.Effect{Kind: outcome.DoNotCall, Value: outcome.ThisPerson}, s, "never call Berit Osterlund"},
		{outcome.Effect{Kind: outcome.DoNotCall, Value: outcome.ThisPerson}, without,
			"! the call has no linked records"},
		{outcome.Effect{Kind: outcome.EndSequence}, s, "end the sequence"},
		{outcome.Effect{Kind: outcome.EndSequence}, without, "! the call has no linked records"},
		{outcome.Effect{Kind: outcome.Webhook, Target: "w1"}, without, "! its address is gone"},
		{outcome.Effect{Kind: outcome.Webhook, Target: "w1"}, s, "tell “warehouse”"},
	} {
		it := outcome.Plan([]outcome.Effect{x.effect}, x.s)[0]
		got := it.Words
		if it.Problem != "" {
			got = "! " + it.Problem
		}
		assert.Equal(t, x.want, got, "%+v", x.effect)
		assert.NotEmpty(t, it.Words, "%+v", x.effect)
	}
	s.Stages, s.Deal.Stage = []string{"enquiry", "offer", "won"}, "won"
	back := outcome.Effect{Kind: outcome.DealStage, Value: "offer"}
	assert.Equal(t, "it is further on, at “won”, and the call is not about it",
		outcome.Plan([]outcome.Effect{back}, s)[0].Problem)
	s.Deal.About = true
	it := outcome.Plan([]outcome.Effect{back}, s)[0]
	assert.Equal(t, "“Tank for the school” goes back from “won” to “offer”", it.Words)
	assert.Empty(t, it.Problem)
	filled := outcome.Plan([]outcome.Effect{{Kind: outcome.NewCase, Text: "Leak"}}, s)[0]
	assert.Equal(t, "Leak!", filled.Text)
}

// Counted by hand: London is 8 hours before Los Angeles, Sydney 16 before New York; Honolulu's working hours end when
// Dubai's calling hours begin.
func TestSomebodyIsTriedAgainWhenBothAreUp(t *testing.T) {
	t.Parallel()
	for _, x := range []struct{ here, there, now, want string }{
		{"Europe/London", "America/Los_Angeles", "2026-11-30 08:00", "2026-11-30 09:00"}, // 17:00 in London
		// 18:00: tomorrow, when it is 16:00
		{"Europe/London", "America/Los_Angeles", "2026-11-30 09:00", "2026-12-01 08:00"},
		{"Europe/London", "America/Los_Angeles", "2026-12-04 11:00", "2026-12-07 08:00"}, // over the weekend
		{"Australia/Sydney", "America/New_York", "2026-11-30 09:00", "2026-11-30 16:00"}, // 2:00 on Tuesday in Sydney
		{"Pacific/Honolulu", "Asia/Dubai", "2026-11-30 09:00", "2026-11-30 10:00"},       // they share no hour
		{"", "America/Los_Angeles", "2026-11-30 18:00", "2026-11-30 19:00"},
	} {
		there := zone(t, x.there)
		now, err := time.ParseInLocation("2006-01-02 15:04", x.now, there)
		require.NoError(t, err)
		s := situation(t)
		s.Now, s.Zone = now, there
		if x.here != "" {
			s.Here = zone(t, x.here)
		}
		it := outcome.Plan([]outcome.Effect{{Kind: outcome.Retry, After: outcome.After{Count: 1, Unit: outcome.Hours}}},
			s)[0]
		assert.Equal(t, x.want, it.Due.Format("2006-01-02 15:04"), "%+v", x)
	}
}

func TestWhatComesBackIsWhatWasShown(t *testing.T) {
	t.Parallel()
	s := situation(t)
	effects := []outcome.Effect{{Kind: outcome.FollowUp, Act: outcome.Call, Text: "ask",
		After: outcome.After{Count: 1, Unit: outcome.BusinessDays}}, {Kind: outcome.AddTag, Text: "spring"},
		{Kind: outcome.CaseState, Value: "solved"}}
	fresh := outcome.Plan(effects, s)
	edited := func(do func(items []outcome.Item)) ([]outcome.Item, error) {
		items := append([]outcome.Item(nil), fresh...)
		do(items)
		return outcome.Settle(items, fresh, s.Now)
	}
	settled, err := edited(func([]outcome.Item) {})
	require.NoError(t, err)
	require.Len(t, settled, 2, "what cannot be done is left out")
	later := s.Now.AddDate(0, 0, 9)
	settled, err = edited(func(items []outcome.Item) {
		items[0].Due, items[0].Text, items[1].Text, items[0].Words = &later, " ask him ", "another tag", "delete everything"
	})
	require.NoError(t, err)
	assert.Equal(t, "ask him", settled[0].Text)
	assert.Equal(t, later, *settled[0].Due)
	assert.Equal(t, "spring", settled[1].Text, "a tag is not edited here")
	assert.Equal(t, "call Berit Osterlund", settled[0].Words)
	settled, err = edited(func(items []outcome.Item) { items[0].Struck = true })
	require.NoError(t, err)
	assert.Equal(t, outcome.AddTag, settled[0].Kind)

	far := s.Now.AddDate(6, 0, 0)
	for field, do := range map[string]func(items []outcome.Item){
		"items":  func(items []outcome.Item) { items[1].Record = "somebody else" },
		"due_at": func(items []outcome.Item) { items[0].Due = &far },
		"text":   func(items []outcome.Item) { items[0].Text = fmt.Sprintf("%0600d", 1) },
	} {
		_, err := edited(do)
		var at *outcome.ItemError
		require.ErrorAs(t, err, &at, field)
		assert.Equal(t, field, at.Field)
	}
	_, err = outcome.Settle(fresh[:2], fresh, s.Now)
	require.ErrorIs(t, err, outcome.ErrNotPlanned, "one that was not shown")
}

func TestWhatAnAdminCannotSet(t *testing.T) {
	t.Parallel()
	for field, e := range map[string]outcome.Effect{
		"kind":   {Kind: "explode"},
		"act":    {Kind: outcome.FollowUp, Act: "dance"},
		"text":   {Kind: outcome.AddTag, Text: "a, b"},
		"unit":   {Kind: outcome.Retry},
		"count":  {Kind: outcome.Retry, After: outcome.After{Count: 1001, Unit: outcome.Days}},
		"at":     {Kind: outcome.Retry, After: outcome.After{Unit: outcome.Days, At: minutes(24, 0)}},
		"target": {Kind: outcome.AddToList},
		"value":  {Kind: outcome.DoNotCall, Value: "everybody"},
	} {
		err := outcome.Check(3, e)
		var at *outcome.ItemError
		require.ErrorAs(t, err, &at, "%+v", e)
		assert.Equal(t, field, at.Field)
		assert.Equal(t, 3, at.Item)
	}
	for _, k := range outcome.Kinds {
		good := outcome.Effect{Kind: k, Act: outcome.Task, Text: "x", Target: "x", Value: outcome.ThisNumber,
			After: outcome.After{Unit: outcome.Days}}
		require.NoError(t, outcome.Check(0, good), k)
	}
}

// A call is never due outside calling hours in any of its zones, never on a day without business, and never before now.
func TestCallsAreDueWhenTheyMayBeMade(t *testing.T) {
	t.Parallel()
	days := workday.New(append(workday.Public("US", 2026), workday.Public("US", 2027)...))
	zones := [][]string{{"America/New_York"}, {"America/Boise", "America/Los_Angeles"}, {"Europe/London"},
		{"Australia/Sydney"}, {"Pacific/Honolulu", "America/New_York"}}
	random := rand.New(rand.NewPCG(6, 6))
	for range 3000 {
		zs := zones[random.IntN(len(zones))]
		a := outcome.After{Count: random.IntN(40), Unit: outcome.Units[random.IntN(len(outcome.Units))]}
		if random.IntN(2) == 0 {
			a.At = minutes(random.IntN(24), random.IntN(60))
		}
		now := time.Date(2026, 1, 1, 0, random.IntN(365*24*60), 0, 0, time.UTC)
		due, dayOnly := outcome.Due(a, outcome.Situation{Now: now, Zone: zone(t, zs[0]), Zones: zs, Workdays: days},
			true)
		about := fmt.Sprintf("%+v from %s in %v: %s", a, now, zs, due)
		assert.True(t, days.Works(due), about)
		if dayOnly {
			assert.False(t, due.AddDate(0, 0, 1).Before(now), about)
			continue
		}
		assert.False(t, due.Before(now), about)
		assert.True(t, callable.Check(callable.Subject{Zones: zs}, callable.DefaultHours, due).InHours, about)
	}
}
