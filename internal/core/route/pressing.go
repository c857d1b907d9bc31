package route

import (
	"strings"
	"time"
)

// keyed takes keys that were pressed.
func (m *machine) keyed(digits string) {
	digits = strings.Map(func(r rune) rune {
		if strings.ContainsRune(keypad, r) {
			return r
		}
		return -1
	}, digits)
	if digits == "" || m.doing == nil {
		return
	}
	switch m.doing.Do {
	case Menu, Digits:
		if !m.spoken { // what they are asked is said no further
			m.do(Hush{})
			m.spoken = true
		}
		if m.answer(digits) {
			m.goOn()
		} else if m.waiting() {
			m.do(Wait{time.Duration(m.doing.seconds()) * time.Second})
		}
	case Callback:
		m.chooses(digits)
	case Queue:
		for i, key := range digits {
			if o := m.doing.option(string(key)); o != nil {
				m.keepAhead(digits[i+1:])
				m.do(LeaveQueue{})
				m.into(m.doing, o.Steps)
				m.goOn()
				return
			}
		}
	case Say:
		m.keepAhead(digits)
		m.do(Hush{})
		m.goOn()
	default:
		m.keepAhead(digits)
	}
}

const keypad = "0123456789*#"

func (m *machine) keepAhead(digits string) {
	if m.ahead += digits; len(m.ahead) > mostAhead {
		m.ahead = m.ahead[:mostAhead]
	}
}

// answer takes keys as the answer to what is asked; what is left of them is kept for what is asked next. True: go on.
func (m *machine) answer(digits string) bool {
	if m.doing.Do == Menu {
		key, rest := digits[:1], digits[1:]
		o := m.doing.option(key)
		if o == nil {
			return m.misses()
		}
		m.keepAhead(rest)
		m.into(m.doing, o.Steps)
		return true
	}
	for i, c := range digits {
		if c == '#' {
			m.keepAhead(digits[i+1:])
			if m.typed == "" {
				return m.misses()
			}
			return m.keep()
		}
		m.typed += string(c)
		if len(m.typed) >= m.doing.most() {
			m.keepAhead(digits[i+1:])
			return m.keep()
		}
	}
	return false
}

// most is how many digits a step asks for at most.
func (s *Step) most() int {
	if s.Most == 0 {
		return MaxDigits
	}
	return s.Most
}

// keep keeps the digits of a step.
func (m *machine) keep() bool {
	m.Kept[m.doing.Name] = m.typed
	return true
}

// misses asks once more, or goes on with what follows when nothing fits.
func (m *machine) misses() bool {
	if m.asked < m.doing.tries() {
		return m.ask()
	}
	return m.nothingFits()
}

func (m *machine) nothingFits() bool {
	m.into(m.doing, m.doing.Else)
	return true
}

func (s *Step) option(key string) *Option {
	for i := range s.Options {
		if s.Options[i].Key == key {
			return &s.Options[i]
		}
	}
	return nil
}

// keys are those that do something.
func (s *Step) keys() []string {
	var keys []string
	for _, o := range s.Options {
		keys = append(keys, o.Key)
	}
	return keys
}

// Keys are those that lead anywhere now; of a step that asks for digits all, as "0".."9".
func (s State) Keys() []string {
	if s.Done || s.doing == nil {
		return nil
	}
	switch s.doing.Do {
	case Menu, Queue:
		return s.doing.keys()
	case Callback:
		switch s.choice {
		case offered:
			return []string{"1", "2"}
		case typing:
			return strings.Split("0123456789#", "")
		}
	case Digits:
		return strings.Split("0123456789#", "")
	}
	return nil
}
