// Package queues is the firm's front door: routes (what a caller hears and what becomes of the call), and queues (who
// waits for whom). An admin writes routes (routes, outline), tries them (trying) and puts them live; going takes a
// caller through one, looking_up answers what it asks about them, saying puts what is said while waiting into words.
// waiting is the line of those who wait, and gives them to who is free (core/queue); callbacks are those who have hung
// up and keep their place; settings are the queues as they are set up, live as they are now. writing is what somebody wrote
// and waits like a caller; survey asks a customer about
// a call once its rep has hung up.
//
// It knows calls and the book. It must not know how a call sounds, rings or is saved: calls ask it as their Router.
package queues

import (
	"context"
	"sync"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/call"
	"trundo/internal/core/route"
	"trundo/internal/desk/book"
	"trundo/internal/desk/calls"
	"trundo/internal/desk/firm"
)

// Queues are the routes and queues of a firm. Its methods may be called from any goroutine.
type Queues struct {
	*firm.Firm
	Calls *calls.Calls
	Book  *book.Book

	set    firm.Cache[*setUp]
	last   *setUp // as it was last read, however old; guarded by set
	opened firm.Cache[*openWork]
	known  firm.Cache[map[uuid.UUID]map[string]int]  // skills
	times  firm.Cache[map[uuid.UUID][]time.Duration] // of handling, by queue

	mu      sync.Mutex
	going   map[uuid.UUID]*going // by call
	waiting map[uuid.UUID]*wait  // by wait
	misses  map[string]int       // calls that somebody left unanswered one after the other
	given   map[string]time.Time // users to whom something has just been given, until it rings
	turns   map[uuid.UUID]turn   // callbacks whose turn it is

	surveys  map[uuid.UUID]asks   // calls after which is asked
	decided  map[uuid.UUID]bool   // calls of which it is decided whether that is so
	asking   map[uuid.UUID]bool   // calls about which is being asked
	surveyed map[uuid.UUID]*asked // by call

	writes []func(context.Context) error // what is still to be written down, in order
	woken  chan struct{}
}

// New makes the routes and queues of a firm.
func New(c *calls.Calls) *Queues {
	return &Queues{Firm: c.Firm, Calls: c, Book: c.Book, going: map[uuid.UUID]*going{}, waiting: map[uuid.UUID]*wait{},
		surveys: map[uuid.UUID]asks{}, decided: map[uuid.UUID]bool{}, asking: map[uuid.UUID]bool{},
		surveyed: map[uuid.UUID]*asked{}, misses: map[string]int{}, given: map[string]time.Time{}, turns: map[uuid.UUID]turn{}, woken: make(chan struct{}, 1)}
}

// Start gives what waits to who is free, until the desk closes.
func (qs *Queues) Start() {
	qs.InBackground(func(ctx context.Context) {
		if err := qs.Store.CloseLostWaits(ctx, new(qs.Clock.Now())); err != nil && ctx.Err() == nil {
			qs.Log.Error("closing the waits of calls that were lost", "error", err)
		}
	})
	_, _ = qs.setUp(qs.Background()) // from now on it is known, also within transactions
	qs.InBackground(qs.assignOn)
}

// Changed implements calls.Router.
func (qs *Queues) Changed(id uuid.UUID, s *call.State) {
	qs.chooses(id, s)
	qs.mu.Lock()
	g, x := qs.going[id], qs.surveyed[id]
	qs.mu.Unlock()
	var changed chan struct{}
	if g != nil {
		changed = g.changed
	} else if x != nil {
		changed = x.changed
	}
	select {
	case changed <- struct{}{}:
	default: // nobody looks, or has not looked at the last change yet
	}
	if s.Phase() == call.PhaseEnded || !s.Answered().IsZero() {
		qs.MayBeFree()
	}
}

// Keyed implements calls.Router.
func (qs *Queues) Keyed(id uuid.UUID, digits string) {
	qs.mu.Lock()
	g, x := qs.going[id], qs.surveyed[id]
	qs.mu.Unlock()
	var keyed chan string
	if g != nil {
		keyed = g.keyed
	} else if x != nil {
		keyed = x.keyed
	}
	select {
	case keyed <- digits:
	default: // nobody asks, or more keys at once than anybody presses
	}
}

// MayBeFree implements calls.Router.
func (qs *Queues) MayBeFree() {
	select {
	case qs.woken <- struct{}{}:
	default:
	}
}

// Receive implements calls.Router.
func (qs *Queues) Receive(ctx context.Context, id, line uuid.UUID) bool {
	set, err := qs.setUp(ctx)
	if err != nil {
		return false // the line's own rule is better than nothing
	}
	l, known := set.lines[line]
	doc, live := set.live[l.route]
	if !known || !live {
		return false
	}
	g := qs.newGoing(ctx, id, l, doc)
	g.other = func(id string) (route.Route, bool) {
		to, err := uuid.Parse(id)
		r, live := set.live[to] // as it was when the call came in
		return r, live && err == nil
	}
	qs.Calls.Arrivals.Everybody(id)
	g.run(ctx)
	return true
}

// Give implements calls.Router.
func (qs *Queues) Give(ctx context.Context, id uuid.UUID) (func(context.Context, uuid.UUID), error) {
	set, err := qs.setUp(ctx)
	if err != nil {
		return nil, err
	}
	q := set.queues[id]
	switch {
	case q == nil || !q.Active:
		return nil, firm.About("queue_id", firm.ErrNotFound)
	case !q.open(qs.Clock.Now()):
		return nil, firm.Wrong("queue_id", q.Name+" is closed now")
	}
	doc := route.Route{
		Languages: []string{usualLanguage},
		Steps:     []route.Step{{ID: "queue", Do: route.Queue, Queue: id.String()}},
	}
	return func(ctx context.Context, call uuid.UUID) {
		if qs.Calls.Arrivals.Attend(ctx, call) != nil {
			return // somebody has it
		}
		g := qs.newGoing(ctx, call, lineOf{}, doc)
		g.given = true
		g.run(ctx)
	}, nil
}
