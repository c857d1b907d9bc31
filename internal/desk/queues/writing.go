package queues

import (
	"cmp"
	"context"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/queue"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// leftFor is how long a message stays with somebody who is not there any more.
const leftFor = 10 * time.Minute

// Received implements outreach.Inbox: a message waits in the first queue whose rule takes it; one that says nothing but
// that its writer wishes to be called becomes a callback.
func (qs *Queues) Received(ctx context.Context, q *db.Queries, m db.InsertMessageParams) error {
	set, err := qs.setUpWithin(ctx)
	if err != nil || set == nil {
		return err
	}
	wrote := queue.Message{Address: m.Address, Text: m.Subject + " " + m.Body}
	if m.LineID != nil {
		wrote.Line = m.LineID.String()
	}
	for _, id := range set.order {
		x := set.queues[id]
		if !x.Active || !x.Writing.Takes(wrote) {
			continue
		}
		if m.Channel == string(contract.ChannelText) && queue.WishesCall(m.Body) {
			return q.InsertQueueWait(ctx, db.InsertQueueWaitParams{ID: store.NewID(), QueueID: id, Kind: "callback",
				LineID: m.LineID, RecordID: m.RecordID, E164: m.Address, Since: m.At})
		}
		return q.InsertMessageWait(ctx, db.InsertMessageWaitParams{ID: store.NewID(), QueueID: id, MessageID: &m.ID,
			LineID: m.LineID, RecordID: m.RecordID, Since: m.At})
	}
	return nil
}

// Waits implements outreach.Inbox.
func (qs *Queues) Waits() {
	qs.Surveys.Committed()
	qs.tell()
	qs.MayBeFree()
}

// written is what was written and waits, after what has been answered has left the queues, and what somebody left is given
// back.
func (qs *Queues) written(ctx context.Context, rows []db.OpenMessageWaitsRow,
	now time.Time) ([]db.OpenMessageWaitsRow, error) {
	if len(rows) == 0 {
		return nil, nil
	}
	closed, err := qs.Store.CloseWritten(ctx, &now)
	if err != nil {
		return nil, err
	}
	gone := map[uuid.UUID]bool{}
	for _, id := range closed {
		gone[id] = true
	}
	var open []db.OpenMessageWaitsRow
	changed := len(closed) > 0
	for _, r := range rows {
		if gone[r.ID] {
			continue
		}
		if r.TakenBy != nil && r.TakenAt != nil && now.Sub(*r.TakenAt) > leftFor {
			doing, err := qs.Calls.Team.Presence(ctx, *r.TakenBy)
			if err != nil {
				return nil, err
			}
			if !doing[*r.TakenBy].There() {
				if _, err := qs.Store.TakeMessageWait(ctx, db.TakeMessageWaitParams{ID: r.ID}); err != nil {
					return nil, err
				}
				r.TakenBy, changed = nil, true
			}
		}
		open = append(open, r)
	}
	if changed {
		qs.tell()
		qs.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindLane})
	}
	return open, nil
}

// handings keep what somebody has handed on from coming back to them at once.
type handings struct {
	mu sync.Mutex
	of map[uuid.UUID]handedOn // by the wait
}

// keep remembers who has handed waits on, and forgets what was long ago.
func (h *handings) keep(a firm.Actor, now time.Time, waits ...uuid.UUID) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for id, x := range h.of {
		if now.Sub(x.at) >= leftFor {
			delete(h.of, id)
		}
	}
	for _, id := range waits {
		h.of[id] = handedOn{a.ID.String(), now}
	}
}

// by is who has handed a wait on not long ago.
func (h *handings) by(wait uuid.UUID, now time.Time) (user string, is bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	x, is := h.of[wait]
	return x.by, is && now.Sub(x.at) < leftFor
}

// handedOn is who has handed a message on, and when.
type handedOn struct {
	by string
	at time.Time
}

// HandOn hands a message that is a's or nobody's, or anybody's where a leads the queue, and what else its sender wrote that
// nobody has read, on to a queue; for a while it is not given back to a. Errors: firm.ErrNotFound, *firm.FieldError.
func (qs *Queues) HandOn(ctx context.Context, a firm.Actor, message, to uuid.UUID) error {
	set, err := qs.setUp(ctx)
	if err != nil {
		return err
	}
	into := set.queues[to]
	if into == nil || !into.Active {
		return firm.About("queue_id", firm.ErrNotFound)
	}
	leads := qs.mayLead(ctx, a, into)
	now := qs.Clock.Now()
	var waits []uuid.UUID
	err = qs.Store.Tx(ctx, func(q *db.Queries) error {
		m, err := q.LockMessage(ctx, message)
		if store.NotFound(err) || err == nil && !m.Incoming {
			return firm.ErrNotFound
		} else if err != nil {
			return err
		}
		waits, err = q.HandMessagesOn(ctx, db.HandMessagesOnParams{Address: m.Address, QueueID: to,
			Leads: leads, Me: a.ID})
		if err == nil && len(waits) == 0 {
			err = firm.Wrong("message", "somebody else has it, or has seen to it already")
		}
		return err
	})
	if err != nil {
		return err
	}
	qs.handed.keep(a, now, waits...)
	qs.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindLane})
	qs.Waits()
	return nil
}

// HandOverInWriting hands the call of a slip over to a queue of written work: the slip's notes, and a word on what is to be
// done, wait there as what customers write does, and whoever is given them goes on with the customer by text or mail. The
// same key does it once. Errors: firm.ErrNotFound, firm.ErrForbidden, *firm.FieldError, firm.ErrKeyReused.
func (qs *Queues) HandOverInWriting(ctx context.Context, a firm.Actor, key string, slip uuid.UUID,
	h contract.WrittenHandOver) error {
	set, err := qs.setUp(ctx)
	if err != nil {
		return err
	}
	if into := set.queues[h.QueueID]; into == nil || !into.Active {
		return firm.About("queue_id", firm.ErrNotFound)
	}
	wait, now := store.NewID(), qs.Clock.Now()
	var m db.InsertMessageParams
	_, err = qs.Once(ctx, a, key, "hand_over_in_writing", struct {
		Slip uuid.UUID
		contract.WrittenHandOver
	}{slip, h}, func(q *db.Queries, id uuid.UUID) error {
		if m, err = handOver(ctx, q, a, slip, h.Word); err != nil {
			return err
		}
		m.ID, m.At = id, now
		if err := q.InsertMessage(ctx, m); err != nil {
			return err
		}
		if m.RecordID != nil {
			if err := q.AddHistory(ctx, db.AddHistoryParams{RecordID: *m.RecordID, At: now, Kind: "message",
				RefID: id}); err != nil {
				return err
			}
		}
		return q.InsertMessageWait(ctx, db.InsertMessageWaitParams{ID: wait, QueueID: h.QueueID, MessageID: &id,
			LineID: m.LineID, RecordID: m.RecordID, Since: now})
	})
	if err != nil {
		return err
	}
	if m.RecordID != nil {
		qs.PublishHistory(nil, *m.RecordID)
	}
	qs.handed.keep(a, now, wait)
	qs.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindLane})
	qs.Waits()
	return nil
}

// handOver is what waits for who goes on with a slip's call in writing. Errors: as HandOverInWriting.
func handOver(ctx context.Context, q *db.Queries, a firm.Actor, id uuid.UUID,
	word string) (db.InsertMessageParams, error) {
	m := db.InsertMessageParams{Channel: string(contract.ChannelText), Incoming: true, State: "received", SlipID: &id}
	s, err := firm.LockSlip(ctx, q, a, id)
	if err != nil {
		return m, err
	}
	from, err := q.HandedOverFrom(ctx, s.CallID)
	if err != nil {
		return m, err
	}
	m.Subject = s.Subject
	m.Body = strings.TrimSpace(firm.PlainText(word) + "\n\n" + strings.TrimSpace(s.NotesBody))
	if m.LineID = from.LineID; from.RecordID != uuid.Nil {
		m.RecordID = &from.RecordID
	}
	firm.HideCards(&m.Body, nil)
	switch {
	case s.Internal:
		return m, firm.Wrong("id", "a call between colleagues is nobody's to answer in writing")
	case m.Body == "":
		return m, firm.Wrong("word", "say what is to be done: there are no notes yet")
	case from.RemoteE164 != "":
		m.Address = from.RemoteE164
	case from.Email != "":
		m.Channel, m.Address = string(contract.ChannelMail), from.Email
	default:
		return m, firm.Wrong("id", "neither a number nor a mail address of theirs is known")
	}
	return m, nil
}

// writtenWork is a message as core/queue sees it.
func (qs *Queues) writtenWork(r db.OpenMessageWaitsRow, now time.Time) queue.Work {
	w := queue.Work{ID: r.ID.String(), Queue: r.QueueID.String(), Since: r.Since, Priority: r.Priority}
	if r.OwnerID != nil {
		w.Prefers = []queue.Preference{{ID: r.OwnerID.String(), Why: whyOwner}}
	}
	if by, is := qs.handed.by(r.ID, now); is {
		w.Refused = []string{by}
	}
	return w
}

// give makes a message somebody's.
func (qs *Queues) give(ctx context.Context, id, to uuid.UUID, now time.Time) error {
	if _, err := qs.Store.TakeMessageWait(ctx, db.TakeMessageWaitParams{UserID: &to, At: &now, ID: id}); err != nil {
		return err
	}
	qs.PublishLane(to)
	qs.tell()
	return nil
}

// writtenView is a message as it waits, for whom it is shown to.
func (qs *Queues) writtenView(
	q *Queue,
	r db.OpenMessageWaitsRow,
	f *firm.Settings,
	now time.Time,
) contract.WaitingCall {
	v := qs.waitView(q, r.ID, r.Name, cmp.Or(r.Address, "somebody"), r.Since, now)
	text := firm.Shorten(cmp.Or(r.Subject, r.Body), 120)
	if r.HandedName != "" {
		text = "from " + r.HandedName + ": " + text
	}
	v.Message, v.RecordID, v.Address = &text, r.RecordID, &r.Address
	if r.LineID != nil {
		v.Line = f.LineLabels[*r.LineID]
	}
	v.Late = new(contract.Lateness(queue.LateAt(now.Sub(r.Since), time.Duration(q.Writing.Minutes)*time.Minute)))
	return v
}
