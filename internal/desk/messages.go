package desk

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/callerid"
	"trundo/internal/core/match"
	"trundo/internal/core/phone"
	"trundo/internal/core/texting"
	"trundo/internal/core/wording"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// sendDelay is for how long a message that somebody has written can still be cancelled.
const sendDelay = 5 * time.Second

// ErrSent is told who wants to cancel what has gone out.
var ErrSent = errors.New("it has been sent already")

// DraftMessage is a message as it would be: a template's places filled in, and what is in the way. Errors: *FieldError, ErrNotFound, ErrGone.
func (d *Desk) DraftMessage(ctx context.Context, a Actor, n contract.NewMessage) (contract.MessageDraft, error) {
	f, err := d.firm(ctx)
	if err != nil {
		return contract.MessageDraft{}, err
	}
	l, err := d.addressed(ctx, d.Store.Queries, a, f, n)
	if err != nil {
		return contract.MessageDraft{}, err
	}
	view := contract.MessageDraft{Channel: n.Channel, Address: l.to, To: l.to, From: l.from, Subject: value(n.Subject), Body: value(n.Body), Problem: l.problem}
	if l.line != nil {
		view.To, view.From = phone.Format(l.to, "", f.region, a.Style), l.line.Label+" "+phone.Format(l.line.E164, "", f.region, a.Style)
	}
	if l.record != nil {
		view.To = l.record.Name + ", " + view.To
	}
	if n.TemplateID != nil {
		if view.Subject, view.Body, err = d.fromTemplate(ctx, d.Store.Queries, a, f, l, *n.TemplateID, nil); err != nil {
			return view, err
		}
	}
	view.Masked = hidden(&view.Body, n.Insist)
	if n.Channel == contract.ChannelText {
		view.Parts, view.Left, _ = texting.Parts(view.Body)
	}
	if !l.hold.IsZero() {
		view.SendAt = &l.hold
	}
	return view, nil
}

// fromTemplate is a message from a template, with its places filled in. Error: *FieldError.
func (d *Desk) fromTemplate(ctx context.Context, q *db.Queries, a Actor, f *firm, l letter, template uuid.UUID, o *uuid.UUID) (subject, body string, err error) {
	rows, err := q.Templates(ctx)
	if err != nil {
		return "", "", err
	}
	now := d.Clock.Now().In(a.zone())
	values := map[string]string{"rep": a.Name, "firm": f.name, "number": "", "date": now.Format("2 January 2006"), "time": now.Format("15:04"), "outcome": "", "name": "", "given name": "",
		"family name": "", "company": ""}
	if l.line != nil {
		values["number"] = phone.Format(l.line.E164, "", f.region, a.Style)
	} else if shown, err := callerid.Choose(f.lines, callerid.Request{RepLine: text(a.Line)}); err == nil { // of a mail: what a call would show
		values["number"] = phone.Format(shown.Line.E164, "", f.region, a.Style)
	}
	if o != nil {
		chosen, _ := f.outcome(*o)
		values["outcome"] = chosen.Label
	}
	if r := l.record; r != nil {
		values["name"], values["given name"], values["family name"], values["company"] = r.Name, r.Given, r.Family, l.company
	}
	for _, t := range rows {
		if t.ID == template {
			if missing := wording.Missing(t.Subject+"\n"+t.Body, values); len(missing) > 0 {
				return "", "", wrong("template_id", fmt.Sprintf("“%s” needs their %s, which is not known", t.Name, strings.Join(missing, " and ")))
			}
			return wording.Fill(t.Subject, values), wording.Fill(t.Body, values), nil
		}
	}
	return "", "", wrong("template_id", "this template is gone")
}

// SendMessage sends a message after a few seconds, within which it can be cancelled; a text message not before it may be sent there. The same key gets
// the same one. Errors: *FieldError, ErrNotFound, ErrGone, ErrKeyReused.
func (d *Desk) SendMessage(ctx context.Context, a Actor, key string, n contract.NewMessage) (contract.Message, error) {
	f, err := d.firm(ctx)
	if err != nil {
		return contract.Message{}, err
	}
	subject, body := plainText(value(n.Subject)), plainText(value(n.Body))
	if body == "" {
		return contract.Message{}, wrong("body", "a message says something")
	}
	hidden(&body, n.Insist)
	hidden(&subject, n.Insist)
	if n.Channel == contract.ChannelMail && (subject == "" || strings.ContainsAny(subject, "\r\n")) {
		return contract.Message{}, wrong("subject", "a mail has a subject, in one line")
	}
	if parts, _, _ := texting.Parts(body); n.Channel == contract.ChannelText && parts > texting.MaxParts {
		return contract.Message{}, wrong("body", "this is longer than a text message can be")
	}
	if n.SlipID != nil {
		if err := d.mayWriteOn(ctx, a, *n.SlipID); err != nil {
			return contract.Message{}, err
		}
	}
	if n.FileIds != nil && len(*n.FileIds) > 0 && n.Channel != contract.ChannelMail {
		return contract.Message{}, wrong("file_ids", "files go with a mail")
	}
	var l letter
	id, err := d.once(ctx, a, key, "send_message", n, func(q *db.Queries, id uuid.UUID) error {
		if l, err = d.addressed(ctx, q, a, f, n); err != nil {
			return err
		}
		if l.problem != "" {
			return wrong("address", l.problem)
		}
		l.byHand = true
		if err := d.post(ctx, q, a, l, id, n.SlipID, subject, body, sendDelay); err != nil {
			return err
		}
		return attachFiles(ctx, q, a, id, value(n.FileIds))
	})
	if err != nil {
		return contract.Message{}, err
	}
	d.posted(l.record)
	return d.message(ctx, a, id)
}

// Records is what messages and sequences ask of the book.
type Records interface {
	List(ctx context.Context, a Actor, id uuid.UUID) (contract.RecordList, error)
	RecordChanged(ctx context.Context, q *db.Queries, a Actor, id uuid.UUID, before, after map[string]string) error
	WhoseNumber(ctx context.Context, a Actor, e164, ext string) ([]match.Match, []db.NumberCandidatesRow, error)
	TypedRefused(ctx context.Context, n phone.Number, rows []db.NumberCandidatesRow) (*RefusedError, error)
}

// mayWriteOn tells whether a may write on a slip. Error: *FieldError.
func (d *Desk) mayWriteOn(ctx context.Context, a Actor, id uuid.UUID) error {
	err := d.Store.Tx(ctx, func(q *db.Queries) error {
		_, err := lockSlip(ctx, q, a, id)
		return err
	})
	if errors.Is(err, ErrNotFound) || errors.Is(err, ErrForbidden) {
		return &FieldError{"slip_id", ErrNotFound}
	}
	return err
}

// post writes down a message that is to go out.
func (d *Desk) post(ctx context.Context, q *db.Queries, a Actor, l letter, id uuid.UUID, slip *uuid.UUID, subject, body string, delay time.Duration) error {
	now := d.Clock.Now()
	send := now.Add(delay)
	if l.hold.After(send) {
		send = l.hold
	}
	p := db.InsertMessageParams{ID: id, Channel: string(l.channel), Address: l.to, UserID: &a.ID, SlipID: slip, Subject: subject, Body: body, State: "waiting", At: now, SendAt: &send, ByHand: l.byHand}
	if l.record != nil {
		p.RecordID = &l.record.ID
	}
	if l.line != nil {
		line := uuid.MustParse(l.line.ID)
		p.LineID = &line
	} else {
		reference := id.String() + "@" + d.mailDomain()
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
	if l.record == nil {
		return nil
	}
	return q.AddHistory(ctx, db.AddHistoryParams{RecordID: l.record.ID, At: now, Kind: "message", RefID: id})
}

// posted lets what was written be sent, and tells everybody who looks at the record.
func (d *Desk) posted(r *db.Record) {
	wake(d.written)
	if r != nil {
		d.publishHistory(nil, r.ID)
	} else {
		d.publishHistory(nil)
	}
}

func (d *Desk) message(ctx context.Context, a Actor, id uuid.UUID) (contract.Message, error) {
	views, err := d.messages(ctx, a, []uuid.UUID{id})
	if err == nil && len(views) == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return contract.Message{}, err
	}
	return views[0], nil
}

// messages reads messages, oldest first.
func (d *Desk) messages(ctx context.Context, a Actor, ids []uuid.UUID) ([]contract.Message, error) {
	views := []contract.Message{}
	if len(ids) == 0 {
		return views, nil
	}
	f, err := d.firm(ctx)
	if err != nil {
		return nil, err
	}
	rows, err := d.Store.MessagesByIDs(ctx, ids)
	if err != nil {
		return nil, err
	}
	files, err := d.Store.FilesOfMessages(ctx, ids)
	for _, m := range rows {
		v := contract.Message{ID: m.ID, Channel: contract.Channel(m.Channel), Incoming: m.Incoming, Address: m.Address, Display: d.addressText(f, a, m.Channel, m.Address), By: m.UserName,
			Subject: m.Subject, Body: m.Body, State: contract.MessageState(m.State), At: m.At, SendAt: m.SendAt, Problem: m.Problem, Read: m.ReadAt != nil}
		if m.RecordID != nil {
			v.Record = &contract.RecordRef{ID: *m.RecordID, Kind: contract.RecordKind(m.RecordKind), Name: m.RecordName}
		}
		if m.LineID != nil {
			v.Ours = f.lineLabels[*m.LineID]
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

func (d *Desk) addressText(f *firm, a Actor, channel, address string) string {
	if channel == string(contract.ChannelText) {
		return phone.Format(address, "", f.region, a.Style)
	}
	return address
}

// CancelMessage keeps back what has not gone out yet. Errors: ErrNotFound, ErrForbidden, ErrSent.
func (d *Desk) CancelMessage(ctx context.Context, a Actor, id uuid.UUID) (contract.Message, error) {
	var record *uuid.UUID
	err := d.Store.Tx(ctx, func(q *db.Queries) error {
		m, err := q.LockMessage(ctx, id)
		switch {
		case store.NotFound(err):
			return ErrNotFound
		case err != nil:
			return err
		case (m.UserID == nil || *m.UserID != a.ID) && !a.leads():
			return ErrForbidden
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
		d.publishHistory(nil, *record)
	}
	return d.message(ctx, a, id)
}

// Thread is what was written to and by somebody, of the book or not, oldest first. Errors: *FieldError, ErrNotFound.
func (d *Desk) Thread(ctx context.Context, a Actor, record *uuid.UUID, address string) (contract.Thread, error) {
	var t contract.Thread
	f, err := d.firm(ctx)
	if err != nil {
		return t, err
	}
	var ids []uuid.UUID
	switch {
	case record != nil:
		if err := d.readable(ctx, *record); err != nil {
			return t, err
		}
		ids, err = d.Store.ThreadOfRecord(ctx, record)
	case address != "":
		if n, parseErr := phone.Parse(address, f.region); parseErr == nil && !strings.Contains(address, "@") {
			address = n.E164
		}
		t.Address = strings.ToLower(address)
		ids, err = d.Store.ThreadOfAddress(ctx, t.Address)
	default:
		return t, wrong("address", "say whose messages")
	}
	if err != nil {
		return t, err
	}
	if t.Messages, err = d.messages(ctx, a, ids); err != nil {
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
		r, err := d.Store.RecordName(ctx, *record)
		if store.NotFound(err) {
			return t, ErrNotFound
		} else if err != nil {
			return t, err
		}
		t.Record = &contract.RecordRef{ID: r.ID, Kind: contract.RecordKind(r.Kind), Name: r.Name}
	}
	t.Display = t.Address
	if strings.HasPrefix(t.Address, "+") {
		t.Display = phone.Format(t.Address, "", f.region, a.Style)
		if out, err := d.Store.OptOut(ctx, t.Address); err == nil {
			t.OptedOut = "they answered " + out.Word + " and want no messages"
		} else if !store.NotFound(err) {
			return t, err
		}
	}
	return t, nil
}

// ReadMessage says that a message and what came before it from there has been seen to. Error: ErrNotFound.
func (d *Desk) ReadMessage(ctx context.Context, a Actor, id uuid.UUID) error {
	m, err := d.Store.LockMessage(ctx, id)
	if store.NotFound(err) {
		return ErrNotFound
	} else if err != nil {
		return err
	}
	now := d.Clock.Now()
	if _, err := d.Store.MarkThreadRead(ctx, db.MarkThreadReadParams{At: &now, UserID: &a.ID, Address: m.Address, RecordID: m.RecordID}); err != nil {
		return err
	}
	d.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindLane})
	return nil
}

// AttachMessage puts what came from an address, and is on no record yet, on one. Errors: ErrNotFound, ErrGone.
func (d *Desk) AttachMessage(ctx context.Context, a Actor, id, record uuid.UUID) (contract.Thread, error) {
	err := d.Store.Tx(ctx, func(q *db.Queries) error {
		m, err := q.LockMessage(ctx, id)
		if store.NotFound(err) {
			return ErrNotFound
		} else if err != nil {
			return err
		}
		if _, err := lockRecord(ctx, q, record); err != nil {
			return err
		}
		return d.putMessages(ctx, q, a, m.Address, record)
	})
	if err != nil {
		return contract.Thread{}, err
	}
	d.publishHistory(nil, record)
	d.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindLane})
	return d.Thread(ctx, a, &record, "")
}

// putMessages puts what came from an address, and is on no record yet, on one.
func (d *Desk) putMessages(ctx context.Context, q *db.Queries, a Actor, address string, record uuid.UUID) error {
	rows, err := q.AttachMessages(ctx, db.AttachMessagesParams{RecordID: &record, Address: address})
	if err != nil {
		return err
	}
	for _, r := range rows {
		if err := q.AddHistory(ctx, db.AddHistoryParams{RecordID: record, At: r.At, Kind: "message", RefID: r.ID}); err != nil {
			return err
		}
	}
	return d.book.RecordChanged(ctx, q, a, record, nil, map[string]string{"messages from": address})
}
