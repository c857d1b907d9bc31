package calls

import (
	"context"
	"maps"
	"slices"
	"sync"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/call"
	"trundo/internal/core/recording"
	"trundo/internal/store/db"
)

// liveCall is what is known of a call in progress besides its state.
type liveCall struct {
	parts   map[uuid.UUID]uuid.UUID // by rep: the slip of each who is, or was, in it
	claimed uuid.UUID               // of one that rings: the slip of who is answering it
	records []uuid.UUID
	state   call.State    // the newest, though it may not be saved yet
	changed chan struct{} // of one that rings reps: who routes it is told of every change
	hears   string        // what the outside hears of us, where it is not a person
	begun   bool          // its recording was begun by rule
	line    uuid.UUID     // the firm's line that it goes over; nil within the firm
	sound   recording.Decision
	placed  Placement          // on whose behalf it was placed; nil where by itself
	coming  map[uuid.UUID]bool // reps who are just coming to it: committed, and not answered yet
	// whoever gave it away, and then others, are being rung, since nobody took it
	comesBack bool
	left      bool                  // its outside waits for somebody, and everybody was told
	next      func(context.Context) // what is done with it once its rep has left it to others; nil: it comes back
	// its rep has chosen not to record it
	unrecorded bool
	help       uuid.UUID // the rep who asks those who lead to listen; nil: nobody does
	// the last heights of both voices, for whoever watches the team
	lastOurs, lastTheirs []byte
}

// shownLast is how many heights of a conversation are kept for whoever watches the team: ten seconds.
const shownLast = 50

// hear keeps the newest heights of both voices.
func (c *liveCall) hear(ours, theirs []byte) {
	c.lastOurs, c.lastTheirs = lastHeights(c.lastOurs, ours), lastHeights(c.lastTheirs, theirs)
}

func lastHeights(kept, further []byte) []byte {
	all := append(slices.Clip(kept), further...)
	return all[max(0, len(all)-shownLast):]
}

// in tells whether a rep is in the call, or is just coming to it. Who is only rung is not, also where they were in it
// before.
func (c *liveCall) in(rep uuid.UUID) bool {
	_, part := c.parts[rep]
	return part && (c.state.IsUp(rep.String()) || c.coming[rep])
}

// slipOwner is whose an open slip is, and of which call.
type slipOwner struct{ user, call uuid.UUID }

// registry holds the calls in progress on this server, until all of each is saved, and the open slips, so that notes
// can be kept while the database is away. It has a lock of its own; what it is asked to do under it must not ask it
// again.
type registry struct {
	mu    sync.Mutex
	live  map[uuid.UUID]*liveCall
	slips map[uuid.UUID]slipOwner
	who   map[string]string // names by user and by the address of an outside leg, of those in calls of more than two
}

func newRegistry() *registry {
	return &registry{live: map[uuid.UUID]*liveCall{}, slips: map[uuid.UUID]slipOwner{}, who: map[string]string{}}
}

// mostNames is how many names are kept: those that were given first go.
const mostNames = 20_000

// named makes known how somebody in a call is called, so that no database is asked while it goes on.
func (r *registry) named(key, name string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if len(r.who) > mostNames {
		r.who = map[string]string{}
	}
	r.who[key] = name
}

// name is how a user, or the outside leg of an address, is called; "" where that is not known.
func (r *registry) name(key string) string {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.who[key]
}

// add makes a call known, with the slips of those who are in it.
func (r *registry) add(id uuid.UUID, c *liveCall) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.live[id] = c
	if c.changed == nil {
		c.changed = make(chan struct{}, 1)
	}
	for user, slip := range c.parts {
		r.slips[slip] = slipOwner{user, id}
	}
}

// undo forgets a call that was not committed, and its slips.
func (r *registry) undo(id uuid.UUID, c *liveCall) {
	r.mu.Lock()
	defer r.mu.Unlock()
	delete(r.live, id)
	for _, slip := range c.parts {
		delete(r.slips, slip)
	}
}

// drop forgets a call; its open slips stay known.
func (r *registry) drop(id uuid.UUID) {
	r.mu.Lock()
	defer r.mu.Unlock()
	delete(r.live, id)
}

// call is a copy of what is known of a call; nil where it is not in progress here.
func (r *registry) call(id uuid.UUID) *liveCall {
	r.mu.Lock()
	defer r.mu.Unlock()
	c := r.live[id]
	if c == nil {
		return nil
	}
	copied := *c
	copied.parts, copied.coming = maps.Clone(c.parts), maps.Clone(c.coming)
	return &copied
}

// change changes what is known of a call, where it is in progress here.
func (r *registry) change(id uuid.UUID, how func(*liveCall)) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if c := r.live[id]; c != nil {
		how(c)
	}
}

// where are the calls for which is holds.
func (r *registry) where(is func(*liveCall) bool) []uuid.UUID {
	r.mu.Lock()
	defer r.mu.Unlock()
	var ids []uuid.UUID
	for id, c := range r.live {
		if is(c) {
			ids = append(ids, id)
		}
	}
	return ids
}

// all are the calls in progress.
func (r *registry) all() []uuid.UUID { return r.where(func(*liveCall) bool { return true }) }

// of are the calls that a rep is in.
func (r *registry) of(rep uuid.UUID) []uuid.UUID {
	return r.where(func(c *liveCall) bool { return c.in(rep) })
}

// counts are, by rep, the calls that they are in.
func (r *registry) counts() map[uuid.UUID]int {
	counts := map[uuid.UUID]int{}
	r.where(func(c *liveCall) bool {
		for rep := range c.parts {
			if c.in(rep) {
				counts[rep]++
			}
		}
		return false
	})
	return counts
}

// left is when a rep left the last call that goes on without them, while its slip is open; zero without one.
func (r *registry) left(rep uuid.UUID) time.Time {
	var last time.Time
	r.where(func(c *liveCall) bool {
		slip, part := c.parts[rep]
		if _, open := r.slips[slip]; !part || !open || c.in(rep) {
			return false
		}
		if l := c.state.LeftAt(rep.String()); l != nil && l.Ended.After(last) {
			last = l.Ended
		}
		return false
	})
	return last
}

// reps are those who are, or were, in a call in progress; one may come more than once.
func (r *registry) reps() []uuid.UUID {
	var reps []uuid.UUID
	r.where(func(c *liveCall) bool {
		for rep := range c.parts {
			reps = append(reps, rep)
		}
		return false
	})
	return reps
}

// enter makes a rep who has come to a call one of its parts, with their slip.
func (r *registry) enter(id, rep, slip uuid.UUID) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if c := r.live[id]; c != nil {
		if c.parts == nil {
			c.parts = map[uuid.UUID]uuid.UUID{}
		}
		c.parts[rep], r.slips[slip] = slip, slipOwner{rep, id}
		c.comes(rep)
	}
}

// comes says that a rep is just coming to the call.
func (c *liveCall) comes(rep uuid.UUID) {
	if c.coming == nil {
		c.coming = map[uuid.UUID]bool{}
	}
	c.coming[rep] = true
}

// came says that a rep is in a call by now, or did not get there.
func (r *registry) came(id, rep uuid.UUID) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if c := r.live[id]; c != nil {
		delete(c.coming, rep)
	}
}

// claim makes a call that rings a rep's, with their slip; false: it is somebody's already.
func (r *registry) claim(id, rep, slip uuid.UUID) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	c := r.live[id]
	if c == nil {
		return true // over: the switchboard says so
	}
	if c.claimed != uuid.Nil {
		return false
	}
	if c.parts == nil {
		c.parts = map[uuid.UUID]uuid.UUID{}
	}
	c.claimed, c.parts[rep], r.slips[slip] = slip, slip, slipOwner{rep, id}
	c.comes(rep)
	return true
}

// unclaimed takes the claim of a slip back and lets its rep keep it.
func (r *registry) unclaimed(id, slip uuid.UUID) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if c := r.live[id]; c != nil && c.claimed == slip {
		c.claimed = uuid.Nil
	}
}

// unclaim takes a claim back, where it is still that of the slip.
func (r *registry) unclaim(id, rep, slip uuid.UUID) {
	r.mu.Lock()
	defer r.mu.Unlock()
	delete(r.slips, slip)
	if c := r.live[id]; c != nil && c.parts[rep] == slip {
		if c.claimed == slip {
			c.claimed = uuid.Nil
		}
		delete(c.parts, rep)
	}
}

// slipOpened makes an open slip known.
func (r *registry) slipOpened(slip, user, call uuid.UUID) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.slips[slip] = slipOwner{user, call}
}

// slipFiled forgets a slip that is filed.
func (r *registry) slipFiled(slip uuid.UUID) {
	r.mu.Lock()
	defer r.mu.Unlock()
	delete(r.slips, slip)
}

// owner is whose an open slip is.
func (r *registry) owner(slip uuid.UUID) (slipOwner, bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	o, known := r.slips[slip]
	return o, known
}

// SlipOpened makes known whose slip is open, so that its notes can be kept while the database is away.
func (cs *Calls) SlipOpened(slip, user, call uuid.UUID) { cs.registry.slipOpened(slip, user, call) }

// SlipFiled forgets a slip that is filed.
func (cs *Calls) SlipFiled(slip uuid.UUID) {
	cs.registry.slipFiled(slip)
	cs.mayBeFree()
}

// Linked makes known on which records a call is, where it is in progress here.
func (cs *Calls) Linked(call uuid.UUID, records []uuid.UUID) {
	cs.registry.change(call, func(c *liveCall) { c.records = records })
}

// Present are the reps who are, or were, in a call in progress here; one may come more than once.
func (cs *Calls) Present() []uuid.UUID { return cs.registry.reps() }

// StateOfSlip is how the call of a slip stands: of a call that is over everybody has left, as of one without a leg.
func (cs *Calls) StateOfSlip(ctx context.Context, q *db.Queries, s db.LockSlipRow) (call.State, error) {
	if state, live := cs.board.Snapshot(s.CallID); live || s.CallEnded {
		return state, nil
	}
	return readCall(ctx, q, s.CallID)
}

// State is how a call in progress on this server stands; false: it is none.
func (cs *Calls) State(id uuid.UUID) (call.State, bool) { return cs.board.Snapshot(id) }
