package firm

import (
	"context"
	"encoding/json"
	"time"

	"github.com/google/uuid"

	"trundo/internal/store"
	"trundo/internal/store/db"
)

// Audited writes one change into the audit trail.
func (k *Firm) Audited(ctx context.Context, q *db.Queries, a Actor, kind string, subject uuid.UUID, action string,
	before, after any) error {
	return k.AuditedAs(ctx, q, a, store.NewID(), k.Clock.Now(), kind, subject, action, before, after)
}

// AuditedAs is Audited with an id for the entry and its time.
func (k *Firm) AuditedAs(ctx context.Context, q *db.Queries, a Actor, id uuid.UUID, at time.Time, kind string,
	subject uuid.UUID, action string, before, after any) error {
	b, err := json.Marshal(before)
	if err != nil {
		return err
	}
	c, err := json.Marshal(after)
	if err != nil {
		return err
	}
	by := &a.ID
	if a.ID == uuid.Nil {
		by = nil // the firm did it by itself
	}
	return q.InsertAudit(ctx, db.InsertAuditParams{ID: id, At: at, ActorID: by, SubjectKind: kind,
		SubjectID: subject, Action: action, Before: b, After: c})
}

// OnlyChanged takes away what is the same before and after.
func OnlyChanged(before, after map[string]string) {
	for k := range before {
		if was, there := after[k]; there && was == before[k] {
			delete(before, k)
			delete(after, k)
		}
	}
}

// Every runs a batch of statements, which goes to the database in one message; the first error counts.
func Every(exec func(func(int, error))) (first error) {
	exec(func(_ int, err error) {
		if first == nil {
			first = err
		}
	})
	return first
}
