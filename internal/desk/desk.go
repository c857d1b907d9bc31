// Package desk puts the areas of the job together (firm, book, outreach, calls, surveys, queues, web forms, filing, rounds),
// each a package of its own that says what it must not know, and holds the few pages that are made of several: a call's page, a record's
// history, the lane, find, a rep's own page. It is the only place where rights are checked.
//
// It must not know HTTP, cookies or how anything looks.
package desk

import (
	"context"
	"fmt"

	"trundo/internal/contract"
	"trundo/internal/desk/book"
	"trundo/internal/desk/calls"
	"trundo/internal/desk/entry"
	"trundo/internal/desk/filing"
	"trundo/internal/desk/firm"
	"trundo/internal/desk/insight"
	"trundo/internal/desk/outreach"
	"trundo/internal/desk/privacy"
	"trundo/internal/desk/queues"
	"trundo/internal/desk/rounds"
	"trundo/internal/desk/staff"
	"trundo/internal/desk/usage"
	"trundo/internal/desk/webforms"
)

// Desk serves one firm. Its methods and those of its areas may be called from any goroutine.
type Desk struct {
	*firm.Firm
	Book       *book.Book
	Files      *book.Files
	Outreach   *outreach.Outreach
	Calls      *calls.Calls
	Arrivals   *calls.Arrivals
	Voices     *calls.Voices
	Lines      *calls.Lines
	Recordings *calls.Recordings
	Telephones *calls.Telephones
	Team       *calls.Team
	Queues     *queues.Queues
	Forms      *webforms.Forms
	Filing     *filing.Filing
	Staff      *staff.Staff
	Entry      *entry.Entry
	Privacy    *privacy.Privacy
	Usage      *usage.Usage
	Rounds     *rounds.Rounds
	Insight    *insight.Insight
}

// Open starts a desk: it claims the server's name, writes the journal back, closes what an earlier run left in
// progress, and keeps its lease. The database must be there and migrated.
func Open(ctx context.Context, c firm.Config) (*Desk, error) {
	d := &Desk{Firm: firm.New(&c)}
	d.Staff = staff.New(d.Firm)
	d.Entry = entry.New(d.Firm, d.Staff)
	d.Privacy = privacy.New(d.Firm)
	d.Usage = usage.New(d.Firm)
	d.Limits = d.Usage
	d.Book = book.New(d.Firm)
	d.Outreach = outreach.New(d.Firm, d.Book)
	d.Calls = calls.New(d.Book)
	d.Queues = queues.New(d.Calls, d.Outreach)
	d.Forms = webforms.New(d.Queues, d.Outreach)
	d.Filing = filing.New(d.Book, d.Outreach, d.Calls)
	d.Rounds = rounds.New(d.Filing, d)
	d.Insight = insight.New(d.Calls, d.Queues, d.Book)
	d.Files, d.Arrivals, d.Voices, d.Lines = d.Book.Files, d.Calls.Arrivals, d.Calls.Voices, d.Calls.Lines
	d.Recordings, d.Telephones, d.Team = d.Calls.Recordings, d.Calls.Telephones, d.Calls.Team
	// What the lower areas ask of those above them.
	d.Outbox, d.Mailer = d.Outreach, d.Outreach
	d.Book.Use(d.Outreach, d.Team)
	d.Calls.Listen(d.Rounds)
	d.Calls.Use(d.Queues)
	d.Outreach.Use(d.Queues)
	d.Filing.Use(d.Rounds)
	d.Staff.Use(d.Rounds)
	d.Privacy.Use(d.Recordings)
	if err := d.Calls.Open(ctx); err != nil {
		return nil, err
	}
	if _, err := d.Settings(ctx); err != nil { // from now on they are known, also within transactions
		return nil, fmt.Errorf("reading the settings: %w", err)
	}
	d.Calls.Start()
	if err := d.SealSecrets(ctx); err != nil {
		d.Close()
		return nil, fmt.Errorf("sealing secrets: %w", err)
	}
	if err := d.Files.Resume(ctx); err != nil {
		d.Close()
		return nil, fmt.Errorf("going on with imports: %w", err)
	}
	d.Book.Start()
	d.Queues.Start()
	d.Rounds.Start()
	d.Outreach.Start()
	d.Staff.Start()
	d.StartTrail()
	d.Privacy.Start()
	d.Usage.Start()
	d.Insight.Start()
	return d, nil
}

// Close ends the calls in progress as cut off, saves what is left and stops.
func (d *Desk) Close() {
	d.Stop()
	d.Calls.Close()
}

// Waiting are the calls and callers that a may take or sees waiting: those that are parked or ring colleagues, then those
// in queues.
func (d *Desk) Waiting(ctx context.Context, a firm.Actor) ([]contract.WaitingCall, error) {
	list, err := d.Calls.Parties.Waiting(ctx, a)
	if err != nil {
		return nil, err
	}
	queued, err := d.Queues.Waiting(ctx, a)
	return append(list, queued...), err
}
