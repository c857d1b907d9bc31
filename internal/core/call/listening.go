package call

import "errors"

// Observer is somebody who leads and listens; nobody but the rep to whom they whisper hears them.
const Observer Party = "observer"

// Errors of listening.
var (
	ErrNobodySpeaks = errors.New("they are in no conversation")
	ErrListening    = errors.New("you are in this call yourself")
)

// observing is the leg on which user listens, 0 without one.
func (s *State) observing(user string) LegNo {
	for i := range s.Legs {
		if l := &s.Legs[i]; l.Party == Observer && l.User == user && l.State == Up {
			return l.No
		}
	}
	return 0
}

// Observing is the leg on which user listens, nil without one.
func (s *State) Observing(user string) *Leg { return s.Leg(s.observing(user)) }

// ListenersOf are the users who listen to a rep, with how.
func (s *State) ListenersOf(user string) map[string]Role {
	mine, listeners := s.liveLeg(user), map[string]Role{}
	for i := range s.Legs {
		if l := &s.Legs[i]; l.Party == Observer && l.State == Up && l.For == mine && mine != 0 {
			listeners[l.User] = l.As
		}
	}
	return listeners
}

func (d *decision) listen(in Listen) ([]Fact, []Effect, error) {
	switch {
	case d.state.Seq == 0:
		return nil, nil, ErrNoCall
	case !d.state.Ended.IsZero():
		return nil, nil, ErrOver
	case d.liveLegOf(in.By) != 0:
		return nil, nil, ErrListening
	}
	to := d.liveLegOf(in.To)
	if to == 0 || d.state.Leg(to).State != Up || d.state.Answered().IsZero() || d.state.anyLive(Machine) {
		return nil, nil, ErrNobodySpeaks
	}
	if no := d.state.observing(in.By); no != 0 {
		if l := d.state.Leg(no); l.As != in.As || l.For != to {
			d.add(Fact{Kind: Recast, Leg: no, As: in.As, For: to})
		}
		return d.facts, d.effects, nil
	}
	no := LegNo(len(d.state.Legs) + 1)
	d.add(Fact{Kind: LegAdded, Leg: no, Party: Observer, By: in.By, Device: "browser", As: in.As, For: to})
	d.add(Fact{Kind: LegAnswered, Leg: no})
	return d.facts, d.effects, nil
}

// stepIn ends listening and adds a rep's leg, on the bridge of whom they listened to.
func (d *decision) stepIn(in StepIn) ([]Fact, []Effect, error) {
	switch no := d.state.observing(in.By); {
	case d.state.Seq == 0:
		return nil, nil, ErrNoCall
	case !d.state.Ended.IsZero():
		return nil, nil, ErrOver
	case no == 0:
		return nil, nil, ErrNotThere
	case d.state.parties() >= MostParties:
		return nil, nil, ErrFull
	case d.state.Leg(d.state.Leg(no).For).Bridge() == 0:
		return nil, nil, ErrNoSpeech
	default:
		bridge := d.state.Leg(d.state.Leg(no).For).Bridge()
		d.add(Fact{Kind: LegEnded, Leg: no, Reason: Elsewhere})
		mine := LegNo(len(d.state.Legs) + 1)
		d.add(Fact{Kind: LegAdded, Leg: mine, Party: Rep, By: in.By, Device: "browser"})
		d.add(Fact{Kind: LegAnswered, Leg: mine})
		d.add(Fact{Kind: Bridged, Leg: mine, Bridge: bridge})
	}
	return d.facts, d.effects, nil
}

// settleListeners lets who listened to a rep that has left go on with another, and ends it where nobody is left.
func (d *decision) settleListeners() {
	for _, l := range d.state.Legs {
		if l.Party != Observer || l.State != Up || d.state.Leg(l.For).State == Up {
			continue
		}
		if next := d.state.firstRep(); next != 0 {
			d.add(Fact{Kind: Recast, Leg: l.No, As: l.As, For: next})
		} else {
			d.add(Fact{Kind: LegEnded, Leg: l.No, Reason: EndedByThem})
		}
	}
}

// Hears tells whether the leg listener hears the leg speaker: both are up and on one bridge, or one listens. Nobody
// hears who is muted.
func (s *State) Hears(listener, speaker LegNo) bool {
	a, b := s.Leg(listener), s.Leg(speaker)
	if a == nil || b == nil || listener == speaker || a.State != Up || b.State != Up || b.Muted {
		return false
	}
	switch {
	case b.Party == Observer:
		return b.As == Whispering && b.For == listener
	case a.Party == Observer:
		return speaker == a.For || s.Hears(a.For, speaker)
	}
	return a.Bridge() != 0 && a.Bridge() == b.Bridge()
}
