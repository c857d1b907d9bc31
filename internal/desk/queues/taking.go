package queues

import (
	"context"
	"trundo/internal/contract"
	"trundo/internal/core/phone"
	"trundo/internal/desk/firm"
	"trundo/internal/store/db"

	"github.com/google/uuid"
)

// TakeWait gives a who waits: a caller out of turn, by right; a callback at its turn, or by right, which calls them; a
// message, by right, which makes no call: nil. Errors: firm.ErrNotFound, firm.ErrForbidden, call.ErrTaken, and those of
// placing a call.
func (qs *Queues) TakeWait(ctx context.Context, a firm.Actor, key string, id uuid.UUID) (*contract.Call, error) {
	set, err := qs.setUp(ctx)
	if err != nil {
		return nil, err
	}
	open, err := qs.open(ctx)
	if err != nil {
		return nil, err
	}
	if r, waits := open.message(id); waits {
		if q := set.queues[r.QueueID]; q == nil || !qs.mayLead(ctx, a, q) {
			return nil, firm.ErrForbidden
		}
		return nil, qs.give(ctx, id, a.ID, qs.Clock.Now())
	}
	c, err := qs.takeCaller(ctx, a, set, key, id)
	return &c, err
}

// takeCaller is TakeWait for a caller or a callback.
func (qs *Queues) takeCaller(ctx context.Context, a firm.Actor, set *setUp, key string,
	id uuid.UUID) (contract.Call, error) {
	qs.mu.Lock()
	w, t := qs.waiting[id], qs.turns[id]
	qs.mu.Unlock()
	if w != nil {
		if q := set.queues[w.queue]; q == nil || !qs.mayLead(ctx, a, q) {
			return contract.Call{}, firm.ErrForbidden
		}
		return qs.Calls.Parties.TakeAttended(ctx, a, w.call)
	}
	open, err := qs.open(ctx)
	if err != nil {
		return contract.Call{}, err
	}
	if b, owed := open.callback(id); owed {
		q := set.queues[b.QueueID]
		mine := t.user == a.ID.String() && qs.Clock.Now().Before(t.until)
		if q == nil || !mine && !qs.mayLead(ctx, a, q) {
			return contract.Call{}, firm.ErrForbidden
		}
		number := phone.Number{E164: b.E164, Ext: b.Ext}.Key()
		c, err := qs.Calls.PlaceFor(ctx, a, key, contract.NewCall{Typed: &number, OpenRecordID: b.RecordID},
			backPlacement{qs, b})
		if err == nil {
			qs.tell()
		}
		return c, err
	}
	return contract.Call{}, firm.ErrNotFound
}

// MoveWait moves who waits to another queue, in the place that they have. Errors: firm.ErrNotFound, firm.ErrForbidden,
// *firm.FieldError.
func (qs *Queues) MoveWait(ctx context.Context, a firm.Actor, id, to uuid.UUID) error {
	set, err := qs.setUp(ctx)
	if err != nil {
		return err
	}
	from, err := qs.queueOf(ctx, set, id)
	switch {
	case err != nil:
		return err
	case !qs.mayLead(ctx, a, from):
		return firm.ErrForbidden
	case set.queues[to] == nil || !set.queues[to].Active:
		return firm.About("queue_id", firm.ErrNotFound)
	}
	if _, err := qs.Store.MoveQueueWait(ctx, db.MoveQueueWaitParams{QueueID: to, ID: id}); err != nil {
		return err
	}
	qs.mu.Lock()
	if w := qs.waiting[id]; w != nil {
		w.queue = to
		select {
		case w.g.moved <- set.queues[to]:
		default:
		}
	}
	qs.mu.Unlock()
	qs.tell()
	qs.MayBeFree()
	return nil
}

// RemoveWait takes who waits out of the queue: the route goes on for them. A callback is given up. Errors:
// firm.ErrNotFound, firm.ErrForbidden.
func (qs *Queues) RemoveWait(ctx context.Context, a firm.Actor, id uuid.UUID) error {
	set, err := qs.setUp(ctx)
	if err != nil {
		return err
	}
	from, err := qs.queueOf(ctx, set, id)
	switch {
	case err != nil:
		return err
	case !qs.mayLead(ctx, a, from):
		return firm.ErrForbidden
	}
	qs.mu.Lock()
	w := qs.waiting[id]
	qs.mu.Unlock()
	if w != nil {
		select {
		case w.g.removed <- a.Name + " took them out":
		default:
		}
		return nil
	}
	at := qs.Clock.Now()
	if _, err := qs.Store.LeaveQueueWait(ctx, db.LeaveQueueWaitParams{At: &at, How: "removed",
		Why: a.Name + " took them out", ID: id}); err != nil {
		return err
	}
	qs.tell()
	return nil
}

// queueOf is the queue in which somebody waits. Error: firm.ErrNotFound.
func (qs *Queues) queueOf(ctx context.Context, set *setUp, id uuid.UUID) (*Queue, error) {
	qs.mu.Lock()
	w := qs.waiting[id]
	qs.mu.Unlock()
	if w != nil && set.queues[w.queue] != nil {
		return set.queues[w.queue], nil
	}
	open, err := qs.open(ctx)
	if err != nil {
		return nil, err
	}
	if b, owed := open.callback(id); owed && set.queues[b.QueueID] != nil {
		return set.queues[b.QueueID], nil
	}
	if r, waits := open.message(id); waits && set.queues[r.QueueID] != nil {
		return set.queues[r.QueueID], nil
	}
	return nil, firm.ErrNotFound
}
