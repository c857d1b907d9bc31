package outreach

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
	"trundo/internal/core/phone"
	"trundo/internal/core/texting"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// letter is a message as it is about to be written: to whom, from where, and what is in the way.
type letter struct {
	channel contract.Channel
	Record  *db.Record
	company string // its company
	to      string // number in its normal form, or mail address
	zones   []string
	line    *callerid.Line // of a text message
	from    string         // of a mail
	Problem string
	hold    time.Time // not before; zero: at once
	byHand  bool      // somebody of the firm writes and sends it, in this very case
}

// lineID is the line by which a text message goes; nil for a mail.
func (l letter) lineID() *uuid.UUID {
	if l.line == nil {
		return nil
	}
	id := uuid.MustParse(l.line.ID)
	return &id
}

// Addressed finds to whom a message goes and from where. Errors: *FieldError, ErrNotFound, ErrGone.
func (ou *Outreach) Addressed(ctx context.Context, q *db.Queries, a firm.Actor, f *firm.Settings,
	n contract.NewMessage) (letter, error) {
	l := letter{channel: n.Channel}
	if n.RecordID != nil {
		row, err := q.Record(ctx, *n.RecordID)
		switch {
		case store.NotFound(err):
			return l, firm.ErrNotFound
		case err != nil:
			return l, err
		case row.Record.DeletedAt != nil:
			return l, firm.ErrGone
		}
		l.Record, l.company = &row.Record, row.CompanyName
	}
	reach := ou.mailAddressed
	if l.channel == contract.ChannelText {
		reach = func(ctx context.Context, q *db.Queries, a firm.Actor, n contract.NewMessage, l *letter) error {
			return ou.textAddressed(ctx, q, a, f, n, l)
		}
	}
	if err := reach(ctx, q, a, n, &l); err != nil || l.Record == nil {
		return l, err
	}
	what := map[contract.Channel]string{contract.ChannelMail: "mails", contract.ChannelText: "texts"}[l.channel]
	withdrawn, err := q.Withdrawn(ctx, db.WithdrawnParams{RecordID: l.Record.ID, What: what})
	if withdrawn {
		l.Problem = "they no longer agree to " + what
	}
	return l, err
}

func (ou *Outreach) mailAddressed(ctx context.Context, q *db.Queries, a firm.Actor, n contract.NewMessage,
	l *letter) error {
	to := optional.Value(n.Address)
	if to == "" && l.Record != nil {
		to = l.Record.Email
	}
	if to == "" {
		return firm.Wrong("address", "no mail address is known")
	}
	parsed, err := mail.ParseAddress(to)
	if err != nil {
		return firm.Wrong("address", "“"+firm.Shorten(to, 80)+"” is no mail address")
	}
	l.to = strings.ToLower(parsed.Address)
	if l.from, err = ou.mailFrom(ctx, q, a.ID); err == nil && l.from == "" {
		l.Problem = "no mail address of yours is known: set one under Settings, My own"
	}
	return err
}

// mailFrom is the address from which somebody writes: their own, else one of the firm's domain; "" where neither is
// known.
func (ou *Outreach) mailFrom(ctx context.Context, q *db.Queries, user uuid.UUID) (string, error) {
	own, err := q.MailSettings(ctx, user)
	if err != nil {
		return "", err
	}
	if own.MailAddress != "" {
		return own.MailAddress, nil
	}
	if ou.MailDomain == "" {
		return "", nil
	}
	return own.Login + "@" + ou.mailDomain(), nil
}

func (ou *Outreach) mailDomain() string {
	if ou.MailDomain == "" {
		return "localhost"
	}
	return ou.MailDomain
}

func (ou *Outreach) textAddressed(ctx context.Context, q *db.Queries, a firm.Actor, f *firm.Settings,
	n contract.NewMessage, l *letter) error {
	var numbers []db.NumbersOfRow
	if l.Record != nil {
		var err error
		if numbers, err = q.NumbersOf(ctx, []uuid.UUID{l.Record.ID}); err != nil {
			return err
		}
	}
	switch {
	case optional.Value(n.Address) != "":
		parsed, err := phone.Parse(*n.Address, f.Region)
		if err != nil {
			return firm.About("address", err)
		}
		l.to = parsed.E164
	case len(numbers) > 0:
		for _, x := range numbers {
			if x.E164 != "" && (n.NumberID == nil && (l.to == "" || x.Label == "mobile") || n.NumberID != nil &&
				x.ID == *n.NumberID) {
				l.to = x.E164
			}
		}
	}
	if l.to == "" {
		return firm.Wrong("address", "no number is known")
	}
	l.zones = phone.Zones(l.to)
	for _, x := range numbers {
		if x.E164 == l.to && len(x.Zones) > 0 {
			l.zones = x.Zones
		}
	}
	region, _ := phone.Place(l.to)
	// Who wrote to us last is answered from the line that they wrote to; else the line is shown that a call would show.
	choice := callerid.Request{RepLine: optional.ID(a.Line), Region: region}
	last, err := q.LastTextLine(ctx, l.to)
	if err != nil {
		return err
	}
	if len(last) > 0 && last[0].Incoming &&
		slices.ContainsFunc(f.Lines, func(x callerid.Line) bool { return x.ID == optional.ID(last[0].LineID) }) {
		choice.ByHand = optional.ID(last[0].LineID)
	}
	shown, err := callerid.Choose(f.Lines, choice)
	if err != nil {
		return err
	}
	l.line = &shown.Line
	return ou.mayText(ctx, q, l, len(last) > 0 && last[0].Incoming && ou.Clock.Since(last[0].At) < texting.JustWritten)
}

// textRefused says why a number gets no text messages, as it gets no calls; "" if it does.
func (ou *Outreach) textRefused(ctx context.Context, l *letter) (string, error) {
	if l.Record != nil && l.Record.DncAt != nil {
		return firm.Refused(callable.ErrPersonDoNotCall, firm.Reasons{Person: l.Record.DncReason}).Error(), nil
	}
	_, rows, err := ou.book.WhoseNumber(ctx, firm.Actor{}, l.to, "")
	if err != nil {
		return "", err
	}
	no, err := ou.book.TypedRefused(ctx, phone.Number{E164: l.to}, rows)
	if err != nil || no == nil {
		return "", err
	}
	return no.Error(), nil
}

// mayText says what is in the way of a text message, and until when it is held: not at all where they have just
// written.
func (ou *Outreach) mayText(ctx context.Context, q *db.Queries, l *letter, answers bool) error {
	lines, err := q.LineTexting(ctx)
	if err != nil {
		return err
	}
	for _, x := range lines {
		if x.ID.String() == l.line.ID {
			l.Problem = notApproved(x.Label, x.Texting)
		}
	}
	switch out, err := q.OptOut(ctx, l.to); {
	case err == nil:
		l.Problem = "they answered " + out.Word + " on " + ou.Dates().LongDate(out.At) + " and want no messages"
	case !store.NotFound(err):
		return err
	}
	if no, err := ou.textRefused(ctx, l); err != nil {
		return err
	} else if no != "" {
		l.Problem = no
	}
	now := ou.Clock.Now()
	if at := texting.When(now, l.zones, ou.Hours); at.After(now) && !answers {
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
func (ou *Outreach) whoWrote(ctx context.Context, channel contract.Channel,
	address string) (record, owner *uuid.UUID, err error) {
	if channel == contract.ChannelMail {
		rows, err := ou.Store.WhoseMail(ctx, address)
		if err != nil || len(rows) == 0 || len(rows) > 1 && rows[0].Kind == rows[1].Kind {
			return nil, nil, err
		}
		return &rows[0].ID, rows[0].OwnerID, nil
	}
	return ou.book.WhoClearly(ctx, address, "")
}
