package route

import "time"

// Event is what happens to a caller who is taken through a route. The types below are all there are.
type Event interface{ event() }

// Begin is the first event.
type Begin struct{}

// Spoken tells that what was said has ended.
type Spoken struct{}

// Keyed are keys that the caller has pressed.
type Keyed struct{ Digits string }

// Elapsed tells that the time for which the machine waits is over.
type Elapsed struct{}

// Found answers a LookUp: whether what the test looks at is so, whatever its Not says.
type Found struct{ Holds bool }

// Nobody tells that nobody has taken the call who was rung, or that the queue does not keep it (full, too long, closed).
type Nobody struct{}

// HungUp tells that the caller has gone, or that somebody has the call: the route is over.
type HungUp struct{}

func (Begin) event()   {}
func (Spoken) event()  {}
func (Keyed) event()   {}
func (Elapsed) event() {}
func (Found) event()   {}
func (Nobody) event()  {}
func (HungUp) event()  {}

// Effect is what is to be done for a caller. The types below are all there are. After Speak, OfferTimes, AskTime and
// AskSurvey the machine waits for Spoken, after Wait for Elapsed, after LookUp and CheckTime for Found, after those that
// ring and JoinQueue for Nobody; keys may come at any time.
type Effect interface{ effect() }

// Speak says a text in a language, or plays a sound.
type Speak struct{ Text, Sound, Language string }

// Hush stops what is being said.
type Hush struct{}

// Wait waits for so long for keys.
type Wait struct{ For time.Duration }

// LookUp asks whether a test holds. Pressed tests are answered by the machine itself.
type LookUp struct{ Test Test }

// RingOwner rings who owns the caller's record, if anybody does.
type RingOwner struct{ For time.Duration }

// RingPeople rings some, all at once or one after the other.
type RingPeople struct {
	People []string
	All    bool
	For    time.Duration
}

// JoinQueue lets the caller wait in a queue, or wait on in it.
type JoinQueue struct {
	Queue    string
	Priority int
	Keys     []string // that do something while waiting
}

// LeaveQueue takes the caller out of the line for now: they have pressed a key. The place is kept.
type LeaveQueue struct{}

// TakeCallback notes a callback, in a queue or in the one in which they wait: at the time of day that they have typed, or,
// where Typed is empty, in the place that they have. Nobody follows where it cannot be: the number is withheld.
type TakeCallback struct{ Queue, Typed string }

// OfferTimes says that 1 is for a callback at their turn and 2 for one at a time of their own.
type OfferTimes struct{ Language string }

// AskTime asks for a time of day, as digits; Again: the one before was not one at which anybody calls.
type AskTime struct {
	Language string
	Again    bool
}

// CheckTime asks whether somebody can call at a time of day that was typed.
type CheckTime struct{ Queue, Typed string }

// AskSurvey asks what they thought of it, with keys of its own, and waits until that is over.
type AskSurvey struct{ Language string }

// TakeMessage lets a message be left: for somebody, or for those of the queue or line.
type TakeMessage struct{ User, Queue string }

// Inform says how something stands; Digits are those that were asked for, by name. It waits for Spoken.
type Inform struct {
	What, Language string
	Digits         map[string]string
}

// Dial rings a number outside the firm.
type Dial struct {
	Number string
	For    time.Duration
}

// Finish ends the call. Served: the caller got what they came for, and need not be called back.
type Finish struct {
	Why    string
	Served bool
}

func (Speak) effect()        {}
func (Hush) effect()         {}
func (Wait) effect()         {}
func (LookUp) effect()       {}
func (RingOwner) effect()    {}
func (RingPeople) effect()   {}
func (JoinQueue) effect()    {}
func (LeaveQueue) effect()   {}
func (TakeCallback) effect() {}
func (OfferTimes) effect()   {}
func (AskTime) effect()      {}
func (CheckTime) effect()    {}
func (AskSurvey) effect()    {}
func (TakeMessage) effect()  {}
func (Inform) effect()       {}
func (Dial) effect()         {}
func (Finish) effect()       {}
