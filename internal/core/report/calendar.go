package report

import (
	"fmt"
	"math"
	"sort"
	"strconv"
	"time"
)

// Calendar says in which hour, day, week or month a moment is, in one zone: a day of 23 or 25 hours is one day.
type Calendar struct {
	zone  *time.Location
	first time.Weekday // of a week
	// from are the moments at which the zone's distance to UTC changes, and off the distances from there on, in
	// seconds.
	from []int64
	off  []int64
}

// The years that a calendar knows without looking again.
const firstYear, lastYear = 2000, 2106

// NewCalendar is that of a zone whose weeks begin with a day.
func NewCalendar(zone *time.Location, first time.Weekday) *Calendar {
	c := &Calendar{zone: zone, first: first}
	end := time.Date(lastYear, 1, 1, 0, 0, 0, 0, time.UTC)
	for t := time.Date(firstYear, 1, 1, 0, 0, 0, 0, time.UTC); t.Before(end); {
		_, off := t.In(zone).Zone()
		c.from, c.off = append(c.from, t.Unix()), append(c.off, int64(off))
		_, until := t.In(zone).ZoneBounds()
		if until.IsZero() {
			break
		}
		if !until.After(t) { // on the last day of a leap year whose rule goes on for ever
			until = t.Add(daySeconds * time.Second)
		}
		t = until
	}
	return c
}

// Same tells whether another calendar says the same.
func (c *Calendar) Same(other *Calendar) bool {
	return c.zone.String() == other.zone.String() && c.first == other.first
}

// place is the hour, the weekday from Sunday, 0, and the day from 1970 of a moment; beyond 2149 it is the last day.
func (c *Calendar) place(at int64) (hour, weekday uint8, day uint16) {
	d := c.day(at)
	return uint8(c.hour(at)), uint8(weekdayOf(d)), uint16(min(max(d, 0), math.MaxUint16))
}

// Zone is the name of the calendar's.
func (c *Calendar) Zone() string { return c.zone.String() }

// local is how many seconds a clock on the wall there would have counted since 1970.
func (c *Calendar) local(at int64) int64 {
	i := sort.Search(len(c.from), func(i int) bool { return c.from[i] > at })
	return at + c.off[max(0, i-1)]
}

const daySeconds = 24 * 60 * 60

func (c *Calendar) day(at int64) int { return int(c.local(at) / daySeconds) }

func (c *Calendar) hour(at int64) int { return int(c.local(at) % daySeconds / 3600) }

// weekday counts from Sunday, 0. 1 January 1970 was a Thursday.
func weekdayOf(day int) int { return (day + int(time.Thursday)) % 7 }

// weekOf is the first day of the week of a day.
func (c *Calendar) weekOf(day int) int { return day - (weekdayOf(day)-int(c.first)+7)%7 }

func dateOf(day int) time.Time { return time.Unix(int64(day)*daySeconds, 0).UTC() }

func monthOf(day int) int {
	d := dateOf(day)
	return d.Year()*12 + int(d.Month()) - 1
}

// The keys of times.
func dayKey(day int) string     { return dateOf(day).Format(time.DateOnly) }
func monthKey(month int) string { return fmt.Sprintf("%04d-%02d", month/12, month%12+1) }

// readDay is the number of a day by its key.
func readDay(key string) (int, bool) {
	t, err := time.Parse(time.DateOnly, key)
	return int(t.Unix() / daySeconds), err == nil && t.Unix() >= 0
}

func readMonth(key string) (int, bool) {
	t, err := time.Parse("2006-01", key)
	return t.Year()*12 + int(t.Month()) - 1, err == nil
}

func readNumber(key string, below int) (int, bool) {
	n, err := strconv.Atoi(key)
	return n, err == nil && n >= 0 && n < below
}

// daysOf are the days of a day, a week or a month by its key, from the first up to the one after the last; none where
// the
// key is none.
func (c *Calendar) daysOf(facet, key string) (from, until int) {
	if facet == "month" {
		month, there := readMonth(key)
		if !there {
			return 0, 0
		}
		first := time.Date(month/12, time.Month(month%12+1), 1, 0, 0, 0, 0, time.UTC)
		return int(first.Unix() / daySeconds), int(first.AddDate(0, 1, 0).Unix() / daySeconds)
	}
	day, there := readDay(key)
	switch {
	case !there:
		return 0, 0
	case facet == "week":
		return day, day + 7
	}
	return day, day + 1
}

// Start is when a day begins there.
func (c *Calendar) Start(day time.Time) time.Time {
	return time.Date(day.Year(), day.Month(), day.Day(), 0, 0, 0, 0, c.zone)
}
