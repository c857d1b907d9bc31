package call

import "time"

// Input is a command of a rep or an event of the carrier. The types below are all there are.
type Input interface{ input() }

// Place starts a call from a rep's browser, whose leg is up from the start, to an outside number.
type Place struct {
	By       string // user id
	Device   string // "browser"
	Address  string // E.164 with extension, or an emergency number as typed
	CallerID string // the number shown, E.164
}

// HangUp takes a rep out of the call. Before the answer it gives the try up.
type HangUp struct {
	By     string
	Survey bool // the customer is asked about the call, where By was the only rep in it
}

// CarrierRinging tells that an outside leg rings.
type CarrierRinging struct{ Leg LegNo }

// CarrierAnswered tells that an outside leg was answered. It may come without a ring before it.
type CarrierAnswered struct{ Leg LegNo }

// CarrierEnded tells that an outside leg is over, and why.
type CarrierEnded struct {
	Leg    LegNo
	Reason Reason
}

// Lost ends whatever is left of the call because its server or connection is gone.
type Lost struct{}

func (Place) input()           {}
func (HangUp) input()          {}
func (CarrierRinging) input()  {}
func (CarrierAnswered) input() {}
func (CarrierEnded) input()    {}
func (Lost) input()            {}

// Effect is something to be asked of the carrier. The types below are all there are.
type Effect interface{ effect() }

// Dial asks the carrier to call Address and show CallerID.
type Dial struct {
	Leg      LegNo
	Address  string
	CallerID string
}

// Release asks the carrier to end a leg that is over for us.
type Release struct{ Leg LegNo }

func (Dial) effect()    {}
func (Release) effect() {}

// legEvent is what can happen to an outside leg.
type legEvent int

const (
	evRinging legEvent = iota
	evAnswered
	evEnded
)

// legTable is the life of an outside leg: state by event. What is not listed changes nothing, so an
// event that comes twice, late or out of order is without effect.
var legTable = map[LegState]map[legEvent]LegState{
	Dialing: {evRinging: Ringing, evAnswered: Up, evEnded: Ended},
	Ringing: {evAnswered: Up, evEnded: Ended},
	Up:      {evEnded: Ended},
	Ended:   {},
}

// Decide tells what follows from in at the time at. A time before the newest fact counts as that
// fact's time, so that facts are always in order. Carrier events that no longer mean anything give no
// facts and no error; commands that cannot be carried out give ErrOver, ErrNotThere, ErrPlaced or ErrNoCall.
func Decide(s State, in Input, at time.Time) ([]Fact, []Effect, error) {
	if at.Before(s.Last) {
		at = s.Last
	}
	d := decision{state: s, at: at}
	if _, _, err := d.decide(in); err != nil {
		return nil, nil, err
	}
	if len(d.facts) > 0 && d.state.Ended.IsZero() {
		d.tidy()
	}
	return d.facts, d.effects, nil
}

// decide is each input by what carries it out.
func (d *decision) decide(in Input) ([]Fact, []Effect, error) {
	switch in := in.(type) {
	case Place:
		return d.place(in)
	case HangUp:
		return d.hangUp(in)
	case Arrive:
		return d.arrive(in)
	case Offer:
		return d.offer(in)
	case Answer:
		return d.answer(in)
	case Decline:
		return d.leave(in.By, Declined)
	case Withdraw:
		return d.leave(in.From, NoAnswer)
	case Miss:
		return d.miss()
	case Hold:
		return d.hold(in.By, true)
	case Resume:
		return d.hold(in.By, false)
	case MachineTakes:
		return d.machineTakes(in)
	case Beep:
		return d.beep()
	case MachineEnds:
		return d.machineEnds()
	case LeavePrepared:
		return d.leavePrepared(in)
	case PreparedEnds:
		return d.preparedEnds()
	case Mute:
		return d.mute(in)
	case Press:
		return d.press(in)
	case PlaceInternal:
		return d.placeInternal(in)
	case CarrierDigits:
		d.keysFromOutside(in)
	case CarrierRinging:
		d.carrier(in.Leg, evRinging, "")
	case CarrierAnswered:
		d.carrier(in.Leg, evAnswered, "")
	case CarrierEnded:
		d.carrier(in.Leg, evEnded, in.Reason)
	case Ask:
		return d.ask(in)
	case Swap:
		return d.swap(in)
	case Join:
		return d.join(in)
	case HandOver:
		return d.handOver(in)
	case Drop:
		return d.drop(in)
	case Park:
		return d.park(in)
	case MuteLeg:
		return d.muteLeg(in)
	case Take:
		return d.take(in)
	case Say:
		return d.say(in)
	case Listen:
		return d.listen(in)
	case StepIn:
		return d.stepIn(in)
	case Attend:
		return d.attend()
	case Forward:
		return d.forward(in)
	case Unforward:
		return d.unforward()
	case Unattend:
		return d.letGo()
	case Serve:
		return d.serve()
	case Conclude:
		return d.conclude(in)
	case Adopt:
		return d.adopt(in)
	case MergeInto:
		return d.mergeInto(in)
	case Lost:
		if d.state.Seq > 0 && d.state.Ended.IsZero() {
			d.endAll(CutOff)
		}
	}
	return d.facts, d.effects, nil
}

// decision collects facts and effects; its state has each fact added at once.
type decision struct {
	state   State
	at      time.Time
	facts   []Fact
	effects []Effect
}

func (d *decision) add(f Fact) {
	f.Seq, f.At = d.state.Seq+1, d.at
	d.facts = append(d.facts, f)
	d.state = Evolve(d.state, f)
}

func (d *decision) place(in Place) ([]Fact, []Effect, error) {
	if d.state.Seq > 0 {
		return nil, nil, ErrPlaced
	}
	d.add(Fact{Kind: Placed, By: in.By})
	d.add(Fact{Kind: LegAdded, Leg: 1, Party: Rep, By: in.By, Device: in.Device})
	d.add(Fact{Kind: LegAnswered, Leg: 1})
	d.add(Fact{Kind: LegAdded, Leg: 2, Party: Outside, Device: "carrier", Address: in.Address})
	d.effects = append(d.effects, Dial{Leg: 2, Address: in.Address, CallerID: in.CallerID})
	return d.facts, d.effects, nil
}

func (d *decision) hangUp(in HangUp) ([]Fact, []Effect, error) {
	if d.state.Seq == 0 {
		return nil, nil, ErrNoCall
	}
	mine := d.liveLegOf(in.By)
	if no := d.state.observing(in.By); no != 0 {
		d.add(Fact{Kind: LegEnded, Leg: no, Reason: EndedByUs})
		return d.facts, d.effects, nil
	}
	if mine == 0 {
		if d.state.hasPart(in.By) {
			return nil, nil, ErrOver
		}
		return nil, nil, ErrNotThere
	}
	reason := EndedByUs
	switch {
	case d.state.Leg(mine).State == Ringing:
		return d.leave(in.By, Declined) // there is nothing to hang up yet
	case d.state.voicemail() != nil:
		reason = d.reasonOfMachine(GivenUp)
	case d.state.Answered().IsZero():
		reason = GivenUp
	case d.state.Internal && mine != 1:
		reason = EndedByThem // as the one sees it who called
	}
	if !in.Survey || !d.leaveToSurvey(mine) {
		d.goOut(mine, in.By, reason)
	}
	return d.facts, d.effects, nil
}

// goOut ends a rep's leg. Whom they consult, where that is a colleague who speaks, has the call then; a ring that they
// asked for ends. With nobody of the firm left there is nobody to talk to: the rest ends too.
func (d *decision) goOut(mine LegNo, by string, reason Reason) {
	if d.state.Answered().IsZero() {
		d.endLeg(mine, reason)
		d.endAll(reason)
		return
	}
	if asked := d.state.Asking(by); asked != nil {
		if asked.State == Up && asked.Party == Rep {
			d.passOn(mine, asked.No)
		} else {
			d.endLeg(asked.No, map[bool]Reason{true: reason, false: GivenUp}[asked.State == Up])
		}
	}
	wasOut := d.state.Leg(mine).As == Consulted
	d.endLeg(mine, reason)
	if !wasOut && d.state.reps() > 0 {
		d.gather(d.state.main(0)...)
	}
	if d.state.reps() == 0 && !wasOut {
		d.endAll(reason)
		return
	}
	d.settle(reason)
}

func (d *decision) carrier(no LegNo, ev legEvent, reason Reason) {
	leg := d.state.Leg(no)
	if leg == nil || leg.Party != Outside {
		return
	}
	if _, ok := legTable[leg.State][ev]; !ok {
		return
	}
	if d.state.Inbound && no == 1 && ev != evEnded {
		return // it rings us: only we can answer it
	}
	switch ev {
	case evRinging:
		d.add(Fact{Kind: LegRinging, Leg: no})
	case evAnswered:
		d.add(Fact{Kind: LegAnswered, Leg: no})
		d.answeredBy(no)
	case evEnded:
		answered := leg.State == Up
		if reason = reasonFor(reason, answered); d.state.Surveyed() && reason == EndedByThem {
			reason = EndedByUs // the conversation was over
		}
		if d.state.Inbound && no == 1 && d.state.Answered().IsZero() && reason != CutOff {
			if reason = Abandoned; d.state.Served {
				reason = Announced
			}
		}
		if d.state.voicemail() != nil {
			reason = d.reasonOfMachine(Abandoned)
		}
		d.add(Fact{Kind: LegEnded, Leg: no, Reason: reason})
		switch {
		case d.state.Answered().IsZero() || d.state.anyLive(Machine):
			if !d.state.anyLive(Outside) {
				d.endAll(reason)
			}
		default:
			d.settle(reason)
		}
	}
}

// answeredBy puts a leg that has just been answered where it belongs: with who consults it, with the call that it takes
// over, or, of the first that is answered, with everybody.
func (d *decision) answeredBy(no LegNo) {
	d.unattend()
	switch l := d.state.Leg(no); {
	case l.As == Consulted:
		d.together(no)
	case l.As == "" && d.state.bridgeNo == 0:
		d.bridge()
	default:
		d.gather(d.state.main(0)...)
	}
}

// reasonFor makes a carrier's reason fit: after an answer only the other side's hang-up or a lost
// connection are left, before it their hang-up means that they declined.
func reasonFor(r Reason, answered bool) Reason {
	switch {
	case answered && r == CutOff:
		return CutOff
	case answered:
		return EndedByThem
	case r == EndedByThem:
		return Declined
	case r == EndedByUs || !KnownReason(r):
		return OutOfService
	}
	return r
}

// endLeg ends one leg that lasts, and releases it where the carrier holds it.
func (d *decision) endLeg(no LegNo, reason Reason) {
	d.add(Fact{Kind: LegEnded, Leg: no, Reason: reason})
	if d.state.Leg(no).Party == Outside {
		d.effects = append(d.effects, Release{Leg: no})
	}
}

// endAll ends every leg that lasts, and the call.
func (d *decision) endAll(reason Reason) {
	for _, l := range d.state.Legs {
		if l.State != Ended {
			d.endLeg(l.No, reason)
		}
	}
	d.add(Fact{Kind: CallEnded, Reason: reason})
}

func (d *decision) liveLegOf(user string) LegNo { return d.state.liveLeg(user) }

func (s *State) hasPart(user string) bool {
	for i := range s.Legs {
		if s.Legs[i].Party == Rep && s.Legs[i].User == user {
			return true
		}
	}
	return false
}

func (s *State) anyLive(p Party) bool {
	for i := range s.Legs {
		if s.Legs[i].Party == p && s.Legs[i].State != Ended {
			return true
		}
	}
	return false
}
