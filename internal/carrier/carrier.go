// Package carrier is the border to the telephone network: one small interface that the built-in stand-in
// (sim) and a real trunk both satisfy. The suite in carriertest says what an implementation owes.
//
// It must not know calls, records, users or the database.
package carrier

import (
	"errors"
	"time"
)

// Ref names one leg towards the carrier. Whoever dials chooses it; it is never used twice.
type Ref string

// Kind is what happened to a leg.
type Kind string

// The kinds of event. After Ended nothing more comes for a Ref. Incoming is the first of a leg that the outside makes;
// its Ref is the carrier's, and differs from all that we choose.
const (
	Incoming Kind = "incoming"
	Ringing  Kind = "ringing"
	Answered Kind = "answered"
	Ended    Kind = "ended"
	Digits   Kind = "digits" // the outside has pressed keys
)

// Reason tells why a leg ended.
type Reason string

// The reasons for an end. HungUp is the other side's, or ours where we asked for it.
const (
	HungUp       Reason = "hung_up"
	Busy         Reason = "busy"
	NoAnswer     Reason = "no_answer"
	Declined     Reason = "declined"
	OutOfService Reason = "out_of_service"
	Lost         Reason = "lost"
)

// FrameBytes is 20 ms of G.711 at 8 kHz.
const FrameBytes = 160

// Voice is the sound of an answered leg, as G.711 µ-law frames of 20 ms. Whoever has the leg reads and writes a frame
// every 20 ms, from one goroutine; neither waits, and after the end of the leg neither does anything.
type Voice interface {
	// Read takes the next frame from the other side; false where none has come.
	Read(frame *[FrameBytes]byte) bool
	// Write sends a frame to the other side.
	Write(frame *[FrameBytes]byte)
}

// Spoken is a phrase that was said: when, for how long, and what.
type Spoken struct {
	At   time.Time
	Long time.Duration
	Text string
}

// Worded is a Voice that knows the words which the other side has said, as those of a stand-in's people do.
type Worded interface{ Words() []Spoken }

// Event is something that happened to a leg.
type Event struct {
	Ref    Ref
	Kind   Kind
	Reason Reason // of Ended
	Voice  Voice  // of Answered; nil where the carrier has no sound
	From   string // of Incoming: who calls, as the network says it; "" where it is withheld. It may be anything
	To     string // of Incoming: the number of ours that was called, E.164
	Digits string // of Digits: keypad tones, 0-9 * # A-D (RFC 4733)
}

// Dialing asks for a leg.
type Dialing struct {
	Ref      Ref
	To       string // E.164 with ";ext=" where there is an extension
	CallerID string // E.164
}

// Errors of Dial.
var (
	ErrEmergency = errors.New("emergency services cannot be reached through this carrier: use another telephone")
	ErrRefUsed   = errors.New("this reference has been used")
	ErrClosed    = errors.New("the carrier is closed")
)

// Carrier is a way into the telephone network.
type Carrier interface {
	// Dial asks for a leg and returns at once; what becomes of it comes as events. An error means that
	// no leg was made and no event will come.
	Dial(d Dialing) error
	// Answer takes a leg that came in; Answered follows. One that has ended by then is no error.
	Answer(ref Ref)
	// HangUp ends a leg, and refuses one that came in and was not answered. Unknown and ended ones are no error: both
	// sides may hang up at once. It is followed by Ended, unless that came before.
	HangUp(ref Ref)
	// SendDigits sends keypad tones to an answered leg. One that has ended by then is no error.
	SendDigits(ref Ref, digits string)
	// Handle sets who is told of events, in order for each leg, from one goroutine or several. It must
	// be set before the first Dial, and must not block.
	Handle(func(Event))
	// Close ends every leg, without events, and refuses new ones.
	Close()
}
