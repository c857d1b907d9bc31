// Package presence says what somebody of the firm is doing, since when, and whether a call may ring for them: the one
// place that decides who is free, for lines, colleagues and the team's page alike.
//
// It must not know the database, clocks, windows or telephones.
package presence

import (
	"slices"
	"time"
)

// What somebody can be doing besides a state of the firm's own that they have chosen.
const (
	Speaking    = "Speaking"
	WrappingUp  = "Wrapping up"
	NotSignedIn = "Not signed in"
	Absent      = "Away"
)

// Rep is what is known of somebody at a moment.
type Rep struct {
	ID            string
	State         string    // the firm's state that they chose
	Takes         bool      // that state takes calls
	Since         time.Time // when they chose it
	AwayUntil     time.Time // they are away; zero: they are not
	Round         bool      // they go through a round that takes no calls
	Calls         int       // that they are in; those on hold count
	SpeakingSince time.Time // when they came into the call in the foreground; zero where they are in none
	LastEnded     time.Time // the end of the last call that they were in; zero for none
	WrappingSince time.Time // the end of a call whose slip waits, within the firm's limit; zero for none
	Window        bool      // a window of theirs is connected
	Telephone     bool      // a telephone of theirs rings for calls that come in, or is up
}

// maxCalls is how many calls somebody may be in at once: one, and another on hold.
const maxCalls = 2

// Reached tells whether a call can ring for them at all.
func (r Rep) Reached() bool { return r.Window || r.Telephone }

// wrapping tells whether they write up a call; in another call they speak.
func (r Rep) wrapping() bool { return !r.WrappingSince.IsZero() && r.Calls == 0 }

// takes tells whether calls are for them at all.
func (r Rep) takes() bool { return r.Takes && !r.Round && r.AwayUntil.IsZero() && r.Reached() }

// There tells whether calls are for them, also where they speak or write up just now.
func (r Rep) There() bool { return r.takes() }

// Free tells whether a call may ring for them now without disturbing anything.
func (r Rep) Free() bool { return r.takes() && r.Calls == 0 && !r.wrapping() }

// Second tells whether a call may ring for them beside the only one that they are in, which would be held.
func (r Rep) Second() bool { return r.takes() && r.Calls > 0 && r.Calls < maxCalls }

// ForColleague tells whether a colleague's call rings for them: besides those who are free, who writes up a call or
// speaks in one.
func (r Rep) ForColleague() bool { return r.takes() && r.Calls < maxCalls }

// Doing is what they are doing, and since when; zero where that is not known.
func (r Rep) Doing() (what string, since time.Time) {
	switch {
	case r.Calls > 0:
		return Speaking, r.SpeakingSince
	case !r.AwayUntil.IsZero():
		return Absent, time.Time{}
	case !r.Reached():
		return NotSignedIn, time.Time{}
	case r.wrapping() && r.Takes:
		return WrappingUp, r.WrappingSince
	default:
		return r.State, r.chosen()
	}
}

// chosen is since when they are in their state without a break: after a call it begins again.
func (r Rep) chosen() time.Time {
	if r.LastEnded.After(r.Since) {
		return r.LastEnded
	}
	return r.Since
}

// IdleSince is since when they could have been rung: the end of their last call, or when they became available.
func (r Rep) IdleSince() time.Time { return r.chosen() }

// Change is when somebody began to do something.
type Change struct {
	At           time.Time
	What         string
	Takes, Works bool // it takes calls; it counts as work
}

// Part is somebody's part in a call: from when they came into it to when they left it, and when its slip was filed.
type Part struct{ From, To, Filed time.Time } // To, Filed: zero while that is still to come

// Day is what somebody did from a moment until now, newest first: the states that they chose, oldest first in chosen,
// broken by calls and, where the state takes calls, by wrapping up for as long as a slip waited, at most wrap.
func Day(chosen []Change, parts []Part, from, now time.Time, wrap time.Duration) []Change {
	at := []time.Time{from}
	add := func(t time.Time) {
		if t.After(from) && !t.After(now) {
			at = append(at, t)
		}
	}
	for _, c := range chosen {
		add(c.At)
	}
	for _, p := range parts {
		add(p.From)
		if !p.To.IsZero() {
			add(p.To)
			add(p.wrapped(wrap))
		}
	}
	slices.SortFunc(at, time.Time.Compare)
	var day []Change
	for _, t := range slices.CompactFunc(at, time.Time.Equal) {
		is, there := doingAt(chosen, parts, t, wrap)
		if last := len(day) - 1; there && (last < 0 || day[last].What != is.What) {
			is.At = t
			day = append(day, is)
		}
	}
	slices.Reverse(day)
	return day
}

// wrapped is when somebody was done with a call that they have left.
func (p Part) wrapped(wrap time.Duration) time.Time {
	end := p.To.Add(wrap)
	if !p.Filed.IsZero() && p.Filed.Before(end) {
		return p.Filed
	}
	return end
}

// doingAt is what somebody was doing at t; false before the first that is known.
func doingAt(chosen []Change, parts []Part, t time.Time, wrap time.Duration) (Change, bool) {
	var is Change
	there := false
	for _, c := range chosen {
		if !c.At.After(t) {
			is, there = c, true
		}
	}
	wraps := false
	for _, p := range parts {
		switch {
		case p.From.After(t):
		case p.To.IsZero() || p.To.After(t):
			return Change{What: Speaking, Works: true}, true
		case p.wrapped(wrap).After(t):
			wraps = true
		}
	}
	if wraps && is.Takes {
		return Change{What: WrappingUp, Works: true}, true
	}
	return is, there
}
