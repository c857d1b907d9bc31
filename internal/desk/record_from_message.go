package desk

import (
	"context"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/desk/book"
	"trundo/internal/desk/calls"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// RecordFromMessage makes whoever wrote a message a record, with the address it came from and the line's source, and
// puts what came from there on it. The same key makes one record. Errors: *FieldError, ErrNotFound, ErrKeyReused,
// ErrSettled where it is on a record already.
func (d *Desk) RecordFromMessage(ctx context.Context, a firm.Actor, id uuid.UUID, key string,
	n contract.RecordFromCall) (contract.Thread, error) {
	f, err := d.Settings(ctx)
	if err != nil {
		return contract.Thread{}, err
	}
	var company *uuid.UUID
	record, err := d.Once(ctx, a, key, "record_from_message", struct {
		Message uuid.UUID
		contract.RecordFromCall
	}{id, n}, func(q *db.Queries, record uuid.UUID) error {
		m, err := q.LockMessage(ctx, id)
		switch {
		case store.NotFound(err):
			return firm.ErrNotFound
		case err != nil:
			return err
		case m.RecordID != nil:
			return calls.ErrSettled
		}
		met := book.Introduction{ID: record}
		if m.LineID != nil && m.Incoming {
			met.Source = f.LineSources[*m.LineID]
		}
		if m.Channel == string(contract.ChannelMail) {
			met.Mail = m.Address
		} else {
			met.Number, met.Label = m.Address, "mobile"
		}
		if _, company, err = d.Book.Introduce(ctx, q, a, f, n, met); err != nil {
			return err
		}
		return d.Outreach.PutMessages(ctx, q, a, m.Address, record)
	})
	if err != nil {
		return contract.Thread{}, err
	}
	d.PublishRecord(record)
	if company != nil {
		d.PublishRecord(*company)
	}
	d.PublishHistory(nil, record)
	d.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindLane})
	return d.Outreach.Thread(ctx, a, &record, "")
}
