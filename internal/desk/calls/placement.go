package calls

import (
	"context"
	"time"

	"github.com/google/uuid"

	"trundo/internal/carrier"
	"trundo/internal/core/call"
	"trundo/internal/core/callerid"
	"trundo/internal/desk/firm"
	"trundo/internal/store/db"
)

// Placement is on whose behalf a rep places a call that is not theirs alone: of a round, of a campaign.
type Placement interface {
	// CallType is the type of call that its slip has from the beginning; nil: none.
	CallType() *uuid.UUID
	// Shown chooses the line that the call shows to e164; single is what would be chosen without a placement.
	Shown(ctx context.Context, a firm.Actor, lines []callerid.Line, single callerid.Request,
		e164 string) (callerid.Choice, error)
	// Unrecorded is why its calls are not recorded, whatever the rules say; "" where the rules hold.
	Unrecorded() string
	// Enter writes down, in the transaction in which the call is placed, that it was. An error takes the call back.
	Enter(ctx context.Context, q *db.Queries, a firm.Actor, call uuid.UUID, at time.Time) error
	// Ended is told in the background how the call ended, once that is committed; slips are those of the reps who were
	// in it.
	Ended(ctx context.Context, call uuid.UUID, state call.State, slips map[uuid.UUID]uuid.UUID)
}

// Listener hears of what those who place calls look after.
type Listener interface {
	// Beat is called with every sign of life of this server; n counts them.
	Beat(ctx context.Context, n int)
	// MessageLeft is told that it is known what became of the message that a call was to leave.
	MessageLeft(ctx context.Context, call uuid.UUID)
}

// enter tells a placement that its call is placed, where there is one.
func enter(ctx context.Context, q *db.Queries, p Placement, a firm.Actor, call uuid.UUID, at time.Time) error {
	if p == nil {
		return nil
	}
	return p.Enter(ctx, q, a, call, at)
}

// events are what the switchboard tells, each to whom it concerns.
type events struct{ cs *Calls }

// CallChanged implements switchboard.Listener.
func (e events) CallChanged(id uuid.UUID, facts []call.Fact, state call.State) {
	e.cs.CallChanged(id, facts, state)
}

// Voices implements switchboard.Listener.
func (e events) Voices(id uuid.UUID, ours, theirs []byte, loud map[int]int) {
	e.cs.Voices.trace(id, ours, theirs, loud)
}

// Keyed implements switchboard.Listener.
func (e events) Keyed(id uuid.UUID, digits string) {
	if e.cs.router != nil {
		e.cs.router.Keyed(id, digits)
	}
}

// CallIncoming implements switchboard.Listener.
func (e events) CallIncoming(ref carrier.Ref, from, to string) {
	e.cs.Arrivals.CallIncoming(ref, from, to)
}
