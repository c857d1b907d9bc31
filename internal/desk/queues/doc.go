// Package queues is the firm's front door: routes (what a caller hears and what becomes of the call), and queues (who
// waits for whom). An admin writes routes (routes, outline), tries them (trying) and puts them live; going takes a
// caller through one, looking_up answers what it asks about them, saying puts what is said while waiting into words.
// waiting is the line of those who wait, and gives them to who is free (core/queue); callbacks are those who have hung
// up and keep their place; settings are the queues as they are set up, live as they are now. writing is what somebody wrote
// and waits like a caller.
//
// It knows calls, surveys and the book. It must not know how a call sounds, rings or is saved: calls ask it as their Router.
package queues

import (
	"context"
	"sync"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/call"
	"trundo/internal/desk/book"
	"trundo/internal/desk/calls"
	"trundo/internal/desk/firm"
	"trundo/internal/desk/outreach"
	"trundo/internal/desk/surveys"
	"trundo/internal/store/db"
)

// Queues are the routes and queues of a firm. Its methods may be called from any goroutine.
type Queues struct {
	*firm.Firm
	Calls   *calls.Calls
	Book    *book.Book
	Surveys *surveys.Surveys

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

	handed   handings                               // messages that somebody has handed on
	recorded map[uuid.UUID]db.InsertQueueWaitParams // callbacks of calls that are at voicemail

	writes *firm.Writes
	woken  chan struct{}
}

// New makes the routes and queues of a firm.
func New(c *calls.Calls, o *outreach.Outreach) *Queues {
	qs := &Queues{Firm: c.Firm, Calls: c, Book: c.Book, going: map[uuid.UUID]*going{}, waiting: map[uuid.UUID]*wait{},
		misses: map[string]int{}, given: map[string]time.Time{}, turns: map[uuid.UUID]turn{}, recorded: map[uuid.UUID]db.InsertQueueWaitParams{},
		handed: handings{of: map[uuid.UUID]handedOn{}},

		woken: make(chan struct{}, 1)}
	qs.writes = firm.NewWrites(c.Firm, "how a queue goes on", qs.changedOpen)
	qs.Surveys = surveys.New(c, o, func(ctx context.Context, id uuid.UUID) string {
		return qs.whoCalls(ctx,
			id).language
	})
	return qs
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
	qs.Surveys.Changed(id, s)
	qs.mu.Lock()
	g := qs.going[id]
	qs.mu.Unlock()
	if g != nil {
		select {
		case g.changed <- struct{}{}:
		default: // it has not looked at the last change yet
		}
	}
	if s.Phase() == call.PhaseEnded {
		qs.waitsOn(id, s)
	}
	if s.Phase() == call.PhaseEnded || !s.Answered().IsZero() {
		qs.MayBeFree()
	}
}

// Keyed implements calls.Router.
func (qs *Queues) Keyed(id uuid.UUID, digits string) {
	qs.mu.Lock()
	g := qs.going[id]
	qs.mu.Unlock()
	if g == nil {
		qs.Surveys.Keyed(id, digits)
		return
	}
	select {
	case g.keyed <- digits:
	default: // more keys at once than anybody presses
	}
}

// MayBeFree implements calls.Router.
func (qs *Queues) MayBeFree() {
	select {
	case qs.woken <- struct{}{}:
	default:
	}
}

// Asks implements calls.Router.
func (qs *Queues) Asks(id uuid.UUID) bool { return qs.Surveys.Asks(id) }

// Answered implements outreach.Inbox: a text message may answer a survey.
func (qs *Queues) Answered(ctx context.Context, q *db.Queries, m db.InsertMessageParams) (string, bool, error) {
	return qs.Surveys.Answered(ctx, q, m)
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
	g.other = set.others
	qs.Calls.Arrivals.Everybody(id)
	g.run(ctx)
	return true
}
