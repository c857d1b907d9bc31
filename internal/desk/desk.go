// Package desk holds the use cases: what a signed-in person, a job or a carrier can make happen. It asks the store,
// applies the rules of core, tells the switchboard and publishes. It is the only place where rights are checked.
//
// It must not know HTTP, cookies or how anything looks.
package desk

import (
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"os"
	"sync"
	"sync/atomic"
	"time"

	"github.com/google/uuid"
	"github.com/jonboulle/clockwork"

	"trundo/internal/blobs"
	"trundo/internal/carrier"
	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/core/callable"
	"trundo/internal/journal"
	"trundo/internal/live"
	"trundo/internal/media"
	"trundo/internal/post"
	"trundo/internal/store"
	"trundo/internal/store/db"
	"trundo/internal/switchboard"
)

// Config is what a desk is made of.
type Config struct {
	Store       *store.Store
	Carrier     carrier.Carrier
	Clock       clockwork.Clock
	Log         *slog.Logger
	Server      string // this server's name, the same after a restart
	JournalFile string
	FilesDir    string          // for files that are brought in
	Demo        bool            // made-up people may be signed in with one click
	Simulated   bool            // the carrier is the built-in stand-in
	Studio      *media.Studio   // the voices; nil: one of the desk's own
	Browsers    *media.Browsers // takes the sound of browsers; nil: none is taken
	Speech      Speech          // speaks greetings; nil: they are silent
	Transcriber Transcriber     // writes down what was said; nil: the words of a stand-in's people, as they know them
	Recordings  blobs.Store     // where recordings are put away; nil: they stay on the disk
	Post        post.Sender     // sends text messages and mails; nil: none is sent
	Hooks       *post.Hooks     // tells other programs; nil: none is told
	SecretKey   []byte          // of 32 bytes: encrypts secrets in the database; nil, in tests: they lie there in plain text
	MailDomain  string          // of the addresses of reps who have none of their own
	// LeaseByDatabase compares signs of life by the database's clock, which all servers share. Tests have a clock of their own.
	LeaseByDatabase bool
}

// Desk serves one firm. Its methods may be called from any goroutine.
type Desk struct {
	*Config
	Hub     *live.Hub
	Hours   callable.Hours
	board   *switchboard.Switchboard
	journal *journal.Writer
	epoch   int64

	firmCache cache[*firm]
	lastFirm  atomic.Pointer[firm]
	actors    sync.Map // uuid.UUID to cachedActor

	calls        *registry
	attempts     Attempts
	book         Records
	owed         Owed
	people       People
	outbox       Outbox
	listeners    []Listener
	followUpDone FollowUpDone
	mu           sync.Mutex
	recording    map[*media.Recorder]going // what is being recorded, by whom it is written

	ownStudio        bool
	telephones       map[uuid.UUID]*telephoneLeg // by user
	expected         map[string]dialIn           // by number: telephones that will call in
	telephoneTrouble map[uuid.UUID]string        // why the last one was not to be had
	hashing          *hashing
	diskLow          atomic.Bool
	diskGone         atomic.Bool
	rated            map[uuid.UUID]counted   // by user
	echoes           map[uuid.UUID]uuid.UUID // by user: the room of their echo test
	completing       sync.WaitGroup          // recordings
	heard            sync.Map                // hearing to the time of its beginning

	background    context.Context // ends when the desk closes
	stop          context.CancelFunc
	stopped       sync.WaitGroup
	draining      atomic.Bool
	memo          memo
	lastBeat      atomic.Int64 // when this server last showed a sign of life, in Unix nanoseconds; 0: not yet
	beats         atomic.Int64 // heartbeats without a break
	reach         cache[kindHistories]
	mailCodes     map[uuid.UUID]mailCode    // by user: what proves an address; guarded by mu
	played        map[carrier.Ref]uuid.UUID // legs of the outside to who plays them; guarded by mu
	changedRounds map[uuid.UUID]bool        // whose reps are to be told; guarded by mu
	counts        sync.Map                  // of large rounds: uuid.UUID to *counting

	written  chan struct{} // a message waits to be sent
	stepped  chan struct{} // somebody has come into a sequence
	told     chan struct{} // another program is to be told
	sweeping atomic.Bool   // duplicates are being looked for
}

// Open starts a desk: it claims the server's name, writes the journal back, closes what an earlier run left in
// progress, and keeps its lease. The database must be there and migrated.
func Open(ctx context.Context, c Config) (*Desk, error) {
	d := &Desk{Config: &c, hashing: newHashing(), Hours: callable.DefaultHours, calls: newRegistry(), recording: map[*media.Recorder]going{},
		telephones: map[uuid.UUID]*telephoneLeg{}, telephoneTrouble: map[uuid.UUID]string{}, expected: map[string]dialIn{},
		rated: map[uuid.UUID]counted{}, echoes: map[uuid.UUID]uuid.UUID{}, changedRounds: map[uuid.UUID]bool{}, played: map[carrier.Ref]uuid.UUID{}, mailCodes: map[uuid.UUID]mailCode{}, written: make(chan struct{}, 1), stepped: make(chan struct{}, 1), told: make(chan struct{}, 1)}
	d.attempts, d.outbox, d.listeners, d.followUpDone, d.book, d.owed, d.people = d, d, []Listener{d}, d, d, d, d
	if d.Studio == nil {
		d.Studio, d.ownStudio = media.NewStudio(), true
	}
	d.Studio.SeatChanged = d.seatChanged
	if d.Browsers != nil {
		d.Browsers.Keyed = d.keyed
	}
	if err := os.MkdirAll(d.recordingFile(""), 0o700); err != nil {
		return nil, fmt.Errorf("the folder for recordings: %w", err)
	}
	d.Hub = live.New(c.Clock.Now)
	claimed, err := c.Store.ClaimServer(ctx, db.ClaimServerParams{Name: c.Server, At: d.leaseTime(0)})
	if err != nil {
		return nil, fmt.Errorf("claiming the server's name: %w", err)
	}
	d.epoch = claimed.Epoch
	if d.journal, err = journal.Open(c.JournalFile, sink{d}, d.databaseAway, c.Log); err != nil {
		return nil, err
	}
	d.board = switchboard.New(c.Carrier, d.Studio, c.Clock, d, c.Log)
	if err := d.awaitJournal(ctx); err != nil {
		return nil, err
	}
	if err := d.closeOrphans(ctx); err != nil {
		return nil, err
	}
	if err := d.recoverRecordings(ctx); err != nil {
		return nil, err
	}
	if err := d.beat(ctx); err != nil {
		return nil, err
	}
	open, err := c.Store.OpenSlips(ctx)
	if err != nil {
		return nil, fmt.Errorf("reading the open slips: %w", err)
	}
	for _, s := range open {
		d.calls.slipOpened(s.ID, s.UserID, s.CallID)
	}
	d.background, d.stop = context.WithCancel(context.Background())
	d.stopped.Add(1)
	go d.keepLease(d.background)
	if err := d.sealSecrets(ctx); err != nil {
		d.Close()
		return nil, fmt.Errorf("sealing secrets: %w", err)
	}
	if err := d.resumeImports(ctx); err != nil {
		d.Close()
		return nil, fmt.Errorf("going on with imports: %w", err)
	}
	d.inBackground(d.keepRecordings)
	d.inBackground(d.resumeRounds)
	d.inBackground(d.resumeBulks)
	d.inBackground(func(ctx context.Context) {
		d.whenDue(ctx, "sending messages", d.written, d.sendDue, d.Store.NextMessage)
	})
	d.inBackground(func(ctx context.Context) {
		d.whenDue(ctx, "steps of sequences", d.stepped, d.stepDueMembers, d.Store.NextMember)
	})
	d.inBackground(func(ctx context.Context) {
		d.whenDue(ctx, "telling other programs", d.told, d.tellPrograms, d.Store.NextDelivery)
	})
	return d, nil
}

// awaitJournal waits until what an earlier run kept beside the server is in the database.
func (d *Desk) awaitJournal(ctx context.Context) error {
	for d.journal.Away() {
		select {
		case <-ctx.Done():
			return fmt.Errorf("writing the journal back: %w", ctx.Err())
		case <-time.After(20 * time.Millisecond):
		}
	}
	return nil
}

// Close ends the calls in progress as cut off, saves what is left and stops.
func (d *Desk) Close() {
	d.stop()
	d.stopped.Wait()
	d.board.Close()
	d.completing.Wait()
	if d.ownStudio {
		d.Studio.Close()
	}
	d.journal.Close()
}

// CallsInProgress is their number on this server.
func (d *Desk) CallsInProgress() int { return d.board.Count() }

// PhaseOf is the phase of a call in progress on this server; "" for any other.
func (d *Desk) PhaseOf(id uuid.UUID) call.Phase {
	if s, live := d.board.Snapshot(id); live {
		return s.Phase()
	}
	return call.PhaseNone
}

// Away tells whether what is written waits beside the server for the database.
func (d *Desk) Away() bool { return d.journal.Away() }

// Ready tells whether the database answers.
func (d *Desk) Ready(ctx context.Context) error {
	if err := d.mayBegin(); err != nil {
		return err
	}
	return d.Store.Pool.Ping(ctx)
}

// databaseAway tells every window that nothing new is saved, or that it is again.
func (d *Desk) databaseAway(away bool) {
	d.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindSaving, Away: &away})
}

// Outbox tells other programs what happened, where they want to be told.
type Outbox interface {
	// Wanted tells whether anybody wants to be told of an event.
	Wanted(ctx context.Context, event contract.WebhookEvent) (bool, error)
	// Emit lets those who want it be told of an event, in the transaction of what happened; data is asked for only then.
	Emit(ctx context.Context, q *db.Queries, event contract.WebhookEvent, data func() (any, error)) error
	// Wake lets what was just committed be told now.
	Wake()
}

// publishHistory tells everybody that these records have something new.
func (d *Desk) publishHistory(call *uuid.UUID, records ...uuid.UUID) {
	d.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindHistory, CallID: call, Records: &records})
	d.outbox.Wake()
}

func (d *Desk) publishLane(user uuid.UUID) {
	d.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindLane}, user)
}

// audited writes one change into the audit trail.
func (d *Desk) audited(ctx context.Context, q *db.Queries, a Actor, kind string, subject uuid.UUID, action string, before, after any) error {
	return d.auditedAs(ctx, q, a, store.NewID(), d.Clock.Now(), kind, subject, action, before, after)
}

func (d *Desk) auditedAs(ctx context.Context, q *db.Queries, a Actor, id uuid.UUID, at time.Time, kind string, subject uuid.UUID, action string, before, after any) error {
	b, err := json.Marshal(before)
	if err != nil {
		return err
	}
	c, err := json.Marshal(after)
	if err != nil {
		return err
	}
	return q.InsertAudit(ctx, db.InsertAuditParams{ID: id, At: at, ActorID: &a.ID, SubjectKind: kind,
		SubjectID: subject, Action: action, Before: b, After: c})
}
