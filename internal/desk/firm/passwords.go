package firm

import (
	"context"
	"errors"
	"time"

	"trundo/internal/core/password"
	"trundo/internal/store/db"
)

// create hashes a password in turn. Errors: ErrBusy, that of ctx.
func (h *hashing) create(ctx context.Context, text string) (hash string, err error) {
	err = h.inTurn(ctx, func() (err error) {
		hash, err = hashOf(text)
		return err
	})
	return hash, err
}

// SetOwnPassword gives a another password, which they have chosen: all of their sessions that began before now end. with
// is done in the same transaction. Errors: *FieldError, ErrBusy, those of with.
func (k *Firm) SetOwnPassword(ctx context.Context, a Actor, now time.Time, fresh string,
	with func(*db.Queries) error) error {
	f, err := k.Settings(ctx)
	if err != nil {
		return err
	}
	if err := password.Check(fresh, a.Login, a.Name, f.Name, "trundo"); err != nil {
		return About("password", err)
	}
	hash, err := k.hashing.create(ctx, fresh)
	if err != nil {
		return err
	}
	err = k.Store.Tx(ctx, func(q *db.Queries) error {
		if err := with(q); err != nil {
			return err
		}
		if err := q.SetOwnPassword(ctx, db.SetOwnPasswordParams{ID: a.ID, PasswordHash: hash, At: &now}); err != nil {
			return err
		}
		return k.Audited(ctx, q, a, "member", a.ID, "chose a password", map[string]string{}, map[string]string{})
	})
	k.ActorChanged(a.ID)
	return err
}

// ChangePassword gives a another password in place of the one that they have, and ends their sessions that began before
// now. Errors: *FieldError, about current where it is not theirs; ErrBusy.
func (k *Firm) ChangePassword(ctx context.Context, a Actor, now time.Time, current, fresh string) error {
	if err := k.Knows(ctx, a, current); err != nil {
		var wrong *FieldError
		if errors.As(err, &wrong) {
			return About("current", wrong.Err)
		}
		return err
	}
	return k.SetOwnPassword(ctx, a, now, fresh, func(*db.Queries) error { return nil })
}
