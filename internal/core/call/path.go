package call

import (
	"slices"
	"time"
)

// Lane is what one party of a call went through, along its time.
type Lane struct {
	Leg   LegNo
	Spans []LaneSpan
}

// LaneSpan is a part of a lane.
type LaneSpan struct {
	From, To time.Time
	Mode     LaneMode
}

// LaneMode is what a part of a lane was spent with.
type LaneMode string

// The modes.
const (
	LaneRings    LaneMode = "ring"
	LaneTalks    LaneMode = "talk"
	LaneConsults LaneMode = "consult" // on a bridge on which nobody outside is
	LaneWaits    LaneMode = "hold"    // up, and on no bridge
)

// PathLeg is a leg as its path is drawn. Zero times have not come; End is when the call, or what is known of it, ends.
type PathLeg struct {
	Leg             LegNo
	Party           Party
	Began, Answered time.Time
	Ended           time.Time
	Talks           []PathTalk
}

// PathTalk is a time on a bridge.
type PathTalk struct {
	Bridge   BridgeNo
	From, To time.Time // a zero To: still
}

// Path is the picture of a call along its time: a lane for each leg, without gaps from its beginning to its end. A rep
// talks as long as somebody outside is on the same bridge, and consults otherwise. Legs that listen only have none.
func Path(legs []PathLeg, end time.Time) (lanes []Lane) {
	for _, l := range legs {
		if l.Party == Observer {
			continue
		}
		until := l.Ended
		if until.IsZero() || until.After(end) {
			until = end
		}
		lane := Lane{Leg: l.Leg}
		add := func(from, to time.Time, m LaneMode) {
			if to.After(until) {
				to = until
			}
			if to.After(from) {
				lane.Spans = append(lane.Spans, LaneSpan{from, to, m})
			}
		}
		at, before := l.Began, LaneRings // until somebody is there
		talks := slices.Clone(l.Talks)
		slices.SortFunc(talks, func(a, b PathTalk) int { return a.From.Compare(b.From) })
		for _, s := range talks {
			if s.To.IsZero() {
				s.To = until
			}
			add(at, s.From, before)
			if l.Party == Outside {
				add(s.From, s.To, LaneTalks)
			} else {
				consulting(legs, s, add)
			}
			at, before = s.To, LaneWaits
		}
		add(at, until, before)
		lanes = append(lanes, lane)
	}
	return lanes
}

// consulting parts a time on a bridge into talking with somebody outside and consulting.
func consulting(legs []PathLeg, s PathTalk, add func(from, to time.Time, m LaneMode)) {
	var outside []PathTalk
	for _, l := range legs {
		for _, t := range l.Talks {
			if t.To.IsZero() {
				t.To = s.To
			}
			if l.Party == Outside && t.Bridge == s.Bridge && t.From.Before(s.To) && t.To.After(s.From) {
				outside = append(outside, t)
			}
		}
	}
	slices.SortFunc(outside, func(a, b PathTalk) int { return a.From.Compare(b.From) })
	at := s.From
	for _, t := range outside {
		add(at, t.From, LaneConsults)
		from, to := t.From, t.To
		if from.Before(at) {
			from = at
		}
		if to.After(s.To) {
			to = s.To
		}
		add(from, to, LaneTalks)
		if to.After(at) {
			at = to
		}
	}
	add(at, s.To, LaneConsults)
}
