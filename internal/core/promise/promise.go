// Package promise tells whether what a customer was told was kept, broken or is still open.
//
// It must not know where promises are stored, or who gave them.
package promise

import "time"

// State is how a promise stands.
type State string

// The states. A promise without a date is open until it is done.
const (
	Open   State = "open"
	Kept   State = "kept"
	Late   State = "late"   // done, but not in time
	Broken State = "broken" // not done in time and not done yet, or given up
)

// Promise is what was said, as the store knows it.
type Promise struct {
	Due      time.Time // zero: no date was said
	DayOnly  bool      // on that day, whose midnight Due is, at no particular time
	Done     time.Time // zero: not done
	GivenUp  bool
	Patience time.Duration // for how long after Due it still counts as kept
}

// At tells how a promise stands at now.
func (p Promise) At(now time.Time) State {
	limit := p.Due.Add(p.Patience)
	if p.DayOnly {
		limit = time.Date(p.Due.Year(), p.Due.Month(), p.Due.Day()+1, 0, 0, 0, 0, p.Due.Location())
	}
	end := now
	if !p.Done.IsZero() {
		end = p.Done
	}
	switch {
	case p.GivenUp:
		return Broken
	case !p.Due.IsZero() && end.After(limit) && !p.Done.IsZero():
		return Late
	case !p.Due.IsZero() && end.After(limit):
		return Broken
	case p.Done.IsZero():
		return Open
	}
	return Kept
}

// Ledger counts promises by how they stand.
type Ledger struct{ Kept, Late, Broken, Open int }

// Add counts one.
func (l *Ledger) Add(s State) {
	switch s {
	case Kept:
		l.Kept++
	case Late:
		l.Late++
	case Broken:
		l.Broken++
	case Open:
		l.Open++
	}
}

// enough is how many promises it takes to speak of a part of them.
const enough = 5

// Share is which part of the promises that could be kept by now was, from 0 to 1; false where they are too few to say.
func (l Ledger) Share() (float64, bool) {
	due := l.Kept + l.Late + l.Broken
	if due < enough {
		return 0, false
	}
	return float64(l.Kept) / float64(due), true
}
