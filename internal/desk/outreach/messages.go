package outreach

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/callerid"
	"trundo/internal/core/match"
	"trundo/internal/core/meeting"
	"trundo/internal/core/phone"
	"trundo/internal/core/rights"
	"trundo/internal/core/texting"
	"trundo/internal/core/usage"
	"trundo/internal/core/wording"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// sendDelay is for how long a message that somebody has written can still be cancelled.
const sendDelay = 5 * time.Second

// ErrSent is told who wants to cancel what has gone out.
var ErrSent = errors.New("it has been sent already")

// DraftMessage is a message as it would be: a template's places filled in, and what is in the way. Errors: *FieldError,
// ErrNotFound, ErrGone.
func (ou *Outreach) DraftMessage(ctx context.Context, a firm.Actor,
	n contract.NewMessage) (contract.MessageDraft, error) {
	f, err := ou.Settings(ctx)
	if err != nil {
		return contract.MessageDraft{}, err
	}
	l, err := ou.Addressed(ctx, ou.Store.Queries, a, f, n)
	if err != nil {
		return contract.MessageDraft{}, err
	}
	view := contract.MessageDraft{Channel: n.Channel, Address: l.to, To: l.to, From: l.from,
		Subject: optional.Value(n.Subject), Body: optional.Value(n.Body), Problem: l.Problem}
	if l.line != nil {
		view.To, view.From = phone.Format(l.to, "", f.Region, a.Style), l.line.Label+" "+
			phone.Format(l.line.E164, "", f.Region, a.Style)
	}
	if l.Record != nil {
		view.To = l.Record.Name + ", " + view.To
	}
	if n.TemplateID != nil {
		if view.Subject, view.Body, err = ou.FromTemplate(ctx, ou.Store.Queries, a, f, l, *n.TemplateID,
			nil); err != nil {
			return view, err
		}
	}
	if f.Meeting != "" && !meeting.In(view.Body, f.Meeting) {
		view.Meeting = new(meeting.Address(f.Meeting, uuid.NewString()))
	}
	view.Masked = firm.HideCards(&view.Body, n.Insist)
	if n.Channel == contract.ChannelText {
		view.Parts, view.Left, _ = texting.Parts(view.Body)
	}
	if !l.hold.IsZero() {
		view.SendAt = &l.hold
	}
	return view, nil
}

// FromTemplate is a message from a template, with its places filled in. Error: *FieldError.
func (ou *Outreach) FromTemplate(ctx context.Context, q *db.Queries, a firm.Actor, f *firm.Settings, l letter,
	template uuid.UUID, o *uuid.UUID) (subject, body string, err error) {
	rows, err := q.Templates(ctx)
	if err != nil {
		return "", "", err
	}
	now := ou.Clock.Now().In(a.Location())
	values := map[string]string{"rep": a.Name, "firm": f.Name, "number": "", "date": ou.Dates().LongDate(now),
		"time": ou.Dates().Time(now), "outcome": "", "name": "", "given name": "",
		"family name": "", "company": "", wording.Meeting: meeting.Address(f.Meeting, uuid.NewString())}
	if l.line != nil {
		values["number"] = phone.Format(l.line.E164, "", f.Region, a.Style)
	} else if shown, err := callerid.Choose(f.Lines, callerid.Request{RepLine: optional.ID(a.Line)}); err == nil {
		// of a mail: what a call would show
		values["number"] = phone.Format(shown.Line.E164, "", f.Region, a.Style)
	}
	if o != nil {
		chosen, _ := f.Outcome(*o)
		values["outcome"] = chosen.Label
	}
	if r := l.Record; r != nil {
		values["name"], values["given name"], values["family name"], values["company"] = r.Name, r.Given, r.Family, l.company
	}
	for _, t := range rows {
		if t.ID == template {
			missing := wording.Missing(t.Subject+"\n"+t.Body, values)
			switch {
			case slices.Contains(missing, wording.Meeting):
				return "", "", firm.Wrong("template_id", fmt.Sprintf("“%s” has a link to a meeting room, and none are set up "+
					"in Settings, The firm", t.Name))
			case len(missing) > 0:
				return "", "", firm.Wrong("template_id",
					fmt.Sprintf("“%s” needs their %s, which is not known", t.Name, strings.Join(missing, " and ")))
			}
			return wording.Fill(t.Subject, values), wording.Fill(t.Body, values), nil
		}
	}
	return "", "", firm.Wrong("template_id", "this template is gone")
}

// SendMessage sends a message after a few seconds, within which it can be cancelled; a text message not before it may
// be sent there. The same key gets the same one. Errors: *FieldError, ErrNotFound, ErrGone, ErrKeyReused.
func (ou *Outreach) SendMessage(ctx context.Context, a firm.Actor, key string,
	n contract.NewMessage) (contract.Message, error) {
	f, err := ou.Settings(ctx)
	if err != nil {
		return contract.Message{}, err
	}
	subject, body := firm.PlainText(optional.Value(n.Subject)), firm.PlainText(optional.Value(n.Body))
	if body == "" {
		return contract.Message{}, firm.Wrong("body", "a message says something")
	}
	firm.HideCards(&body, n.Insist)
	firm.HideCards(&subject, n.Insist)
	if n.Channel == contract.ChannelMail && (subject == "" || strings.ContainsAny(subject, "\r\n")) {
		return contract.Message{}, firm.Wrong("subject", "a mail has a subject, in one line")
	}
	if parts, _, _ := texting.Parts(body); n.Channel == contract.ChannelText && parts > texting.MaxParts {
		return contract.Message{}, firm.Wrong("body", "this is longer than a text message can be")
	}
	if n.SlipID != nil {
		if err := ou.mayWriteOn(ctx, a, *n.SlipID); err != nil {
			return contract.Message{}, err
		}
	}
	if n.FileIds != nil && len(*n.FileIds) > 0 && n.Channel != contract.ChannelMail {
		return contract.Message{}, firm.Wrong("file_ids", "files go with a mail")
	}
	var l letter
	id, err := ou.Once(ctx, a, key, "send_message", n, func(q *db.Queries, id uuid.UUID) error {
		if l, err = ou.Addressed(ctx, q, a, f, n); err != nil {
			return err
		}
		if l.Problem != "" {
			return firm.Wrong("address", l.Problem)
		}
		if l.channel == contract.ChannelText {
			if err := ou.Limits.Refuses(ctx, usage.Texts, a, l.lineID()); err != nil {
				return err
			}
		}
		l.byHand = true
		if err := ou.WriteDown(ctx, q, a, l, id, n.SlipID, subject, body, sendDelay); err != nil {
			return err
		}
		return attachFiles(ctx, q, a, id, optional.Value(n.FileIds))
	})
	if err != nil {
		return contract.Message{}, err
	}
	ou.Posted(l.Record)
	return ou.message(ctx, a, id)
}

// Records is what messages and sequences ask of the book.
type Records interface {
	List(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.RecordList, error)
	RecordChanged(ctx context.Context, q *db.Queries, a firm.Actor, id uuid.UUID, before, after map[string]string) error
	WhoseNumber(ctx context.Context, a firm.Actor, e164, ext string) ([]match.Match, []db.NumberCandidatesRow, error)
	WhoClearly(ctx context.Context, e164, ext string) (record, owner *uuid.UUID, err error)
	TypedRefused(ctx context.Context, n phone.Number, rows []db.NumberCandidatesRow) (*firm.RefusedError, error)
}

// mayWriteOn tells whether a may write on a slip. Error: *FieldError.
func (ou *Outreach) mayWriteOn(ctx context.Context, a firm.Actor, id uuid.UUID) error {
	err := ou.Store.Tx(ctx, func(q *db.Queries) error {
		_, err := firm.LockSlip(ctx, q, a, id)
		return err
	})
	if errors.Is(err, firm.ErrNotFound) || errors.Is(err, firm.ErrForbidden) {
		return firm.About("slip_id", firm.ErrNotFound)
	}
	return err
}

// WriteDown writes down a message that is to go out.
func (ou *Outreach) WriteDown(ctx context.Context, q *db.Queries, a firm.Actor, l letter, id uuid.UUID, slip *uuid.UUID,
	subject, body string, delay time.Duration) error {
	now := ou.Clock.Now()
	send := now.Add(delay)
	if l.hold.After(send) {
		send = l.hold
	}
	p := db.InsertMessageParams{ID: id, Channel: string(l.channel), Address: l.to, UserID: &a.ID, SlipID: slip,
		Subject: subject, Body: body, State: "waiting", At: now, SendAt: &send, ByHand: l.byHand}
	if l.Record != nil {
		p.RecordID = &l.Record.ID
	}
	if l.line != nil {
		line := uuid.MustParse(l.line.ID)
		p.LineID = &line
	} else {
		reference := id.String() + "@" + ou.mailDomain()
		p.Reference = &reference
		last, err := q.LastMessageFrom(ctx, l.to)
		if err != nil {
			return err
		}
		if len(last) > 0 && last[0] != nil {
			p.InReplyTo = *last[0]
		}
	}
	if err := q.InsertMessage(ctx, p); err != nil {
		return err
	}
	if l.Record == nil {
		return nil
	}
	return q.AddHistory(ctx, db.AddHistoryParams{RecordID: l.Record.ID, At: now, Kind: "message", RefID: id})
}

// Posted lets what was written be sent, and tells everybody who looks at the record.
func (ou *Outreach) Posted(r *db.Record) {
	wake(ou.written)
	if r != nil {
		ou.PublishHistory(nil, r.ID)
	} else {
		ou.PublishHistory(nil)
	}
}

func (ou *Outreach) message(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.Message, error) {
	views, err := ou.Messages(ctx, a, []uuid.UUID{id})
	if err == nil && len(views) == 0 {
		err = firm.ErrNotFound
	}
	if err != nil {
		return contract.Message{}, err
	}
	return views[0], nil
}

// Messages reads messages, oldest first.
func (ou *Outreach) Messages(ctx context.Context, a firm.Actor, ids []uuid.UUID) ([]contract.Message, error) {
	views := []contract.Message{}
	if len(ids) == 0 {
		return views, nil
	}
	f, err := ou.Settings(ctx)
	if err != nil {
		return nil, err
	}
	rows, err := ou.Store.MessagesByIDs(ctx, ids)
	if err != nil {
		return nil, err
	}
	files, err := ou.Store.FilesOfMessages(ctx, ids)
	for _, m := range rows {
		v := contract.Message{ID: m.ID, Channel: contract.Channel(m.Channel), Incoming: m.Incoming, Address: m.Address,
			Display: ou.AddressText(f, a, m.Channel, m.Address), By: m.UserName,
			Subject: m.Subject, Body: m.Body, State: contract.MessageState(m.State), At: m.At, SendAt: m.SendAt,
			Problem: m.Problem, Read: m.ReadAt != nil, CallID: m.CallID}
		if m.Incoming && m.CallID != nil {
			v.HandedBy = &m.HandedName
		}
		if m.RecordID != nil {
			v.Record = &contract.RecordRef{ID: *m.RecordID, Kind: contract.RecordKind(m.RecordKind), Name: m.RecordName}
		}
		if m.LineID != nil {
			v.Ours = f.LineLabels[*m.LineID]
		}
		v.Files = []contract.MessageFile{}
		for _, x := range files {
			if *x.MessageID == m.ID {
				v.Files = append(v.Files, contract.MessageFile{ID: x.ID, Name: x.Name, Bytes: x.Bytes})
			}
		}
		views = append(views, v)
	}
	return views, err
}

// AddressText is an address of a message for reading: a number in the style of a, a mail address as it is.
func (ou *Outreach) AddressText(f *firm.Settings, a firm.Actor, channel, address string) string {
	if channel == string(contract.ChannelText) {
		return phone.Format(address, "", f.Region, a.Style)
	}
	return address
}

// CancelMessage keeps back what has not gone out yet. Errors: ErrNotFound, ErrForbidden, ErrSent.
func (ou *Outreach) CancelMessage(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.Message, error) {
	var record *uuid.UUID
	err := ou.Store.Tx(ctx, func(q *db.Queries) error {
		m, err := q.LockMessage(ctx, id)
		switch {
		case store.NotFound(err):
			return firm.ErrNotFound
		case err != nil:
			return err
		case !ou.MayOf(ctx, a, rights.CancelMessages, m.UserID):
			return firm.ErrForbidden
		}
		record = m.RecordID
		n, err := q.CancelMessage(ctx, db.CancelMessageParams{ID: id})
		if err == nil && n == 0 && m.State != "cancelled" {
			err = ErrSent
		}
		return err
	})
	if err != nil {
		return contract.Message{}, err
	}
	if record != nil {
		ou.PublishHistory(nil, *record)
	}
	return ou.message(ctx, a, id)
}

// Thread is what was written to and by somebody, of the book or not, oldest first. Errors: *FieldError, ErrNotFound.
func (ou *Outreach) Thread(ctx context.Context, a firm.Actor, record *uuid.UUID,
	address string) (contract.Thread, error) {
	var t contract.Thread
	f, err := ou.Settings(ctx)
	if err != nil {
		return t, err
	}
	var ids []uuid.UUID
	switch {
	case record != nil:
		if err := ou.Readable(ctx, *record); err != nil {
			return t, err
		}
		ids, err = ou.Store.ThreadOfRecord(ctx, record)
	case address != "":
		if n, parseErr := phone.Parse(address, f.Region); parseErr == nil && !strings.Contains(address, "@") {
			address = n.E164
		}
		t.Address = strings.ToLower(address)
		ids, err = ou.Store.ThreadOfAddress(ctx, t.Address)
	default:
		return t, firm.Wrong("address", "say whose messages")
	}
	if err != nil {
		return t, err
	}
	if t.Messages, err = ou.Messages(ctx, a, ids); err != nil {
		return t, err
	}
	for i := range t.Messages {
		m := t.Messages[len(t.Messages)-1-i]
		if t.Address == "" {
			t.Address = m.Address
		}
		if t.Record == nil {
			t.Record = m.Record
		}
	}
	if record != nil && t.Record == nil {
		r, err := ou.Store.RecordName(ctx, *record)
		if store.NotFound(err) {
			return t, firm.ErrNotFound
		} else if err != nil {
			return t, err
		}
		t.Record = &contract.RecordRef{ID: r.ID, Kind: contract.RecordKind(r.Kind), Name: r.Name}
	}
	t.Display = t.Address
	if strings.HasPrefix(t.Address, "+") {
		t.Display = phone.Format(t.Address, "", f.Region, a.Style)
		if out, err := ou.Store.OptOut(ctx, t.Address); err == nil {
			t.OptedOut = "they answered " + out.Word + " and want no messages"
		} else if !store.NotFound(err) {
			return t, err
		}
	}
	return t, nil
}

// ReadMessage says that a message and what came before it from there has been seen to. Error: ErrNotFound.
func (ou *Outreach) ReadMessage(ctx context.Context, a firm.Actor, id uuid.UUID) error {
	m, err := ou.Store.LockMessage(ctx, id)
	if store.NotFound(err) {
		return firm.ErrNotFound
	} else if err != nil {
		return err
	}
	now := ou.Clock.Now()
	if _, err := ou.Store.MarkThreadRead(ctx,
		db.MarkThreadReadParams{At: &now, UserID: &a.ID, Until: m.At, Address: m.Address, RecordID: m.RecordID}); err != nil {
		return err
	}
	ou.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindLane})
	return nil
}

// AttachMessage puts what came from an address, and is on no record yet, on one. Errors: ErrNotFound, ErrGone.
func (ou *Outreach) AttachMessage(ctx context.Context, a firm.Actor, id, record uuid.UUID) (contract.Thread, error) {
	err := ou.Store.Tx(ctx, func(q *db.Queries) error {
		m, err := q.LockMessage(ctx, id)
		if store.NotFound(err) {
			return firm.ErrNotFound
		} else if err != nil {
			return err
		}
		if _, err := firm.LockRecord(ctx, q, record); err != nil {
			return err
		}
		return ou.PutMessages(ctx, q, a, m.Address, record)
	})
	if err != nil {
		return contract.Thread{}, err
	}
	ou.PublishHistory(nil, record)
	ou.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindLane})
	return ou.Thread(ctx, a, &record, "")
}

// PutMessages puts what came from an address, and is on no record yet, on one.
func (ou *Outreach) PutMessages(ctx context.Context, q *db.Queries, a firm.Actor, address string,
	record uuid.UUID) error {
	rows, err := q.AttachMessages(ctx, db.AttachMessagesParams{RecordID: &record, Address: address})
	if err != nil {
		return err
	}
	for _, r := range rows {
		if err := q.AddHistory(ctx, db.AddHistoryParams{RecordID: record, At: r.At, Kind: "message",
			RefID: r.ID}); err != nil {
			return err
		}
	}
	return ou.book.RecordChanged(ctx, q, a, record, nil, map[string]string{"messages from": address})
}
