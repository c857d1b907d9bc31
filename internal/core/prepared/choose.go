// Package prepared chooses which prepared message fits a call.
//
// It must not know the store, sound, or how a message is left.
package prepared

import (
	"slices"
	"time"
)

// Message is a prepared message and when it is chosen. A condition that is empty holds always.
type Message struct {
	ID       string
	Weekdays []int  // ISO 8601: Monday is 1, Sunday 7
	List     string // the person is on this list
	Outcome  string // the person's last call ended with this outcome
}

// Situation is what is known of a call.
type Situation struct {
	At      time.Time // at the person's place
	Lists   []string  // on which the person is
	Outcome string    // of the last call with the person; empty: there was none
}

// fits tells whether all conditions of a message hold, and how many there are.
func (m Message) fits(s Situation) (conditions int, ok bool) {
	weekday := int(s.At.Weekday())
	if weekday == 0 {
		weekday = 7
	}
	if len(m.Weekdays) > 0 {
		if conditions++; !slices.Contains(m.Weekdays, weekday) {
			return 0, false
		}
	}
	if m.List != "" {
		if conditions++; !slices.Contains(s.Lists, m.List) {
			return 0, false
		}
	}
	if m.Outcome != "" {
		if conditions++; m.Outcome != s.Outcome {
			return 0, false
		}
	}
	return conditions, true
}

// Order puts messages into the order in which they are offered: those that fit, the one with the most conditions first,
// as they stand among those with as many; then the others, as they stand.
func Order(messages []Message, s Situation) []Message {
	weight := func(m Message) int {
		if n, ok := m.fits(s); ok {
			return n
		}
		return -1
	}
	ordered := slices.Clone(messages)
	slices.SortStableFunc(ordered, func(a, b Message) int { return weight(b) - weight(a) })
	return ordered
}
