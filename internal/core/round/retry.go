package round

import (
	"time"

	"trundo/internal/core/callable"
)

// Ended is how an attempt ended.
type Ended struct {
	Outcome string // its id, "" where none was chosen
	Reached bool   // somebody was spoken with
	Message bool   // a message was left
	Stops   bool   // the outcome says that the number or the person is never to be called
	Person  bool   // with Stops: the person, not only the number
	Retry   *Wish  // the outcome says when and where to try again
	Ours    bool   // it is not the person's doing that it failed (the carrier refused it): it is no attempt
}

// Wish is an outcome's own retry.
type Wish struct {
	At     time.Time
	Number string // the id of the number, "" for any
}

// Past is what has been tried before this attempt, and by it.
type Past struct {
	Attempts int      // in this round, with this one
	Today    int      // by anybody, with this one
	Tried    []string // ids of the numbers tried since somebody was last put off, with this one
	Hour     int      // of this attempt, at the person's place
}

// Bead is what came of somebody, as the row of beads shows it.
type Bead string

// The beads.
const (
	Waiting Bead = "waiting"
	Current Bead = "current"
	Spoke   Bead = "spoke"
	Left    Bead = "message" // a message was left
	NoReply Bead = "tried"   // nobody answered
	Later   Bead = "later"   // will be tried again
	Refused Bead = "refused" // never to be called
	Skipped Bead = "skipped"
	Cannot  Bead = "cannot" // could not be called
)

// Step is what follows an attempt.
type Step struct {
	Bead   Bead
	Again  bool      // somebody is tried again in this round
	At     time.Time // when; the time of the attempt itself: at once
	Number string    // by which number, "" for the first by order
	Why    string    // in words, where it is not plain
}

// refusedWait is how long somebody waits whose call the carrier refused.
const refusedWait = 15 * time.Minute

// Reach gives what is known of a number's hours: of itself, and of its kind.
type Reach func(number string) (own, kind History)

// After says what follows an attempt at p: who was spoken with is done; an outcome's own retry counts before the
// round's rule; a next number is tried at once; whoever is tried again comes after RetryMinutes, within calling hours,
// at an hour other than the last one if that is wanted, and no more than PerDay and PerRound times.
func After(e Ended, p Person, past Past, s Settings, reach Reach, t Times) Step {
	rule, ruled := s.Then[e.Outcome]
	_, more := Next(p.Numbers, past.Tried)
	switch {
	case e.Ours:
		return Step{Bead: Later, Again: true, At: t.Now.Add(refusedWait), Why: "the carrier refused the call"}
	case e.Stops && (e.Person || !more):
		return Step{Bead: Refused}
	case e.Reached && e.Retry == nil:
		return Step{Bead: Spoke}
	case e.Message && e.Retry == nil && (!ruled || rule == NotAgain):
		return Step{Bead: Left}
	}
	done := NoReply
	switch {
	case e.Reached:
		done = Spoke
	case e.Message:
		done = Left
	case e.Stops:
		done = Refused
	}
	switch {
	case past.Attempts >= s.PerRound:
		return Step{Bead: done, Why: Words(Tried)}
	case e.Retry == nil && ruled && rule == NotAgain && !e.Stops:
		return Step{Bead: done}
	case e.Retry == nil && (ruled && rule == NextNumber || e.Stops):
		if i, there := NextAt(p, past.Tried, t.Hours, t.Now); there && past.Today < s.PerDay {
			return Step{Bead: Later, Again: true, At: t.Now, Number: p.Numbers[i].ID}
		}
	}
	step := Step{Bead: Later, Again: true}
	if e.Retry != nil {
		step.At, step.Number = e.Retry.At, e.Retry.Number
	} else {
		step.At = t.Now.Add(time.Duration(s.RetryMinutes) * time.Minute)
	}
	n := numberOf(p, step.Number)
	if past.Today >= s.PerDay {
		if tomorrow := t.DayStart.AddDate(0, 0, 1); step.At.Before(tomorrow) {
			step.At = tomorrow
		}
	}
	step.At = open(step.At, zonesOf(p, n), t.Hours)
	if s.OtherHour && e.Retry == nil {
		own, kind := reach(n.ID)
		step.At = otherHour(step.At, past.Hour, zonesOf(p, n), own, kind, t)
	}
	return step
}

// numberOf is the number with an id, else the first by order.
func numberOf(p Person, id string) Number {
	var first Number
	for i := len(p.Numbers) - 1; i >= 0; i-- {
		n := p.Numbers[i]
		if n.ID == id && id != "" {
			return n
		}
		if n.Dialable && !n.DoNotCall {
			first = n
		}
	}
	return first
}

// open moves a time into calling hours.
func open(at time.Time, zones []string, h callable.Hours) time.Time {
	if v := callable.Check(callable.Subject{Zones: zones}, h, at); !v.InHours {
		return v.Changes
	}
	return at
}

// better is by how much a later hour's chance has to be higher to be waited for.
const better = 0.05

// otherHour moves a time, by a day at most, to an hour that is not that of the last attempt: the first one, or a later
// one with a chance that is clearly higher.
func otherHour(at time.Time, last int, zones []string, own, kind History, t Times) time.Time {
	chosen, chance := time.Time{}, 0.0
	for i := range 24 {
		x := at.Add(time.Duration(i) * time.Hour)
		hour := HourAt(x, zones, t.Now.Location())
		if i > 0 {
			x = x.Truncate(time.Hour)
		}
		if hour == last || !callable.Check(callable.Subject{Zones: zones}, t.Hours, x).InHours {
			continue
		}
		if c := Chance(own, kind, hour).Mean; chosen.IsZero() || c > chance+better {
			chosen, chance = x, c
		}
	}
	if chosen.IsZero() {
		return at
	}
	return chosen
}
