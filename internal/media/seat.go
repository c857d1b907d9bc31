package media

import (
	"sync"
	"sync/atomic"
	"time"
)

// Seat is where a rep's voice comes in and goes out. It lasts while its rep comes and goes.
type Seat struct {
	user string
	in   Jitter

	room    atomic.Pointer[Room] // the one it was put into last
	mu      sync.Mutex
	way     Way       // nil while no browser is connected
	phone   Voice     // a telephone, which goes before the browser; nil without one
	lost    time.Time // since when not; zero while connected, or never was
	speaks  bool      // has a microphone
	changed func(user string)
}

// Way is how sound gets to a rep: a browser's connection. Neither method may wait.
type Way interface {
	Send(*Frame)
	Close()
}

// Read implements Voice.
func (s *Seat) Read(f *Frame) bool {
	s.mu.Lock()
	p := s.phone
	s.mu.Unlock()
	if p == nil {
		return s.in.Pop(f)
	}
	s.in.Pop(f) // what the browser hears meanwhile is not said later
	return p.Read(f)
}

// Phone lets the rep speak and hear by a telephone, before any browser; nil: by the browser again.
func (s *Seat) Phone(v Voice) {
	s.mu.Lock()
	s.phone = v
	s.mu.Unlock()
	s.changed(s.user)
}

// Write implements Voice.
func (s *Seat) Write(f *Frame) {
	s.mu.Lock()
	w, p := s.way, s.phone
	s.mu.Unlock()
	switch {
	case p != nil:
		p.Write(f)
	case w != nil:
		w.Send(f)
	}
}

// Hear takes what a rep says: whole frames of µ-law, with their RTP time.
func (s *Seat) Hear(at uint32, codes []byte) { s.in.Push(at, codes) }

// State tells whether a browser is connected, and whether it has a microphone.
func (s *Seat) State() (connected, speaks bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.way != nil || s.phone != nil, s.phone != nil || s.way != nil && s.speaks
}

// cutOff tells whether a browser was connected and is no more.
func (s *Seat) cutOff() bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.phone == nil && s.way == nil && !s.lost.IsZero()
}

// Counts are those of the browser's frames (see Jitter).
func (s *Seat) Counts() (came, lost, late, skipped int64) { return s.in.Counts() }

// Sit puts a way in the place of the one before it, which is closed. speaks tells whether there is a microphone.
func (s *Seat) Sit(w Way, speaks bool) {
	s.mu.Lock()
	before := s.way
	s.way, s.speaks, s.lost = w, speaks, time.Time{}
	s.mu.Unlock()
	if before != nil {
		before.Close()
	}
	s.changed(s.user)
}

// Leave is told when a way has ended; one that was replaced changes nothing.
func (s *Seat) Leave(w Way, at time.Time) {
	s.mu.Lock()
	mine := s.way == w
	if mine {
		s.way, s.lost = nil, at
	}
	s.mu.Unlock()
	if mine {
		s.changed(s.user)
	}
}
