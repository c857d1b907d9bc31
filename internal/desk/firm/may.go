package firm

import (
	"context"
	"errors"

	"github.com/google/uuid"

	"trundo/internal/core/callable"
	"trundo/internal/core/slip"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// Subject is a record as the rule about links sees it.
func Subject(id uuid.UUID, kind string, company, person *uuid.UUID) slip.Subject {
	return slip.Subject{Record: id.String(), Role: slip.RoleOf(kind), Company: optional.ID(company),
		Person: optional.ID(person)}
}

// Reasons are what was written down with each kind of do-not-call.
type Reasons struct{ Number, Person, Company, Listed string }

// Refused puts the reason that was written down beside the rule; nil where nothing was refused.
func Refused(err error, why Reasons) *RefusedError {
	switch {
	case err == nil:
		return nil
	case errors.Is(err, callable.ErrDoNotCall):
		return &RefusedError{Err: err, Detail: why.Number}
	case errors.Is(err, callable.ErrCompanyDoNotCall):
		return &RefusedError{Err: err, Detail: why.Company}
	case errors.Is(err, callable.ErrListedDoNotCall):
		return &RefusedError{Err: err, Detail: why.Listed}
	}
	return &RefusedError{Err: err, Detail: why.Person}
}

// Readable tells whether a record is there to be read: not where it was deleted. Errors: ErrNotFound, ErrGone.
func (k *Firm) Readable(ctx context.Context, id uuid.UUID) error {
	r, err := k.Store.RecordName(ctx, id)
	switch {
	case store.NotFound(err):
		return ErrNotFound
	case err != nil:
		return err
	case r.DeletedAt != nil && r.MergedInto == nil:
		return ErrGone
	}
	return nil
}

// LockRecord locks a record for a change. Errors: ErrNotFound, ErrGone.
func LockRecord(ctx context.Context, q *db.Queries, id uuid.UUID) (db.Record, error) {
	r, err := q.LockRecord(ctx, id)
	switch {
	case store.NotFound(err):
		return r, ErrNotFound
	case err != nil:
		return r, err
	case r.DeletedAt != nil:
		return r, ErrGone
	}
	return r, nil
}

// LockSlip reads a slip for a change, as slip.MayChange says. Errors: ErrNotFound, ErrForbidden.
func LockSlip(ctx context.Context, q *db.Queries, a Actor, id uuid.UUID) (db.LockSlipRow, error) {
	s, err := q.LockSlip(ctx, id)
	if store.NotFound(err) {
		return s, ErrNotFound
	} else if err != nil {
		return s, err
	}
	if !slip.MayChange(
		a.Reader(),
		slip.Part{Rep: s.UserID.String(), Teams: s.RepTeams, HandedTo: optional.ID(s.HandedTo),
			Visible: slip.Visible(s.Visible)},
	) {
		return s, ErrForbidden
	}
	return s, nil
}
