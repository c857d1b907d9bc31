package call

import (
	"errors"
	"strings"
	"time"
)

// MinMessage is how long somebody has to stay after the beep for a message to have been left.
const MinMessage = time.Second

// The devices of a machine's leg.
const (
	Voicemail    = "voicemail"
	Announcement = "announcement"
)

// MachineTakes lets a machine take a call that nobody answers: voicemail, or an announcement.
type MachineTakes struct {
	Device string // Voicemail or Announcement
	Box    string // user id of the rep whose voicemail it is; "" for the line's
	By     string // the rep who sent the call there; "" where it went there by rule
}

// Beep ends the greeting: from now on a message is left.
type Beep struct{}

// MachineEnds ends a call that a machine took: the announcement is over, or the message is as long as it may be.
type MachineEnds struct{}

// Mute lets nobody hear a rep, who still hears them; off, they are heard again.
type Mute struct {
	By string
	On bool
}

// Press sends keypad tones from a rep to the other side.
type Press struct {
	By     string
	Digits string // 0-9, *, # and A-D (ITU-T Q.23), at most 32
	Hidden bool   // only how many is kept
}

// CarrierDigits are keys that the outside has pressed.
type CarrierDigits struct {
	Leg    LegNo
	Digits string
	Hidden bool // only how many is kept
}

// HiddenDigit stands for a key that is not kept.
const HiddenDigit = "•"

// A run of keys is of one number: no two of them lie further apart than runGap. Of a run only the first runShown are
// kept as they were pressed, as of a card number only the issuer's digits may be (PCI DSS 4.0, requirement 3.4.1);
// menus, extensions and codes are shorter.
const (
	runGap       = 10 * time.Second
	runShown     = 6
	shortestCard = 13 // digits (ISO/IEC 7812-1)
)

// keptDigits are digits as they are kept: of a run that grows long, and of those that are to be hidden, only how many.
func (d *decision) keptDigits(leg LegNo, digits string, hidden bool) string {
	run := 0
	if d.state.RunLeg == leg && d.at.Sub(d.state.RunAt) <= runGap {
		run = d.state.Run
	}
	shown := max(0, runShown-run)
	if hidden || len(digits) >= shortestCard {
		shown = 0
	}
	shown = min(shown, len(digits))
	return digits[:shown] + strings.Repeat(HiddenDigit, len(digits)-shown)
}

// PlaceInternal calls a colleague: the caller's leg is up from the start, the colleague's rings.
type PlaceInternal struct {
	By, To string // user ids
	Device string
}

func (MachineTakes) input()  {}
func (Beep) input()          {}
func (MachineEnds) input()   {}
func (Mute) input()          {}
func (Press) input()         {}
func (CarrierDigits) input() {}
func (PlaceInternal) input() {}

// SendDigits asks the carrier to send keypad tones on a leg.
type SendDigits struct {
	Leg    LegNo
	Digits string
}

func (SendDigits) effect() {}

// Reasons of calls that a machine took.
const (
	LeftMessage Reason = "left_message" // a message is there
	Announced   Reason = "announced"    // they heard that nobody is there
)

// Errors about keys.
var (
	ErrDigits  = errors.New("a keypad has 0 to 9, *, #, and A to D; 32 at once at most")
	ErrMuted   = errors.New("you are muted already")
	ErrUnmuted = errors.New("you are not muted")
)

// KeypadDigits tells whether text can be sent as keypad tones.
func KeypadDigits(text string) bool {
	return text != "" && len(text) <= 32 && strings.Trim(text, "0123456789*#ABCD") == ""
}

// Machine is the leg of the machine that took the call, nil without one. An attendant does not take it, nor does a survey.
func (s *State) Machine() *Leg {
	for i := range s.Legs {
		if l := &s.Legs[i]; l.Party == Machine && l.Device != Attendant && l.Device != Survey {
			return &s.Legs[i]
		}
	}
	return nil
}

// Message is how long the message is that was left after the beep; 0 without one.
func (s *State) Message() time.Duration {
	m := s.voicemail()
	if m == nil || s.Beeped.IsZero() {
		return 0
	}
	end := m.Ended
	if end.IsZero() {
		end = s.Last
	}
	if end.Sub(s.Beeped) < MinMessage {
		return 0
	}
	return end.Sub(s.Beeped)
}

// Muted tells whether user is in the call and muted.
func (s *State) Muted(user string) bool {
	for i := range s.Legs {
		if l := &s.Legs[i]; l.User == user && l.State == Up && l.Muted {
			return true
		}
	}
	return false
}

func (d *decision) placeInternal(in PlaceInternal) ([]Fact, []Effect, error) {
	if d.state.Seq > 0 {
		return nil, nil, ErrPlaced
	}
	d.add(Fact{Kind: PlacedInternal, By: in.By})
	d.add(Fact{Kind: LegAdded, Leg: 1, Party: Rep, By: in.By, Device: in.Device})
	d.add(Fact{Kind: LegAnswered, Leg: 1})
	d.add(Fact{Kind: LegAdded, Leg: 2, Party: Rep, By: in.To, Device: in.Device})
	d.add(Fact{Kind: LegRinging, Leg: 2})
	return d.facts, d.effects, nil
}

// machineTakes ends every ring and puts a machine in the place of a rep.
func (d *decision) machineTakes(in MachineTakes) ([]Fact, []Effect, error) {
	if err := d.waiting(); err != nil {
		return nil, nil, err
	}
	if in.By != "" && d.ringOf(in.By) == 0 {
		return nil, nil, ErrNoRing
	}
	d.endRings(func(l Leg) Reason {
		if l.User != "" && l.User == in.By {
			return Declined
		}
		return NoAnswer
	})
	d.unattend()
	no := LegNo(len(d.state.Legs) + 1)
	d.add(Fact{Kind: LegAdded, Leg: no, Party: Machine, Device: in.Device, By: in.Box})
	d.add(Fact{Kind: LegAnswered, Leg: no})
	if out := d.state.Outside(); out != nil && out.State == Ringing {
		d.add(Fact{Kind: LegAnswered, Leg: out.No})
		d.effects = append(d.effects, Pick{Leg: out.No})
	}
	d.bridge()
	return d.facts, d.effects, nil
}

func (d *decision) beep() ([]Fact, []Effect, error) {
	m := d.state.Machine()
	if m == nil || m.State != Up || m.Device == Announcement || !d.state.Beeped.IsZero() {
		return nil, nil, nil // hung up during the greeting
	}
	d.add(Fact{Kind: Beeped, Leg: m.No})
	return d.facts, d.effects, nil
}

func (d *decision) machineEnds() ([]Fact, []Effect, error) {
	m := d.state.voicemail()
	if m == nil || m.State != Up {
		return nil, nil, nil
	}
	reason := d.reasonOfMachine(Announced)
	d.endAll(reason)
	return d.facts, d.effects, nil
}

// reasonOfMachine is why a call ends that a machine took: a message that was left, an announcement that was heard, or
// other.
func (d *decision) reasonOfMachine(other Reason) Reason {
	m := d.state.Machine()
	switch {
	case m == nil:
		return other
	case m.Device == Announcement:
		return Announced
	case !d.state.Beeped.IsZero() && d.at.Sub(d.state.Beeped) >= MinMessage:
		return LeftMessage
	}
	return Abandoned
}

func (d *decision) mute(in Mute) ([]Fact, []Effect, error) {
	no := d.liveLegOf(in.By)
	switch {
	case d.state.Seq == 0:
		return nil, nil, ErrNoCall
	case !d.state.Ended.IsZero():
		return nil, nil, ErrOver
	case no == 0:
		return nil, nil, ErrNotThere
	case d.state.Leg(no).State != Up:
		return nil, nil, ErrNoSpeech
	case d.state.Leg(no).Muted == in.On:
		return nil, nil, map[bool]error{true: ErrMuted, false: ErrUnmuted}[in.On]
	}
	kind := Unmuted
	if in.On {
		kind = Muted
	}
	d.add(Fact{Kind: kind, Leg: no})
	return d.facts, d.effects, nil
}

func (d *decision) press(in Press) ([]Fact, []Effect, error) {
	no := d.liveLegOf(in.By)
	switch {
	case !KeypadDigits(in.Digits):
		return nil, nil, ErrDigits
	case d.state.Seq == 0:
		return nil, nil, ErrNoCall
	case !d.state.Ended.IsZero():
		return nil, nil, ErrOver
	case no == 0:
		return nil, nil, ErrNotThere
	case d.state.Answered().IsZero() || d.state.Leg(no).Bridge() == 0:
		return nil, nil, ErrNoSpeech
	}
	d.add(Fact{Kind: Pressed, Leg: no, Digits: d.keptDigits(no, in.Digits, in.Hidden)})
	for _, l := range d.state.Legs {
		if l.Party == Outside && l.Bridge() == d.state.Leg(no).Bridge() {
			d.effects = append(d.effects, SendDigits{Leg: l.No, Digits: in.Digits})
		}
	}
	return d.facts, d.effects, nil
}

// keysFromOutside keeps what the outside pressed; the hash key ends a message, as it does everywhere.
func (d *decision) keysFromOutside(in CarrierDigits) {
	leg := d.state.Leg(in.Leg)
	if leg == nil || leg.Party != Outside || leg.State != Up || !KeypadDigits(in.Digits) {
		return
	}
	d.add(Fact{Kind: Pressed, Leg: in.Leg, Digits: d.keptDigits(in.Leg, in.Digits, in.Hidden)})
	if m := d.state.voicemail(); m != nil && m.State == Up && !d.state.Beeped.IsZero() &&
		strings.Contains(in.Digits, "#") {
		d.endAll(d.reasonOfMachine(Abandoned))
	}
}
