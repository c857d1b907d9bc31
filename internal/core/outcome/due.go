package outcome

import (
	"time"

	"trundo/internal/core/callable"
)

// roundTo is to what times in minutes and hours are rounded up.
const roundTo = 5 * time.Minute

// Due computes a time at the person's place. Business days pass over weekends and the firm's holidays, and a day of any
// other count that falls on one is moved to the next business day. A time for a call lies within calling hours in every
// zone in which the number may be; one that does not is moved to when they begin.
func Due(a After, s Situation, calls bool) (due time.Time, dayOnly bool) {
	zone := s.Zone
	if zone == nil {
		zone = time.UTC
	}
	now := s.Now.In(zone)
	var day time.Time
	switch a.Unit {
	case Minutes, Hours:
		each := time.Minute
		if a.Unit == Hours {
			each = time.Hour
		}
		due = now.Add(time.Duration(a.Count) * each)
		if a.Count == 0 {
			return within(due, s, calls), false // at once
		}
		if due = due.Truncate(roundTo); due.Before(now.Add(time.Duration(a.Count) * each)) {
			due = due.Add(roundTo)
		}
		return within(due, s, calls), false
	case BusinessDays:
		day = s.Workdays.After(now, a.Count)
	case Weeks:
		day = s.Workdays.After(now.AddDate(0, 0, 7*a.Count), 0)
	default:
		day = s.Workdays.After(now.AddDate(0, 0, a.Count), 0)
	}
	if a.At == nil {
		return day, true
	}
	due = time.Date(day.Year(), day.Month(), day.Day(), 0, *a.At, 0, 0, zone)
	if !due.After(now) { // today, and it has passed
		next := s.Workdays.After(day, 1)
		due = time.Date(next.Year(), next.Month(), next.Day(), 0, *a.At, 0, 0, zone)
	}
	return within(due, s, calls), false
}

// within moves a time for a call into calling hours on a business day.
func within(due time.Time, s Situation, calls bool) time.Time {
	if !calls {
		return due
	}
	zones := s.Zones
	if len(zones) == 0 {
		zones = []string{due.Location().String()}
	}
	hours := s.Hours
	if hours == (callable.Hours{}) {
		hours = callable.DefaultHours
	}
	for range 30 { // holidays and weekends in a row are fewer
		if v := callable.Check(callable.Subject{Zones: zones}, hours, due); !v.InHours {
			due = v.Changes.In(due.Location())
			continue
		}
		if s.Workdays.Works(due) {
			return due
		}
		next := s.Workdays.After(due, 1)
		due = time.Date(next.Year(), next.Month(), next.Day(), 0, hours.From, 0, 0, due.Location())
	}
	return due
}

// Working hours of whoever calls, in minutes after midnight: nobody is to be called again at 23:50 of one's own night.
const (
	workFrom = 8 * 60
	workTo   = 18 * 60
)

// bothWork moves a time for a call to when the rep works, and it is calling hours on a business day where the other is.
// Places that share no such hour are called in theirs.
func bothWork(due time.Time, s Situation) time.Time {
	if s.Here == nil {
		return due
	}
	at := due
	for range 60 {
		here := at.In(s.Here)
		minute := here.Hour()*60 + here.Minute()
		day := here
		switch {
		case !s.Workdays.Works(here) || minute >= workTo:
			day = s.Workdays.After(here, 1)
		case minute >= workFrom:
			return at.In(due.Location())
		}
		at = time.Date(day.Year(), day.Month(), day.Day(), 0, workFrom, 0, 0, s.Here)
		at = within(at.In(due.Location()), s, true)
	}
	return due
}
