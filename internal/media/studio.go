package media

import (
	"runtime"
	"sync"
	"sync/atomic"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/audio"
)

// Studio holds the seats of all reps and the rooms of all calls, and moves the rooms on.
type Studio struct {
	// SeatChanged is told when a rep's browser has come or gone; from any goroutine. It must not wait. Set before use.
	SeatChanged func(user string)

	// Patience is said to the outside, as µ-law, while its rep's browser is cut off; nothing where it is empty. Set
	// before use.
	Patience []byte

	mu     sync.Mutex
	seats  map[string]*Seat
	rooms  map[uuid.UUID]*Room
	shards []*shard
	next   int
	stop   chan struct{}
	once   sync.Once
	group  sync.WaitGroup
	late   atomic.Int64
}

// shard is a part of the rooms with a goroutine that ticks them.
type shard struct {
	mu    sync.Mutex
	rooms []*Room
}

// NewStudio makes an empty studio and begins to pace it.
func NewStudio() *Studio {
	s := &Studio{SeatChanged: func(string) {}, seats: map[string]*Seat{}, rooms: map[uuid.UUID]*Room{},
		stop: make(chan struct{})}
	for range runtime.GOMAXPROCS(0) {
		h := &shard{}
		s.shards = append(s.shards, h)
		s.group.Go(func() { s.pace(h) })
	}
	return s
}

// Close stops all sound. It may be called again.
func (s *Studio) Close() {
	s.once.Do(func() { close(s.stop) })
	s.group.Wait()
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, seat := range s.seats {
		seat.mu.Lock()
		w := seat.way
		seat.mu.Unlock()
		if w != nil {
			w.Close()
		}
	}
}

// lateBy is how far behind its time a tick may be before the missed ones are left out rather than made up for: longer
// than that and all would come in a burst.
const lateBy = 100 * time.Millisecond

// pace ticks a shard at absolute times, so that lateness does not add up.
func (s *Studio) pace(h *shard) {
	due := time.Now()
	timer := time.NewTimer(0)
	defer timer.Stop()
	for {
		select {
		case <-s.stop:
			return
		case <-timer.C:
		}
		now := time.Now()
		if behind := now.Sub(due); behind > lateBy {
			s.late.Add(int64(behind / audio.FrameTime))
			due = now
		}
		h.tick()
		due = due.Add(audio.FrameTime)
		timer.Reset(time.Until(due))
	}
}

func (h *shard) tick() {
	h.mu.Lock()
	defer h.mu.Unlock()
	kept := h.rooms[:0]
	for _, r := range h.rooms {
		if r.Tick() {
			kept = append(kept, r)
		}
	}
	clear(h.rooms[len(kept):])
	h.rooms = kept
}

// LateFrames is how many frames were left out because this machine was too busy.
func (s *Studio) LateFrames() int64 { return s.late.Load() }

// Seat is the seat of a rep.
func (s *Studio) Seat(user string) *Seat {
	s.mu.Lock()
	defer s.mu.Unlock()
	seat := s.seats[user]
	if seat == nil {
		seat = &Seat{user: user, changed: func(u string) { s.SeatChanged(u) }}
		s.seats[user] = seat
	}
	return seat
}

// Open makes the room of a call. levels may be nil.
func (s *Studio) Open(call uuid.UUID, levels Levels) *Room {
	s.mu.Lock()
	defer s.mu.Unlock()
	r := &Room{levels: levels, patience: s.Patience}
	s.rooms[call] = r
	h := s.shards[s.next%len(s.shards)]
	s.next++
	h.mu.Lock()
	h.rooms = append(h.rooms, r)
	h.mu.Unlock()
	return r
}

// Room finds the room of a call; nil without one.
func (s *Studio) Room(call uuid.UUID) *Room {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.rooms[call]
}

// Arrange says who is in the room of a call.
func (s *Studio) Arrange(call uuid.UUID, a Arrangement) {
	r := s.Room(call)
	if r == nil {
		return
	}
	r.arrange(a, s.Seat)
}

// Shut ends the room of a call and gives the recorders that wrote in it.
func (s *Studio) Shut(call uuid.UUID) []*Recorder {
	s.mu.Lock()
	r := s.rooms[call]
	delete(s.rooms, call)
	s.mu.Unlock()
	if r == nil {
		return nil
	}
	writing := r.Recorders()
	r.mu.Lock()
	defer r.mu.Unlock()
	r.gone, r.voices, r.parties, r.forThem, r.forUs = true, nil, nil, nil, nil
	r.recorder, r.aside = nil, nil
	return writing
}
