package desk

import (
	"context"
	"net/mail"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/callable"
	"trundo/internal/core/callerid"
	"trundo/internal/core/match"
	"trundo/internal/core/phone"
	"trundo/internal/core/texting"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// letter is a message as it is about to be written: to whom, from where, and what is in the way.
type letter struct {
	channel contract.Channel
	record  *db.Record
	company string // its company
	to      string // number in its normal form, or mail address
	zones   []string
	line    *callerid.Line // of a text message
	from    string         // of a mail
	problem string
	hold    time.Time // not before; zero: at once
	byHand  bool      // somebody of the firm writes and sends it, in this very case
}

// addressed finds to whom a message goes and from where. Errors: *FieldError, ErrNotFound, ErrGone.
func (d *Desk) addressed(ctx context.Context, q *db.Queries, a Actor, f *firm, n contract.NewMessage) (letter, error) {
	l := letter{channel: n.Channel}
	if n.RecordID != nil {
		row, err := q.Record(ctx, *n.RecordID)
		switch {
		case store.NotFound(err):
			return l, ErrNotFound
		case err != nil:
			return l, err
		case row.Record.DeletedAt != nil:
			return l, ErrGone
		}
		l.record, l.company = &row.Record, row.CompanyName
	}
	if l.channel == contract.ChannelMail {
		return l, d.mailAddressed(ctx, q, a, n, &l)
	}
	return l, d.textAddressed(ctx, q, a, f, n, &l)
}

func (d *Desk) mailAddressed(ctx context.Context, q *db.Queries, a Actor, n contract.NewMessage, l *letter) error {
	to := value(n.Address)
	if to == "" && l.record != nil {
		to = l.record.Email
	}
	if to == "" {
		return wrong("address", "no mail address is known")
	}
	parsed, err := mail.ParseAddress(to)
	if err != nil {
		return wrong("address", "“"+shorten(to, 80)+"” is no mail address")
	}
	l.to = strings.ToLower(parsed.Address)
	if l.from, err = d.mailFrom(ctx, q, a.ID); err == nil && l.from == "" {
		l.problem = "no mail address of yours is known: set one under Settings, My own"
	}
	return err
}

// mailFrom is the address from which somebody writes: their own, else one of the firm's domain; "" where neither is known.
func (d *Desk) mailFrom(ctx context.Context, q *db.Queries, user uuid.UUID) (string, error) {
	own, err := q.MailSettings(ctx, user)
	if err != nil {
		return "", err
	}
	if own.MailAddress != "" {
		return own.MailAddress, nil
	}
	if d.MailDomain == "" {
		return "", nil
	}
	return own.Login + "@" + d.mailDomain(), nil
}

func (d *Desk) mailDomain() string {
	if d.MailDomain == "" {
		return "localhost"
	}
	return d.MailDomain
}

func (d *Desk) textAddressed(ctx context.Context, q *db.Queries, a Actor, f *firm, n contract.NewMessage, l *letter) error {
	var numbers []db.NumbersOfRow
	if l.record != nil {
		var err error
		if numbers, err = q.NumbersOf(ctx, []uuid.UUID{l.record.ID}); err != nil {
			return err
		}
	}
	switch {
	case value(n.Address) != "":
		parsed, err := phone.Parse(*n.Address, f.region)
		if err != nil {
			return &FieldError{"address", err}
		}
		l.to = parsed.E164
	case len(numbers) > 0:
		for _, x := range numbers {
			if x.E164 != "" && (n.NumberID == nil && (l.to == "" || x.Label == "mobile") || n.NumberID != nil && x.ID == *n.NumberID) {
				l.to = x.E164
			}
		}
	}
	if l.to == "" {
		return wrong("address", "no number is known")
	}
	l.zones = phone.Zones(l.to)
	for _, x := range numbers {
		if x.E164 == l.to && len(x.Zones) > 0 {
			l.zones = x.Zones
		}
	}
	region, _ := phone.Place(l.to)
	// Who wrote to us last is answered from the line that they wrote to; else the line is shown that a call would show.
	choice := callerid.Request{RepLine: text(a.Line), Region: region}
	last, err := q.LastTextLine(ctx, l.to)
	if err != nil {
		return err
	}
	if len(last) > 0 && last[0].Incoming && slices.ContainsFunc(f.lines, func(x callerid.Line) bool { return x.ID == text(last[0].LineID) }) {
		choice.ByHand = text(last[0].LineID)
	}
	shown, err := callerid.Choose(f.lines, choice)
	if err != nil {
		return err
	}
	l.line = &shown.Line
	return d.mayText(ctx, q, l, len(last) > 0 && last[0].Incoming && d.Clock.Since(last[0].At) < texting.JustWritten)
}

// textRefused says why a number gets no text messages, as it gets no calls; "" if it does.
func (d *Desk) textRefused(ctx context.Context, l *letter) (string, error) {
	if l.record != nil && l.record.DncAt != nil {
		return refused(callable.ErrPersonDoNotCall, reasons{person: l.record.DncReason}).Error(), nil
	}
	_, rows, err := d.book.WhoseNumber(ctx, Actor{}, l.to, "")
	if err != nil {
		return "", err
	}
	no, err := d.book.TypedRefused(ctx, phone.Number{E164: l.to}, rows)
	if err != nil || no == nil {
		return "", err
	}
	return no.Error(), nil
}

// mayText says what is in the way of a text message, and until when it is held: not at all where they have just written.
func (d *Desk) mayText(ctx context.Context, q *db.Queries, l *letter, answers bool) error {
	lines, err := q.LineTexting(ctx)
	if err != nil {
		return err
	}
	for _, x := range lines {
		if x.ID.String() == l.line.ID {
			l.problem = notApproved(x.Label, x.Texting)
		}
	}
	switch out, err := q.OptOut(ctx, l.to); {
	case err == nil:
		l.problem = "they answered " + out.Word + " on " + out.At.Format("2 January 2006") + " and want no messages"
	case !store.NotFound(err):
		return err
	}
	if no, err := d.textRefused(ctx, l); err != nil {
		return err
	} else if no != "" {
		l.problem = no
	}
	now := d.Clock.Now()
	if at := texting.When(now, l.zones, d.Hours); at.After(now) && !answers {
		l.hold = at
	}
	return nil
}

// notApproved says why a line may not send text messages; "" if it may.
func notApproved(label, state string) string {
	switch state {
	case "approved":
		return ""
	case "asked":
		return "the line " + label + " may not send messages yet: its approval is asked for"
	case "refused":
		return "the network does not let the line " + label + " send messages"
	}
	return "the line " + label + " is not registered for messages"
}

// whoWrote is the record that is clearly meant by a sender; nil where there is none or are several.
func (d *Desk) whoWrote(ctx context.Context, channel contract.Channel, address string) (record, owner *uuid.UUID, err error) {
	if channel == contract.ChannelMail {
		rows, err := d.Store.WhoseMail(ctx, address)
		if err != nil || len(rows) == 0 || len(rows) > 1 && rows[0].Kind == rows[1].Kind {
			return nil, nil, err
		}
		return &rows[0].ID, rows[0].OwnerID, nil
	}
	matches, rows, err := d.book.WhoseNumber(ctx, Actor{}, address, "")
	if err != nil {
		return nil, nil, err
	}
	winner, clear := match.Winner(matches)
	for _, r := range rows {
		if clear && r.RecordID.String() == winner {
			return &r.RecordID, r.OwnerID, nil
		}
	}
	return nil, nil, nil
}
