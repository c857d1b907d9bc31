package route

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"trundo/internal/core/filter"
	"trundo/internal/core/phone"
)

// World is what a route is held against: what it may name.
type World struct {
	Sounds  map[string]bool
	People  map[string]Person
	Queues  map[string]QueueOf
	Routes  map[string]Other
	Lines   map[string]string // E.164 of the firm's own lines to their names
	Region  string            // of numbers without a country
	Filters func(kind string, n filter.Node) error
}

// Person is somebody of the firm.
type Person struct {
	Name   string
	Active bool
}

// QueueOf is a queue of the firm.
type QueueOf struct {
	Name    string
	Members int
}

// Other is another route.
type Other struct {
	Name string
	Live bool
	Next []string // routes to which its live version leads
}

// Fault is something that is wrong with a route.
type Fault struct {
	Step string // id; "" for the route as a whole
	Text string
}

// Check tells what is wrong with a route, in the order in which it is read; nothing: it can go live. self is its own id.
func (r Route) Check(self string, w World) []Fault {
	c := checker{route: r, world: w, ids: map[string]bool{}, names: map[string]bool{}}
	switch {
	case len(r.Languages) == 0:
		c.fault("", "It speaks no language.")
	case len(r.Steps) == 0:
		c.fault("", "It has no steps yet.")
		return c.faults
	}
	for i, l := range r.Languages {
		if _, known := LanguageNames[l]; !known {
			c.fault("", fmt.Sprintf("There is no voice for the language “%s”.", l))
		}
		if slices.Contains(r.Languages[:i], l) {
			c.fault("", fmt.Sprintf("The language %s is named twice.", LanguageNames[l]))
		}
	}
	c.block(r.Steps, place{})
	if c.count > MaxSteps {
		c.fault("", fmt.Sprintf("It has more than %d steps.", MaxSteps))
	}
	if !endsBlock(r.Steps) {
		c.fault(last(r.Steps), "After the last step nothing says what happens: end the call, or take a voicemail.")
	}
	c.circles(self)
	return c.faults
}

type checker struct {
	route  Route
	world  World
	ids    map[string]bool
	names  map[string]bool // digits that have been asked for so far
	faults []Fault
	count  int
}

// place is where a block of steps stands.
type place struct {
	depth int
	menu  bool // beneath a menu's key
	queue bool // beneath a key while waiting
}

func (c *checker) fault(step, text string) { c.faults = append(c.faults, Fault{step, text}) }

func last(steps []Step) string {
	if len(steps) == 0 {
		return ""
	}
	return steps[len(steps)-1].ID
}

func (c *checker) block(steps []Step, at place) {
	ended := ""
	for i := range steps {
		s := &steps[i]
		if ended != "" {
			c.fault(s.ID, "This is never reached: the step before it ends the call or leads elsewhere.")
			ended = ""
		}
		c.step(s, at)
		if s.ends() && s.Do != Callback && i < len(steps)-1 {
			ended = s.ID
		}
	}
}

func (c *checker) step(s *Step, at place) {
	c.count++
	if s.ID == "" || c.ids[s.ID] {
		c.fault(s.ID, "Two steps have the same mark.")
	}
	c.ids[s.ID] = true
	if at.depth == MaxDepth {
		c.fault(s.ID, fmt.Sprintf("Steps can stand %d deep.", MaxDepth))
		return
	}
	if s.Seconds < 0 || s.Seconds > MaxSeconds {
		c.fault(s.ID, fmt.Sprintf("It may take up to %d seconds.", MaxSeconds))
	}
	if s.Tries < 0 || s.Tries > MaxTries {
		c.fault(s.ID, fmt.Sprintf("It can ask up to %d times.", MaxTries))
	}
	c.says(s)
	c.targets(s, at)
	at.depth++
	inner := at
	inner.menu, inner.queue = at.menu || s.Do == Menu, at.queue || s.Do == Queue
	for _, o := range s.Options {
		c.block(o.Steps, inner)
	}
	if s.Do == When {
		c.block(s.Steps, at)
	}
	c.block(s.Else, at)
	if s.Do == Digits { // known in what follows
		c.names[s.Name] = true
	}
}

// says checks what a step says and asks.
func (c *checker) says(s *Step) {
	if s.Do == Say || s.Do == Menu || s.Do == Digits {
		switch {
		case s.Sound != "":
			if !c.world.Sounds[s.Sound] {
				c.fault(s.ID, "Its sound is not there any more.")
			}
		default:
			for _, l := range c.route.Languages {
				if strings.TrimSpace(s.Texts[l]) == "" {
					c.fault(s.ID, fmt.Sprintf("What is said is missing in %s.", LanguageNames[l]))
				}
			}
		}
	}
	switch s.Do {
	case Menu:
		if len(s.Options) == 0 {
			c.fault(s.ID, "It asks for a key, and no key leads anywhere.")
		}
	case Digits:
		if s.Name == "" {
			c.fault(s.ID, "Say what the digits are, so that later steps can use them.")
		}
		if s.Most < 0 || s.Most > MaxDigits {
			c.fault(s.ID, fmt.Sprintf("It can ask for 1 to %d digits.", MaxDigits))
		}
	}
	for i, o := range s.Options {
		if len(o.Key) != 1 || !strings.Contains(keypad, o.Key) {
			c.fault(s.ID, fmt.Sprintf("“%s” is no key: there are 0 to 9, * and #.", o.Key))
		}
		for _, earlier := range s.Options[:i] {
			if earlier.Key == o.Key {
				c.fault(s.ID, fmt.Sprintf("Key %s leads to two places.", o.Key))
			}
		}
		if len(o.Steps) == 0 {
			c.fault(s.ID, fmt.Sprintf("Key %s leads to nothing.", o.Key))
		}
	}
}

// targets checks what a step leads to.
func (c *checker) targets(s *Step, at place) {
	w := c.world
	switch s.Do {
	case Say, Menu, Digits, Owner, Survey, End:
	case When:
		c.test(s)
	case Language:
		if !slices.Contains(c.route.Languages, s.Language) {
			c.fault(s.ID, "The route does not speak this language.")
		}
	case Ring:
		if len(s.People) == 0 {
			c.fault(s.ID, "It rings nobody.")
		}
		for _, id := range s.People {
			c.person(s, id)
		}
	case Queue:
		c.queue(s, s.Queue)
		if s.Priority < LeastPriority || s.Priority > MostPriority {
			c.fault(s.ID, fmt.Sprintf("A priority is from %d to %d.", LeastPriority, MostPriority))
		}
	case Callback:
		if s.Queue != "" || !at.queue {
			c.queue(s, s.Queue)
		}
	case Voicemail:
		if s.User != "" {
			c.person(s, s.User)
		}
	case Tell:
		switch s.What {
		case TellHours, TellCase, TellOrder:
		default:
			c.fault(s.ID, "Say what the caller is told.")
		}
	case Another:
		if to, there := w.Routes[s.Route]; !there {
			c.fault(s.ID, "The route to go on with is not there any more.")
		} else if !to.Live {
			c.fault(s.ID, fmt.Sprintf("The route “%s” has not gone live yet.", to.Name))
		}
	case Outside:
		n, err := phone.Parse(s.Number, w.Region)
		switch {
		case phone.Emergency(s.Number, w.Region):
			c.fault(s.ID, "A caller cannot be sent to an emergency number.")
		case err != nil:
			c.fault(s.ID, "This is not a telephone number.")
		case w.Lines[n.E164] != "":
			c.fault(s.ID, fmt.Sprintf("This is the firm's own line %s: use another route instead.", w.Lines[n.E164]))
		}
	case Again:
		if !at.menu {
			c.fault(s.ID, "There is no menu around it that could be asked again.")
		}
	default:
		c.fault(s.ID, "This step does nothing that is known.")
	}
}

func (c *checker) person(s *Step, id string) {
	if p, there := c.world.People[id]; !there {
		c.fault(s.ID, "It names somebody who is not of the firm.")
	} else if !p.Active {
		c.fault(s.ID, fmt.Sprintf("%s is switched off.", p.Name))
	}
}

func (c *checker) queue(s *Step, id string) {
	if q, there := c.world.Queues[id]; !there {
		c.fault(s.ID, "Choose a queue.")
	} else if q.Members == 0 {
		c.fault(s.ID, fmt.Sprintf("The queue “%s” has no members.", q.Name))
	}
}

func (c *checker) test(s *Step) {
	t := s.Test
	if t == nil {
		c.fault(s.ID, "Say what it depends on.")
		return
	}
	if len(s.Steps) == 0 && len(s.Else) == 0 {
		c.fault(s.ID, "Nothing follows, whether it is so or not.")
	}
	switch t.Is {
	case Open:
		if t.Hours != nil {
			if err := t.Hours.Check(); err != nil {
				c.fault(s.ID, "Its hours: "+err.Error()+".")
			}
		}
	case DayOff, Known, Owned, OwnerFree, OpenCase, OpenDeal, Unreturned, Promised, Dissatisfied:
	case OfKind:
		if t.Value != "contact" && t.Value != "lead" && t.Value != "company" {
			c.fault(s.ID, "Callers are contacts, leads or companies.")
		}
	case Speaks:
		if _, known := LanguageNames[t.Value]; !known {
			c.fault(s.ID, "Choose a language.")
		}
	case Pressed:
		if !c.names[t.Name] {
			c.fault(s.ID, fmt.Sprintf("No step before it asks for “%s”.", t.Name))
		} else if _, err := strconv.ParseUint(t.Value, 10, 64); err != nil {
			c.fault(s.ID, "What was pressed is compared with digits.")
		}
	case Fits:
		switch {
		case t.Filter == nil, t.Filter.Field == "" && len(t.Filter.All)+len(t.Filter.Any) == 0:
			c.fault(s.ID, "Say what the caller's record has to fit.")
		case c.world.Filters != nil:
			if err := c.world.Filters(t.Kind, *t.Filter); err != nil {
				c.fault(s.ID, err.Error()+".")
			}
		}
	default:
		c.fault(s.ID, "Say what it depends on.")
	}
}

// Leads are the routes to which a route leads.
func (r Route) Leads() []string {
	var to []string
	Walk(r.Steps, func(s *Step, _ int) {
		if s.Do == Another && !slices.Contains(to, s.Route) {
			to = append(to, s.Route)
		}
	})
	return to
}

// circles finds steps that lead, over other routes, back to this one.
func (c *checker) circles(self string) {
	Walk(c.route.Steps, func(s *Step, _ int) {
		if s.Do == Another && c.leadsTo(s.Route, self, map[string]bool{}) {
			c.fault(s.ID, "This leads round in a circle, back to this route.")
		}
	})
}

func (c *checker) leadsTo(from, to string, seen map[string]bool) bool {
	if from == to {
		return true
	}
	if seen[from] {
		return false
	}
	seen[from] = true
	for _, next := range c.world.Routes[from].Next {
		if c.leadsTo(next, to, seen) {
			return true
		}
	}
	return false
}
