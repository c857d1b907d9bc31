package route

import (
	"strings"
	"time"
)

// timeDigits are those of a time of day, "1430".
const timeDigits = 4

// callback takes a callback at a time that was typed, or in the caller's place.
func (m *machine) callback(typed string) {
	queue := m.doing.Queue
	if queue == "" {
		queue = m.queue
	}
	m.choice = noChoice
	m.do(TakeCallback{queue, typed})
}

// listened is that they have heard what is offered or asked: a while is left to them for keys.
func (m *machine) listened() {
	if m.choice == noChoice || m.choice == checking || m.spoken {
		return
	}
	m.spoken = true
	wait := menuSeconds
	if m.choice == typing {
		wait = timeSeconds
	}
	m.do(Wait{time.Duration(wait) * time.Second})
}

// chooses takes keys of somebody who may choose the time of a callback.
func (m *machine) chooses(digits string) {
	for i, c := range digits {
		switch {
		case m.choice == offered && c == '1':
			m.hushes()
			m.callback("")
			return
		case m.choice == offered && c == '2':
			rest := digits[i+1:]
			if rest == "" {
				m.hushes()
				m.asksTime(false)
				return
			}
			m.choice = typing // they know what is asked
		case m.choice == typing && c == '#' && m.typed != "":
			m.chosen()
			return
		case m.choice == typing && strings.ContainsRune("0123456789", c):
			m.hushes()
			if m.typed += string(c); len(m.typed) == timeDigits {
				m.chosen()
				return
			}
		}
	}
	if m.choice == typing && m.spoken {
		m.do(Wait{timeSeconds * time.Second})
	}
}

// hushes stops what is said, since the answer is there.
func (m *machine) hushes() {
	if !m.spoken && m.choice != noChoice {
		m.do(Hush{})
		m.spoken = true
	}
}

// chosen is that no key comes any more: what was typed is looked at, and who has typed nothing keeps their place.
func (m *machine) chosen() {
	switch {
	case m.choice == typing && m.typed != "":
		m.choice = checking
		queue := m.doing.Queue
		if queue == "" {
			queue = m.queue
		}
		m.do(CheckTime{queue, m.typed})
	case m.choice == typing:
		m.asksTime(true)
	case m.choice == offered:
		m.callback("")
	}
}

// asksTime asks for a time of day; who was asked often enough keeps their place.
func (m *machine) asksTime(again bool) {
	if m.asked >= m.doing.tries() {
		m.callback("")
		return
	}
	m.asked++
	m.choice, m.typed, m.spoken = typing, "", false
	m.do(AskTime{m.Language, again})
}
