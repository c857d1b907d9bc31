package firm

import (
	"context"

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

// SetOwnPassword gives a another password, which they have chosen: all of their sessions end. with is done in the same
// transaction. Errors: *FieldError, ErrBusy, those of with.
func (k *Firm) SetOwnPassword(ctx context.Context, a Actor, fresh string, with func(*db.Queries) error) error {
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
	now := k.Clock.Now()
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

// ChangePassword gives a another password in place of the one that they have. Errors: *FieldError, about current where
// it is not theirs; ErrBusy.
func (k *Firm) ChangePassword(ctx context.Context, a Actor, current, fresh string) error {
	hash, err := k.Store.PasswordHash(ctx, a.ID)
	if err != nil {
		return err
	}
	if ok, err := k.hashing.compare(ctx, current, hash); err != nil {
		return err
	} else if !ok {
		return Wrong("current", "this is not your password")
	}
	return k.SetOwnPassword(ctx, a, fresh, func(*db.Queries) error { return nil })
}
