// Package touch says what a call with somebody outside was worth: whether it was a conversation, and whether by it the
// firm has come back to somebody who called in vain. History, lane, counts, rounds, sequences and the best hour all ask
// here.
//
// It must not know the database, legs of a call, or who asks.
package touch

// Call is what is known of a call once it is over; an outcome may come later, and says more.
type Call struct {
	Inbound  bool
	Internal bool // among colleagues
	Answered bool // a person of the firm was connected with whoever, or whatever, answered
	Machine  bool // a prepared message was to be left by itself: what answered was a voicemail
	Left     bool // a voicemail was left there, by itself or by the rep's own voice
	Outcome  Outcome
}

// Outcome is what the rep says came of a call.
type Outcome int

// The outcomes, as far as they matter here.
const (
	Unsaid     Outcome = iota // no outcome has been chosen
	Reached                   // whoever was meant was spoken with
	NotReached                // a voicemail, a wrong number, nobody
)

// Conversation tells whether a customer was spoken with. What answers our call may be a voicemail: the rep's outcome
// says so; until then it counts. Who called us and was answered was spoken with, whatever came of it.
func (c Call) Conversation() bool {
	switch {
	case c.Internal || !c.Answered || c.Machine:
		return false
	case c.Inbound:
		return true
	}
	return c.Outcome != NotReached
}

// Return is what a call means for who had called in vain.
type Return string

// The returns.
const (
	None       Return = ""             // it has nothing to do with them
	Try        Return = "try"          // nobody was reached: it is counted, and they are still owed
	Voicemail  Return = "voicemail"    // a voicemail was left: they are owed nothing more
	ByTalking  Return = "conversation" // they were spoken with: they are owed nothing more
	ByMessage  Return = "message"      // somebody has written to them
	ByHandOnly Return = "by hand"      // somebody has said why nobody has to
)

// Settles tells whether they are owed nothing more.
func (r Return) Settles() bool { return r != None && r != Try }

// Returns tells what a call means for whoever had called in vain from its number. A call of theirs that nobody answers
// is owed itself.
func (c Call) Returns() Return {
	switch {
	case c.Internal:
		return None
	case c.Conversation():
		return ByTalking
	case c.Inbound:
		return None
	case c.Left:
		return Voicemail
	}
	return Try
}

// Message is something written to somebody.
type Message struct {
	ByHand bool // a person of the firm wrote and sent it, in this very case
}

// Returns tells what a message means for whoever had called in vain: what a program sends by itself (a receipt, a
// sequence's step, what an outcome does, the answer to STOP) is nobody's coming back.
func (m Message) Returns() Return {
	if m.ByHand {
		return ByMessage
	}
	return None
}
