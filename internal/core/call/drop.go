package call

// Prepared is the device of a machine's leg that leaves a prepared message.
const Prepared = "prepared"

// LeavePrepared lets a machine leave a prepared message with whoever answered, a voicemail it is hoped: the rep is
// released at once, and the call goes on without them.
type LeavePrepared struct {
	By   string // user id
	Name string // of the message
}

// PreparedEnds ends a call in which a prepared message was to be left: it was, or no moment for it came.
type PreparedEnds struct{}

func (LeavePrepared) input() {}
func (PreparedEnds) input()  {}

// Reasons of calls in which a prepared message was to be left.
const (
	MessageLeft Reason = "message_left" // to its end
	NoMoment    Reason = "no_moment"    // no beep or silence came: nothing was left
)

// voicemail is the leg of a machine of ours that answered for a rep, nil without one.
func (s *State) voicemail() *Leg {
	if m := s.Machine(); m != nil && m.Device != Prepared {
		return m
	}
	return nil
}

func (d *decision) leavePrepared(in LeavePrepared) ([]Fact, []Effect, error) {
	mine := d.liveLegOf(in.By)
	switch {
	case d.state.Seq == 0:
		return nil, nil, ErrNoCall
	case !d.state.Ended.IsZero():
		return nil, nil, ErrOver
	case mine == 0:
		return nil, nil, ErrNotThere
	case d.state.Internal || d.state.Leg(mine).State != Up || d.state.Answered().IsZero() || d.state.Machine() != nil ||
		!d.state.anyLive(Outside):
		return nil, nil, ErrNoSpeech
	case d.state.parties() > 2:
		return nil, nil, ErrCompany
	}
	no := LegNo(len(d.state.Legs) + 1)
	d.add(Fact{Kind: LegAdded, Leg: no, Party: Machine, Device: Prepared, By: in.By, Address: in.Name})
	d.add(Fact{Kind: LegAnswered, Leg: no})
	d.endLeg(mine, EndedByUs)
	d.bridge()
	return d.facts, d.effects, nil
}

func (d *decision) preparedEnds() ([]Fact, []Effect, error) {
	m := d.state.Machine()
	if m == nil || m.State != Up || m.Device != Prepared {
		return nil, nil, nil
	}
	reason := NoMoment
	if !d.state.Beeped.IsZero() {
		reason = MessageLeft
	}
	d.endAll(reason)
	return d.facts, d.effects, nil
}
