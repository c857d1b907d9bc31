package book

import (
	"context"
	"time"

	"github.com/google/uuid"

	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// RecordChanged keeps a change of a record in the audit trail and in its history, which names the trail's entry.
func (bk *Book) RecordChanged(ctx context.Context, q *db.Queries, a firm.Actor, id uuid.UUID, before,
	after map[string]string) error {
	return bk.RecordChangedAs(ctx, q, a, store.NewID(), bk.Clock.Now(), id, before, after)
}

// RecordChangedAs is RecordChanged with an id for the change and its time, for what can take it back.
func (bk *Book) RecordChangedAs(ctx context.Context, q *db.Queries, a firm.Actor, change uuid.UUID, at time.Time,
	id uuid.UUID, before, after map[string]string) error {
	if before == nil {
		before = map[string]string{}
	}
	if err := bk.AuditedAs(ctx, q, a, change, at, "record", id, "changed", before, after); err != nil {
		return err
	}
	return q.AddHistory(ctx, db.AddHistoryParams{RecordID: id, At: at, Kind: "change", RefID: change})
}
