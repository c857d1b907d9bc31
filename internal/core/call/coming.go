package call

// Came are the legs with which somebody has come to a conversation besides the first two, by facts and the state after
// them: to whom it was handed, who was joined, or steps in. Who is only asked has not come to it.
func Came(facts []Fact, s *State) []LegNo {
	var legs []LegNo
	for _, f := range facts {
		l := s.Leg(f.Leg)
		switch {
		case l == nil || l.State != Up || l.As == Consulted || l.Party == Observer || l.Party == Machine:
		case f.Kind == Joined, f.Kind == PassedOn, f.Kind == LegAnswered:
			legs = append(legs, l.No)
		}
	}
	return legs
}

// CameBeside tells whether somebody has come to a conversation in which two others go on: nobody is told of the first two,
// nor where one takes the place of another.
func CameBeside(facts []Fact, s *State) bool {
	for _, no := range Came(facts, s) {
		if len(s.on(s.Leg(no).Bridge())) > 2 {
			return true
		}
	}
	return false
}

// AskedNow are the legs of whom a rep has just begun to ask: they have answered, and are consulted.
func AskedNow(facts []Fact, s *State) []LegNo {
	var legs []LegNo
	for _, f := range facts {
		l := s.Leg(f.Leg)
		if l != nil && f.Kind == LegAnswered && l.As == Consulted && l.State == Up {
			legs = append(legs, l.No)
		}
	}
	return legs
}

// Consulting tells whether somebody is asked, and has answered.
func (s *State) Consulting() bool {
	for i := range s.Legs {
		if s.Legs[i].As == Consulted && s.Legs[i].State == Up {
			return true
		}
	}
	return false
}
