// Package briefing says what a rep wants to know of a caller before the first word.
//
// It must not know where any of it is stored. Times in words are in the reader's zone, which comes in.
package briefing

import (
	"fmt"
	"strings"
	"time"

	"trundo/internal/core/datetime"
	"trundo/internal/core/promise"
)

// Promise is something that was promised and is not done.
type Promise struct {
	Text string
	promise.Promise
}

// Matter is an open deal or case.
type Matter struct{ Kind, Name, Stage string }

// Contact is the last call with them.
type Contact struct {
	At       time.Time
	Answered bool
	Outcome  string // "" where none was given
}

// Happening is something since the reader last spoke with them.
type Happening struct {
	Call    bool   // a call
	Wrote   bool   // a text message or a mail; neither: a change of the record, not by the reader
	Theirs  bool   // of a message: they wrote it
	By      string // who made or answered the call; "" where nobody answered
	Outcome string // of the call
}

// Score is what somebody answered the last time they were asked whether they would recommend the firm.
type Score struct {
	Value int    // 0 to 10
	Class string // in words
	At    time.Time
}

// Caller is what is known of who calls.
type Caller struct {
	Score    *Score         // nil: they were never asked
	Promises []Promise      // the most urgent first
	Ledger   promise.Ledger // of all that was ever promised to them
	Matters  []Matter       // the newest first
	Last     *Contact       // nil: never
	Spoke    time.Time      // when the reader last spoke with them; zero: never
	Since    []Happening
}

// most is how many facts there is room for, besides what has changed.
const most = 3

// Facts says what matters, three things at most: their last score, what was promised, what is open, and in any case the last contact;
// then, as a fourth, what has happened since the reader spoke with them. now is in the reader's zone.
func Facts(c Caller, now time.Time, w datetime.Style) []string {
	facts := []string{}
	if c.Score != nil {
		facts = append(facts, fmt.Sprintf("%s: %d of 10, %s", c.Score.Class, c.Score.Value,
			w.Day(c.Score.At.In(now.Location()))))
	}
	for _, p := range c.Promises {
		text := "promised: " + p.Text
		if !p.Due.IsZero() {
			due := p.Due.In(now.Location())
			text += ", " + w.Day(due) + " " + w.Time(due)
		}
		if p.At(now) == promise.Broken {
			text += ", not kept yet"
		}
		facts = append(facts, text)
	}
	for _, m := range c.Matters {
		facts = append(facts, "open "+m.Kind+": "+m.Name+", "+m.Stage)
	}
	if n := c.Ledger.Late + c.Ledger.Broken; n > 0 {
		facts = append(facts, fmt.Sprintf("%d of %d promises not kept in time", n, n+c.Ledger.Kept))
	}
	if c.Last != nil {
		facts = append(facts[:min(len(facts), most-1)], c.Last.text(now, w))
	}
	facts = facts[:min(len(facts), most)]
	if since := c.since(now, w); since != "" {
		facts = append(facts, since)
	}
	return facts
}

func (c Contact) text(now time.Time, w datetime.Style) string {
	text := "last call " + w.Day(c.At.In(now.Location()))
	switch {
	case c.Outcome != "":
		return text + ": " + c.Outcome
	case !c.Answered:
		return text + ", not answered"
	}
	return text
}

// since sums happenings up; of calls by colleagues the newest is told. "" where nothing has happened, or they never
// spoke.
func (c Caller) since(now time.Time, w datetime.Style) string {
	if c.Spoke.IsZero() || len(c.Since) == 0 {
		return ""
	}
	changes, calls, theirs, ours, newest := 0, 0, 0, 0, ""
	for _, h := range c.Since {
		switch {
		case h.Wrote && h.Theirs:
			theirs++
			continue
		case h.Wrote:
			ours++
			continue
		case !h.Call:
			changes++
			continue
		}
		calls++
		if h.By != "" && newest == "" {
			if newest = "a call by " + h.By; h.Outcome != "" {
				newest += ", " + h.Outcome
			}
		}
	}
	var parts []string
	if theirs > 0 {
		parts = append(parts, "they wrote"+times(theirs))
	}
	if ours > 0 {
		parts = append(parts, "we wrote"+times(ours))
	}
	if changes > 0 {
		parts = append(parts, counted(changes, "change"))
	}
	switch {
	case newest != "":
		parts = append(parts, newest)
	case calls > 0:
		parts = append(parts, counted(calls, "call"))
	}
	return "since you spoke on " + w.Day(c.Spoke.In(now.Location())) + ": " + strings.Join(parts, ", ")
}

// times is how often, where it is not once.
func times(n int) string {
	if n == 1 {
		return ""
	}
	return fmt.Sprintf(" %d times", n)
}

func counted(n int, thing string) string {
	if n == 1 {
		return "1 " + thing
	}
	return fmt.Sprintf("%d %ss", n, thing)
}
