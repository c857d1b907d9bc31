// Package route is what a caller hears and what becomes of the call, before a person of the firm has it: an outline of
// steps that is read from top to bottom, what follows a key or a condition beneath it.
//
// A Route is data, as an admin writes it. Check tells what is wrong with it, Sentence says a step in plain words, and
// Run carries it out as a pure machine: a state and an event give the next state and what is to be done.
//
// It must not know calls, the database, clocks, sound, or who is free.
package route

import (
	"trundo/internal/core/filter"
	"trundo/internal/core/routing"
)

// Do is what a step does.
type Do string

// What steps do.
const (
	Say       Do = "say"       // say a text or play a sound
	Menu      Do = "menu"      // ask for a key; each option has its steps
	Digits    Do = "digits"    // ask for digits, which are kept under a name
	When      Do = "when"      // steps if a test holds, others if not
	Language  Do = "language"  // speak another language from here on
	Owner     Do = "owner"     // ring who owns the caller's record
	Ring      Do = "ring"      // ring people
	Queue     Do = "queue"     // wait in a queue; an option is a key while waiting
	Callback  Do = "callback"  // take a callback that keeps the place in the queue; the call ends
	Voicemail Do = "voicemail" // a greeting, a beep, a message; the call ends
	Survey    Do = "survey"    // ask what they thought of it
	Tell      Do = "tell"      // say how a case or an order of the caller stands, or the opening hours
	Another   Do = "route"     // go on with another route
	Outside   Do = "outside"   // ring a number outside the firm
	Again     Do = "again"     // ask the menu around it again
	End       Do = "end"       // hang up
)

// Step is one sentence of a route. Which of its parts count hangs on what it does.
type Step struct {
	ID       string            `json:"id"`
	Do       Do                `json:"do"`
	Texts    map[string]string `json:"texts,omitempty"` // what is said, by language
	Sound    string            `json:"sound,omitempty"` // id of a sound that is heard instead
	Options  []Option          `json:"options,omitempty"`
	Tries    int               `json:"tries,omitempty"`   // of a menu or of digits: how often it asks; 0 is DefaultTries
	Seconds  int               `json:"seconds,omitempty"` // for how long it waits or rings; 0 is the step's usual time
	Most     int               `json:"most,omitempty"`    // digits at most
	Name     string            `json:"name,omitempty"`    // under which digits are kept
	Test     *Test             `json:"test,omitempty"`
	Steps    []Step            `json:"steps,omitempty"` // of when: the test holds
	Else     []Step            `json:"else,omitempty"`  // of when: it does not; of a menu or digits: nothing fitted
	People   []string          `json:"people,omitempty"`
	All      bool              `json:"all,omitempty"` // ring all people at once, else one after the other
	Queue    string            `json:"queue,omitempty"`
	Priority int               `json:"priority,omitempty"` // in a queue: from LeastPriority to MostPriority, 0 is usual
	User     string            `json:"user,omitempty"`     // whose voicemail; "" is that of the queue or line
	Times    bool              `json:"times,omitempty"`    // of a callback: the caller may choose the time
	Language string            `json:"language,omitempty"`
	What     string            `json:"what,omitempty"` // what is told
	Route    string            `json:"route,omitempty"`
	Number   string            `json:"number,omitempty"`
}

// Option is what follows a key.
type Option struct {
	Key   string `json:"key"` // 0 to 9, * or #
	Steps []Step `json:"steps"`
}

// Route is an outline with the languages in which it speaks, the usual one first.
type Route struct {
	Languages []string `json:"languages"`
	Steps     []Step   `json:"steps"`
}

// What can be told.
const (
	TellHours = "hours" // when the line is open
	TellCase  = "case"  // how the case stands whose number was asked for, or the caller's newest
	TellOrder = "order" // the same of an order
)

// Is is what a test looks at.
type Is string

// The tests.
const (
	Open         Is = "open"         // the line is open, or the hours of the test's own
	DayOff       Is = "day_off"      // it is one of the line's days off
	Known        Is = "known"        // exactly one record has the caller's number
	Owned        Is = "owned"        // and somebody owns it
	OwnerFree    Is = "owner_free"   // and they are free now
	OfKind       Is = "kind"         // it is of a kind: Value
	OpenCase     Is = "open_case"    // there is an open case of theirs
	OpenDeal     Is = "open_deal"    // there is an open deal of theirs
	Unreturned   Is = "unreturned"   // they have called in vain
	Promised     Is = "promised"     // something is promised to them and open
	Dissatisfied Is = "dissatisfied" // their last answer would not recommend the firm
	Speaks       Is = "speaks"       // their language is Value
	Pressed      Is = "pressed"      // the digits kept under Name are Value
	Fits         Is = "fits"         // their record fits Filter
)

// Test is a condition on the time or the caller.
type Test struct {
	Is     Is             `json:"is"`
	Not    bool           `json:"not,omitempty"`
	Name   string         `json:"name,omitempty"`
	Value  string         `json:"value,omitempty"`
	Hours  *routing.Hours `json:"hours,omitempty"`
	Filter *filter.Node   `json:"filter,omitempty"`
	Kind   string         `json:"kind,omitempty"` // of records that Filter is about
}

// Limits of a route.
const (
	MaxSteps      = 200
	MaxDepth      = 8
	MaxTries      = 5
	DefaultTries  = 2
	MaxDigits     = 20
	MaxSeconds    = 600
	LeastPriority = -3
	MostPriority  = 3

	// Usual times, in seconds.
	menuSeconds   = 6
	digitSeconds  = 5
	timeSeconds   = 8 // for a time of day
	ownerSeconds  = 20
	ringSeconds   = 20
	numberSeconds = 25
)

// tries is how often a step asks.
func (s *Step) tries() int {
	if s.Tries == 0 {
		return DefaultTries
	}
	return s.Tries
}

// seconds is for how long a step waits or rings.
func (s *Step) seconds() int {
	usual := map[Do]int{Menu: menuSeconds, Digits: digitSeconds, Owner: ownerSeconds, Ring: ringSeconds,
		Outside: numberSeconds}
	if s.Seconds == 0 {
		return usual[s.Do]
	}
	return s.Seconds
}

// blocks are the steps beneath a step, each block with what leads to it: "" for the steps of a test that holds, "else", or
// a key.
func (s *Step) blocks() []block {
	var all []block
	for i := range s.Options {
		all = append(all, block{s.Options[i].Key, s.Options[i].Steps})
	}
	if s.Do == When {
		all = append(all, block{"", s.Steps})
	}
	if s.Do == When || s.Do == Menu || s.Do == Digits {
		all = append(all, block{"else", s.Else})
	}
	return all
}

type block struct {
	by    string
	steps []Step
}

// Walk calls f for each step in the order in which it is read, with how deep it stands, 0 outermost.
func Walk(steps []Step, f func(s *Step, depth int)) { walk(steps, 0, f) }

func walk(steps []Step, depth int, f func(*Step, int)) {
	for i := range steps {
		f(&steps[i], depth)
		for _, b := range steps[i].blocks() {
			walk(b.steps, depth+1, f)
		}
	}
}

// ends tells whether nothing after a step is reached: it ends the call or goes elsewhere, whatever happens.
func (s *Step) ends() bool {
	switch s.Do {
	case Callback, Voicemail, Another, Again, End:
		return true
	case When:
		return endsBlock(s.Steps) && endsBlock(s.Else)
	case Menu:
		for _, o := range s.Options {
			if !endsBlock(o.Steps) {
				return false
			}
		}
		return endsBlock(s.Else)
	}
	return false
}

// endsBlock tells whether a block never falls through to what follows it.
func endsBlock(steps []Step) bool {
	for i := range steps {
		if steps[i].ends() {
			return true
		}
	}
	return false
}
