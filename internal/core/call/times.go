package call

import (
	"slices"
	"time"
)

// Times are what the time of one leg was spent with, from its answer on. Their sum is the whole of it.
type Times struct {
	Talk       time.Duration // with one other, of whom at least one of the two is outside
	Conference time.Duration // with two or more others
	Consult    time.Duration // with one other, both of the firm
	Hold       time.Duration // on no bridge, or alone on one
}

// Whole is the sum of the times.
func (t Times) Whole() time.Duration { return t.Talk + t.Conference + t.Consult + t.Hold }

// TimesOf splits the time of a leg from its answer until its end, or until now where it lasts. A machine counts as one
// of the firm, but for the attendant, with whom a caller waits; who only listens counts for nobody.
func (s *State) TimesOf(no LegNo, now time.Time) Times {
	var t Times
	l := s.Leg(no)
	if l == nil || l.Answered.IsZero() {
		return t
	}
	end := l.Ended
	if end.IsZero() {
		end = now
	}
	for _, part := range s.partsOf(l, end) {
		others, outside := s.beside(l, part)
		long := part.To.Sub(part.From)
		switch {
		case others == 0:
			t.Hold += long
		case others > 1:
			t.Conference += long
		case outside:
			t.Talk += long
		default:
			t.Consult += long
		}
	}
	return t
}

// partsOf cuts the time of a leg wherever anybody comes to a bridge or leaves one; each has the bridge that the leg is
// on, 0 for none.
func (s *State) partsOf(l *Leg, end time.Time) []Span {
	cuts := []time.Time{l.Answered, end}
	for i := range s.Legs {
		for _, sp := range s.Legs[i].Spans {
			for _, at := range []time.Time{sp.From, sp.To} {
				if at.After(l.Answered) && at.Before(end) {
					cuts = append(cuts, at)
				}
			}
		}
	}
	slices.SortFunc(cuts, time.Time.Compare)
	cuts = slices.CompactFunc(cuts, time.Time.Equal)
	var parts []Span
	for i := 0; i+1 < len(cuts); i++ {
		parts = append(parts, Span{Bridge: bridgeAt(l, cuts[i]), From: cuts[i], To: cuts[i+1]})
	}
	return parts
}

// bridgeAt is the bridge that a leg was on from a moment on, 0 for none.
func bridgeAt(l *Leg, at time.Time) BridgeNo {
	for _, sp := range l.Spans {
		if !at.Before(sp.From) && (sp.To.IsZero() || at.Before(sp.To)) {
			return sp.Bridge
		}
	}
	return 0
}

// beside counts the others on a leg's bridge for a part of its time, and tells whether it or one of them is outside.
func (s *State) beside(l *Leg, part Span) (others int, outside bool) {
	outside = l.Party == Outside
	if part.Bridge == 0 {
		return 0, outside
	}
	for i := range s.Legs {
		if o := &s.Legs[i]; o.No != l.No && o.Device != Attendant && o.Device != Survey && bridgeAt(o, part.From) == part.Bridge {
			others++
			outside = outside || o.Party == Outside
		}
	}
	return others, outside
}
