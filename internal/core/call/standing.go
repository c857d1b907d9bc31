package call

// Asked tells whether somebody in the call has asked for user, for whom it rings.
func (s *State) Asked(user string) bool {
	l := s.Leg(s.liveLeg(user))
	return l != nil && l.State == Ringing && l.For != 0
}

// Asking is the leg that user consults, nil without one.
func (s *State) Asking(user string) *Leg {
	mine := s.liveLeg(user)
	for i := range s.Legs {
		if l := &s.Legs[i]; l.As == Consulted && l.For == mine && l.State != Ended && mine != 0 {
			return l
		}
	}
	return nil
}

// liveLeg is the number of the leg of a rep that lasts, 0 without one.
func (s *State) liveLeg(user string) LegNo {
	for i := range s.Legs {
		if l := &s.Legs[i]; l.Party == Rep && l.User == user && l.State != Ended {
			return l.No
		}
	}
	return 0
}

// Waits tells whether a leg is up and on no bridge, in a call that was answered.
func (s *State) Waits(l *Leg) bool {
	return l.State == Up && l.Bridge() == 0 && l.Party != Observer && l.Party != Machine && !s.taken().IsZero() &&
		s.Ended.IsZero()
}

// Left tells whether outside parties of an answered call have nobody of the firm, neither person nor machine, who
// speaks with them, but for those who were handed to another outside party.
func (s *State) Left() bool {
	if s.Seq == 0 || !s.Ended.IsZero() || s.Answered().IsZero() {
		return false
	}
	outside := 0
	for i := range s.Legs {
		switch l := &s.Legs[i]; {
		case l.State != Up:
		case l.Party == Rep || l.Party == Machine:
			return false
		case l.Party == Outside && l.Bridge() != 0:
			return false
		case l.Party == Outside:
			outside++
		}
	}
	return outside > 0
}

// Responsible tells who looks after the outside of a call now: the reps who speak or are rung, or who left it last where
// nobody does; empty where a machine does or nobody is outside.
func (s *State) Responsible() []string {
	var speak, rung []string
	last := ""
	for i := range s.Legs {
		l := &s.Legs[i]
		if l.Party != Rep {
			continue
		}
		switch {
		case l.State == Up:
			speak = append(speak, l.User)
		case l.State == Ringing:
			rung = append(rung, l.User)
		case l.Reason == HandedOn || l.Reason == WasParked:
			last = l.User
		}
	}
	switch {
	case len(speak) > 0:
		return speak
	case len(rung) > 0:
		return rung
	case last != "" && s.anyLive(Outside):
		return []string{last}
	}
	return nil
}

// parties is how many legs last, without those who only listen.
func (s *State) parties() int {
	n := 0
	for i := range s.Legs {
		if l := &s.Legs[i]; l.State != Ended && l.Party != Observer {
			n++
		}
	}
	return n
}

func (s *State) outsideAt(address string) bool {
	for i := range s.Legs {
		if l := &s.Legs[i]; l.Party == Outside && l.State != Ended && l.Address == address {
			return true
		}
	}
	return false
}

// firstRep is the leg of the first rep who is up.
func (s *State) firstRep() LegNo {
	for i := range s.Legs {
		if l := &s.Legs[i]; l.Party == Rep && l.State == Up {
			return l.No
		}
	}
	return 0
}

// reps is how many reps are up.
func (s *State) reps() int {
	n := 0
	for i := range s.Legs {
		if s.Legs[i].Party == Rep && s.Legs[i].State == Up {
			n++
		}
	}
	return n
}

// Act is what somebody can do in a call of more than two.
type Act string

// The acts. Their names are those of the inputs.
const (
	ActAsk      Act = "ask"
	ActSwap     Act = "swap"
	ActBack     Act = "back"
	ActJoin     Act = "join"
	ActHandOver Act = "hand_over"
	ActPark     Act = "park"
	ActHold     Act = "hold"
	ActTake     Act = "take"
)

// Acts are what user can do now, and nothing else: those that Decide would carry out.
func (s *State) Acts(user string) []Act {
	var acts []Act
	for _, x := range []struct {
		act Act
		in  Input
	}{
		{ActAsk, Ask{By: user, Address: "?", As: Consulted}}, {ActSwap, Swap{user}}, {ActBack, Resume{user}},
		{ActJoin, Join{user}}, {ActHandOver, HandOver{user}}, {ActPark, Park{By: user, Place: "?"}},
		{ActHold, Hold{user}}, {ActTake, Take{By: user}},
	} {
		if facts, _, err := Decide(*s, x.in, s.Last); err == nil && len(facts) > 0 {
			acts = append(acts, x.act)
		}
	}
	return acts
}

// More tells whether more than a rep and one other are in the call, or were.
func (s *State) More() bool {
	for i := range s.Legs {
		l := &s.Legs[i]
		if l.For != 0 || l.As != "" || l.Party == Observer || l.Reason == WasParked || l.Reason == HandedOn {
			return true
		}
	}
	return false
}

// OnlyConsulted are the users who were asked something and never spoke in the call itself.
func (s *State) OnlyConsulted() []string {
	var users []string
	for i := range s.Legs {
		if l := &s.Legs[i]; l.Party == Rep && l.As == Consulted && !l.Answered.IsZero() {
			users = append(users, l.User)
		}
	}
	return users
}

// MayDrop tells whether it is offered to user to end a leg of others: one that they can end, but not that of the one with
// whom the call began while it is with nobody else; for that they hang up.
func (s *State) MayDrop(user string, leg LegNo) bool {
	if first := s.Other(); first != nil && first.No == leg {
		others := 0
		for i := range s.Legs {
			if l := &s.Legs[i]; l.State == Up && l.No != leg && l.As != Consulted && l.Party != Observer {
				others++
			}
		}
		if others < 2 {
			return false
		}
	}
	_, _, err := Decide(*s, Drop{By: user, Leg: leg}, s.Last)
	return err == nil
}

// Owes tells whether user has handed the call over or parked it and nobody has taken it yet: it may come back to them.
func (s *State) Owes(user string) bool {
	if !s.Left() {
		return false
	}
	last := ""
	for i := range s.Legs {
		if l := &s.Legs[i]; l.Party == Rep && (l.Reason == HandedOn || l.Reason == WasParked) {
			last = l.User
		}
	}
	return last == user
}

// Away tells whether user is in an answered call, on no bridge, and asks nobody: they have put it on hold, or nobody is
// with them any more.
func (s *State) Away(user string) bool {
	l := s.Leg(s.liveLeg(user))
	return l != nil && s.Waits(l) && s.Asking(user) == nil && l.As != Consulted
}

// IsUp tells whether a rep's leg is up: they are in the call, whether they speak or wait.
func (s *State) IsUp(user string) bool {
	for i := range s.Legs {
		if l := &s.Legs[i]; l.Party == Rep && l.User == user && l.State == Up {
			return true
		}
	}
	return false
}

// LeftAt is the last leg of a user who is in a call of more than two no longer, or whose customer is asked about the call,
// while it goes on; nil where that is not so.
func (s *State) LeftAt(user string) *Leg {
	if !s.Ended.IsZero() || !s.More() && !s.Surveyed() {
		return nil
	}
	var last *Leg
	for i := range s.Legs {
		l := &s.Legs[i]
		if l.Party != Rep || l.User != user {
			continue
		}
		if l.State == Up {
			return nil
		}
		if !l.Answered.IsZero() {
			last = l
		}
	}
	return last
}

// Speaks tells whether user is in the call and on a bridge.
func (s *State) Speaks(user string) bool {
	l := s.Leg(s.liveLeg(user))
	return l != nil && l.Bridge() != 0
}
