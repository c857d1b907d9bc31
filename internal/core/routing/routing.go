// Package routing decides who is rung by a call that comes in, for how long, and what follows when nobody answers.
//
// It must not know the database, clocks or how a rep is reached. Menus and queues will be further kinds of Step.
package routing

import (
	"sort"
	"time"
)

// Mode is how a line rings its reps.
type Mode string

// The modes.
const (
	All         Mode = "all"          // all who are free at once
	LongestIdle Mode = "longest_idle" // one after the other, who has been free for longest first
	InOrder     Mode = "in_order"     // one after the other, as the line names them
)

// Rep is somebody whom a line may ring.
type Rep struct {
	ID        string
	Takes     bool      // their availability takes calls
	Busy      bool      // in a call
	Reached   bool      // a window or device of theirs is connected
	IdleSince time.Time // when their last call ended, or they became available
}

// Rule is how a line is answered.
type Rule struct {
	Mode  Mode
	Rings time.Duration // for how long somebody is rung before the next is; with All, before it is missed
	Limit time.Duration // for how long the whole may ring
	Open  bool          // within the line's opening hours
}

// Step is what is done next.
type Step struct {
	Ring []string      // whom to ring now, besides those who are being rung
	For  time.Duration // after that the next step is asked for
	Miss bool          // nobody is left: the call is missed
	Why  string        // of Miss, in words
}

// Next decides what follows. reps are in the order in which the line names them; tried are those who were rung before, and
// declined or did not answer; waited is for how long the call has been ringing.
func Next(r Rule, reps []Rep, tried map[string]bool, waited time.Duration) Step {
	switch {
	case !r.Open:
		return Step{Miss: true, Why: "the line was closed"}
	case waited >= r.Limit:
		return Step{Miss: true, Why: "it rang for as long as it may"}
	}
	var free []Rep
	for _, x := range reps {
		if x.Takes && !x.Busy && x.Reached && !tried[x.ID] {
			free = append(free, x)
		}
	}
	if len(free) == 0 {
		if len(tried) == 0 {
			return Step{Miss: true, Why: "nobody was available"}
		}
		return Step{Miss: true, Why: "nobody answered"}
	}
	step := Step{For: min(r.Rings, r.Limit-waited)}
	if r.Mode == All {
		for _, x := range free {
			step.Ring = append(step.Ring, x.ID)
		}
		return step
	}
	if r.Mode == LongestIdle {
		sort.SliceStable(free, func(i, j int) bool { return free[i].IdleSince.Before(free[j].IdleSince) })
	}
	step.Ring = []string{free[0].ID}
	return step
}
