package outcome

import (
	"errors"
	"slices"
	"strings"
	"time"
)

// Limits of what a rep may change of an item, and an admin of an effect.
const (
	MaxEffects = 12
	maxText    = 500
	maxCount   = 1000
)

// Errors of Settle and Check.
var (
	ErrNotPlanned = errors.New("what this outcome does has changed in the meantime; look at it again")
	ErrText       = errors.New("say in a few words what is to be done, in at most 500 characters")
	ErrDue        = errors.New("this date is too far away, or lies back")
)

// ItemError names an item that cannot be carried out as it is.
type ItemError struct {
	Item  int
	Field string // as the API names it
	Err   error
}

func (e *ItemError) Error() string { return e.Err.Error() }
func (e *ItemError) Unwrap() error { return e.Err }

// Settle checks the items that come back from who files, as they were shown, with texts and times edited and items
// struck out, against the plan as it is now: what is done is what was shown. It leaves out those struck out and those
// that cannot be done. Error: *ItemError.
func Settle(shown, fresh []Item, now time.Time) ([]Item, error) {
	settled := []Item{}
	if len(shown) != len(fresh) {
		return nil, &ItemError{len(shown), "items", ErrNotPlanned}
	}
	for i, it := range shown {
		f := fresh[i]
		if it.Struck && it.Kind == f.Kind {
			continue
		}
		if it.Effect != f.Effect || it.Kind != f.Kind || it.Target != f.Target || it.Value != f.Value ||
			it.Record != f.Record || it.Number != f.Number || it.Address != f.Address || it.Problem != f.Problem {
			return nil, &ItemError{i, "items", ErrNotPlanned}
		}
		if f.Problem != "" {
			continue
		}
		it.Act, it.Words, it.Zone = f.Act, f.Words, f.Zone
		switch it.Kind {
		case FollowUp, Retry:
			if it.Due == nil || it.Due.Before(now.AddDate(0, 0, -1)) || it.Due.After(now.AddDate(5, 0, 0)) {
				return nil, &ItemError{i, "due_at", ErrDue}
			}
			it.Text = strings.TrimSpace(it.Text)
			if it.Text == "" {
				it.Text = map[string]string{Call: "Call", MailAct: "Write", Meeting: "Meet"}[it.Act]
			}
			if it.Text == "" || len(it.Text) > maxText {
				return nil, &ItemError{i, "text", ErrText}
			}
		case NewCase:
			if it.Text = strings.TrimSpace(it.Text); it.Text == "" || len(it.Text) > maxText {
				return nil, &ItemError{i, "text", ErrText}
			}
		case AddTag:
			it.Text = f.Text
		}
		settled = append(settled, it)
	}
	return settled, nil
}

// Check tells what is wrong with an effect as an admin set it. Error: *ItemError with the place at.
func Check(at int, e Effect) error {
	wrong := func(field, text string) error { return &ItemError{at, field, errors.New(text)} }
	if !slices.Contains(Kinds, e.Kind) {
		return wrong("kind", "there is no such effect")
	}
	if len(e.Text) > maxText {
		return wrong("text", "at most 500 characters")
	}
	switch e.Kind {
	case FollowUp, Retry:
		if e.Kind == FollowUp && !slices.Contains(Acts, e.Act) {
			return wrong("act", "a follow-up is a call, a mail, a meeting or a task")
		}
		if e.Act == Task && strings.TrimSpace(e.Text) == "" {
			return wrong("text", "say what is to be done")
		}
		if !slices.Contains(Units, e.After.Unit) {
			return wrong("unit", "say in what the time is counted")
		}
		if e.After.Count < 0 || e.After.Count > maxCount {
			return wrong("count", "from 0 to 1000")
		}
		if e.After.At != nil && (*e.After.At < 0 || *e.After.At >= 24*60) {
			return wrong("at", "this is no time of the day")
		}
	case AddTag:
		if tag := strings.TrimSpace(e.Text); tag == "" || strings.Contains(tag, ",") {
			return wrong("text", "one tag, without a comma")
		}
	case NewCase:
		if strings.TrimSpace(e.Text) == "" {
			return wrong("text", "say what the case is about")
		}
	case Message, Mail, AddToList, TakeOffList, Webhook:
		if e.Target == "" {
			return wrong("target", "choose which one")
		}
	case DealStage, CaseState:
		if e.Value == "" {
			return wrong("value", "choose the stage")
		}
	case DoNotCall:
		if e.Value != ThisNumber && e.Value != ThisPerson {
			return wrong("value", "say whether the number or the person is not to be called")
		}
	}
	return nil
}
