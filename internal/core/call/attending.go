package call

import "errors"

// Attendant is the device of the machine's leg that takes a caller through what the firm has written for a line: it
// speaks and plays music while people may still be rung. Unlike voicemail it does not count as an answer.
const Attendant = "attendant"

// Survey is the device of the machine's leg that asks a customer about the call after its last rep has left. It is no
// answer, and nobody waits in it.
const Survey = "survey"

// Attend lets the attendant take a call that nobody speaks in: one that comes in, or that was left to others.
type Attend struct{}

// Forward rings an outside number for an attended caller, who hears the attendant until it answers.
type Forward struct{ Address, CallerID string }

// Unforward gives up an outside number that has not answered.
type Unforward struct{}

// Unattend lets the attendant go from a call that was answered before: it waits for whoever looks after it, as it did.
type Unattend struct{}

// Serve notes that the caller was told what they called for: where nobody speaks with them afterwards, they are owed no
// call.
type Serve struct{}

// Conclude ends an attended call (Missed, Announced where the caller was served, or CallbackTaken), or one after its survey
// (EndedByUs).
type Conclude struct{ Reason Reason }

func (Attend) input()    {}
func (Forward) input()   {}
func (Unforward) input() {}
func (Unattend) input()  {}
func (Serve) input()     {}
func (Conclude) input()  {}

// Served is the fact that a caller was told what they called for. Leg: the attendant's.
const Served FactKind = "served"

// CallbackTaken is the end of a call of somebody who will be called back.
const CallbackTaken Reason = "callback_taken"

// ErrUnattended says that no attendant has the call.
var ErrUnattended = errors.New("this call is not attended")

// attendant is the attendant's leg that is up, nil without one.
func (s *State) attendant() *Leg {
	for i := range s.Legs {
		if l := &s.Legs[i]; l.Device == Attendant && l.State == Up {
			return l
		}
	}
	return nil
}

// Attended tells whether the attendant has the call now.
func (s *State) Attended() bool { return s.attendant() != nil }

// wasAttended tells whether the attendant has, or had, the call.
func (s *State) wasAttended() bool {
	for i := range s.Legs {
		if s.Legs[i].Device == Attendant {
			return true
		}
	}
	return false
}

// firstTaker is the leg of whoever took an attended call first: a rep, an outside number, or a machine that is no
// attendant; nil before.
func (s *State) firstTaker() *Leg {
	var first *Leg
	for i := range s.Legs {
		l := &s.Legs[i]
		takes := l.Party == Rep || l.Party == Machine && l.Device != Attendant && l.Device != Survey || l.Party == Outside && l.As == Handed
		if takes && !l.Answered.IsZero() && (first == nil || l.Answered.Before(first.Answered)) {
			first = l
		}
	}
	return first
}

// Owed tells whether a call that came in is to be returned once it is over: nobody answered it, and the caller neither
// got what they called for nor is called back anyhow.
func (s *State) Owed() bool {
	return s.Inbound && s.Answered().IsZero() && s.Reason != CallbackTaken && (!s.Served || s.Reason != Announced)
}

// Surveyed tells whether the customer is just being asked about the call, which is over for its reps.
func (s *State) Surveyed() bool { return s.Ended.IsZero() && s.survey() != nil }

// survey is the leg of the machine that asks about the call, nil without one.
func (s *State) survey() *Leg {
	for i := range s.Legs {
		if s.Legs[i].Device == Survey {
			return &s.Legs[i]
		}
	}
	return nil
}

// leaveToSurvey ends the last rep's part and lets the customer be asked about the call; false: there is nobody to ask.
func (d *decision) leaveToSurvey(mine LegNo) bool {
	out := d.state.Outside()
	if !d.state.Inbound || d.state.parties() != 2 || out == nil || out.State != Up || d.state.Answered().IsZero() ||
		d.state.anyLive(Machine) {
		return false
	}
	d.endLeg(mine, EndedByUs)
	no := LegNo(len(d.state.Legs) + 1)
	d.add(Fact{Kind: LegAdded, Leg: no, Party: Machine, Device: Survey})
	d.add(Fact{Kind: LegAnswered, Leg: no})
	d.gather(out.No, no)
	return true
}

func (d *decision) attend() ([]Fact, []Effect, error) {
	if err := d.waiting(); err != nil {
		return nil, nil, err
	}
	if d.state.Attended() {
		return nil, nil, nil
	}
	no := LegNo(len(d.state.Legs) + 1)
	d.add(Fact{Kind: LegAdded, Leg: no, Party: Machine, Device: Attendant})
	d.add(Fact{Kind: LegAnswered, Leg: no})
	if out := d.state.Outside(); out != nil && out.State == Ringing {
		d.add(Fact{Kind: LegAnswered, Leg: out.No})
		d.effects = append(d.effects, Pick{Leg: out.No})
	}
	d.gather(d.state.main(0)...)
	return d.facts, d.effects, nil
}

// unattend ends the attendant's part: somebody else has the call.
func (d *decision) unattend() {
	if a := d.state.attendant(); a != nil {
		d.endLeg(a.No, HandedOn)
	}
}

// attended is an error where no attendant has the call.
func (d *decision) attended() error {
	switch {
	case d.state.Seq == 0:
		return ErrNoCall
	case !d.state.Ended.IsZero():
		return ErrOver
	case !d.state.Attended():
		return ErrUnattended
	}
	return nil
}

func (d *decision) forward(in Forward) ([]Fact, []Effect, error) {
	if err := d.attended(); err != nil {
		return nil, nil, err
	}
	if d.state.outsideAt(in.Address) {
		return nil, nil, ErrInIt
	}
	no := LegNo(len(d.state.Legs) + 1)
	d.add(Fact{Kind: LegAdded, Leg: no, Party: Outside, Device: "carrier", Address: in.Address, As: Handed})
	d.effects = append(d.effects, Dial{Leg: no, Address: in.Address, CallerID: in.CallerID})
	return d.facts, d.effects, nil
}

func (d *decision) unforward() ([]Fact, []Effect, error) {
	if err := d.attended(); err != nil {
		return nil, nil, err
	}
	for _, l := range d.state.Legs {
		if l.Party == Outside && l.As == Handed && (l.State == Dialing || l.State == Ringing) {
			d.endLeg(l.No, GivenUp)
		}
	}
	return d.facts, d.effects, nil
}

func (d *decision) letGo() ([]Fact, []Effect, error) {
	if err := d.attended(); err != nil {
		return nil, nil, err
	}
	if d.state.Answered().IsZero() || !d.state.passed() {
		return nil, nil, ErrNoSpeech
	}
	d.unattend()
	return d.facts, d.effects, nil
}

func (d *decision) serve() ([]Fact, []Effect, error) {
	if err := d.attended(); err != nil {
		return nil, nil, err
	}
	if !d.state.Served {
		d.add(Fact{Kind: Served, Leg: d.state.attendant().No})
	}
	return d.facts, d.effects, nil
}

func (d *decision) conclude(in Conclude) ([]Fact, []Effect, error) {
	if err := d.attended(); err != nil && !d.state.Surveyed() {
		return nil, nil, err
	}
	d.endAll(in.Reason)
	return d.facts, d.effects, nil
}
