package route

import (
	"slices"
	"strings"
	"time"
)

// Limits of a run: however a route is written and whatever a caller does, it ends.
const (
	MostTaken  = 300 // steps
	MostRoutes = 10  // changes from one route to another
	mostAhead  = 8   // keys that are kept until a menu asks for them
)

// State is where a caller stands in a route. The zero value is before Begin.
type State struct {
	Language string
	Kept     map[string]string // digits by name
	Done     bool
	Taken    int      // steps that were carried out
	Path     []string // their ids
	At       string   // id of the step that is carried out

	frames []frame
	doing  *Step
	asked  int    // how often the step has asked
	typed  string // digits of the step so far
	ahead  string // keys that were pressed before anybody asked
	spoken bool   // what the step says has been said
	routes int
	served bool
	queue  string // in which they wait, or waited last
	choice choice // of a callback's time
}

// choice is how far somebody has come who chooses the time of a callback.
type choice int

const (
	noChoice choice = iota
	offered         // 1 or 2
	typing          // the time of day
	checking        // whether somebody can call then
)

// frame is a block of steps that is carried out, and what it stands beneath.
type frame struct {
	steps []Step
	next  int
	under *Step // the menu, queue step or test; nil for a whole route
	asked int   // of a menu: how often it had asked when the block began
}

// Routes gives the steps of another route as it is live; false: there is none.
type Routes func(id string) (Route, bool)

// Next is what follows an event: the state after it and what is to be done. A state is never changed; an event that
// means nothing now gives no effects.
func (r Route) Next(s State, e Event, others Routes) (State, []Effect) {
	if s.Done {
		return s, nil
	}
	m := machine{State: s.copied(), others: others}
	switch e := e.(type) {
	case Begin:
		if m.frames != nil {
			break
		}
		if len(r.Languages) > 0 {
			m.Language = r.Languages[0]
		}
		m.frames = []frame{{steps: r.Steps}}
		m.goOn()
	case HungUp:
		m.Done = true
	case Keyed:
		m.keyed(e.Digits)
	default:
		m.waited(e)
	}
	return m.State, m.effects
}

func (s State) copied() State {
	s.frames, s.Path = slices.Clone(s.frames), slices.Clone(s.Path)
	kept := map[string]string{}
	for k, v := range s.Kept {
		kept[k] = v
	}
	s.Kept = kept
	return s
}

type machine struct {
	State
	others  Routes
	effects []Effect
}

func (m *machine) do(e Effect) { m.effects = append(m.effects, e) }

func (m *machine) finish(why string) {
	m.Done, m.doing = true, nil
	m.do(Finish{why, m.served})
}

// goOn takes the next step, and those after it that need no waiting.
func (m *machine) goOn() {
	for !m.Done {
		top := len(m.frames) - 1
		if top < 0 {
			m.finish("the route has no further step")
			return
		}
		f := &m.frames[top]
		if f.next >= len(f.steps) {
			m.frames = m.frames[:top]
			if f.under != nil && f.under.Do == Queue { // back to waiting, in the place that was kept
				if !m.take(f.under) {
					return
				}
			}
			continue
		}
		step := &f.steps[f.next]
		f.next++
		if !m.take(step) {
			return
		}
	}
}

// take carries a step out; true: go on at once.
func (m *machine) take(s *Step) bool {
	if m.Taken++; m.Taken > MostTaken {
		m.finish("the route went on for too long")
		return false
	}
	m.doing, m.At, m.asked, m.typed, m.spoken, m.choice = s, s.ID, 0, "", false, noChoice
	m.Path = append(m.Path, s.ID)
	wait := time.Duration(s.seconds()) * time.Second
	switch s.Do {
	case Say:
		if m.ahead != "" { // they know what is said, and have pressed on
			return true
		}
		m.do(m.text(s))
	case Menu, Digits:
		return m.ask()
	case When:
		if s.Test == nil {
			return true
		}
		if s.Test.Is == Pressed {
			return m.tested((m.Kept[s.Test.Name] == s.Test.Value) != s.Test.Not)
		}
		m.do(LookUp{*s.Test})
	case Language:
		m.Language = s.Language
		return true
	case Owner:
		m.do(RingOwner{wait})
	case Ring:
		m.do(RingPeople{s.People, s.All, wait})
	case Queue:
		m.queue = s.Queue
		m.do(JoinQueue{Queue: s.Queue, Priority: s.Priority, Keys: s.keys()})
	case Survey:
		m.served = true
		m.do(AskSurvey{m.Language})
	case Tell:
		m.served = true
		m.do(Inform{What: s.What, Language: m.Language, Digits: m.Kept})
	case Outside:
		m.do(Dial{s.Number, wait})
	default:
		return m.leave(s)
	}
	return false
}

// leave carries out the steps that end a call here, or lead elsewhere.
func (m *machine) leave(s *Step) bool {
	switch s.Do {
	case Callback:
		if !s.Times {
			m.callback("")
			break
		}
		m.choice = offered
		if ahead := m.ahead; ahead != "" && strings.ContainsRune("12", rune(ahead[0])) {
			m.ahead = ""
			m.chooses(ahead)
			break
		}
		m.do(OfferTimes{m.Language})
	case Voicemail:
		m.Done = true
		m.do(TakeMessage{s.User, m.queue})
	case Another:
		return m.another(s.Route)
	case Again:
		return m.again()
	default:
		m.finish("the route ends here")
	}
	return false
}

func (m *machine) another(id string) bool {
	if m.routes++; m.routes > MostRoutes {
		m.finish("the routes lead round in circles")
		return false
	}
	next, there := m.others(id)
	if !there {
		m.finish("the next route is not there")
		return false
	}
	if !slices.Contains(next.Languages, m.Language) && len(next.Languages) > 0 {
		m.Language = next.Languages[0]
	}
	m.frames = []frame{{steps: next.Steps}}
	return true
}

// again goes back to the nearest menu around the step; one that has asked as often as it may goes on with what follows
// when nothing fits.
func (m *machine) again() bool {
	for top := len(m.frames) - 1; top >= 0; top-- {
		f := m.frames[top]
		if f.under == nil || f.under.Do != Menu {
			continue
		}
		m.frames = m.frames[:top]
		m.doing, m.At, m.typed, m.spoken = f.under, f.under.ID, "", false
		if m.asked = f.asked; m.asked >= f.under.tries() {
			return m.nothingFits()
		}
		return m.ask()
	}
	return true
}

// ask says what a step asks for, unless the answer is there already.
func (m *machine) ask() bool {
	m.asked++
	m.spoken = false
	if m.ahead != "" {
		ahead := m.ahead
		m.ahead = ""
		m.spoken = true
		if m.answer(ahead) {
			return true
		}
		if m.waiting() { // for the rest of it
			m.do(Wait{time.Duration(m.doing.seconds()) * time.Second})
		}
		return false
	}
	m.do(m.text(m.doing))
	return false
}

// waiting tells whether the step that is carried out waits for keys.
func (m *machine) waiting() bool {
	return !m.Done && m.doing != nil && m.doing.Do == Digits && m.spoken
}

// text is what a step says in the language that is spoken.
func (m *machine) text(s *Step) Speak {
	return Speak{Text: Said(s.Texts, m.Language), Sound: s.Sound, Language: m.Language}
}

// waited is an event for which a step waits.
func (m *machine) waited(e Event) {
	if m.doing == nil {
		return
	}
	goesOn := false
	switch e := e.(type) {
	case Spoken:
		switch m.doing.Do {
		case Say, Tell, Survey:
			goesOn = true
		case Callback:
			m.listened()
		case Menu, Digits:
			if !m.spoken {
				m.spoken = true
				m.do(Wait{time.Duration(m.doing.seconds()) * time.Second})
			}
		}
	case Elapsed:
		switch {
		case m.doing.Do == Callback:
			m.chosen()
		case m.doing.Do == Digits && m.typed != "":
			goesOn = m.keep()
		case (m.doing.Do == Menu || m.doing.Do == Digits) && m.spoken:
			goesOn = m.misses()
		}
	case Found:
		switch {
		case m.doing.Do == When:
			goesOn = m.tested(e.Holds != m.doing.Test.Not)
		case m.choice == checking && e.Holds:
			m.callback(m.typed)
		case m.choice == checking:
			m.asksTime(true)
		}
	case Nobody:
		switch m.doing.Do {
		case Owner, Ring, Queue, Outside, Callback:
			goesOn = true
		}
	}
	if goesOn {
		m.goOn()
	}
}

// tested goes into the steps for a test that holds, or into the others.
func (m *machine) tested(holds bool) bool {
	steps := m.doing.Else
	if holds {
		steps = m.doing.Steps
	}
	m.into(m.doing, steps)
	return true
}

func (m *machine) into(s *Step, steps []Step) {
	m.frames = append(m.frames, frame{steps: steps, under: s, asked: m.asked})
	m.doing = nil
}

// Doing is what is carried out now; "" for nothing.
func (s State) Doing() Do {
	if s.Done || s.doing == nil {
		return ""
	}
	return s.doing.Do
}
