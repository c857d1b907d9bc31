// Package surveys asks customers what they thought of a call: once its rep has hung up (asking), on the way through a route
// and by text (elsewhere); settings are what is asked and when, answers what was said.
//
// It knows calls and messages. It must not know routes and queues: they say which language a caller speaks, and let it ask
// on the way.
package surveys

import (
	"context"
	"sync"

	"github.com/google/uuid"

	"trundo/internal/core/call"
	"trundo/internal/desk/calls"
	"trundo/internal/desk/firm"
	"trundo/internal/desk/outreach"
)

// Surveys are what a firm asks its customers. Its methods may be called from any goroutine.
type Surveys struct {
	*firm.Firm
	Calls    *calls.Calls
	Outreach *outreach.Outreach
	speaks   func(ctx context.Context, call uuid.UUID) string

	mu      sync.Mutex
	after   map[uuid.UUID]asks   // calls after which is asked
	decided map[uuid.UUID]bool   // calls of which it is decided whether that is so
	asking  map[uuid.UUID]bool   // calls about which is being asked
	asked   map[uuid.UUID]*asked // by call
	scored  []uuid.UUID          // calls of which somebody has written, who is told once that is committed

	Writes *firm.Writes
}

// New makes the surveys of a firm; speaks tells the language of who calls, "" where that is not known.
func New(c *calls.Calls, o *outreach.Outreach, speaks func(ctx context.Context, call uuid.UUID) string) *Surveys {
	return &Surveys{Firm: c.Firm, Calls: c, Outreach: o, speaks: speaks, after: map[uuid.UUID]asks{},
		decided: map[uuid.UUID]bool{}, asking: map[uuid.UUID]bool{}, asked: map[uuid.UUID]*asked{},
		Writes: firm.NewWrites(c.Firm, "what a customer answered", nil)}
}

// Changed is told of every change of every call.
func (sv *Surveys) Changed(id uuid.UUID, s *call.State) {
	sv.chooses(id, s)
	sv.mu.Lock()
	x := sv.asked[id]
	sv.mu.Unlock()
	if x == nil {
		return
	}
	select {
	case x.changed <- struct{}{}:
	default: // it has not looked at the last change yet
	}
}

// Keyed is told of keys that the outside has pressed.
func (sv *Surveys) Keyed(id uuid.UUID, digits string) {
	sv.mu.Lock()
	x := sv.asked[id]
	sv.mu.Unlock()
	if x == nil {
		return
	}
	select {
	case x.keyed <- digits:
	default: // more keys at once than anybody presses
	}
}

// Committed shows what somebody has written, once that is kept.
func (sv *Surveys) Committed() {
	sv.mu.Lock()
	scored := sv.scored
	sv.scored = nil
	sv.mu.Unlock()
	for _, id := range scored {
		sv.PublishHistory(&id)
	}
}
