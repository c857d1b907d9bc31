package desk

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/call"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

const (
	heartbeat = 2 * time.Second
	lease     = 5 * heartbeat      // a server that is silent for so long has lost its calls
	remember  = 7 * 24 * time.Hour // how long an idempotency key is good for
)

// keepLease shows that this server lives, and closes the calls of those that do not.
func (d *Desk) keepLease(ctx context.Context) {
	defer d.stopped.Done()
	ticker := d.Clock.NewTicker(heartbeat)
	defer ticker.Stop()
	for beats := 0; ; beats++ {
		select {
		case <-ctx.Done():
			return
		case <-ticker.Chan():
		}
		if err := d.beat(ctx); err != nil {
			d.beats.Store(0)
			continue
		}
		if err := d.tellOfRounds(ctx, beats%5 == 0); err != nil && ctx.Err() == nil && !store.Away(err) {
			d.Log.Error("telling of rounds", "error", err)
		}
		if beats%5 == 0 {
			if err := d.keepRounds(ctx); err != nil && ctx.Err() == nil && !store.Away(err) {
				d.Log.Error("keeping rounds", "error", err)
			}
		}
		// After the database was away nobody could show a sign of life: everybody first gets a whole
		// lease to do so before being declared lost.
		if d.beats.Add(1) > int64(lease/heartbeat) {
			if err := d.closeOrphans(ctx); err != nil {
				d.Log.Error("closing the calls of lost servers", "error", err)
			}
		}
		if beats%1800 == 0 {
			if err := d.Store.DeleteOldCommands(ctx, d.Clock.Now().Add(-remember)); err != nil {
				d.Log.Error("forgetting old idempotency keys", "error", err)
			}
		}
	}
}

func (d *Desk) beat(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, heartbeat)
	defer cancel()
	return d.Store.Heartbeat(ctx, db.HeartbeatParams{At: d.Clock.Now(), Name: d.Server, Epoch: d.epoch})
}

// closeOrphans ends, as cut off at their server's last sign of life, the calls in progress that nobody drives any more.
// Their slips and notes stay as they are.
func (d *Desk) closeOrphans(ctx context.Context) error {
	d.mu.Lock()
	known := make([]uuid.UUID, 0, len(d.live))
	for id := range d.live {
		known = append(known, id)
	}
	d.mu.Unlock()
	var closed []factsEntry
	err := d.Store.Tx(ctx, func(q *db.Queries) error {
		orphans, err := q.OrphanedCalls(ctx, db.OrphanedCallsParams{LeaseStart: d.Clock.Now().Add(-lease), Me: d.Server, MyEpoch: d.epoch, Known: known})
		if err != nil {
			return err
		}
		for _, o := range orphans {
			if o.Mine && d.liveCall(o.ID) != nil {
				continue // it began after the known ones were counted
			}
			state, err := readCall(ctx, q, o.ID)
			if errors.Is(err, errUnreadable) { // one call must not keep the others, or the server, from going on
				d.Log.Error("a call that a lost server left cannot be read and stays as it is", "error", err)
				continue
			}
			if err != nil {
				return err
			}
			at := o.HeartbeatAt
			if o.Mine {
				at = state.Last // it never went on from there
			}
			facts, _, err := call.Decide(state, call.Lost{}, at)
			if err != nil {
				return fmt.Errorf("call %s: %w", o.ID, err)
			}
			for _, f := range facts {
				state = call.Evolve(state, f)
			}
			e := factsEntry{o.ID, storeFacts(facts), state}
			if _, err := saveFacts(ctx, q, []factsEntry{e}); err != nil {
				return err
			}
			closed = append(closed, e)
		}
		return nil
	})
	if err != nil {
		return fmt.Errorf("closing calls left in progress: %w", err)
	}
	for _, e := range closed {
		d.Log.Warn("a call was left in progress by a lost server and closed", "call", e.Call, "at", e.State.Ended)
		d.publishHistory(&e.Call)
	}
	return nil
}

var errUnreadable = errors.New("its facts do not make a call")

// readCall replays a call from its stored facts. Error: errUnreadable, or the store's.
func readCall(ctx context.Context, q *db.Queries, id uuid.UUID) (call.State, error) {
	rows, err := q.CallFacts(ctx, id)
	if err != nil {
		return call.State{}, err
	}
	var s call.State
	for _, r := range rows {
		f, err := readFact(r.Seq, r.At, r.Kind, r.Data)
		if err != nil {
			return s, fmt.Errorf("call %s: %w: %w", id, errUnreadable, err)
		}
		if f.Leg != 0 && f.Kind != call.LegAdded && s.Leg(f.Leg) == nil {
			return s, fmt.Errorf("call %s: %w: fact %d is about leg %d, which was never added", id, errUnreadable, f.Seq, f.Leg)
		}
		s = call.Evolve(s, f)
	}
	return s, nil
}
