// Package outreach is what goes out in writing: text messages and mails, their templates, sequences of steps, and other
// programs that are told what happens here. Messages, steps and tellings wait in tables of their own, each with one
// loop (due_work.go).
//
// It knows the firm alone; what it asks of the book stands in Records. It must not know calls or slips: they ask it.
package outreach

import (
	"context"
	"sync"

	"github.com/google/uuid"

	"trundo/internal/desk/firm"
	"trundo/internal/store/db"
)

// Outreach is what goes out in writing. Its methods may be called from any goroutine.
type Outreach struct {
	*firm.Firm
	book  Records
	inbox Inbox // nil: nothing that is written waits in a queue

	mu        sync.Mutex
	mailCodes map[uuid.UUID]mailCode // by user: what proves an address

	written chan struct{} // a message waits to be sent
	stepped chan struct{} // somebody has come into a sequence
	told    chan struct{} // another program is to be told
}

// New makes what a firm sends. Nothing goes out before Start.
func New(f *firm.Firm, book Records) *Outreach {
	return &Outreach{Firm: f, book: book, mailCodes: map[uuid.UUID]mailCode{},
		written: make(chan struct{}, 1), stepped: make(chan struct{}, 1), told: make(chan struct{}, 1)}
}

// Inbox takes what somebody wrote to the firm.
type Inbox interface {
	// Received is told, in the transaction in which it is kept, of a message that is for nobody in particular.
	Received(ctx context.Context, q *db.Queries, m db.InsertMessageParams) error
	// Answered is asked first, in the same transaction, of a text message: whether it answers something that the firm asks
	// by itself. It gives what is written back, "" for nothing, and whether somebody is to read the message all the same.
	Answered(ctx context.Context, q *db.Queries, m db.InsertMessageParams) (back string, toRead bool, err error)
	// Waits is told once that is committed.
	Waits()
}

// Use lets messages that come in wait in queues.
func (ou *Outreach) Use(i Inbox) { ou.inbox = i }

// Start begins to send, to step and to tell what is due, until the desk closes.
func (ou *Outreach) Start() {
	ou.InBackground(func(ctx context.Context) {
		ou.whenDue(ctx, "sending messages", ou.written, ou.sendDue, ou.Store.NextMessage)
	})
	ou.InBackground(func(ctx context.Context) {
		ou.whenDue(ctx, "steps of sequences", ou.stepped, ou.stepDueMembers, ou.Store.NextMember)
	})
	ou.InBackground(func(ctx context.Context) {
		ou.whenDue(ctx, "telling other programs", ou.told, ou.tellPrograms, ou.Store.NextDelivery)
	})
}
