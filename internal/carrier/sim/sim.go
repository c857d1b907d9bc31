// Package sim is the built-in stand-in for a telephone network. Its people behave: they answer after a
// while, never, are busy, decline, are out of service, hang up. Its clock can be driven by a test.
//
// It must not know calls, records or the database; who behaves how comes from a Directory, and how a text sounds from a
// Speaker. Without a speaker there is no sound.
package sim

import (
	"strings"
	"sync"
	"time"

	"github.com/jonboulle/clockwork"

	"trundo/internal/carrier"
	"trundo/internal/core/phone"
)

// Behaviour is what the person at a number does. The zero value rings at once and answers at once, and
// talks until we hang up.
type Behaviour struct {
	RingsAfter time.Duration  // from dialing to the first ring
	Then       carrier.Reason // what ends a try instead of an answer: Busy, Declined, NoAnswer, OutOfService; or ""
	After      time.Duration  // from the first ring to the answer, or to Then
	HangsUp    time.Duration  // from the answer to their hang-up; 0 is never
	Lost       bool           // the connection breaks instead of their hanging up
	RingsOn    bool           // rings until we give up
	Script     Script         // what they say when we call them
	Calls      Script         // what they say when they have called us
}

// Directory tells how the person at a number behaves; To is as in carrier.Dialing.
type Directory func(to string) Behaviour

// Sim is the stand-in. It satisfies carrier.Carrier.
type Sim struct {
	clock     clockwork.Clock
	directory Directory
	region    string
	speaker   Speaker // nil: no sound
	handle    func(carrier.Event)

	mu     sync.Mutex
	closed bool
	legs   map[carrier.Ref]*leg
	used   map[carrier.Ref]bool
	byTo   map[string]carrier.Ref
	manned map[string]bool
	count  int
}

type leg struct {
	from, to string
	incoming bool
	ringing  bool
	answered bool
	keys     string // that we have sent there
	person   *person
	timer    clockwork.Timer
}

// New makes a stand-in. Emergency numbers are those of region (ISO 3166).
func New(clock clockwork.Clock, region string, directory Directory) *Sim {
	return &Sim{clock: clock, directory: directory, region: region, handle: func(carrier.Event) {},
		legs: map[carrier.Ref]*leg{}, used: map[carrier.Ref]bool{}, byTo: map[string]carrier.Ref{},
		manned: map[string]bool{}}
}

// Handle implements carrier.Carrier.
func (s *Sim) Handle(f func(carrier.Event)) { s.handle = f }

// Dial implements carrier.Carrier. Emergency numbers are refused: this network does not exist.
func (s *Sim) Dial(d carrier.Dialing) error {
	if phone.Emergency(strings.TrimPrefix(d.To, "+"), s.region) {
		return carrier.ErrEmergency
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	switch {
	case s.closed:
		return carrier.ErrClosed
	case s.used[d.Ref]:
		return carrier.ErrRefUsed
	}
	l := &leg{from: d.CallerID, to: d.To}
	s.used[d.Ref], s.legs[d.Ref], s.byTo[d.To] = true, l, d.Ref
	b := s.directory(d.To)
	l.person = s.prepare(d.Ref, b.Script)
	if s.manned[d.To] {
		b = Behaviour{RingsOn: true} // somebody plays this person
	}
	if b.Then == carrier.OutOfService || b.Then == carrier.Busy {
		s.later(d.Ref, l, b.RingsAfter+b.After, func() { s.end(d.Ref, b.Then) })
		return nil
	}
	s.later(d.Ref, l, b.RingsAfter, func() { s.ring(d.Ref, b) })
	return nil
}

// later runs f when the time has come, unless the leg is over by then. The caller holds the lock.
func (s *Sim) later(ref carrier.Ref, l *leg, d time.Duration, f func()) {
	l.timer = s.clock.AfterFunc(d, func() {
		s.mu.Lock()
		alive := s.legs[ref] == l
		s.mu.Unlock()
		if alive {
			f()
		}
	})
}

func (s *Sim) ring(ref carrier.Ref, b Behaviour) {
	s.handle(carrier.Event{Ref: ref, Kind: carrier.Ringing})
	s.mu.Lock()
	defer s.mu.Unlock()
	l := s.legs[ref]
	if l == nil {
		return
	}
	if l.ringing = true; b.RingsOn {
		return
	}
	if b.Then != "" {
		s.later(ref, l, b.After, func() { s.end(ref, b.Then) })
		return
	}
	s.later(ref, l, b.After, func() { s.answer(ref, b) })
}

func (s *Sim) answer(ref carrier.Ref, b Behaviour) {
	s.mu.Lock()
	l := s.legs[ref]
	if l == nil || l.answered {
		s.mu.Unlock()
		return
	}
	l.answered = true
	e := carrier.Event{Ref: ref, Kind: carrier.Answered}
	if l.person != nil {
		e.Voice = l.person
	}
	if b.HangsUp > 0 {
		reason := carrier.HungUp
		if b.Lost {
			reason = carrier.Lost
		}
		s.later(ref, l, b.HangsUp, func() { s.end(ref, reason) })
	}
	s.mu.Unlock()
	s.handle(e)
}

func (s *Sim) end(ref carrier.Ref, reason carrier.Reason) {
	s.mu.Lock()
	l := s.legs[ref]
	if l == nil {
		s.mu.Unlock()
		return
	}
	if l.timer != nil {
		l.timer.Stop()
	}
	delete(s.legs, ref)
	if s.byTo[l.to] == ref {
		delete(s.byTo, l.to)
	}
	s.mu.Unlock()
	s.handle(carrier.Event{Ref: ref, Kind: carrier.Ended, Reason: reason})
}

// Answer implements carrier.Carrier.
func (s *Sim) Answer(ref carrier.Ref) {
	s.mu.Lock()
	l := s.legs[ref]
	incoming := l != nil && l.incoming
	s.mu.Unlock()
	if incoming {
		s.answer(ref, Behaviour{})
	}
}

// SendDigits implements carrier.Carrier.
func (s *Sim) SendDigits(ref carrier.Ref, digits string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if l := s.legs[ref]; l != nil && l.answered {
		l.keys += digits
		if l.person != nil {
			l.person.press(digits)
		}
	}
}

// HangUp implements carrier.Carrier.
func (s *Sim) HangUp(ref carrier.Ref) { s.end(ref, carrier.HungUp) }

// Close implements carrier.Carrier.
func (s *Sim) Close() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.closed = true
	for ref, l := range s.legs {
		if l.timer != nil {
			l.timer.Stop()
		}
		delete(s.legs, ref)
	}
}

// TheyAnswer makes the person who is being called at to answer now. False: nobody rings there.
func (s *Sim) TheyAnswer(to string) bool {
	ref, ok := s.find(to)
	if ok {
		s.answer(ref, Behaviour{})
	}
	return ok
}

// TheyEnd makes the person at to hang up, decline or be lost now. False: there is no such leg.
func (s *Sim) TheyEnd(to string, reason carrier.Reason) bool {
	ref, ok := s.find(to)
	if ok {
		s.end(ref, reason)
	}
	return ok
}

func (s *Sim) find(to string) (carrier.Ref, bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	ref, ok := s.byTo[to]
	return ref, ok
}
