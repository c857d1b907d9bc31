package switchboard

import (
	"github.com/google/uuid"

	"trundo/internal/carrier"
)

// RingTelephone asks the carrier for a leg that belongs to no call: a rep's own telephone. told is given its events, in
// order, and must not wait. Errors: those of carrier.Dial.
func (s *Switchboard) RingTelephone(to, callerID string, told func(carrier.Event)) (carrier.Ref, error) {
	ref := carrier.Ref("telephone:" + uuid.NewString())
	s.mu.Lock()
	s.telephones[ref] = told
	s.mu.Unlock()
	err := s.carrier.Dial(carrier.Dialing{Ref: ref, To: to, CallerID: callerID})
	if err != nil {
		s.forgetTelephone(ref)
	}
	return ref, err
}

// TakeTelephone takes over a leg that came in as a rep's own telephone, and answers it; told as in RingTelephone.
func (s *Switchboard) TakeTelephone(ref carrier.Ref, told func(carrier.Event)) {
	s.mu.Lock()
	ended := s.arriving[ref]
	delete(s.arriving, ref)
	if !ended {
		s.telephones[ref] = told
	}
	s.mu.Unlock()
	if ended {
		told(carrier.Event{Ref: ref, Kind: carrier.Ended, Reason: carrier.HungUp})
		return
	}
	s.carrier.Answer(ref)
}

// HangUpTelephone ends such a leg; its Ended is still told.
func (s *Switchboard) HangUpTelephone(ref carrier.Ref) { s.carrier.HangUp(ref) }

func (s *Switchboard) forgetTelephone(ref carrier.Ref) {
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.telephones, ref)
}

// ofTelephone hands an event to the rep's telephone that it is about; false: it is about none.
func (s *Switchboard) ofTelephone(e carrier.Event) bool {
	s.mu.Lock()
	told := s.telephones[e.Ref]
	if e.Kind == carrier.Ended {
		delete(s.telephones, e.Ref)
	}
	s.mu.Unlock()
	if told != nil {
		told(e)
	}
	return told != nil
}
