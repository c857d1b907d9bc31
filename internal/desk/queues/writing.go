package queues

import (
	"cmp"
	"context"
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

// writtenWork is a message as core/queue sees it.
func writtenWork(r db.OpenMessageWaitsRow) queue.Work {
	w := queue.Work{ID: r.ID.String(), Queue: r.QueueID.String(), Since: r.Since, Priority: r.Priority}
	if r.OwnerID != nil {
		w.Prefers = []queue.Preference{{ID: r.OwnerID.String(), Why: whyOwner}}
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
	v.Message, v.RecordID, v.Address = &text, r.RecordID, &r.Address
	if r.LineID != nil {
		v.Line = f.LineLabels[*r.LineID]
	}
	v.Late = new(contract.Lateness(queue.LateAt(now.Sub(r.Since), time.Duration(q.Writing.Minutes)*time.Minute)))
	return v
}
