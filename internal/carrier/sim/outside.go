package sim

import (
	"fmt"
	"sort"

	"trundo/internal/carrier"
)

// OutsideLeg is a leg as the outside sees it.
type OutsideLeg struct {
	Ref      string
	FromUs   bool   // a rep calls the outside
	From, To string // From is "" where it is withheld
	Answered bool
	Ringing  bool
	Keys     string // keypad tones that were heard
}

// CallIn makes the outside call one of our numbers. from is whatever the network would say: a number, "" for withheld,
// or anything else.
func (s *Sim) CallIn(from, to string) (string, error) {
	s.mu.Lock()
	if s.closed {
		s.mu.Unlock()
		return "", carrier.ErrClosed
	}
	s.count++
	ref := carrier.Ref(fmt.Sprintf("in-%d-%d", s.clock.Now().UnixNano(), s.count))
	s.legs[ref] = &leg{from: from, to: to, incoming: true, ringing: true,
		person: s.prepare(ref, s.directory(from).Calls)}
	s.used[ref] = true
	s.mu.Unlock()
	s.handle(carrier.Event{Ref: ref, Kind: carrier.Incoming, From: from, To: to})
	return string(ref), nil
}

// Man lets somebody play the person at a number: it rings until they answer or decline. Calling it with false lets the
// number behave by itself again.
func (s *Sim) Man(number string, on bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if on {
		s.manned[number] = true
	} else {
		delete(s.manned, number)
	}
}

// OutsideLegs are the legs in progress, in the order of their references.
func (s *Sim) OutsideLegs() []OutsideLeg {
	s.mu.Lock()
	defer s.mu.Unlock()
	legs := make([]OutsideLeg, 0, len(s.legs))
	for ref, l := range s.legs {
		legs = append(legs, OutsideLeg{Ref: string(ref), FromUs: !l.incoming, From: l.from, To: l.to,
			Answered: l.answered, Ringing: l.ringing, Keys: l.keys})
	}
	sort.Slice(legs, func(i, j int) bool { return legs[i].Ref < legs[j].Ref })
	return legs
}

// OutsideAnswers answers a leg by which a rep calls. False: it is not there, or is ours to answer.
func (s *Sim) OutsideAnswers(ref string) bool {
	s.mu.Lock()
	l := s.legs[carrier.Ref(ref)]
	can := l != nil && !l.incoming && !l.answered
	s.mu.Unlock()
	if can {
		s.answer(carrier.Ref(ref), Behaviour{})
	}
	return can
}

// OutsidePresses presses keys on an answered leg. False: it is not there, or nobody hears them.
func (s *Sim) OutsidePresses(ref, digits string) bool {
	s.mu.Lock()
	l := s.legs[carrier.Ref(ref)]
	can := l != nil && l.answered
	s.mu.Unlock()
	if can {
		s.handle(carrier.Event{Ref: carrier.Ref(ref), Kind: carrier.Digits, Digits: digits})
	}
	return can
}

// OutsideHangsUp ends a leg from the outside; one that only rang there was declined. False: it is not there.
func (s *Sim) OutsideHangsUp(ref string) bool {
	s.mu.Lock()
	l := s.legs[carrier.Ref(ref)]
	s.mu.Unlock()
	if l == nil {
		return false
	}
	reason := carrier.HungUp
	if !l.incoming && !l.answered {
		reason = carrier.Declined
	}
	s.end(carrier.Ref(ref), reason)
	return true
}

// OutsideSays lets a text be spoken on an answered leg, after what is being said. False: it is not there, or there is
// no sound.
func (s *Sim) OutsideSays(ref, text string) bool {
	s.mu.Lock()
	l := s.legs[carrier.Ref(ref)]
	can := l != nil && l.answered && l.person != nil
	s.mu.Unlock()
	if can {
		l.person.say(text)
	}
	return can
}
