// Package live carries events to browsers: numbered, addressed, and kept for a while so that a browser that was
// cut off can ask for what it missed.
//
// It must not know what an event means, HTTP or the database.
package live

import (
	"maps"
	"slices"
	"sync"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
)

const (
	kept   = 8192            // events in the ring
	keptIn = 5 * time.Minute // and for how long they are handed out again
	buffer = 256             // events a slow browser may lag behind before it is cut off to resume
)

// Hub numbers and hands out events. Its zero value is not ready: use New.
type Hub struct {
	epoch string
	now   func() time.Time

	mu   sync.Mutex
	n    int64
	ring []sent // the newest at (n-1) % kept
	subs map[*Subscription]struct{}
}

type sent struct {
	event contract.LiveEvent
	to    []uuid.UUID // nil: everybody
	at    time.Time
}

// Subscription is one browser window.
type Subscription struct {
	user   uuid.UUID
	events chan contract.LiveEvent
	hub    *Hub
}

// New makes a hub with an epoch of its own: numbers mean nothing across epochs.
func New(now func() time.Time) *Hub {
	return &Hub{epoch: uuid.NewString(), now: now, ring: make([]sent, kept), subs: map[*Subscription]struct{}{}}
}

// Epoch names this hub's run.
func (h *Hub) Epoch() string { return h.epoch }

// Publish numbers e and hands it to the windows of those it is for, or to all where to is empty. It never waits: a
// window that lags too far behind is cut off and resumes by itself.
func (h *Hub) Publish(e contract.LiveEvent, to ...uuid.UUID) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.n++
	e.N = h.n
	s := sent{e, to, h.now()}
	h.ring[(h.n-1)%kept] = s
	for sub := range h.subs {
		if !s.isFor(sub.user) {
			continue
		}
		select {
		case sub.events <- e:
		default:
			h.drop(sub)
		}
	}
}

// Mention hands e out without a number: it is not kept, and nobody who missed it misses anything.
func (h *Hub) Mention(e contract.LiveEvent, to ...uuid.UUID) {
	h.mu.Lock()
	defer h.mu.Unlock()
	e.N = h.n
	s := sent{e, to, h.now()}
	for sub := range h.subs {
		if s.isFor(sub.user) && len(sub.events) < buffer/2 { // what counts goes first
			sub.events <- e
		}
	}
}

func (s sent) isFor(user uuid.UUID) bool {
	for _, u := range s.to {
		if u == user {
			return true
		}
	}
	return len(s.to) == 0
}

// Subscribe opens a window's stream. after is the last number it has seen in epoch. The first event is hello;
// behind it comes what was missed. Where that is no longer known, hello asks for everything to be fetched again.
func (h *Hub) Subscribe(user uuid.UUID, epoch string, after int64) *Subscription {
	h.mu.Lock()
	defer h.mu.Unlock()
	sub := &Subscription{user: user, events: make(chan contract.LiveEvent, buffer), hub: h}
	missed, known := h.since(user, epoch, after)
	hello := contract.LiveEvent{N: h.n, Kind: contract.LiveEventKindHello, Epoch: &h.epoch}
	if !known || len(missed) >= buffer-1 {
		resync := true
		hello.Resync, missed = &resync, nil
	} else if len(missed) > 0 {
		hello.N = after // the missed ones bring it forward
	}
	sub.events <- hello
	for _, e := range missed {
		sub.events <- e
	}
	h.subs[sub] = struct{}{}
	return sub
}

// since gives user's events after a number; false where the ring no longer has them all.
func (h *Hub) since(user uuid.UUID, epoch string, after int64) ([]contract.LiveEvent, bool) {
	if epoch != h.epoch || after < 0 || after > h.n || h.n-after > kept {
		return nil, false
	}
	var missed []contract.LiveEvent
	for n := after; n < h.n; n++ {
		s := h.ring[n%kept]
		if h.now().Sub(s.at) > keptIn {
			return nil, false
		}
		if s.isFor(user) {
			missed = append(missed, s.event)
		}
	}
	return missed, true
}

// Events is the stream. It is closed when the window is cut off or closed.
func (s *Subscription) Events() <-chan contract.LiveEvent { return s.events }

// Close ends the stream.
func (s *Subscription) Close() {
	s.hub.mu.Lock()
	defer s.hub.mu.Unlock()
	s.hub.drop(s)
}

// drop closes a stream once. The caller holds the lock.
func (h *Hub) drop(sub *Subscription) {
	if _, there := h.subs[sub]; there {
		delete(h.subs, sub)
		close(sub.events)
	}
}

// Close ends every stream; who listened hears that, and comes back.
func (h *Hub) Close() {
	h.mu.Lock()
	defer h.mu.Unlock()
	for sub := range h.subs {
		h.drop(sub)
	}
}

// Reached tells whether a window of user's is connected.
func (h *Hub) Reached(user uuid.UUID) bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	for sub := range h.subs {
		if sub.user == user {
			return true
		}
	}
	return false
}

// Users are those of whom a window is connected.
func (h *Hub) Users() []uuid.UUID {
	h.mu.Lock()
	defer h.mu.Unlock()
	seen := map[uuid.UUID]bool{}
	for sub := range h.subs {
		seen[sub.user] = true
	}
	return slices.Collect(maps.Keys(seen))
}

// Windows is the number of open streams.
func (h *Hub) Windows() int {
	h.mu.Lock()
	defer h.mu.Unlock()
	return len(h.subs)
}
