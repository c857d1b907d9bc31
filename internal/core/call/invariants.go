package call

import (
	"fmt"
	"time"
)

// Check tells which invariant s breaks, or nil. It holds after every fact a Decide gives:
// numbers and times in order, one end for each leg and for the call, an ended call without a live leg,
// spans inside their leg's life, and parts that add up to the whole.
func Check(s State) error {
	if s.Seq == 0 {
		return nil
	}
	if s.Started.IsZero() {
		return fmt.Errorf("a call without a start")
	}
	over := !s.Ended.IsZero()
	if over != (s.Reason != "") {
		return fmt.Errorf("end %v and reason %q do not go together", s.Ended, s.Reason)
	}
	for _, l := range s.Legs {
		if err := checkLeg(l, s); err != nil {
			return fmt.Errorf("leg %d: %w", l.No, err)
		}
	}
	if over {
		if whole := s.Ended.Sub(s.Started); s.PartsAt(s.Ended).Whole() != whole {
			return fmt.Errorf("parts %v do not add up to %v", s.PartsAt(s.Ended), whole)
		}
	}
	if err := checkParties(s); err != nil {
		return err
	}
	p := s.PartsAt(s.Last)
	if p.Dialing < 0 || p.Ringing < 0 || p.Talking < 0 || p.Machine < 0 {
		return fmt.Errorf("a part below zero: %v", p)
	}
	return nil
}

// checkParties holds for calls of more than two: whoever is up and was answered is with somebody or waits, somebody looks
// after the outside, who listens does so beside a rep, and the times of a leg are its whole time.
func checkParties(s State) error {
	outside := false
	for i := range s.Legs {
		l := &s.Legs[i]
		if l.State == Up && l.Party == Observer && s.Leg(l.For).State != Up {
			return fmt.Errorf("leg %d listens to nobody", l.No)
		}
		if b := l.Bridge(); b != 0 && len(s.on(b)) < 2 {
			return fmt.Errorf("leg %d is alone on its bridge", l.No)
		}
		if l.As == Consulted && l.Bridge() != 0 && l.Bridge() != s.Leg(l.For).Bridge() {
			return fmt.Errorf("leg %d is with others than who asked for it", l.No)
		}
		outside = outside || l.Party == Outside && l.State == Up
		if got, want := s.TimesOf(l.No, s.Last).Whole(), upFor(l, s.Last); got != want {
			return fmt.Errorf("leg %d: times add up to %v and not to %v", l.No, got, want)
		}
	}
	handed := s.mainBridge() != 0
	if outside && s.Ended.IsZero() && len(s.Responsible()) == 0 && !s.anyUp(Machine) && !handed {
		return fmt.Errorf("nobody looks after the outside")
	}
	return nil
}

// upFor is how long a leg has been up by now.
func upFor(l *Leg, now time.Time) time.Duration {
	switch {
	case l.Answered.IsZero():
		return 0
	case l.Ended.IsZero():
		return now.Sub(l.Answered)
	}
	return l.Ended.Sub(l.Answered)
}

func checkLeg(l Leg, s State) error {
	if (l.State == Ended) != (!l.Ended.IsZero()) || (l.State == Ended) != (l.Reason != "") {
		return fmt.Errorf("state %s, end %v, reason %q do not go together", l.State, l.Ended, l.Reason)
	}
	if !s.Ended.IsZero() && l.State != Ended {
		return fmt.Errorf("outlives its call")
	}
	last := s.Started
	for _, t := range []time.Time{l.Added, l.Rang, l.Answered, l.Ended} {
		if t.IsZero() {
			continue
		}
		if t.Before(last) {
			return fmt.Errorf("times out of order at %v", t)
		}
		last = t
	}
	for i, sp := range l.Spans {
		if l.Answered.IsZero() || sp.From.Before(l.Answered) {
			return fmt.Errorf("on a bridge before it was answered")
		}
		if open := sp.To.IsZero(); open && (i != len(l.Spans)-1 || l.State == Ended) {
			return fmt.Errorf("a span left open")
		} else if !open && sp.To.Before(sp.From) {
			return fmt.Errorf("a span that ends before it starts")
		}
	}
	return nil
}
