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

// Bridge is the bridge on which a leg is now, 0 for none: it waits.
func (l *Leg) Bridge() BridgeNo {
	if n := len(l.Spans); n > 0 && l.Spans[n-1].To.IsZero() && l.State == Up {
		return l.Spans[n-1].Bridge
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

func (d *decision) swap(in Swap) ([]Fact, []Effect, error) {
	mine, err := d.speaker(in.By)
	if err != nil {
		return nil, nil, err
	}
	asked := d.state.Asking(in.By)
	switch {
	case asked == nil:
		return nil, nil, ErrNotAsking
	case asked.State != Up:
		return nil, nil, ErrNoSpeech
	case asked.Bridge() != 0 && asked.Bridge() == d.state.Leg(mine).Bridge():
		d.back(in.By, mine)
	default:
		d.together(asked.No)
	}
	return d.facts, d.effects, nil
}

func (d *decision) join(in Join) ([]Fact, []Effect, error) {
	mine, err := d.speaker(in.By)
	if err != nil {
		return nil, nil, err
	}
	asked := d.state.Asking(in.By)
	switch {
	case asked == nil:
		return nil, nil, ErrNotAsking
	case asked.State != Up:
		return nil, nil, ErrNoSpeech
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

// firstRep is the leg of the first rep who is up.
func (s *State) firstRep() LegNo {
	for i := range s.Legs {
		if l := &s.Legs[i]; l.Party == Rep && l.State == Up {
			return l.No
		}
	}
	return 0
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

// LeftAt is the last leg of a user who is in a call of more than two no longer, while it goes on; nil where that is not
// so.
func (s *State) LeftAt(user string) *Leg {
	if !s.Ended.IsZero() || !s.More() {
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
