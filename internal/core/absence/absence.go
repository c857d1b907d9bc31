// Package absence says who is away, until when, and who stands in for them meanwhile.
//
// It must not know the database, clocks, or what passes to a deputy.
package absence

import (
	"errors"
	"time"
)

// Span is from when until when somebody is away, in days of their own zone.
type Span struct {
	From, Until time.Time // the first and the last day; only their dates count
	FromNoon    bool      // on the first day from noon
	UntilNoon   bool      // on the last day until noon
}

// ErrOrder is told by Check of a span that ends before it begins.
var ErrOrder = errors.New("it ends before it begins")

// noon is the hour that parts a day.
const noon = 12

// Bounds are when it begins and when it is over, in a zone.
func (s Span) Bounds(zone *time.Location) (begin, end time.Time) {
	at := func(day time.Time, plus, hour int) time.Time {
		return time.Date(day.Year(), day.Month(), day.Day()+plus, hour, 0, 0, 0, zone)
	}
	begin, end = at(s.From, 0, 0), at(s.Until, 1, 0)
	if s.FromNoon {
		begin = at(s.From, 0, noon)
	}
	if s.UntilNoon {
		end = at(s.Until, 0, noon)
	}
	return begin, end
}

// Check tells whether there is any time in it. Error: ErrOrder.
func (s Span) Check() error {
	if begin, end := s.Bounds(time.UTC); !begin.Before(end) {
		return ErrOrder
	}
	return nil
}

// Away is somebody who is away at a moment.
type Away struct {
	Until  time.Time
	Deputy string // who stands in; empty: nobody
}

// Deputy is who stands in for somebody at a moment at which some are away: their deputy or, where that one is away too,
// the deputy's; "" where they are there, nobody stands in, or the deputies go round in a circle.
func Deputy(away map[string]Away, who string) string {
	if _, gone := away[who]; !gone {
		return ""
	}
	seen := map[string]bool{}
	for {
		is, gone := away[who]
		if !gone {
			return who
		}
		if seen[who] || is.Deputy == "" {
			return ""
		}
		seen[who] = true
		who = is.Deputy
	}
}
