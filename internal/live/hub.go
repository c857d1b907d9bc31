// Package live carries events to browsers: numbered, addressed, and kept for a while so that a browser that was
// cut off can ask for what it missed.
//
// It must not know what an event means, HTTP or the database.
package live

import (
	"encoding/json"
	"iter"
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
	subs map[uuid.UUID]map[*Subscription]struct{}
}

// Event is an event on its way to windows. It is put into JSON once, however many windows it is for.
type Event struct {
	contract.LiveEvent
	text func() ([]byte, error)
}

func event(e contract.LiveEvent) Event {
	return Event{e, sync.OnceValues(func() ([]byte, error) { return json.Marshal(e) })}
}

// JSON is the event as it is sent. The bytes are shared: they must not be changed.
func (e Event) JSON() ([]byte, error) { return e.text() }

type sent struct {
	event Event
	to    []uuid.UUID // nil: everybody
	at    time.Time
}

// Subscription is one browser window.
type Subscription struct {
	user   uuid.UUID
	events chan Event
	hub    *Hub
}

// New makes a hub with an epoch of its own: numbers mean nothing across epochs.
func New(now func() time.Time) *Hub {
	return &Hub{epoch: uuid.NewString(), now: now, ring: make([]sent, kept), subs: map[uuid.UUID]map[*Subscription]struct{}{}}
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
	s := sent{event(e), to, h.now()}
	h.ring[(h.n-1)%kept] = s
	for sub := range h.windowsOf(to) {
		select {
		case sub.events <- s.event:
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
	told := event(e)
	for sub := range h.windowsOf(to) {
		if len(sub.events) < buffer/2 { // what counts goes first
			sub.events <- told
		}
	}
}

// windowsOf are the open windows of these users, or of everybody where to is empty. The caller holds the lock; a window
// may be dropped while they are gone through.
func (h *Hub) windowsOf(to []uuid.UUID) iter.Seq[*Subscription] {
	return func(yield func(*Subscription) bool) {
		each := func(of map[*Subscription]struct{}) bool {
			for sub := range of {
				if !yield(sub) {
					return false
				}
			}
			return true
		}
		for i, user := range to {
			if !slices.Contains(to[:i], user) && !each(h.subs[user]) {
				return
			}
		}
		if len(to) > 0 {
			return
		}
		for _, of := range h.subs {
			if !each(of) {
				return
			}
		}
	}
}

func (s sent) isFor(user uuid.UUID) bool { return len(s.to) == 0 || slices.Contains(s.to, user) }

// Subscribe opens a window's stream. after is the last number it has seen in epoch. The first event is hello;
// behind it comes what was missed. Where that is no longer known, hello asks for everything to be fetched again.
func (h *Hub) Subscribe(user uuid.UUID, epoch string, after int64) *Subscription {
	h.mu.Lock()
	defer h.mu.Unlock()
	sub := &Subscription{user: user, events: make(chan Event, buffer), hub: h}
	missed, known := h.since(user, epoch, after)
	hello := contract.LiveEvent{N: h.n, Kind: contract.LiveEventKindHello, Epoch: &h.epoch}
	if !known || len(missed) >= buffer-1 {
		resync := true
		hello.Resync, missed = &resync, nil
	} else if len(missed) > 0 {
		hello.N = after // the missed ones bring it forward
	}
	sub.events <- event(hello)
	for _, e := range missed {
		sub.events <- e
	}
	if h.subs[user] == nil {
		h.subs[user] = map[*Subscription]struct{}{}
	}
	h.subs[user][sub] = struct{}{}
	return sub
}

// since gives user's events after a number; false where the ring no longer has them all.
func (h *Hub) since(user uuid.UUID, epoch string, after int64) ([]Event, bool) {
	if epoch != h.epoch || after < 0 || after > h.n || h.n-after > kept {
		return nil, false
	}
	var missed []Event
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
func (s *Subscription) Events() <-chan Event { return s.events }

// Close ends the stream.
func (s *Subscription) Close() {
	s.hub.mu.Lock()
	defer s.hub.mu.Unlock()
	s.hub.drop(s)
}

// drop closes a stream once. The caller holds the lock.
func (h *Hub) drop(sub *Subscription) {
	of := h.subs[sub.user]
	if _, there := of[sub]; !there {
		return
	}
	delete(of, sub)
	if len(of) == 0 {
		delete(h.subs, sub.user)
	}
	close(sub.events)
}

// Close ends every stream; who listened hears that, and comes back.
func (h *Hub) Close() {
	h.mu.Lock()
	defer h.mu.Unlock()
	for sub := range h.windowsOf(nil) {
		h.drop(sub)
	}
}

// Reached tells whether a window of user's is connected.
func (h *Hub) Reached(user uuid.UUID) bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	return len(h.subs[user]) > 0
}

// Users are those of whom a window is connected.
func (h *Hub) Users() []uuid.UUID {
	h.mu.Lock()
	defer h.mu.Unlock()
	return slices.Collect(maps.Keys(h.subs))
}

// Windows is the number of open streams.
func (h *Hub) Windows() int {
	h.mu.Lock()
	defer h.mu.Unlock()
	n := 0
	for _, of := range h.subs {
		n += len(of)
	}
	return n
}
