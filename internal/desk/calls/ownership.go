package calls

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"syscall"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/journal"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

const (
	heartbeat = 2 * time.Second
	lease     = 5 * heartbeat      // a server that is silent for so long has lost its calls
	remember  = 7 * 24 * time.Hour // how long an idempotency key is good for
)

// keepLease shows that this server lives, and closes the calls of those that do not.
func (cs *Calls) keepLease(ctx context.Context) {
	ticker := cs.Clock.NewTicker(heartbeat)
	defer ticker.Stop()
	for beats := 0; ; beats++ {
		select {
		case <-ctx.Done():
			return
		case <-ticker.Chan():
		}
		cs.watchDisk()
		if err := cs.beat(ctx); err != nil {
			cs.beats.Store(0)
			continue
		}
		if err := cs.reconcile(ctx); err != nil && ctx.Err() == nil && !store.Away(err) {
			cs.Log.Error("ending calls that have ended", "error", err)
		}
		cs.Team.tellFree(ctx)
		for _, l := range cs.listeners {
			l.Beat(ctx, beats)
		}
		// After the database was away nobody could show a sign of life: everybody first gets a whole
		// lease to do so before being declared lost.
		if cs.beats.Add(1) > int64(lease/heartbeat) {
			if err := cs.closeOrphans(ctx); err != nil {
				cs.Log.Error("closing the calls of lost servers", "error", err)
			}
		}
		if beats%1800 == 0 {
			if err := cs.Store.DeleteOldCommands(ctx, cs.Clock.Now().Add(-remember)); err != nil {
				cs.Log.Error("forgetting old idempotency keys", "error", err)
			}
		}
	}
}

func (cs *Calls) beat(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, heartbeat)
	defer cancel()
	began, doubt := cs.Clock.Now(), cs.leaseInDoubt() // a sign of life is as old as the asking for it
	if err := cs.Store.Heartbeat(ctx,
		db.HeartbeatParams{At: cs.leaseTime(0), Name: cs.Server, Epoch: cs.Epoch}); err != nil {
		return err
	}
	if doubt {
		if err := cs.letGoOfLost(ctx); err != nil {
			return err
		}
	}
	cs.lastBeat.Store(began.UnixNano())
	return nil
}

// leaseTime is a time for leases, by the clock that all servers share: nil is the database's, now; the tests have one
// of their own.
func (cs *Calls) leaseTime(ago time.Duration) *time.Time {
	if cs.LeaseByDatabase {
		return nil
	}
	at := cs.Clock.Now().Add(-ago)
	return &at
}

// leaseInDoubt tells whether this server has shown no sign of life for so long that others may have closed its calls.
func (cs *Calls) leaseInDoubt() bool {
	last := cs.lastBeat.Load()
	return last != 0 && cs.Clock.Now().UnixNano()-last > int64(lease)
}

// letGoOfLost ends here the calls that another server has closed meanwhile, since this one seemed lost.
func (cs *Calls) letGoOfLost(ctx context.Context) error {
	closed, err := cs.Store.ClosedElsewhere(ctx, cs.registry.all())
	for _, id := range closed {
		if s, there := cs.board.Snapshot(id); there && s.Phase() != call.PhaseEnded {
			cs.Log.Warn("another server has closed a call of this one, which did not show a sign of life in time",
				"call", id)
			_ = cs.board.Do(ctx, id, call.Lost{})
		}
	}
	return err
}

// settleDown is how long the facts of a call that has ended have for being saved before it is looked whether they were.
const settleDown = 4 * time.Second

// reconcile ends in the database, at their own time, the calls of this server that have ended in the switchboard and
// are still going on there: whatever became of their facts, nobody stays in a call that is over.
func (cs *Calls) reconcile(ctx context.Context) error {
	if cs.Journal.Away() {
		return nil
	}
	over := cs.registry.where(func(c *liveCall) bool {
		return !c.state.Ended.IsZero() &&
			cs.Clock.Since(c.state.Ended) > settleDown
	})
	for _, id := range over {
		c := cs.registry.call(id)
		if c == nil {
			continue // it has just been saved
		}
		state := c.state
		row, err := cs.Store.CallWorth(ctx, id)
		switch {
		case store.NotFound(err):
			cs.registry.drop(id) // it was never committed
		case err != nil:
			return err
		case row.EndedAt != nil:
			cs.callSaved(id, state, false)
		default:
			cs.Log.Error("a call has ended and its end was not saved; it is saved again without its facts", "call", id,
				"ended", state.Ended)
			cs.Journal.Add(journal.Entry{Kind: kindFacts, Value: factsEntry{Call: id, State: state}})
		}
	}
	return nil
}

// How much room the disk for the journal must have: below the first it is said, below the second no new calls are made.
const (
	roomLow  = 256 << 20
	roomGone = 1 << 20
)

// watchDisk looks how much room there is for the journal, before it is gone.
func (cs *Calls) watchDisk() {
	var fs syscall.Statfs_t
	if syscall.Statfs(filepath.Dir(cs.JournalFile), &fs) != nil {
		return
	}
	free, all := uint64(fs.Bavail)*uint64(fs.Bsize), fs.Blocks*uint64(fs.Bsize)
	low := free < roomLow && free < all/20
	if was := cs.diskLow.Swap(low); low && !was {
		cs.Log.Error("ALARM: the disk for the journal and the recordings is nearly full", "folder",
			filepath.Dir(cs.JournalFile), "free_bytes", free)
	}
	cs.diskGone.Store(free < roomGone && free < all/20)
}

// Trouble says what is wrong with keeping what is written; nil: nothing is. ErrDiskFull, journal.ErrCannotKeep.
func (cs *Calls) Trouble() error {
	if err := cs.Journal.Trouble(); err != nil {
		return err
	}
	if cs.diskGone.Load() {
		return firm.ErrDiskFull
	}
	return nil
}

// DiskLow tells whether the disk for journal and recordings is nearly full.
func (cs *Calls) DiskLow() bool { return cs.diskLow.Load() }

// PutAside is how many entries could not be saved for their own fault, and wait for somebody to look at them.
func (cs *Calls) PutAside() int { return cs.Journal.RejectedCount() }

// mayBegin tells whether a call can be made, taken or filed now: what is written of it must be kept, and the server
// stay. Errors: ErrAway, ErrDiskFull, ErrStopping.
func (cs *Calls) mayBegin() error {
	if cs.draining.Load() {
		return firm.ErrStopping
	}
	if err := cs.Trouble(); err != nil {
		return firm.ErrDiskFull
	}
	if cs.Journal.Away() {
		return firm.ErrAway
	}
	return nil
}

// Drain prepares for the end: no call begins here any more, every window is told so, and those in progress may be
// finished until ctx ends.
func (cs *Calls) Drain(ctx context.Context) {
	cs.draining.Store(true)
	if cs.CallsInProgress() == 0 {
		return
	}
	stopping := true
	cs.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindSaving, Stopping: &stopping})
	ticker := cs.Clock.NewTicker(100 * time.Millisecond)
	defer ticker.Stop()
	for cs.CallsInProgress() > 0 {
		select {
		case <-ctx.Done():
			return
		case <-ticker.Chan():
		}
	}
}

// closeOrphans ends, as cut off at their server's last sign of life, the calls in progress that nobody drives any more.
// Their slips and notes stay as they are.
func (cs *Calls) closeOrphans(ctx context.Context) error {
	known := cs.registry.all()
	var closed []factsEntry
	err := cs.Store.Tx(ctx, func(q *db.Queries) error {
		orphans, err := q.OrphanedCalls(ctx,
			db.OrphanedCallsParams{LeaseStart: cs.leaseTime(lease), BeganBefore: cs.Clock.Now().Add(-lease),
				LeaseSeconds: lease.Seconds(), Me: cs.Server, MyEpoch: cs.Epoch, Known: known})
		if err != nil {
			return err
		}
		for _, o := range orphans {
			if o.Mine && cs.registry.call(o.ID) != nil {
				continue // it began after the known ones were counted
			}
			state, err := readCall(ctx, q, o.ID)
			if errors.Is(err, errUnreadable) { // one call must not keep the others, or the server, from going on
				cs.Log.Error("a call that a lost server left cannot be read and stays as it is", "error", err)
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
		cs.Log.Warn("a call was left in progress by a lost server and closed", "call", e.Call, "at", e.State.Ended)
		cs.PublishHistory(&e.Call)
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
		f, err := ReadFact(r.Seq, r.At, r.Kind, r.Data)
		if err != nil {
			return s, fmt.Errorf("call %s: %w: %w", id, errUnreadable, err)
		}
		if f.Leg != 0 && f.Kind != call.LegAdded && s.Leg(f.Leg) == nil {
			return s, fmt.Errorf("call %s: %w: fact %d is about leg %d, which was never added", id, errUnreadable,
				f.Seq, f.Leg)
		}
		s = call.Evolve(s, f)
	}
	return s, nil
}

// PutAsideEntries are the journal's entries that could not be saved for their own fault. What stands in notes is not
// told. Error: ErrForbidden.
func (cs *Calls) PutAsideEntries(a firm.Actor) ([]contract.PutAside, error) {
	if !a.MayDo(rights.SetUpFirm) {
		return nil, firm.ErrForbidden
	}
	set, err := cs.Journal.Rejected()
	views := []contract.PutAside{}
	for _, r := range set {
		text := firm.Shorten(string(r.Value), 300)
		if r.Kind != kindFacts && r.Kind != kindRecording {
			text = ""
		}
		views = append(views, contract.PutAside{At: r.At, Kind: r.Kind, Why: r.Why, Text: text})
	}
	return views, err
}

// TakeUpPutAside tries once more to save what was put aside, and gives how many entries that are. Error: ErrForbidden.
func (cs *Calls) TakeUpPutAside(a firm.Actor) (int, error) {
	if !a.MayDo(rights.SetUpFirm) {
		return 0, firm.ErrForbidden
	}
	return cs.Journal.TakeUp()
}
