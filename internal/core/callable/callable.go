// Package callable decides whether a number may be called now, until when, and if not, why.
//
// It must not know the database, rights or who asks. The hours are data of the firm; the default is the
// United States' 8:00 to 21:00 at the called party's place (47 CFR 64.1200(c)(1)), and is no legal advice.
package callable

import (
	"errors"
	"fmt"
	"time"

	"trundo/internal/core/datetime"
)

// Errors of a Verdict.
var (
	ErrDoNotCall       = errors.New("this number is marked do-not-call")
	ErrPersonDoNotCall = errors.New("this person asked not to be called")
	// ErrCompanyDoNotCall holds for the company's numbers and for all its people.
	ErrCompanyDoNotCall = errors.New("this company asked not to be called")
	// ErrListedDoNotCall holds for a number whoever has it.
	ErrListedDoNotCall = errors.New("this number is on the list of numbers not to be called")
)

// Hours are calling hours of a day, as minutes after midnight at the called place. They do not pass midnight.
type Hours struct{ From, To int }

// DefaultHours are 8:00 to 21:00.
var DefaultHours = Hours{From: 8 * 60, To: 21 * 60}

// ParseHours reads "8:00-21:00"; the end may be 24:00. Error: what is wrong with it.
func ParseHours(text string) (Hours, error) {
	var fromHour, fromMinute, toHour, toMinute int
	n, err := fmt.Sscanf(text, "%d:%d-%d:%d", &fromHour, &fromMinute, &toHour, &toMinute)
	h := Hours{From: fromHour*60 + fromMinute, To: toHour*60 + toMinute}
	if err != nil || n != 4 || fromHour < 0 || fromMinute < 0 || fromMinute > 59 || toMinute < 0 || toMinute > 59 ||
		h.From >= h.To || h.To > 24*60 {
		return Hours{}, fmt.Errorf("“%s” are no calling hours: they are written as 8:00-21:00", text)
	}
	return h, nil
}

// Subject is what is asked about.
type Subject struct {
	NumberDoNotCall  bool
	PersonDoNotCall  bool
	CompanyDoNotCall bool
	ListedDoNotCall  bool
	Emergency        bool     // never blocked
	Zones            []string // every zone in which the number may be; all have to allow
}

// Verdict is the answer.
type Verdict struct {
	Refused   error          // one of the errors above, or nil
	InHours   bool           // it is within calling hours in every zone; true where no zone is known
	Changes   time.Time      // when InHours will change next; zero where no zone is known
	Zone      *time.Location // the zone to show the local time of; nil where none is known
	Ambiguous bool           // the zones differ in their time of day
	Shut      *time.Location // a zone in which it is outside calling hours; nil where InHours
}

// OutsideError says that a number is called outside its hours: a question, not a refusal.
type OutsideError struct {
	There, Opens time.Time      // in the zone that is outside
	Dates        datetime.Style // how they are written for who asks
}

func (e *OutsideError) Error() string {
	return "it is " + e.Dates.Time(e.There) + " there, outside calling hours until " + e.Dates.Time(e.Opens)
}

// Ask tells whether a single call is asked about before it is placed; nil where it is not. Emergency numbers, and calls
// by which somebody is called back who had called in vain (owed), are not: they began it.
func Ask(v Verdict, now time.Time, emergency, owed bool) *OutsideError {
	if v.InHours || emergency || owed {
		return nil
	}
	return &OutsideError{There: now.In(v.Shut), Opens: v.Changes.In(v.Shut)}
}

// Check judges s at now. Unknown zone names are passed over.
func Check(s Subject, h Hours, now time.Time) Verdict {
	v := Verdict{InHours: true}
	switch {
	case s.Emergency:
	case s.NumberDoNotCall:
		v.Refused = ErrDoNotCall
	case s.PersonDoNotCall:
		v.Refused = ErrPersonDoNotCall
	case s.CompanyDoNotCall:
		v.Refused = ErrCompanyDoNotCall
	case s.ListedDoNotCall:
		v.Refused = ErrListedDoNotCall
	}
	offset := 0
	for _, name := range s.Zones {
		zone, err := time.LoadLocation(name)
		if err != nil || name == "" {
			continue
		}
		there := now.In(zone)
		_, o := there.Zone()
		if v.Zone == nil {
			v.Zone, offset = zone, o
		} else if o != offset {
			v.Ambiguous = true
		}
		open, closes, opens := window(there, h)
		if !open && v.Shut == nil {
			v.Shut = zone
		}
		switch {
		case open && v.InHours:
			if v.Changes.IsZero() || closes.Before(v.Changes) {
				v.Changes = closes
			}
		case !open && v.InHours:
			v.InHours, v.Changes = false, opens
		case !open && opens.After(v.Changes):
			v.Changes = opens
		}
	}
	return v
}

// window tells whether there is within h, when it closes today and when it opens next.
func window(there time.Time, h Hours) (open bool, closes, opens time.Time) {
	at := func(days, minutes int) time.Time {
		return time.Date(there.Year(), there.Month(), there.Day()+days, 0, minutes, 0, 0, there.Location())
	}
	from, to := at(0, h.From), at(0, h.To)
	switch {
	case there.Before(from):
		return false, to, from
	case there.Before(to):
		return true, to, at(1, h.From)
	default:
		return false, to, at(1, h.From)
	}
}
