// Package call is a telephone call as a pure state machine over legs and bridges.
//
// Decide takes the state, a command or a carrier's event, and a time; it answers with the facts that
// follow and the effects to be asked of the carrier. Evolve adds one fact to a state. A state is the
// fold of its facts and nothing else, so it can be replayed, stored and fuzzed.
//
// The package must not know the database, goroutines, clocks, people's records, rights or any carrier.
package call

import (
	"cmp"
	"errors"
	"time"
	"unicode/utf8"
)

// LegNo numbers the legs of a call from 1 in the order in which they were added. 0 is no leg.
type LegNo int

// BridgeNo numbers the bridges of a call from 1. Legs on the same bridge hear each other. 0 is none.
type BridgeNo int

// Party tells on whose side a leg is.
type Party string

// The parties of a leg.
const (
	Rep     Party = "rep"     // somebody of the firm, by browser or telephone
	Outside Party = "outside" // anybody else, through the carrier
	Machine Party = "machine" // voicemail or an announcement of the firm
)

// LegState is what a leg is doing.
type LegState string

// The states of a leg, in the only order in which they can be passed; some may be left out.
const (
	Dialing LegState = "dialing" // the carrier was asked, nothing was heard yet
	Ringing LegState = "ringing" // the other side rings
	Up      LegState = "up"      // answered
	Ended   LegState = "ended"
)

// Phase is the state of a whole call in one word, for showing and for storing.
type Phase string

// The phases of a call.
const (
	PhaseNone     Phase = ""         // before the first fact
	PhaseDialing  Phase = "dialing"  // before it rings on the other side
	PhaseRinging  Phase = "ringing"  // until the answer
	PhaseSpeaking Phase = "speaking" // answered
	PhaseMessage  Phase = "message"  // a machine has taken it
	PhaseEnded    Phase = "ended"
)

// Reason tells why a leg or a call ended.
type Reason string

// The reasons for an end. The first two are the ends of a conversation, the others of a try.
const (
	EndedByUs    Reason = "ended_by_us"
	EndedByThem  Reason = "ended_by_them"
	GivenUp      Reason = "given_up"       // we hung up before an answer
	Busy         Reason = "busy"           //
	NoAnswer     Reason = "no_answer"      // it rang until the carrier or the firm's limit ended it
	Declined     Reason = "declined"       // the other side refused while it rang
	OutOfService Reason = "out_of_service" // no such number, or not reachable
	Refused      Reason = "refused"        // the carrier did not take the call
	CutOff       Reason = "cut_off"        // the connection or the server was lost
)

// KnownReason tells whether r is one of the reasons above.
func KnownReason(r Reason) bool {
	switch r {
	case EndedByUs,
		EndedByThem,
		GivenUp,
		Busy,
		NoAnswer,
		Declined,
		OutOfService,
		Refused,
		CutOff,
		Abandoned,
		Missed,
		Elsewhere,
		LeftMessage,
		Announced,
		MessageLeft,
		NoMoment,
		HandedOn,
		WasParked, Merged,
		Dropped, CallbackTaken:
		return true
	}
	return false
}

// FactKind names what happened.
type FactKind string

// The kinds of fact. What each carries is told by the fields of Fact named in the comment.
const (
	Placed  FactKind = "placed"  // By: the rep who asked for the call
	Arrived FactKind = "arrived" // Address: the line of ours that was called
	// A rep called a colleague. By: the rep who asked for the call
	PlacedInternal FactKind = "placed_internal"
	Beeped         FactKind = "beeped"  // Leg: the machine's; a message is left from now on
	Muted          FactKind = "muted"   // Leg
	Unmuted        FactKind = "unmuted" // Leg
	Pressed        FactKind = "pressed" // Leg: whose keys; Digits
	// Leg, Party, By (a rep's leg), Device, Address; As, For and Word where somebody asked for it
	LegAdded    FactKind = "leg_added"
	LegRinging  FactKind = "leg_ringing"  // Leg
	LegAnswered FactKind = "leg_answered" // Leg
	Bridged     FactKind = "bridged"      // Leg, Bridge
	Held        FactKind = "held"         // Leg leaves its bridge; 0: every leg does, the call is on hold
	Joined      FactKind = "joined"       // Leg: the consulted one is in the call itself from now on
	PassedOn    FactKind = "passed_on"    // Leg: who takes the call over; For: who leaves it to them
	Parked      FactKind = "parked"       // Leg: who parked it; By; Address: the place
	Recast      FactKind = "recast"       // Leg, As, For: somebody listens in another way, or to another
	Said        FactKind = "said"         // Leg, Word: what a rep says to whom asked for them, while it rings
	LegEnded    FactKind = "leg_ended"    // Leg, Reason
	CallEnded   FactKind = "call_ended"   // Reason
)

// Schema is the version of Fact's form that is stored with each fact.
const Schema = 1

// Fact is one thing that happened in a call. Facts are only ever added.
type Fact struct {
	Seq     int       `json:"-"` // 1, 2, 3 … within the call
	At      time.Time `json:"-"` // never before the fact that precedes it
	Kind    FactKind  `json:"-"`
	Leg     LegNo     `json:"leg,omitempty"`
	Party   Party     `json:"party,omitempty"`
	By      string    `json:"by,omitempty"`      // user id
	Device  string    `json:"device,omitempty"`  // "browser", "telephone", "carrier"
	Address string    `json:"address,omitempty"` // what was dialed, E.164 with extension
	Bridge  BridgeNo  `json:"bridge,omitempty"`
	Reason  Reason    `json:"reason,omitempty"`
	Digits  string    `json:"digits,omitempty"` // keypad tones
	As      Role      `json:"as,omitempty"`
	For     LegNo     `json:"for,omitempty"` // the leg that asked for this one, or to which it listens
	Word    string    `json:"word,omitempty"`
}

// Span is a time for which a leg was on a bridge. To is zero while it lasts.
type Span struct {
	Bridge   BridgeNo
	From, To time.Time
}

// Leg is one party's way into the call.
type Leg struct {
	No       LegNo
	Party    Party
	User     string // user id of a rep's leg
	Device   string
	Address  string
	State    LegState
	Added    time.Time
	Rang     time.Time // zero if it never rang
	Answered time.Time // zero if it was never answered
	Ended    time.Time // zero while it lasts
	Reason   Reason
	Muted    bool // of a rep's leg: they do not hear this rep
	As       Role
	For      LegNo  // the leg that asked for this one, or to which it listens; 0 for one that nobody asked for
	Word     string // what it is about
	Answer   string // what its rep let whom asked for it know
	Spans    []Span
}

// State is a call at one moment. The zero value is a call before its first fact.
type State struct {
	Seq      int
	By       string // the rep who placed it; "" for one that came in
	Inbound  bool
	Internal bool      // a colleague was called
	Beeped   time.Time // when a message began
	Line     string    // the line of ours that an inbound call came in on
	OnHold   bool
	Place    string    // where it is parked; "" where it is not
	Served   bool      // the attendant has told the caller what they called for
	Run      int       // how many keys were pressed one soon after the other, lately
	RunLeg   LegNo     // by whom
	RunAt    time.Time // the last of them
	Started  time.Time
	Last     time.Time // time of the newest fact
	Ended    time.Time
	Reason   Reason
	Legs     []Leg
	bridgeNo BridgeNo
}

// Leg finds a leg by number; nil if there is none.
func (s *State) Leg(no LegNo) *Leg {
	if no < 1 || int(no) > len(s.Legs) {
		return nil
	}
	return &s.Legs[no-1]
}

// Outside is the first outside leg, nil before there is one.
func (s *State) Outside() *Leg {
	for i := range s.Legs {
		if s.Legs[i].Party == Outside {
			return &s.Legs[i]
		}
	}
	return nil
}

// Other is the leg of the other side: the first outside leg, or of an internal call the colleague's.
func (s *State) Other() *Leg {
	if s.Internal {
		return s.Leg(2)
	}
	return s.Outside()
}

// Phase sums the call up in one word.
func (s *State) Phase() Phase {
	if s.Seq == 0 {
		return PhaseNone
	}
	if !s.Ended.IsZero() {
		return PhaseEnded
	}
	out := s.Other()
	switch {
	case s.Machine() != nil:
		return PhaseMessage
	case out == nil || out.State == Dialing:
		return PhaseDialing
	case out.State == Ringing || s.Inbound && s.taken().IsZero(): // the attendant is no answer
		return PhaseRinging
	default:
		return PhaseSpeaking
	}
}

// HasLeft tells whether user's part in the call has ended, so that their slip may be filed. Somebody
// who never had a part has left.
func (s *State) HasLeft(user string) bool {
	for i := range s.Legs {
		if l := &s.Legs[i]; l.Party == Rep && l.User == user && l.State != Ended {
			return false
		}
	}
	return true
}

// Rang is when the other side began to ring, or zero.
func (s *State) Rang() time.Time {
	if out := s.Other(); out != nil {
		return out.Rang
	}
	return time.Time{}
}

// Answered is when somebody of the one side first spoke with the other, or zero. A machine is nobody.
func (s *State) Answered() time.Time {
	if out := s.Other(); s.voicemail() != nil && (out == nil || out.Answered.IsZero() ||
		s.Inbound && len(s.Takers()) == 0) {
		return time.Time{}
	}
	return s.taken()
}

// taken is when the call stopped ringing because somebody, or a machine, took it.
func (s *State) taken() time.Time {
	if s.Inbound && s.wasAttended() {
		if l := s.firstTaker(); l != nil {
			return l.Answered
		}
		return time.Time{}
	}
	if out := s.Other(); out != nil && !out.Answered.IsZero() {
		return out.Answered
	}
	if m := s.voicemail(); m != nil {
		return m.Answered
	}
	return time.Time{}
}

// Parts are the times a call is made of. Their sum is the whole time from start to end.
type Parts struct {
	Dialing time.Duration // from the start until it rang, was answered or ended
	Ringing time.Duration // from the first ring until the answer or the end
	Talking time.Duration // from the answer to the end
	Machine time.Duration // from a machine's answer to the end
}

// Whole is the sum of the parts.
func (p Parts) Whole() time.Duration { return p.Dialing + p.Ringing + p.Talking + p.Machine }

// PartsAt splits the time from the start until now, or until the end where that was earlier.
func (s *State) PartsAt(now time.Time) Parts {
	if s.Seq == 0 {
		return Parts{}
	}
	end := s.Ended
	if end.IsZero() {
		end = now
		if end.Before(s.Last) {
			end = s.Last
		}
	}
	rang, answered := s.Rang(), s.taken()
	dialed := earliest(end, rang, answered)
	rung := dialed
	if !rang.IsZero() {
		rung = earliest(end, answered)
	}
	p := Parts{Dialing: dialed.Sub(s.Started), Ringing: rung.Sub(dialed), Talking: end.Sub(rung)}
	m := s.Machine()
	if m == nil {
		m = s.survey()
	}
	if m != nil {
		// What was spoken before a machine took over stays talk.
		p.Machine = end.Sub(earliest(end, m.Answered))
		p.Talking -= p.Machine
	}
	return p
}

// earliest is the first of limit and those others that are set.
func earliest(limit time.Time, others ...time.Time) time.Time {
	for _, t := range others {
		if !t.IsZero() && t.Before(limit) {
			limit = t
		}
	}
	return limit
}

// Errors of Decide.
var (
	ErrOver     = errors.New("this call has ended")
	ErrNotThere = errors.New("you are not in this call")
	ErrPlaced   = errors.New("this call has already been placed")
	ErrNoCall   = errors.New("there is no such call")
)

// Evolve adds one fact. It trusts its input: facts come from Decide or from the store.
func Evolve(s State, f Fact) State {
	s.Legs = append([]Leg(nil), s.Legs...)
	s.Seq, s.Last = f.Seq, f.At
	leg := s.Leg(f.Leg)
	switch f.Kind {
	case Placed:
		s.Started, s.By = f.At, f.By
	case Arrived:
		s.Started, s.Inbound, s.Line = f.At, true, f.Address
	case PlacedInternal:
		s.Started, s.By, s.Internal = f.At, f.By, true
	case Beeped:
		s.Beeped = f.At
	case Pressed:
		if s.RunLeg != f.Leg || f.At.Sub(s.RunAt) > runGap {
			s.Run = 0
		}
		s.Run, s.RunLeg, s.RunAt = s.Run+utf8.RuneCountInString(f.Digits), f.Leg, f.At
	case Muted, Unmuted:
		leg.Muted = f.Kind == Muted
	case LegAdded:
		s.Legs = append(s.Legs, Leg{No: f.Leg, Party: f.Party, User: f.By, Device: f.Device,
			Address: f.Address, State: Dialing, Added: f.At, As: f.As, For: f.For, Word: f.Word})
	case LegRinging:
		leg.State, leg.Rang = Ringing, f.At
	case LegAnswered:
		if leg.State, leg.Answered = Up, f.At; leg.Party == Rep {
			s.Place = ""
		}
	case Bridged:
		leg.Spans = append(closed(leg.Spans, f.At), Span{Bridge: f.Bridge, From: f.At})
		s.bridgeNo, s.OnHold = max(s.bridgeNo, f.Bridge), false
	case Held:
		if leg != nil {
			leg.Spans = closed(leg.Spans, f.At)
			break
		}
		s.OnHold = true
		for i := range s.Legs {
			s.Legs[i].Spans = closed(s.Legs[i].Spans, f.At)
		}
	case Joined:
		leg.As = ""
	case PassedOn, Recast:
		leg.As, leg.For = cmp.Or(f.As, Handed), f.For
	case Parked:
		s.Place = f.Address
	case Served:
		s.Served = true
	case Said:
		leg.Answer = f.Word
	case LegEnded:
		leg.State, leg.Ended, leg.Reason = Ended, f.At, f.Reason
		leg.Spans = closed(leg.Spans, f.At)
	case CallEnded:
		s.Ended, s.Reason = f.At, f.Reason
	}
	return s
}

// closed copies spans and gives the open one its end.
func closed(spans []Span, at time.Time) []Span {
	spans = append([]Span(nil), spans...)
	if n := len(spans); n > 0 && spans[n-1].To.IsZero() {
		spans[n-1].To = at
	}
	return spans
}

// Replay folds facts into a state.
func Replay(facts []Fact) State {
	var s State
	for _, f := range facts {
		s = Evolve(s, f)
	}
	return s
}
