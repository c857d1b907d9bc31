package insight

import (
	"context"

	"github.com/google/uuid"

	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// saving is something with a name and a version that is added or changed.
type saving struct {
	id      *uuid.UUID // nil: it is added
	version int        // that was read
	kind    string     // as the trail calls it
	name    string
}

// save adds or changes something, and writes it into the trail. Errors: firm.ErrNotFound, firm.ErrChangedElse,
// *firm.FieldError
// where its name is taken.
func (in *Insight) save(
	ctx context.Context,
	a firm.Actor,
	s saving,
	add func(*db.Queries, uuid.UUID) error,
	change func(*db.Queries, uuid.UUID) (int64, error),
	there func(context.Context, uuid.UUID) (bool, error),
) (uuid.UUID, error) {
	id := store.NewID()
	if s.id != nil {
		id = *s.id
	}
	err := in.Store.Tx(ctx, func(q *db.Queries) error {
		word := "added"
		if s.id == nil {
			if err := add(q, id); err != nil {
				return err
			}
		} else {
			word = "changed"
			n, err := change(q, id)
			if err != nil {
				return err
			}
			if n == 0 {
				return firm.ErrChangedElse
			}
		}
		return in.Audited(ctx, q, a, s.kind, id, s.kind, nil, map[string]string{s.kind: s.name + " " + word})
	})
	switch {
	case store.Duplicate(err):
		return id, firm.Wrong("name", "there is one of this name already")
	case err == firm.ErrChangedElse:
		if known, fault := there(ctx, id); fault == nil && !known {
			return id, firm.ErrNotFound
		}
	}
	return id, err
}
