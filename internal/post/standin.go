package post

import (
	"context"
	"strings"
	"sync"
)

// kept is how many messages the stand-in remembers.
const kept = 200

// Sent is a message that the stand-in has got.
type Sent struct {
	Text *Text
	Mail *Mail
}

// StandIn takes every message and keeps the newest for whoever plays the outside. A number that ends in 0199 is out of
// service, and an address that begins with "gone@" does not exist. Its zero value is ready; it may be used by several
// goroutines.
type StandIn struct {
	mu   sync.Mutex
	sent []Sent
}

// SendText implements Sender.
func (s *StandIn) SendText(_ context.Context, t Text) error {
	if strings.HasSuffix(t.To, "0199") {
		return &RefusedError{"this number takes no messages"}
	}
	s.keep(Sent{Text: &t})
	return nil
}

// SendMail implements Sender.
func (s *StandIn) SendMail(_ context.Context, m Mail) error {
	if strings.HasPrefix(m.To, "gone@") {
		return &RefusedError{"there is no such mailbox"}
	}
	s.keep(Sent{Mail: &m})
	return nil
}

func (s *StandIn) keep(x Sent) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.sent = append(s.sent, x)
	if over := len(s.sent) - kept; over > 0 {
		s.sent = append([]Sent(nil), s.sent[over:]...)
	}
}

// Sent are the messages that were taken, oldest first.
func (s *StandIn) Sent() []Sent {
	s.mu.Lock()
	defer s.mu.Unlock()
	return append([]Sent(nil), s.sent...)
}
