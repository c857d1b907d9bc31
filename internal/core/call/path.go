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
	LaneConsults LaneMode = "consult" // on another bridge than the first outside party's first one
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

// Path is the picture of a call along its time: a lane for each leg, without gaps from its beginning to its end. Legs
// that
// listen only have none.
func Path(legs []PathLeg, end time.Time) (lanes []Lane) {
	var main BridgeNo
	for _, l := range legs {
		if l.Party == Outside && len(l.Talks) > 0 && main == 0 {
			main = l.Talks[0].Bridge
		}
	}
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
		if l.Answered.IsZero() {
			add(l.Began, until, LaneRings)
		} else {
			add(l.Began, l.Answered, LaneRings)
			at := l.Answered
			talks := slices.Clone(l.Talks)
			slices.SortFunc(talks, func(a, b PathTalk) int { return a.From.Compare(b.From) })
			for _, s := range talks {
				to := s.To
				if to.IsZero() {
					to = until
				}
				add(at, s.From, LaneWaits)
				mode := LaneTalks
				if main != 0 && s.Bridge != main {
					mode = LaneConsults
				}
				add(s.From, to, mode)
				at = to
			}
			add(at, until, LaneWaits)
		}
		lanes = append(lanes, lane)
	}
	return lanes
}
