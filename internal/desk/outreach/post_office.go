package outreach

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/card"
	"trundo/internal/core/phone"
	"trundo/internal/core/sequence"
	"trundo/internal/core/texting"
	"trundo/internal/core/touch"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/post"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

const (
	// lostAfter is when a message in sending counts as one whose server has stopped.
	lostAfter = 5 * time.Minute
	// sendTries is how often a message is tried; sendAgain is when it is tried again, doubled each time.
	sendTries = 6
	sendAgain = 30 * time.Second
)

// sendPatience is how long one sending may take.
const sendPatience = 30 * time.Second

// sendDue sends what is due.
func (ou *Outreach) sendDue(ctx context.Context) error {
	if err := ou.askAboutLost(ctx); err != nil {
		return err
	}
	for {
		now := ou.Clock.Now()
		rows, err := ou.Store.TakeDueMessages(ctx,
			db.TakeDueMessagesParams{Now: &now, Server: ou.Server, Epoch: ou.Epoch})
		if err != nil || len(rows) == 0 {
			return err
		}
		for _, m := range rows {
			if err := ou.sendOne(ctx, m); err != nil {
				return err
			}
		}
	}
}

// askAboutLost puts what a server that stopped was just handing over into the lane of who wrote it: nobody can say
// whether it has arrived.
func (ou *Outreach) askAboutLost(ctx context.Context) error {
	now := ou.Clock.Now()
	before := now.Add(-lostAfter)
	return ou.Store.Tx(ctx, func(q *db.Queries) error {
		lost, err := q.LeftInSending(ctx, db.LeftInSendingParams{Before: &before, Server: ou.Server, Epoch: ou.Epoch})
		for _, l := range lost {
			defer ou.tellOfMessage(l.RecordID)
			if l.UserID == nil || l.RecordID == nil {
				continue
			}
			id, text := store.NewID(), "Ask whether your text message has arrived: the server stopped while it was "+
				"being sent"
			if l.Channel == string(contract.ChannelMail) {
				text = fmt.Sprintf("Ask whether your mail “%s” has arrived: the server stopped while it was being sent",
					firm.Shorten(l.Subject, 80))
			}
			if err := q.InsertFollowUp(ctx,
				db.InsertFollowUpParams{ID: id, RecordID: *l.RecordID, OwnerID: *l.UserID, Kind: "task", Text: text,
					DueAt: &now, CreatedBy: l.UserID, CreatedAt: now}); err != nil {
				return err
			}
			if err := q.AddHistory(ctx, db.AddHistoryParams{RecordID: *l.RecordID, At: now, Kind: "follow_up",
				RefID: id}); err != nil {
				return err
			}
		}
		return err
	})
}

// sendOne sends a message that this server has taken, and writes down what became of it.
func (ou *Outreach) sendOne(ctx context.Context, m db.TakeDueMessagesRow) error {
	problem, err := ou.inTheWay(ctx, m)
	if err != nil {
		return err
	}
	if problem != "" {
		err = &post.RefusedError{Why: problem}
	} else {
		err = ou.handOver(ctx, m)
	}
	ctx = context.WithoutCancel(ctx) // what has gone out is written down
	defer ou.tellOfMessage(m.RecordID)
	now := ou.Clock.Now()
	if err == nil {
		return ou.Store.Tx(ctx, func(q *db.Queries) error {
			if err := q.MessageSent(ctx, db.MessageSentParams{ID: m.ID, At: &now}); err != nil ||
				!(touch.Message{ByHand: m.ByHand}).Returns().Settles() {
				return err
			}
			if _, err := q.MarkThreadRead(ctx,
				db.MarkThreadReadParams{At: &now, UserID: m.UserID, Until: m.At, Address: m.Address}); err != nil {
				return err
			}
			p := db.CloseUnreturnedByMessageParams{At: &now, Until: m.At, UserID: m.UserID, RecordID: m.RecordID}
			if m.Channel == string(contract.ChannelText) {
				p.E164 = m.Address
			}
			_, err := q.CloseUnreturnedByMessage(ctx, p)
			return err
		})
	}
	p := db.MessageFailedParams{ID: m.ID, State: "failed", Problem: err.Error()}
	var refused *post.RefusedError
	if !errors.As(err, &refused) && m.Tries < sendTries {
		at := now.Add(sendAgain << (m.Tries - 1))
		p.State, p.SendAt = "waiting", &at
	}
	return ou.Store.MessageFailed(ctx, p)
}

// inTheWay asks again, just before a text message goes out, whether it may.
func (ou *Outreach) inTheWay(ctx context.Context, m db.TakeDueMessagesRow) (string, error) {
	// what nobody wrote is the confirmation of STOP
	if m.Channel != string(contract.ChannelText) || m.LineID == nil || m.UserID == nil {
		return "", nil
	}
	if _, err := ou.Store.OptOut(ctx, m.Address); err == nil {
		return "they want no messages", nil
	} else if !store.NotFound(err) {
		return "", err
	}
	lines, err := ou.Store.LineTexting(ctx)
	for _, l := range lines {
		if l.ID == *m.LineID {
			return notApproved(l.Label, l.Texting), err
		}
	}
	return "", err
}

func (ou *Outreach) handOver(ctx context.Context, m db.TakeDueMessagesRow) error {
	if ou.Post == nil {
		return &post.RefusedError{Why: "this server sends no messages"}
	}
	ctx, cancel := context.WithTimeout(ctx, sendPatience)
	defer cancel()
	if m.Channel == string(contract.ChannelText) {
		lines, err := ou.Store.LineTexting(ctx)
		if err != nil {
			return err
		}
		for _, l := range lines {
			if m.LineID != nil && l.ID == *m.LineID {
				return ou.Post.SendText(ctx, post.Text{ID: m.ID.String(), From: l.E164, To: m.Address, Body: m.Body})
			}
		}
		return &post.RefusedError{Why: "its line is gone"}
	}
	mail := post.Mail{ID: optional.Value(m.Reference), To: m.Address, Subject: m.Subject, Body: m.Body,
		InReplyTo: m.InReplyTo}
	var err error
	if m.UserID != nil {
		user, userErr := ou.Store.User(ctx, *m.UserID)
		if userErr != nil {
			return userErr
		}
		mail.FromName = user.Name
		if mail.From, err = ou.mailFrom(ctx, ou.Store.Queries, *m.UserID); err != nil {
			return err
		}
	}
	if m.RecordID != nil {
		r, err := ou.Store.RecordName(ctx, *m.RecordID)
		if err != nil {
			return err
		}
		mail.ToName = r.Name
	}
	files, err := ou.Store.FilesToSend(ctx, &m.ID)
	if err != nil {
		return err
	}
	for _, f := range files {
		mail.Files = append(mail.Files, post.File{Name: f.Name, Type: f.Type, Content: f.Content})
	}
	return ou.Post.SendMail(ctx, mail)
}

// tellOfMessage tells everybody that a message has changed.
func (ou *Outreach) tellOfMessage(record *uuid.UUID) {
	if record != nil {
		ou.PublishHistory(nil, *record)
	} else {
		ou.PublishHistory(nil)
	}
	ou.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindLane})
}

// Received is a message from the outside.
type Received struct {
	Channel   contract.Channel
	Reference string // the network's name for it, or its Message-ID: the same one is taken once; "" is made up
	From, To  string // a number or an address each
	Subject   string
	Body      string
	InReplyTo string
	// Keep is told once it is kept, in the same transaction, in place of the queues; nil: the queues are asked.
	Keep func(ctx context.Context, q *db.Queries, m db.InsertMessageParams) error
}

// Receive takes a message from the outside: on the right record, for who wrote last or owns it, else for the line's
// reps. A word such as STOP is kept and confirmed. The same one twice is taken once. Error: *FieldError.
func (ou *Outreach) Receive(ctx context.Context, r Received) error {
	f, err := ou.Settings(ctx)
	if err != nil {
		return err
	}
	r.Body, r.Subject = firm.CleanText(r.Body), firm.Shorten(strings.Join(strings.Fields(firm.CleanText(r.Subject)),
		" "), 200)
	if len(r.Body) > 100_000 {
		r.Body = r.Body[:100_000]
	}
	r.Body, r.Subject = card.Mask(r.Body), card.Mask(r.Subject)
	if r.Channel != contract.ChannelText && r.Channel != contract.ChannelMail {
		return firm.Wrong("channel", "say whether it is a text message or a mail")
	}
	if r.Reference == "" {
		r.Reference = store.NewID().String() + "@received"
	}
	p := db.InsertMessageParams{ID: store.NewID(), Channel: string(r.Channel), Incoming: true,
		Address: strings.ToLower(strings.TrimSpace(r.From)), Subject: r.Subject, Body: strings.ToValidUTF8(r.Body, "�"),
		State: "received", At: ou.Clock.Now(), Reference: &r.Reference, InReplyTo: r.InReplyTo}
	if r.Channel == contract.ChannelText {
		n, err := phone.Parse(r.From, f.Region)
		if err != nil {
			return firm.About("from", err)
		}
		p.Address = n.E164
		if p.LineID = f.LineOf(r.To); p.LineID == nil {
			return firm.Wrong("to", "the firm has no such line")
		}
	}
	if p.Address == "" || p.Body == "" && p.Subject == "" {
		return firm.Wrong("text", "a message says something")
	}
	var owner *uuid.UUID
	if p.RecordID, owner, err = ou.whoWrote(ctx, r.Channel, p.Address); err != nil {
		return err
	}
	err = ou.Store.Tx(ctx, func(q *db.Queries) error {
		last, err := q.LastMessageTo(ctx, p.Address)
		if err != nil {
			return err
		}
		p.UserID = owner
		if len(last) > 0 {
			if p.UserID = last[0].UserID; p.RecordID == nil {
				p.RecordID = last[0].RecordID
			}
		}
		if err := q.InsertMessage(ctx, p); err != nil {
			return err
		}
		keep := ou.sorted
		if r.Keep != nil {
			keep = r.Keep
		}
		if err := keep(ctx, q, p); err != nil {
			return err
		}
		if err := ou.Emit(ctx, q, contract.WebhookEventMessageReceived, func() (any, error) {
			return map[string]any{"message_id": p.ID, "channel": p.Channel, "from": p.Address, "subject": p.Subject,
				"body": p.Body, "record_id": p.RecordID}, nil
		}); err != nil {
			return err
		}
		if p.RecordID != nil {
			if err := ou.endSequences(ctx, q, *p.RecordID, sequence.Replied); err != nil {
				return err
			}
			if err := q.AddHistory(ctx, db.AddHistoryParams{RecordID: *p.RecordID, At: p.At, Kind: "message",
				RefID: p.ID}); err != nil {
				return err
			}
		}
		if r.Channel != contract.ChannelText {
			return nil
		}
		if err := ou.wished(ctx, q, f, p); err != nil {
			return err
		}
		return ou.forward(ctx, q, f, p)
	})
	if store.Duplicate(err) {
		return nil // it has been taken already
	}
	if err != nil {
		return err
	}
	ou.Posted(nil)
	ou.tellOfMessage(p.RecordID)
	if ou.inbox != nil {
		ou.inbox.Waits()
	}
	return nil
}

// sorted lets a message answer what the firm asked by itself, or wait in a queue where it is for nobody in particular.
func (ou *Outreach) sorted(ctx context.Context, q *db.Queries, p db.InsertMessageParams) error {
	if p.Channel == string(contract.ChannelText) && texting.Read(p.Body) == texting.None {
		back, err := ou.timeChosen(ctx, q, p)
		if err != nil {
			return err
		}
		if back != "" {
			if err := ou.automatic(ctx, q, p, back); err != nil {
				return err
			}
			return q.MarkMessageRead(ctx, db.MarkMessageReadParams{At: &p.At, ID: p.ID})
		}
	}
	if ou.inbox == nil {
		return nil
	}
	if p.Channel == string(contract.ChannelText) && texting.Read(p.Body) == texting.None {
		back, toRead, err := ou.inbox.Answered(ctx, q, p)
		if err != nil {
			return err
		}
		if back != "" {
			if err := ou.automatic(ctx, q, p, back); err != nil {
				return err
			}
		}
		if !toRead {
			return q.MarkMessageRead(ctx, db.MarkMessageReadParams{At: &p.At, ID: p.ID})
		}
	}
	if p.UserID != nil {
		return nil
	}
	return ou.inbox.Received(ctx, q, p)
}

// automatic writes down what the firm answers by itself to a text message.
func (ou *Outreach) automatic(ctx context.Context, q *db.Queries, p db.InsertMessageParams, text string) error {
	now := p.At
	id, at := store.NewID(), now.Add(time.Millisecond)
	if err := q.InsertMessage(ctx, db.InsertMessageParams{ID: id, Channel: string(contract.ChannelText),
		RecordID: p.RecordID, Address: p.Address, LineID: p.LineID, Body: text, State: "waiting",
		At: at, SendAt: &now}); err != nil || p.RecordID == nil {
		return err
	}
	return q.AddHistory(ctx, db.AddHistoryParams{RecordID: *p.RecordID, At: at, Kind: "message", RefID: id})
}

// AskByText writes a text message that nobody writes by hand, after a call of user's with to on a line, and in the same
// transaction what also says; none where the number gets none, as the rules of text messages say.
func (ou *Outreach) AskByText(ctx context.Context, user, line uuid.UUID, record *uuid.UUID, to, text string,
	also func(ctx context.Context, q *db.Queries) error) error {
	f, err := ou.Settings(ctx)
	if err != nil || ou.Post == nil {
		return err
	}
	l := letter{channel: contract.ChannelText, to: to, zones: phone.Zones(to)}
	for i := range f.Lines {
		if f.Lines[i].ID == line.String() {
			l.line = &f.Lines[i]
		}
	}
	if l.line == nil {
		return nil
	}
	if record != nil {
		r, err := ou.Store.Record(ctx, *record)
		if err != nil {
			return err
		}
		l.Record = &r.Record
	}
	if err := ou.mayText(ctx, ou.Store.Queries, &l, false); err != nil || l.Problem != "" {
		return err
	}
	err = ou.Store.Tx(ctx, func(q *db.Queries) error {
		if err := ou.WriteDown(ctx, q, firm.Actor{ID: user}, l, store.NewID(), nil, "", text, 0); err != nil {
			return err
		}
		return also(ctx, q)
	})
	if err == nil {
		ou.Posted(l.Record)
	}
	return err
}

// wished does what a text message wishes that is nothing but a word such as STOP.
func (ou *Outreach) wished(ctx context.Context, q *db.Queries, f *firm.Settings, p db.InsertMessageParams) error {
	answer := ""
	switch texting.Read(p.Body) {
	case texting.Stop:
		if err := q.PutOptOut(ctx, db.PutOptOutParams{E164: p.Address, Word: strings.ToUpper(firm.Shorten(p.Body, 20)),
			At: p.At}); err != nil {
			return err
		}
		answer = f.Name + ": you will get no more messages from us. Answer START to get them again."
	case texting.Start:
		if err := q.DropOptOut(ctx, p.Address); err != nil {
			return err
		}
		answer = f.Name + ": you will get messages from us again. Answer STOP to end them."
	default:
		return nil
	}
	return ou.automatic(ctx, q, p, answer)
}

// forward tells the own telephone of whom a message is for, if they want it.
func (ou *Outreach) forward(ctx context.Context, q *db.Queries, f *firm.Settings, p db.InsertMessageParams) error {
	if p.UserID == nil {
		return nil
	}
	s, err := q.MailSettings(ctx, *p.UserID)
	if err != nil || !s.ForwardTexts || s.Telephone == "" || s.Telephone == p.Address {
		return err
	}
	who := phone.Format(p.Address, "", f.Region, phone.National)
	if p.RecordID != nil {
		r, err := q.RecordName(ctx, *p.RecordID)
		if err != nil {
			return err
		}
		who = r.Name
	}
	now := p.At
	return q.InsertMessage(ctx, db.InsertMessageParams{ID: store.NewID(), Channel: string(contract.ChannelText),
		Address: s.Telephone, LineID: p.LineID, UserID: p.UserID,
		Body: fmt.Sprintf("%s: %s", who, firm.Shorten(p.Body, 1000)), State: "waiting", At: now, SendAt: &now,
		Forwards: &p.ID})
}
