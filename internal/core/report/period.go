package report

import (
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"
)

// Period is a time that moves along: "today", "yesterday", "week", "last_week", "month", "last_month", "year", so many
// whole
// days up to and with today ("30d"), or a fixed one, from a day up to and with another ("2026-03-01/2026-03-31").
type Period string

// ErrPeriod is told by Window of a period that there is not.
var ErrPeriod = errors.New("no such period")

// maxDays is how many days a period may have: ten years.
const maxDays = 3660

// Window is a time, from its beginning up to its end.
type Window struct{ From, To time.Time }

// Window is what a period means at a moment. Its ends are midnights of the calendar's zone: days are 23 to 25 hours
// long.
// Error: ErrPeriod.
func (p Period) Window(now time.Time, cal *Calendar) (Window, error) {
	today := now.In(cal.zone)
	day := func(d time.Time, plus int) time.Time {
		return time.Date(d.Year(), d.Month(), d.Day()+plus, 0, 0, 0, 0, cal.zone)
	}
	week := day(today, -(int(today.Weekday())-int(cal.first)+7)%7)
	month := time.Date(today.Year(), today.Month(), 1, 0, 0, 0, 0, cal.zone)
	tomorrow := day(today, 1)
	switch p {
	case "today":
		return Window{day(today, 0), tomorrow}, nil
	case "yesterday":
		return Window{day(today, -1), day(today, 0)}, nil
	case "week":
		return Window{week, tomorrow}, nil
	case "last_week":
		return Window{day(week, -7), week}, nil
	case "month":
		return Window{month, tomorrow}, nil
	case "last_month":
		return Window{month.AddDate(0, -1, 0), month}, nil
	case "year":
		return Window{time.Date(today.Year(), 1, 1, 0, 0, 0, 0, cal.zone), tomorrow}, nil
	}
	if n, err := strconv.Atoi(strings.TrimSuffix(string(p), "d")); err == nil && strings.HasSuffix(string(p), "d") {
		if n < 1 || n > maxDays {
			return Window{}, fmt.Errorf("%q: %w", p, ErrPeriod)
		}
		return Window{day(today, 1-n), tomorrow}, nil
	}
	first, last, fixed := strings.Cut(string(p), "/")
	from, err1 := time.ParseInLocation(time.DateOnly, first, cal.zone)
	to, err2 := time.ParseInLocation(time.DateOnly, last, cal.zone)
	if !fixed || err1 != nil || err2 != nil || to.Before(from) || from.Year() < 1970 ||
		to.Sub(from) > maxDays*24*time.Hour {
		return Window{}, fmt.Errorf("%q: %w", p, ErrPeriod)
	}
	return Window{from, day(to, 1)}, nil
}

// days is how many days a window has.
func (w Window) days() int {
	from, to := w.From, w.To
	return int((time.Date(to.Year(), to.Month(), to.Day(), 0, 0, 0, 0, time.UTC).Unix() -
		time.Date(from.Year(), from.Month(), from.Day(), 0, 0, 0, 0, time.UTC).Unix()) / daySeconds)
}

func (w Window) moved(days int) Window {
	return Window{w.From.AddDate(0, 0, days), w.To.AddDate(0, 0, days)}
}

// Before is the time of as many days before a window.
func (w Window) Before() Window { return w.moved(-w.days()) }

// usualWeeks is of how many times before the usual is made.
const usualWeeks = 8

// Usual are the times that a window is compared with: the same weekdays of up to eight weeks before, or, where it is
// longer
// than a week, the four times of its length before. None begins before the first call.
func (w Window) Usual(firstCall time.Time) (windows []Window) {
	step, n := 7, usualWeeks
	if d := w.days(); d > 7 {
		step, n = d, usualWeeks/2
	}
	for i := 1; i <= n; i++ {
		if m := w.moved(-i * step); !m.To.Before(firstCall) && m.To.After(firstCall) {
			windows = append(windows, m)
		}
	}
	return windows
}

// FirstCall is when the first call of the book began; the zero time where there is none.
func (b *Book) FirstCall() time.Time {
	if b.t.Groups() == 0 {
		return time.Time{}
	}
	return time.Unix(b.t.Earliest(), 0)
}

// Beside gives each group of a report what it was over other times: on average where they are several. Times are put
// beside each other by their place in the report, everything else by its key. The calls of a cell are not told.
func (b *Book) Beside(
	r Result,
	q Query,
	a Asked,
	windows []Window) (groups map[string][]*float64, all []*float64) {
	groups, all = map[string][]*float64{}, make([]*float64, len(q.Figures))
	if len(windows) == 0 {
		return groups, all
	}
	aligned := q.By == "day" || q.By == "week" || q.By == "month"
	var results []Result
	for _, w := range windows {
		a.From, a.To = w.From.Unix(), w.To.Unix()
		results = append(results, b.Run(q, a))
	}
	collect := func(pick func(Result) []Cell) []*float64 {
		values := make([]*float64, len(q.Figures))
		for k, key := range q.Figures {
			f, _ := FigureOf(key)
			values[k] = mean(f, k, results, pick)
		}
		return values
	}
	all = collect(func(r Result) []Cell { return r.All })
	for n, g := range r.Groups {
		groups[g.Key] = collect(func(r Result) []Cell {
			if aligned {
				if n < len(r.Groups) {
					return r.Groups[n].Cells
				}
				return nil
			}
			for _, x := range r.Groups {
				if x.Key == g.Key {
					return x.Cells
				}
			}
			return nil
		})
	}
	return groups, all
}

// mean is what a figure was on average: counts and sums of all times alike, shares and averages weighted by the calls
// they
// are made of.
func mean(f *Figure, k int, results []Result, pick func(Result) []Cell) *float64 {
	total, weight := 0.0, 0
	for _, r := range results {
		cells := pick(r)
		switch {
		case f.below == nil:
			weight++
			if cells != nil && cells[k].Value != nil {
				total += *cells[k].Value
			}
		case cells != nil && cells[k].Value != nil:
			total += *cells[k].Value * float64(cells[k].Calls)
			weight += cells[k].Calls
		}
	}
	if weight == 0 {
		return nil
	}
	v := total / float64(weight)
	return &v
}
