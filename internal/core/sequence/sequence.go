// Package sequence holds the rules of sequences: steps over days by which somebody is called and written to until they
// answer.
//
// It must not know the database, templates or who is in a sequence.
package sequence

import (
	"errors"
	"slices"
	"strings"
	"time"

	"trundo/internal/core/outcome"
)

// The acts of a step.
const (
	Call = "call" // a follow-up in the rep's lane: the next step waits until it is done
	Mail = "mail"
	Text = "text"
)

// Acts are all of them.
var Acts = []string{Call, Mail, Text}

// Step is one thing that is done.
type Step struct {
	Act      string        `json:"act"`
	After    outcome.After `json:"after"`              // from the enrolment, or from when the step before was done
	Template string        `json:"template,omitempty"` // of a mail or a text: its id
	Text     string        `json:"text,omitempty"`     // of a call: what it is about
}

// MaxSteps is how many a sequence can have.
const MaxSteps = 20

// Reason is why somebody is no longer in a sequence.
type Reason string

// The reasons.
const (
	Finished  Reason = "all steps are done"
	Replied   Reason = "they replied"
	Spoke     Reason = "we spoke"
	ByOutcome Reason = "by an outcome"
	ByHand    Reason = "taken out by hand"
	OptedOut  Reason = "they want no messages"
	Gone      Reason = "the record is gone"
	CannotDo  Reason = "a step could not be done"
)

// morning is when something is done on a day without a time.
const morning = 9 * time.Hour

// Due is when the nth step (from 0) is to be done, at the person's place; false after the last.
func Due(steps []Step, n int, s outcome.Situation) (time.Time, bool) {
	if n < 0 || n >= len(steps) {
		return time.Time{}, false
	}
	due, dayOnly := outcome.Due(steps[n].After, s, steps[n].Act != Mail)
	if dayOnly {
		due = due.Add(morning)
	}
	if due.Before(s.Now) {
		due = s.Now
	}
	return due, true
}

// Check tells what is wrong with a step. Error: *outcome.ItemError with the place at.
func Check(at int, s Step) error {
	wrong := func(field, text string) error {
		return &outcome.ItemError{Item: at, Field: field, Err: errors.New(text)}
	}
	switch {
	case !slices.Contains(Acts, s.Act):
		return wrong("act", "a step is a call, a mail or a text message")
	case !slices.Contains(outcome.Units, s.After.Unit):
		return wrong("unit", "say in what the time is counted")
	case s.After.Count < 0 || s.After.Count > 365:
		return wrong("count", "from 0 to 365")
	case s.After.At != nil && (*s.After.At < 0 || *s.After.At >= 24*60):
		return wrong("at", "this is no time of the day")
	case s.Act != Call && s.Template == "":
		return wrong("template_id", "choose what is sent")
	case s.Act == Call && strings.TrimSpace(s.Text) == "":
		return wrong("text", "say what the call is about")
	case len(s.Text) > 500:
		return wrong("text", "at most 500 characters")
	}
	return nil
}
