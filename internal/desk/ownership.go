package desk

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
		d.watchDisk()
		if err := d.beat(ctx); err != nil {
			d.beats.Store(0)
			continue
		}
		if err := d.reconcile(ctx); err != nil && ctx.Err() == nil && !store.Away(err) {
			d.Log.Error("ending calls that have ended", "error", err)
		}
		for _, l := range d.listeners {
			l.Beat(ctx, beats)
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
	doubt := d.leaseInDoubt()
	if err := d.Store.Heartbeat(ctx, db.HeartbeatParams{At: d.leaseTime(0), Name: d.Server, Epoch: d.epoch}); err != nil {
		return err
	}
	if doubt {
		if err := d.letGoOfLost(ctx); err != nil {
			return err
		}
	}
	d.lastBeat.Store(d.Clock.Now().UnixNano())
	return nil
}

// leaseTime is a time for leases, by the clock that all servers share: nil is the database's, now; the tests have one of their own.
func (d *Desk) leaseTime(ago time.Duration) *time.Time {
	if d.LeaseByDatabase {
		return nil
	}
	at := d.Clock.Now().Add(-ago)
	return &at
}

// leaseInDoubt tells whether this server has shown no sign of life for so long that others may have closed its calls.
func (d *Desk) leaseInDoubt() bool {
	last := d.lastBeat.Load()
	return last != 0 && d.Clock.Now().UnixNano()-last > int64(lease)
}

// letGoOfLost ends here the calls that another server has closed meanwhile, since this one seemed lost.
func (d *Desk) letGoOfLost(ctx context.Context) error {
	closed, err := d.Store.ClosedElsewhere(ctx, d.calls.all())
	for _, id := range closed {
		if s, there := d.board.Snapshot(id); there && s.Phase() != call.PhaseEnded {
			d.Log.Warn("another server has closed a call of this one, which did not show a sign of life in time", "call", id)
			_ = d.board.Do(ctx, id, call.Lost{})
		}
	}
	return err
}

// settleDown is how long the facts of a call that has ended have for being saved before it is looked whether they were.
const settleDown = 4 * time.Second

// reconcile ends in the database, at their own time, the calls of this server that have ended in the switchboard and are still going on there:
// whatever became of their facts, nobody stays in a call that is over.
func (d *Desk) reconcile(ctx context.Context) error {
	if d.journal.Away() {
		return nil
	}
	over := d.calls.where(func(c *liveCall) bool { return !c.state.Ended.IsZero() && d.Clock.Since(c.state.Ended) > settleDown })
	for _, id := range over {
		c := d.calls.call(id)
		if c == nil {
			continue // it has just been saved
		}
		state := c.state
		row, err := d.Store.CallWorth(ctx, id)
		switch {
		case store.NotFound(err):
			d.calls.drop(id) // it was never committed
		case err != nil:
			return err
		case row.EndedAt != nil:
			d.callSaved(id, state, false)
		default:
			d.Log.Error("a call has ended and its end was not saved; it is saved again without its facts", "call", id, "ended", state.Ended)
			d.journal.Add(journal.Entry{Kind: kindFacts, Value: factsEntry{Call: id, State: state}})
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
func (d *Desk) watchDisk() {
	var fs syscall.Statfs_t
	if syscall.Statfs(filepath.Dir(d.JournalFile), &fs) != nil {
		return
	}
	free, all := uint64(fs.Bavail)*uint64(fs.Bsize), fs.Blocks*uint64(fs.Bsize)
	low := free < roomLow && free < all/20
	if was := d.diskLow.Swap(low); low && !was {
		d.Log.Error("ALARM: the disk for the journal and the recordings is nearly full", "folder", filepath.Dir(d.JournalFile), "free_bytes", free)
	}
	d.diskGone.Store(free < roomGone && free < all/20)
}

// Trouble says what is wrong with keeping what is written; nil: nothing is. ErrDiskFull, journal.ErrCannotKeep.
func (d *Desk) Trouble() error {
	if err := d.journal.Trouble(); err != nil {
		return err
	}
	if d.diskGone.Load() {
		return ErrDiskFull
	}
	return nil
}

// DiskLow tells whether the disk for journal and recordings is nearly full.
func (d *Desk) DiskLow() bool { return d.diskLow.Load() }

// PutAside is how many entries could not be saved for their own fault, and wait for somebody to look at them.
func (d *Desk) PutAside() int { return d.journal.RejectedCount() }

// mayBegin tells whether a call can be made, taken or filed now: what is written of it must be kept, and the server stay. Errors: ErrAway, ErrDiskFull,
// ErrStopping.
func (d *Desk) mayBegin() error {
	if d.draining.Load() {
		return ErrStopping
	}
	if err := d.Trouble(); err != nil {
		return ErrDiskFull
	}
	if d.journal.Away() {
		return ErrAway
	}
	return nil
}

// Drain prepares for the end: no call begins here any more, every window is told so, and those in progress may be finished until ctx ends.
func (d *Desk) Drain(ctx context.Context) {
	d.draining.Store(true)
	if d.CallsInProgress() == 0 {
		return
	}
	stopping := true
	d.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindSaving, Stopping: &stopping})
	ticker := d.Clock.NewTicker(100 * time.Millisecond)
	defer ticker.Stop()
	for d.CallsInProgress() > 0 {
		select {
		case <-ctx.Done():
			return
		case <-ticker.Chan():
		}
	}
}

// closeOrphans ends, as cut off at their server's last sign of life, the calls in progress that nobody drives any more.
// Their slips and notes stay as they are.
func (d *Desk) closeOrphans(ctx context.Context) error {
	known := d.calls.all()
	var closed []factsEntry
	err := d.Store.Tx(ctx, func(q *db.Queries) error {
		orphans, err := q.OrphanedCalls(ctx, db.OrphanedCallsParams{LeaseStart: d.leaseTime(lease), BeganBefore: d.Clock.Now().Add(-lease), LeaseSeconds: lease.Seconds(), Me: d.Server, MyEpoch: d.epoch, Known: known})
		if err != nil {
			return err
		}
		for _, o := range orphans {
			if o.Mine && d.calls.call(o.ID) != nil {
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

// PutAsideEntries are the journal's entries that could not be saved for their own fault. What stands in notes is not told. Error: ErrForbidden.
func (d *Desk) PutAsideEntries(a Actor) ([]contract.PutAside, error) {
	if !a.mayDo(SetUp) {
		return nil, ErrForbidden
	}
	set, err := d.journal.Rejected()
	views := []contract.PutAside{}
	for _, r := range set {
		text := shorten(string(r.Value), 300)
		if r.Kind != kindFacts && r.Kind != kindRecording {
			text = ""
		}
		views = append(views, contract.PutAside{At: r.At, Kind: r.Kind, Why: r.Why, Text: text})
	}
	return views, err
}

// TakeUpPutAside tries once more to save what was put aside, and gives how many entries that are. Error: ErrForbidden.
func (d *Desk) TakeUpPutAside(a Actor) (int, error) {
	if !a.mayDo(SetUp) {
		return 0, ErrForbidden
	}
	return d.journal.TakeUp()
}
