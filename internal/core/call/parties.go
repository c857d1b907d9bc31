package call

import "errors"

// MostParties is how many legs of a call may last at once: eight who speak, as a room of people can still follow.
const MostParties = 8

// Role is why a leg was added to a call that was spoken in already.
type Role string

// The roles of a leg. One that was there from the beginning, or that has been joined, has none.
const (
	Consulted  Role = "consult" // is asked something while the others wait
	Handed     Role = "handed"  // is to take the call over
	Returned   Role = "back"    // is asked to take back what they have handed over or parked
	Listening  Role = "listen"  // hears what a rep hears, and the rep
	Whispering Role = "whisper" // the same, and is heard by that rep alone
)

// Ask brings somebody into a call that By speaks in: a colleague (To) or an outside number (Address). As Consulted those
// with By wait, as Handed By leaves at once.
type Ask struct {
	By       string // user id
	To       string // user id of a colleague; "" for an outside number
	Device   string // of a colleague
	Address  string // E.164 with extension
	CallerID string // the number shown, E.164
	As       Role   // Consulted or Handed
	Word     string // what it is about
}

// Swap lets By speak with whom they consult, or with the others again; who is left waits.
type Swap struct{ By string }

// Join puts whom By consults and everybody else of the call on one bridge.
type Join struct{ By string }

// HandOver leaves the call to whom By consults, who may still be rung.
type HandOver struct{ By string }

// Drop ends another leg: one that By has brought in, or an outside party; the first rep of a call may end any.
type Drop struct {
	By  string
	Leg LegNo
}

// Park lets the outside wait in a named place, where anybody may take it; By leaves. Without a place it is given to others,
// whom the caller of Decide offers it to.
type Park struct{ By, Place string }

// MuteLeg lets nobody hear a leg that By may end; off, it is heard again.
type MuteLeg struct {
	By  string
	Leg LegNo
	On  bool
}

// Take gives By a call that waits for somebody: one that is parked or was left, or that rings others.
type Take struct{ By, Device string }

// Listen adds somebody who leads to a call: As is Listening or Whispering, of a rep who is in it. Somebody who listens
// already changes how.
type Listen struct {
	By, To string // user ids: who listens, and to whom
	As     Role
}

// StepIn makes a rep of the call of somebody who listens.
type StepIn struct{ By string }

// Say is what By lets whom asked them know while it rings, as "in five minutes", before they decline.
type Say struct{ By, Word string }

func (Ask) input()      {}
func (Swap) input()     {}
func (Join) input()     {}
func (HandOver) input() {}
func (Drop) input()     {}
func (Park) input()     {}
func (MuteLeg) input()  {}
func (Take) input()     {}
func (Listen) input()   {}
func (StepIn) input()   {}
func (Say) input()      {}

// Reasons of legs in calls of more than two.
const (
	HandedOn  Reason = "handed_on" // of a rep's leg: they have left the call to somebody else
	WasParked Reason = "parked"    // of a rep's leg: they have parked the call
	Dropped   Reason = "dropped"   // somebody of the firm has ended this leg
)

// Errors of calls of more than two.
var (
	ErrAsking    = errors.New("you are asking somebody already: end that, or join them, first")
	ErrConsulted = errors.New("who asked you decides whom you hear; you can hang up")
	ErrNotAsking = errors.New("you are asking nobody")
	ErrFull      = errors.New("eight are in this call already, and more cannot be")
	ErrInIt      = errors.New("they are in this call already")
	ErrNotYours  = errors.New("only who has brought them in can end that")
	ErrCompany   = errors.New("others are in this call: hang up, and they go on")
	ErrOutsiders = errors.New("nobody of the firm would be in this call any more")
)

// speaker is the leg of a rep who is up in an answered call that no machine has. Errors: those of a command.
func (d *decision) speaker(by string) (LegNo, error) {
	no := d.liveLegOf(by)
	switch {
	case d.state.Seq == 0:
		return 0, ErrNoCall
	case !d.state.Ended.IsZero():
		return 0, ErrOver
	case no == 0:
		return 0, ErrNotThere
	case d.state.Answered().IsZero() || d.state.Leg(no).State != Up || d.state.anyLive(Machine):
		return 0, ErrNoSpeech
	}
	return no, nil
}

func (d *decision) ask(in Ask) ([]Fact, []Effect, error) {
	mine, err := d.speaker(in.By)
	switch {
	case err != nil:
		return nil, nil, err
	case d.state.Asking(in.By) != nil:
		return nil, nil, ErrAsking
	case d.state.Leg(mine).As == Consulted:
		return nil, nil, ErrConsulted
	case d.state.parties() >= MostParties:
		return nil, nil, ErrFull
	case in.To != "" && d.liveLegOf(in.To) != 0 || in.To == "" && d.state.outsideAt(in.Address):
		return nil, nil, ErrInIt
	}
	d.stepAside(mine)
	no := LegNo(len(d.state.Legs) + 1)
	added := Fact{Kind: LegAdded, Leg: no, As: in.As, For: mine, Word: in.Word}
	if in.To != "" {
		added.Party, added.By, added.Device = Rep, in.To, in.Device
		d.add(added)
		d.add(Fact{Kind: LegRinging, Leg: no})
	} else {
		added.Party, added.Device, added.Address = Outside, "carrier", in.Address
		d.add(added)
		d.effects = append(d.effects, Dial{Leg: no, Address: in.Address, CallerID: in.CallerID})
	}
	if in.As == Handed {
		d.add(Fact{Kind: LegEnded, Leg: mine, Reason: HandedOn})
	}
	return d.facts, d.effects, nil
}

// talking is who by consults, once they are there. Errors: those of a command, ErrNotAsking, ErrNoSpeech.
func (d *decision) talking(by string) (mine LegNo, asked *Leg, err error) {
	if mine, err = d.speaker(by); err != nil {
		return 0, nil, err
	}
	switch asked = d.state.Asking(by); {
	case asked == nil:
		return 0, nil, ErrNotAsking
	case asked.State != Up:
		return 0, nil, ErrNoSpeech
	}
	return mine, asked, nil
}

func (d *decision) swap(in Swap) ([]Fact, []Effect, error) {
	mine, asked, err := d.talking(in.By)
	switch {
	case err != nil:
		return nil, nil, err
	case asked.Bridge() != 0 && asked.Bridge() == d.state.Leg(mine).Bridge():
		d.back(in.By, mine)
	default:
		d.together(asked.No)
	}
	return d.facts, d.effects, nil
}

func (d *decision) join(in Join) ([]Fact, []Effect, error) {
	mine, asked, err := d.talking(in.By)
	if err != nil {
		return nil, nil, err
	}
	d.add(Fact{Kind: Joined, Leg: asked.No})
	d.gather(append(d.state.main(mine), mine)...)
	return d.facts, d.effects, nil
}

func (d *decision) handOver(in HandOver) ([]Fact, []Effect, error) {
	mine, err := d.speaker(in.By)
	if err != nil {
		return nil, nil, err
	}
	asked := d.state.Asking(in.By)
	if asked == nil {
		return nil, nil, ErrNotAsking
	}
	d.passOn(mine, asked.No)
	d.add(Fact{Kind: LegEnded, Leg: mine, Reason: HandedOn})
	if asked := d.state.Leg(asked.No); asked.State == Up {
		d.gather(d.state.main(0)...)
	}
	d.settle(EndedByUs)
	return d.facts, d.effects, nil
}

// passOn makes whom a rep consults the one who takes the call over.
func (d *decision) passOn(mine, asked LegNo) {
	d.stepAside(mine)
	d.add(Fact{Kind: PassedOn, Leg: asked, For: mine})
}

func (d *decision) drop(in Drop) ([]Fact, []Effect, error) {
	mine, err := d.speaker(in.By)
	if err != nil {
		return nil, nil, err
	}
	l, err := d.theirs(mine, in.Leg)
	if err != nil {
		return nil, nil, err
	}
	consulted := l.As == Consulted && l.For == mine
	reason := Dropped
	if l.State != Up {
		reason = GivenUp
	}
	d.endLeg(in.Leg, reason)
	if consulted && len(d.state.main(mine)) > 0 {
		d.back(in.By, mine)
	}
	d.settle(EndedByUs)
	return d.facts, d.effects, nil
}

// theirs is a leg over which a rep has a say: one that they have brought in, or of an outside party; the first rep of a call
// has one over all. Errors: ErrNotThere, ErrConsulted, ErrNotYours.
func (d *decision) theirs(mine, leg LegNo) (*Leg, error) {
	l := d.state.Leg(leg)
	switch {
	case l == nil || l.State == Ended || l.No == mine:
		return nil, ErrNotThere
	case d.state.Leg(mine).As == Consulted:
		return nil, ErrConsulted
	case l.Party == Machine || l.For != mine && l.Party != Outside && mine != d.state.firstRep():
		return nil, ErrNotYours
	}
	return l, nil
}

func (d *decision) muteLeg(in MuteLeg) ([]Fact, []Effect, error) {
	mine, err := d.speaker(in.By)
	if err != nil {
		return nil, nil, err
	}
	l, err := d.theirs(mine, in.Leg)
	switch {
	case err != nil:
		return nil, nil, err
	case l.State != Up || l.Party == Observer:
		return nil, nil, ErrNoSpeech
	case l.Muted == in.On:
		return nil, nil, map[bool]error{true: ErrMuted, false: ErrUnmuted}[in.On]
	}
	d.add(Fact{Kind: map[bool]FactKind{true: Muted, false: Unmuted}[in.On], Leg: l.No})
	return d.facts, d.effects, nil
}

func (d *decision) park(in Park) ([]Fact, []Effect, error) {
	mine, err := d.speaker(in.By)
	switch {
	case err != nil:
		return nil, nil, err
	case d.state.Asking(in.By) != nil:
		return nil, nil, ErrAsking
	case d.state.reps() > 1:
		return nil, nil, ErrCompany
	case !d.state.anyLive(Outside):
		return nil, nil, ErrNoSpeech
	}
	d.stepAside(mine)
	reason := HandedOn
	if in.Place != "" {
		reason = WasParked
		d.add(Fact{Kind: Parked, Leg: mine, By: in.By, Address: in.Place})
	}
	d.add(Fact{Kind: LegEnded, Leg: mine, Reason: reason})
	d.settle(EndedByUs)
	return d.facts, d.effects, nil
}

func (d *decision) take(in Take) ([]Fact, []Effect, error) {
	if err := d.waiting(); err != nil {
		return nil, nil, err
	}
	if d.state.Internal && d.state.Answered().IsZero() {
		return nil, nil, ErrNotInbound // a colleague is asked for by name
	}
	if d.ringOf(in.By) == 0 {
		no := LegNo(len(d.state.Legs) + 1)
		d.add(Fact{Kind: LegAdded, Leg: no, Party: Rep, By: in.By, Device: in.Device})
		d.add(Fact{Kind: LegRinging, Leg: no})
	}
	return d.answer(Answer{By: in.By})
}

func (d *decision) say(in Say) ([]Fact, []Effect, error) {
	no := d.ringOf(in.By)
	if no == 0 {
		return nil, nil, ErrNoRing
	}
	if d.state.Leg(no).For != 0 && in.Word != "" {
		d.add(Fact{Kind: Said, Leg: no, Word: in.Word})
	}
	return d.facts, d.effects, nil
}
