package call

import "errors"

// Arrive is a call that comes in: an outside leg that rings us.
type Arrive struct {
	From string // E.164 with extension, or whatever the network says; "" where it is withheld
	Line string // the line of ours that was called, E.164
}

// Offer rings reps. Whoever answers first has the call. Somebody who is being rung already is passed over.
type Offer struct {
	To     []string // user ids
	Device string   // "browser"
	As     Role     // Returned where they get back what they gave away; else ""
	Word   string   // why
}

// Answer takes a call that rings for By.
type Answer struct{ By string }

// Decline takes By out of those who are rung. The call goes on ringing for others, or waits for the next to be offered
// it.
type Decline struct{ By string }

// Withdraw takes an offer back: it has rung long enough there, or the rep is no longer reached.
type Withdraw struct{ From string }

// Miss ends a call that nobody has answered, when there is nobody left to ring.
type Miss struct{}

// Hold parts the rep from the outside without ending either; Resume joins them again.
type Hold struct{ By string }

// Resume joins what Hold has parted.
type Resume struct{ By string }

func (Arrive) input()   {}
func (Offer) input()    {}
func (Answer) input()   {}
func (Decline) input()  {}
func (Withdraw) input() {}
func (Miss) input()     {}
func (Hold) input()     {}
func (Resume) input()   {}

// Pick asks the carrier to answer an outside leg that rings us.
type Pick struct{ Leg LegNo }

func (Pick) effect() {}

// Reasons of calls that come in.
const (
	Abandoned Reason = "abandoned"          // they hung up before anybody answered
	Missed    Reason = "missed"             // nobody of the firm answered
	Elsewhere Reason = "answered_elsewhere" // of a rep's leg: somebody else took the call
)

// Errors of calls that come in.
var (
	ErrTaken      = errors.New("somebody else has taken this call")
	ErrNoRing     = errors.New("this call does not ring for you")
	ErrNoSpeech   = errors.New("this call has not been answered")
	ErrHeld       = errors.New("this call is on hold already")
	ErrNotHeld    = errors.New("this call is not on hold")
	ErrNotInbound = errors.New("this call did not come in")
)

// arrive makes the call of what comes in.
func (d *decision) arrive(in Arrive) ([]Fact, []Effect, error) {
	if d.state.Seq > 0 {
		return nil, nil, ErrPlaced
	}
	d.add(Fact{Kind: Arrived, Address: in.Line})
	d.add(Fact{Kind: LegAdded, Leg: 1, Party: Outside, Device: "carrier", Address: in.From})
	d.add(Fact{Kind: LegRinging, Leg: 1})
	return d.facts, d.effects, nil
}

// waiting tells whether a call that came in still waits for an answer.
func (d *decision) waiting() error {
	switch {
	case d.state.Seq == 0:
		return ErrNoCall
	case !d.state.Ended.IsZero():
		return ErrOver
	case d.state.Left() || d.state.Attended():
		return nil
	case !d.state.Inbound && !d.state.Internal:
		return ErrNotInbound
	case !d.state.taken().IsZero():
		return ErrTaken
	}
	return nil
}

func (d *decision) offer(in Offer) ([]Fact, []Effect, error) {
	if err := d.waiting(); err != nil {
		return nil, nil, err
	}
	if d.state.Internal && !d.state.Left() {
		return nil, nil, ErrNotInbound
	}
	for _, user := range in.To {
		if user == "" || d.liveLegOf(user) != 0 {
			continue
		}
		no := LegNo(len(d.state.Legs) + 1)
		d.add(Fact{Kind: LegAdded, Leg: no, Party: Rep, By: user, Device: in.Device, As: in.As, Word: in.Word})
		d.add(Fact{Kind: LegRinging, Leg: no})
	}
	return d.facts, d.effects, nil
}

func (d *decision) answer(in Answer) ([]Fact, []Effect, error) {
	mine := d.ringOf(in.By)
	if mine != 0 && d.state.Leg(mine).As == Consulted || mine != 0 && d.state.Leg(mine).As == Handed {
		d.add(Fact{Kind: LegAnswered, Leg: mine})
		d.answeredBy(mine)
		return d.facts, d.effects, nil
	}
	if err := d.waiting(); err != nil {
		if errors.Is(err, ErrTaken) && d.liveLegOf(in.By) != 0 && d.state.Machine() == nil {
			return nil, nil, nil // by this rep, from another window
		}
		return nil, nil, err
	}
	if mine == 0 {
		return nil, nil, ErrNoRing
	}
	d.add(Fact{Kind: LegAnswered, Leg: mine})
	d.endRings(func(Leg) Reason { return Elsewhere })
	if out := d.state.Outside(); out != nil && out.State == Ringing {
		d.add(Fact{Kind: LegAnswered, Leg: out.No})
		d.effects = append(d.effects, Pick{Leg: out.No})
	}
	d.answeredBy(mine)
	return d.facts, d.effects, nil
}

// endRings ends what still rings for a call that somebody has taken: reps, and outside parties that were to take it over.
func (d *decision) endRings(why func(Leg) Reason) {
	for _, l := range d.state.Legs {
		if l.State == Ringing && l.Party == Rep || (l.State == Ringing || l.State == Dialing) && l.As == Handed {
			d.endLeg(l.No, why(l))
		}
	}
}

// bridge puts every leg that is up on a new bridge.
func (d *decision) bridge() {
	bridge := d.state.bridgeNo + 1
	for _, l := range d.state.Legs {
		if l.State == Up {
			d.add(Fact{Kind: Bridged, Leg: l.No, Bridge: bridge})
		}
	}
}

// leave takes a rep who is being rung out, for a reason. Somebody who is not rung any more is no mistake: the ring may
// have ended at the same moment.
func (d *decision) leave(user string, reason Reason) ([]Fact, []Effect, error) {
	no := d.ringOf(user)
	if no == 0 || d.state.Leg(no).For == 0 {
		if err := d.waiting(); err != nil {
			return nil, nil, err
		}
	}
	if no == 0 {
		return nil, nil, nil
	}
	d.add(Fact{Kind: LegEnded, Leg: no, Reason: reason})
	switch {
	case d.state.Internal && d.state.Answered().IsZero(): // nobody else is asked
		d.endAll(reason)
	case !d.state.Answered().IsZero():
		d.settle(reason)
	}
	return d.facts, d.effects, nil
}

// ringOf is the leg on which a rep is being rung, 0 if there is none.
func (d *decision) ringOf(user string) LegNo {
	for _, l := range d.state.Legs {
		if l.Party == Rep && l.User == user && l.State == Ringing {
			return l.No
		}
	}
	return 0
}

func (d *decision) miss() ([]Fact, []Effect, error) {
	if err := d.waiting(); err != nil {
		return nil, nil, err
	}
	d.endAll(Missed)
	return d.facts, d.effects, nil
}

// hold parts or joins a rep and the outside.
func (d *decision) hold(by string, on bool) ([]Fact, []Effect, error) {
	switch {
	case d.state.Seq == 0:
		return nil, nil, ErrNoCall
	case !d.state.Ended.IsZero():
		return nil, nil, ErrOver
	case d.liveLegOf(by) == 0:
		return nil, nil, ErrNotThere
	case d.state.Answered().IsZero() || d.state.Leg(d.liveLegOf(by)).State != Up:
		return nil, nil, ErrNoSpeech
	}
	mine := d.liveLegOf(by)
	asking := d.state.Asking(by)
	switch away := d.state.Leg(mine).Bridge() == 0; {
	case d.state.Leg(mine).As == Consulted:
		return nil, nil, ErrConsulted
	case on && asking != nil:
		return nil, nil, ErrAsking
	case on == away && asking == nil:
		return nil, nil, map[bool]error{true: ErrHeld, false: ErrNotHeld}[on]
	case on && d.state.parties() > 2:
		d.stepAside(mine)
	case on:
		d.add(Fact{Kind: Held})
	default:
		d.back(by, mine)
	}
	return d.facts, d.effects, nil
}

// RungNow are the users for whom a call that came in rings, in the order in which they were offered it.
func (s *State) RungNow() []string {
	var users []string
	for _, l := range s.Legs {
		if l.Party == Rep && l.State == Ringing {
			users = append(users, l.User)
		}
	}
	return users
}

// Takers are the users who have answered, first first.
func (s *State) Takers() []string {
	var users []string
	for _, l := range s.Legs {
		if l.Party == Rep && !l.Answered.IsZero() {
			users = append(users, l.User)
		}
	}
	return users
}

// Concerns tells whether it rings for user, or they are or were in the call.
func (s *State) Concerns(user string) bool {
	for i := range s.Legs {
		if l := &s.Legs[i]; l.Party == Rep && l.User == user && (l.State != Ended || !l.Answered.IsZero()) {
			return true
		}
	}
	return s.By != "" && s.By == user
}
