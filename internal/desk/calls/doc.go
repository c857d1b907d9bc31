// Package calls is calls in progress and their slips: placing (calls, placement), those that come in (Arrivals), what
// they say (Voices), how they are recorded (Recordings), reps' own telephones (Telephones), who is there (Team), who comes to a call besides (Parties), the
// firm's lines and the simulated other side (Lines); how all of it is saved and who drives it (saving, ownership).
//
// It knows the firm and the book. It must not know rounds or campaigns: they are a Placement when a call is placed and
// a Listener while it goes on; nor what filing a slip does. Calls in progress, telephones and recorders have a lock
// each, which nobody outside touches.
package calls

import (
	"context"
	"fmt"
	"os"
	"sync"
	"sync/atomic"

	"github.com/google/uuid"

	"trundo/internal/carrier"
	"trundo/internal/desk/book"
	"trundo/internal/desk/firm"
	"trundo/internal/journal"
	"trundo/internal/media"
	"trundo/internal/store/db"
	"trundo/internal/switchboard"
)

// Calls are those of a firm that go over this server. Its methods may be called from any goroutine.
type Calls struct {
	*firm.Firm
	Book       *book.Book
	Arrivals   *Arrivals
	Voices     *Voices
	Lines      *Lines
	Recordings *Recordings
	Telephones *Telephones
	Team       *Team
	Parties    *Parties

	board     *switchboard.Switchboard
	registry  *registry
	listeners []Listener
	router    Router // nil: no line has a route

	draining atomic.Bool
	diskLow  atomic.Bool
	diskGone atomic.Bool
	lastBeat atomic.Int64 // when this server last showed a sign of life, in Unix nanoseconds; 0: not yet
	beats    atomic.Int64 // heartbeats without a break

	ownStudio bool
}

// Arrivals are calls that come in.
type Arrivals struct {
	*Calls
	mu      sync.Mutex
	changed map[uuid.UUID]bool // reps for whom something has begun or stopped ringing
	after   []func()           // what can wait until they have been told
	woken   chan struct{}
}

// Voices are what is said: by browsers, by prepared messages, by greetings.
type Voices struct {
	*Calls
	mu     sync.Mutex
	rated  map[uuid.UUID]counted   // by user
	echoes map[uuid.UUID]uuid.UUID // by user: the room of their echo test
}

// Lines are the firm's numbers, and the other side of the simulated network.
type Lines struct {
	*Calls
	mu     sync.Mutex
	played map[carrier.Ref]uuid.UUID // legs of the outside to who plays them
}

// Recordings are of calls and of messages.
type Recordings struct {
	*Calls
	mu         sync.Mutex
	recording  map[*media.Recorder]going // what is being recorded, by whom it is written
	completing sync.WaitGroup
	heard      sync.Map // hearing to the time of its beginning
}

// Telephones are reps' own.
type Telephones struct {
	*Calls
	mu               sync.Mutex
	telephones       map[uuid.UUID]*telephoneLeg // by user
	expected         map[string]dialIn           // by number: telephones that will call in
	telephoneTrouble map[uuid.UUID]string        // why the last one was not to be had
}

// Team is who is there, and what they do just now.
type Team struct {
	*Calls
	mu      sync.Mutex
	watched map[uuid.UUID]map[uuid.UUID]bool // colleagues, each with those who are told when they are free
}

// New makes the calls of a firm. Open must be called before anything else is.
func New(b *book.Book) *Calls {
	cs := &Calls{Firm: b.Firm, Book: b, registry: newRegistry()}
	cs.Arrivals = &Arrivals{Calls: cs, changed: map[uuid.UUID]bool{}, woken: make(chan struct{}, 1)}
	cs.Team = &Team{Calls: cs, watched: map[uuid.UUID]map[uuid.UUID]bool{}}
	cs.Parties = &Parties{cs}
	cs.Voices = &Voices{Calls: cs, rated: map[uuid.UUID]counted{}, echoes: map[uuid.UUID]uuid.UUID{}}
	cs.Lines = &Lines{Calls: cs, played: map[carrier.Ref]uuid.UUID{}}
	cs.Recordings = &Recordings{Calls: cs, recording: map[*media.Recorder]going{}}
	cs.Telephones = &Telephones{Calls: cs, telephones: map[uuid.UUID]*telephoneLeg{}, expected: map[string]dialIn{},
		telephoneTrouble: map[uuid.UUID]string{}}
	return cs
}

// Listen lets l hear of what calls do, from Open on.
func (cs *Calls) Listen(l Listener) { cs.listeners = append(cs.listeners, l) }

// Use lets r take callers of lines that have a route through it, from Open on.
func (cs *Calls) Use(r Router) { cs.router = r }

// Open claims the server's name, writes the journal back and closes what an earlier run left in progress. The database
// must be there and migrated.
func (cs *Calls) Open(ctx context.Context) error {
	if cs.Studio == nil {
		cs.Studio, cs.ownStudio = media.NewStudio(), true
	}
	cs.Studio.SeatChanged = cs.Voices.seatChanged
	if cs.Browsers != nil {
		cs.Browsers.Keyed = cs.Arrivals.keyed
	}
	if err := os.MkdirAll(cs.Recordings.recordingFile(""), 0o700); err != nil {
		return fmt.Errorf("the folder for recordings: %w", err)
	}
	claimed, err := cs.Store.ClaimServer(ctx, db.ClaimServerParams{Name: cs.Server, At: cs.leaseTime(0)})
	if err != nil {
		return fmt.Errorf("claiming the server's name: %w", err)
	}
	cs.Epoch = claimed.Epoch
	if cs.Journal, err = journal.Open(cs.JournalFile, sink{cs}, cs.databaseAway, cs.Log); err != nil {
		return err
	}
	cs.board = switchboard.New(cs.Carrier, cs.Studio, cs.Clock, events{cs}, cs.Log)
	if err := cs.awaitJournal(ctx); err != nil {
		return err
	}
	if err := cs.closeOrphans(ctx); err != nil {
		return err
	}
	if err := cs.Recordings.recoverRecordings(ctx); err != nil {
		return err
	}
	if err := cs.beat(ctx); err != nil {
		return err
	}
	open, err := cs.Store.OpenSlips(ctx)
	if err != nil {
		return fmt.Errorf("reading the open slips: %w", err)
	}
	for _, s := range open {
		cs.registry.slipOpened(s.ID, s.UserID, s.CallID)
	}
	return nil
}

// Start shows signs of life and puts recordings away, until the desk closes.
func (cs *Calls) Start() {
	cs.InBackground(cs.keepLease)
	cs.InBackground(cs.Recordings.keepRecordings)
	cs.InBackground(cs.Arrivals.tellOn)
	cs.Recordings.StartWriting()
}

// Close ends the calls in progress as cut off and saves what is left.
func (cs *Calls) Close() {
	cs.board.Close()
	cs.Recordings.completing.Wait()
	if cs.ownStudio {
		cs.Studio.Close()
	}
	cs.Journal.Close()
}
