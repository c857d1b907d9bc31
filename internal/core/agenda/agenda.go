// Package agenda puts a rep's day in order: what is left of earlier days, what is for today at no particular time, and
// what is due hour by hour; and it says what is usual for a rep until this time of the day.
//
// It must not know follow-ups, visits, the database or the clock: the time is an argument, in the rep's own zone.
package agenda

import (
	"slices"
	"time"
)

// Place is where in the day something stands.
type Place string

// The places, in their order on the page.
const (
	Before   Place = "before" // of an earlier day, and still open
	WholeDay Place = "day"    // today, at no particular time
	AtHour   Place = "hour"   // today, at a time
)

// Item is something to be done. Its zero Due is never.
type Item struct {
	ID      string
	Due     time.Time
	DayOnly bool // on the day of Due, at no particular time
}

// Entry is an item of the day.
type Entry struct {
	ID    string
	Place Place
	Late  bool // its time has passed
}

// Day is what of items belongs to the day of now, in order: what is left of earlier days first, the oldest before all;
// then what is for the whole day; then by the hour. What is due at the same time stays in the order in which it came.
// Days are those of now's zone.
func Day(items []Item, now time.Time) []Entry {
	midnight := time.Date(now.Year(), now.Month(), now.Day(), 0, 0, 0, 0, now.Location())
	tomorrow := time.Date(now.Year(), now.Month(), now.Day()+1, 0, 0, 0, 0, now.Location())
	items = slices.Clone(items)
	slices.SortStableFunc(items, func(x, y Item) int { return x.Due.Compare(y.Due) })
	var day []Entry
	for _, place := range []Place{Before, WholeDay, AtHour} {
		for _, it := range items {
			if it.Due.IsZero() || !it.Due.Before(tomorrow) {
				continue
			}
			at := AtHour
			switch {
			case it.Due.Before(midnight):
				at = Before
			case it.DayOnly:
				at = WholeDay
			}
			if at == place {
				day = append(day, Entry{ID: it.ID, Place: at, Late: at == Before || at == AtHour && it.Due.Before(now)})
			}
		}
	}
	return day
}

// Figures are what a rep has done on a day, or until some time of it.
type Figures struct {
	Calls         int           // tried, placed or taken
	Conversations int           // in which somebody was spoken with
	Talk          time.Duration // in those
}

// usualDays is how many days with calls are looked at.
const usualDays = 20

// Usual is what a rep does on a day on which they make calls at all: the mean of the last twenty such days, rounded to
// whole calls and seconds. Days come the newest first; false where there are fewer than three.
func Usual(days []Figures) (Figures, bool) {
	var sum Figures
	n := 0
	for _, d := range days {
		if d.Calls == 0 || n == usualDays {
			continue
		}
		n++
		sum.Calls += d.Calls
		sum.Conversations += d.Conversations
		sum.Talk += d.Talk
	}
	if n < 3 {
		return Figures{}, false
	}
	round := func(x int) int { return (2*x + n) / (2 * n) }
	return Figures{Calls: round(sum.Calls), Conversations: round(sum.Conversations),
		Talk: (sum.Talk / time.Duration(n)).Round(time.Second)}, true
}
