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
func (s *Seat) Read(f *Frame) bool { return s.in.Pop(f) }

// Write implements Voice.
func (s *Seat) Write(f *Frame) {
	s.mu.Lock()
	w := s.way
	s.mu.Unlock()
	if w != nil {
		w.Send(f)
	}
}

// Hear takes what a rep says: whole frames of µ-law, with their RTP time.
func (s *Seat) Hear(at uint32, codes []byte) { s.in.Push(at, codes) }

// State tells whether a browser is connected, and whether it has a microphone.
func (s *Seat) State() (connected, speaks bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.way != nil, s.way != nil && s.speaks
}

// cutOff tells whether a browser was connected and is no more.
func (s *Seat) cutOff() bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.way == nil && !s.lost.IsZero()
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
