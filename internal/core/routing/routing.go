// Package routing decides who is rung by a call that comes in, for how long, and what follows when nobody answers.
//
// It must not know the database, clocks or how a rep is reached; who is free is said by core/presence. Menus and queues
// will be further kinds of Step.
package routing

import (
	"sort"
	"time"

	"trundo/internal/core/presence"
)

// Mode is how a line rings its reps.
type Mode string

// The modes.
const (
	All         Mode = "all"          // all who are free at once
	LongestIdle Mode = "longest_idle" // one after the other, who has been free for longest first
	InOrder     Mode = "in_order"     // one after the other, as the line names them
)

// Follow is what follows when nobody answers.
type Follow string

// What can follow.
const (
	Voicemail    Follow = "voicemail"    // a greeting, a beep, a message
	Announcement Follow = "announcement" // a text, then the end
	End          Follow = "end"          // it is simply missed
)

// Rule is how a line is answered.
type Rule struct {
	Mode  Mode
	Rings time.Duration // for how long somebody is rung before the next is; with All, before it is missed
	Limit time.Duration // for how long the whole may ring
	Open  bool          // within the line's opening hours

	Unanswered Follow // what follows when nobody answers
	Closed     Follow // what follows when the line is closed
}

// Step is what is done next.
type Step struct {
	Ring []string      // whom to ring now, besides those who are being rung
	For  time.Duration // after that the next step is asked for
	Then Follow        // nobody is left to be rung: what follows now
	Why  string        // of Then, in words
}

// Next decides what follows. Who is in a call is rung only where nobody is left who is not, and never with a second
// call to hold. reps are in the order in which the line names them; tried are those who were rung before, and declined
// or did not answer; waited is for how long the call has been ringing.
func Next(r Rule, reps []presence.Rep, tried map[string]bool, waited time.Duration) Step {
	switch {
	case !r.Open:
		return Step{Then: r.Closed, Why: "the line was closed"}
	case waited >= r.Limit:
		return Step{Then: r.Unanswered, Why: "it rang for as long as it may"}
	}
	var free, speaking []presence.Rep
	for _, x := range reps {
		switch {
		case tried[x.ID]:
		case x.Free():
			free = append(free, x)
		case x.Second():
			speaking = append(speaking, x)
		}
	}
	if len(free) == 0 {
		free = speaking
	}
	if len(free) == 0 {
		if len(tried) == 0 {
			return Step{Then: r.Unanswered, Why: "nobody was available"}
		}
		return Step{Then: r.Unanswered, Why: "nobody answered"}
	}
	step := Step{For: min(r.Rings, r.Limit-waited)}
	if r.Mode == All {
		for _, x := range free {
			step.Ring = append(step.Ring, x.ID)
		}
		return step
	}
	if r.Mode == LongestIdle {
		sort.SliceStable(free, func(i, j int) bool { return free[i].IdleSince().Before(free[j].IdleSince()) })
	}
	step.Ring = []string{free[0].ID}
	return step
}
