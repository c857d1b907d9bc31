// Package survey asks a customer, after the conversation, what they thought of it: questions answered by keys or by a
// spoken remark, as a pure machine, and what a score means.
//
// It must not know calls, sound, the database or clocks.
package survey

import (
	"strconv"
	"strings"
	"time"
	"unicode"
)

// Kind is how a question is answered.
type Kind string

// The kinds.
const (
	Score  Kind = "score"  // 0 to 10 by keys
	YesNo  Kind = "yes_no" // 1 is yes, 2 is no
	Remark Kind = "remark" // spoken after a tone, until the hash key or MostRemark
)

// Question is one of a survey's.
type Question struct {
	ID    string            `json:"id"`
	Kind  Kind              `json:"kind"`
	Texts map[string]string `json:"texts"` // by language
}

// Class is what a score says, after the usual grouping of a 0 to 10 scale (F. Reichheld, "The One Number You Need to
// Grow", Harvard Business Review, December 2003).
type Class string

// The classes.
const (
	Would     Class = "would recommend" // 9 and 10
	Undecided Class = "undecided"       // 7 and 8
	WouldNot  Class = "would not"       // 0 to 6
)

// ClassOf is the class of a score of 0 to 10.
func ClassOf(score int) Class {
	switch {
	case score >= 9:
		return Would
	case score >= 7:
		return Undecided
	}
	return WouldNot
}

// AnswerWithin is for how long after it was asked by text a message is taken as the answer.
const AnswerWithin = 72 * time.Hour

// remarkWithin is for how long after the score the next message is the remark.
const remarkWithin = 24 * time.Hour

// Written is what a text message answers of who was asked by text: a score where none was given yet, a remark for a day
// after it (scored), nothing ("") where they write of something else.
func Written(text string, scored *time.Time, at time.Time) (kind Kind, score int) {
	if scored != nil {
		if at.Sub(*scored) <= remarkWithin {
			return Remark, 0
		}
		return "", 0
	}
	if score, ok := ScoreIn(text); ok {
		return Score, score
	}
	return "", 0
}

// ScoreIn is the score that a text message gives: it says a whole number of 0 to 10, with or without “of 10”, and few words
// besides. False: it gives none.
func ScoreIn(text string) (int, bool) {
	words := strings.FieldsFunc(text, func(r rune) bool {
		return unicode.IsSpace(r) || strings.ContainsRune(".,;:!?()/\"'“”", r)
	})
	if len(words) == 0 || len(words) > fewWords {
		return 0, false
	}
	score, found, ofTen := 0, 0, false
	for i, w := range words {
		n, err := strconv.ParseUint(w, 10, 16)
		if err != nil {
			continue
		}
		if found == 1 && !ofTen && n == 10 && (words[i-1] == "of" || words[i-1] == "out" || words[i-1] == strconv.Itoa(score) ||
			words[i-1] == "von" || words[i-1] == "sur" || words[i-1] == "de") {
			ofTen = true
			continue
		}
		score, found = int(n), found+1
	}
	return score, found == 1 && score <= 10
}

// fewWords is how many words a message has at most that gives a score.
const fewWords = 6

// Limits of a survey.
const (
	MostQuestions = 10
	MostRemark    = 2 * time.Minute
	tries         = 2
	patience      = 7 * time.Second
	secondDigit   = 2 * time.Second // after a 1, which may become a 10
)

// Event is what happens to who is asked.
type Event interface{ event() }

// Begin is the first event; Spoken tells that what was said has ended, Keyed that keys were pressed, Elapsed that the
// time for which the machine waits is over.
type (
	Begin   struct{}
	Spoken  struct{}
	Keyed   struct{ Digits string }
	Elapsed struct{}
)

func (Begin) event()   {}
func (Spoken) event()  {}
func (Keyed) event()   {}
func (Elapsed) event() {}

// Effect is what is to be done.
type Effect interface{ effect() }

// Ask says the text of a question; Thank says the last words. Both wait for Spoken.
type (
	Ask   struct{ Question Question }
	Thank struct{}
)

// Wait waits for so long for a key.
type Wait struct{ For time.Duration }

// Record lets a remark be spoken for so long, after a tone, unless it is Stop.
type Record struct {
	Question Question
	For      time.Duration
}

// Stop ends a remark.
type Stop struct{}

// Answer is the answer to a question: a score, or 1 for yes and 0 for no.
type Answer struct {
	Question Question
	Value    int
}

// Finish is the end.
type Finish struct{}

func (Ask) effect()    {}
func (Thank) effect()  {}
func (Wait) effect()   {}
func (Record) effect() {}
func (Stop) effect()   {}
func (Answer) effect() {}
func (Finish) effect() {}

// State is where somebody stands in a survey. The zero value is before Begin.
type State struct {
	Done   bool
	at     int // the question, from 0
	asked  int
	typed  string
	phase  phase
	silent bool // the last question was not answered: they have laid the telephone aside
}

type phase int

const (
	before phase = iota
	asking
	waiting
	recording
	thanking
)

// Next is what follows an event in a survey of some questions. Who answers nothing of two questions is asked no more.
func Next(questions []Question, s State, e Event) (State, []Effect) {
	m := machine{State: s, questions: questions}
	switch {
	case s.Done:
	case s.phase == before:
		if _, begins := e.(Begin); begins {
			m.ask()
		}
	case s.phase == thanking:
		if _, spoken := e.(Spoken); spoken {
			m.Done = true
			m.do(Finish{})
		}
	default:
		m.during(e)
	}
	return m.State, m.effects
}

type machine struct {
	State
	questions []Question
	effects   []Effect
}

func (m *machine) do(e Effect) { m.effects = append(m.effects, e) }

// ask asks the question at which it stands, or thanks after the last.
func (m *machine) ask() {
	if m.at >= len(m.questions) {
		m.phase = thanking
		m.do(Thank{})
		return
	}
	m.phase, m.typed = asking, ""
	m.asked++
	m.do(Ask{m.questions[m.at]})
}

func (m *machine) next() {
	m.at++
	m.asked = 0
	m.ask()
}

func (m *machine) during(e Event) {
	q := m.questions[m.at]
	switch e := e.(type) {
	case Spoken:
		switch {
		case m.phase != asking:
		case q.Kind == Remark:
			m.phase = recording
			m.do(Record{q, MostRemark})
		default:
			m.phase = waiting
			m.do(Wait{patience})
		}
	case Elapsed:
		switch {
		case m.phase == recording:
			m.do(Stop{})
			m.next()
		case m.typed != "":
			m.take()
		case m.phase == waiting && m.asked < tries:
			m.ask()
		case m.phase == waiting && m.silent:
			m.at = len(m.questions)
			m.ask()
		case m.phase == waiting:
			m.silent = true
			m.next()
		}
	case Keyed:
		m.keyed(q, e.Digits)
	}
}

// keyed takes keys: of a remark the hash ends it, of other questions the first that fits is the answer.
func (m *machine) keyed(q Question, digits string) {
	if m.phase == recording {
		if strings.Contains(digits, "#") {
			m.do(Stop{})
			m.next()
		}
		return
	}
	if q.Kind == Remark {
		if strings.Contains(digits, "#") { // they have nothing to say
			m.next()
		}
		return
	}
	for _, c := range digits {
		switch {
		case c == '#' && m.typed != "", q.Kind == Score && m.typed == "1" && c != '0' && c >= '1' && c <= '9':
			m.take()
			return
		case q.Kind == YesNo && (c == '1' || c == '2'), q.Kind == Score && m.typed == "1" && c == '0',
			q.Kind == Score && m.typed == "" && c >= '0' && c <= '9' && c != '1':
			m.typed += string(c)
			m.take()
			return
		case q.Kind == Score && c == '1':
			m.typed = "1"
		}
	}
	if m.typed != "" {
		m.phase = waiting
		m.do(Wait{secondDigit})
	}
}

// take takes what was typed as the answer.
func (m *machine) take() {
	value, _ := strconv.Atoi(m.typed)
	q := m.questions[m.at]
	if q.Kind == YesNo {
		value = 2 - value
	}
	m.silent = false
	m.do(Answer{q, value})
	m.next()
}
