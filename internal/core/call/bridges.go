package call

// Bridge is the bridge on which a leg is now, 0 for none: it waits.
func (l *Leg) Bridge() BridgeNo {
	if n := len(l.Spans); n > 0 && l.Spans[n-1].To.IsZero() && l.State == Up {
		return l.Spans[n-1].Bridge
	}
	return 0
}

// stepAside takes a rep from their bridge. Those who would be left there without anybody of the firm wait.
func (d *decision) stepAside(mine LegNo) {
	bridge := d.state.Leg(mine).Bridge()
	if bridge == 0 {
		return
	}
	on := d.state.on(bridge)
	alone := true
	for _, no := range on {
		alone = alone && (no == mine || d.state.Leg(no).Party != Rep)
	}
	for _, no := range on {
		if alone || no == mine {
			d.add(Fact{Kind: Held, Leg: no})
		}
	}
}

// on are the legs on a bridge.
func (s *State) on(bridge BridgeNo) []LegNo {
	var legs []LegNo
	for i := range s.Legs {
		if s.Legs[i].Bridge() == bridge && bridge != 0 {
			legs = append(legs, s.Legs[i].No)
		}
	}
	return legs
}

// main are the legs that are up and nobody's consultation, but for the one of who consults: the call itself.
func (s *State) main(without LegNo) []LegNo {
	var legs []LegNo
	for i := range s.Legs {
		if l := &s.Legs[i]; l.State == Up && l.As != Consulted && l.Party != Observer && l.No != without &&
			(l.Party == Outside || !s.consults(l.No) || l.Bridge() == s.mainBridge()) {
			legs = append(legs, l.No)
		}
	}
	return legs
}

// consults tells whether a leg consults another that lasts.
func (s *State) consults(no LegNo) bool {
	for i := range s.Legs {
		if l := &s.Legs[i]; l.As == Consulted && l.For == no && l.State != Ended {
			return true
		}
	}
	return false
}

// mainBridge is the bridge of the first outside party that is not consulted, else of the first rep who consults nobody;
// 0 where they wait.
func (s *State) mainBridge() BridgeNo {
	for i := range s.Legs {
		if l := &s.Legs[i]; l.Party == Outside && l.State == Up && l.As != Consulted {
			return l.Bridge()
		}
	}
	for i := range s.Legs {
		if l := &s.Legs[i]; l.Party == Rep && l.State == Up && l.As != Consulted && !s.consults(l.No) {
			return l.Bridge()
		}
	}
	return 0
}

// gather puts legs on one bridge: that of those who are on one already where all of that one are among them, so that
// nobody's time on it is cut, else a new one.
func (d *decision) gather(legs ...LegNo) {
	bridge := BridgeNo(0)
	for _, no := range legs {
		if b := d.state.Leg(no).Bridge(); b != 0 && subset(d.state.on(b), legs) && bridge == 0 {
			bridge = b
		}
	}
	if bridge == 0 {
		bridge = d.state.bridgeNo + 1
	}
	for _, no := range legs {
		if l := d.state.Leg(no); l.State == Up && l.Bridge() != bridge {
			d.add(Fact{Kind: Bridged, Leg: no, Bridge: bridge})
		}
	}
}

func subset(some, all []LegNo) bool {
	for _, x := range some {
		in := false
		for _, y := range all {
			in = in || x == y
		}
		if !in {
			return false
		}
	}
	return true
}

// together puts a leg with whom it consults, or who consults it.
func (d *decision) together(asked LegNo) {
	asker := d.state.Leg(asked).For
	d.stepAside(asker)
	d.gather(asker, asked)
}

// back puts a rep on the bridge of the call itself; whom they consult waits, and is rung no longer.
func (d *decision) back(by string, mine LegNo) {
	if asked := d.state.Asking(by); asked != nil {
		if asked.State == Up {
			if asked.Bridge() != 0 {
				d.add(Fact{Kind: Held, Leg: asked.No})
			}
		} else {
			d.endLeg(asked.No, GivenUp)
		}
	}
	d.gather(append(d.state.main(mine), mine)...)
}

// settle looks what is left of an answered call after a leg has ended: those who remain without the outside hear each
// other, and a call in which nobody is left to talk with ends, for a reason.
func (d *decision) settle(reason Reason) {
	s := &d.state
	if !s.Ended.IsZero() {
		return
	}
	up, rung := 0, 0
	for i := range s.Legs {
		switch l := &s.Legs[i]; {
		case l.State == Ended || l.Party == Observer:
		case l.State == Up:
			up++
		case l.Party == Rep:
			rung++
		case l.As != "": // an outside party that was dialed
			rung++
		}
	}
	outside := s.anyUp(Outside)
	switch {
	case outside && (s.reps() > 0 || s.anyUp(Machine)):
	case outside && up > 1 && s.mainBridge() != 0: // handed to an outside party
	case outside && (rung > 0 || s.Left() && s.passed()):
	case !outside && s.reps() > 1:
		d.colleaguesGoOn()
	default:
		d.endAll(reason)
	}
}

// tidy is what holds after everything: nobody is alone on a bridge, where they would wait in silence, and who listens
// does so beside a rep.
func (d *decision) tidy() {
	for _, l := range d.state.Legs {
		if b := l.Bridge(); b != 0 && len(d.state.on(b)) == 1 {
			d.add(Fact{Kind: Held, Leg: l.No})
		}
	}
	d.settleListeners()
}

// passed tells whether somebody has handed the call over or parked it, so that those who left it are looked after.
func (s *State) passed() bool {
	for i := range s.Legs {
		if l := &s.Legs[i]; l.Party == Rep && (l.Reason == HandedOn || l.Reason == WasParked) {
			return true
		}
	}
	return false
}

// colleaguesGoOn lets a rep whom the outside has left, and whom they consult, hear each other.
func (d *decision) colleaguesGoOn() {
	var up []LegNo
	for _, l := range d.state.Legs {
		if l.Party != Rep || l.State != Up {
			continue
		}
		if l.As != Consulted && !d.state.consults(l.No) {
			return // there is a conversation besides the consultation
		}
		up = append(up, l.No)
	}
	for _, no := range up {
		if d.state.Leg(no).As == Consulted {
			d.add(Fact{Kind: Joined, Leg: no})
		}
	}
	d.gather(up...)
}

func (s *State) anyUp(p Party) bool {
	for i := range s.Legs {
		if s.Legs[i].Party == p && s.Legs[i].State == Up {
			return true
		}
	}
	return false
}
