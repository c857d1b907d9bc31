package staff

import (
	"context"
	"strconv"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// AddProvided adds whom an identity provider knows and a rule of the firm gives a place; it is the firm that does it. Where
// the login is somebody's already it gets a number. Errors: *firm.FieldError.
func (sf *Staff) AddProvided(ctx context.Context, e contract.MemberEdit) (uuid.UUID, error) {
	f, err := sf.Settings(ctx)
	if err != nil {
		return uuid.Nil, err
	}
	if e, err = cleaned(f, e); err != nil {
		return uuid.Nil, err
	}
	id, login := store.NewID(), e.Login
	for n := 2; ; n++ {
		err = sf.Store.Tx(ctx, func(q *db.Queries) error {
			if _, err := q.RoleOf(ctx, string(e.Role)); store.NotFound(err) {
				return firm.Wrong("role", "there is no such role")
			} else if err != nil {
				return err
			}
			return sf.insert(ctx, q, firm.Actor{}, id, e)
		})
		if err == nil || n > maxSameLogins || !firm.IsAbout(err, "login") {
			break
		}
		e.Login = login + strconv.Itoa(n)
	}
	if err == nil {
		sf.changed(id)
	}
	return id, err
}

// maxSameLogins is after how many numbers no more are tried.
const maxSameLogins = 50

// Becomes gives somebody the role that a rule of the firm says; it is the firm that does it. The last admin stays one.
// Errors: firm.ErrNotFound, *firm.FieldError.
func (sf *Staff) Becomes(ctx context.Context, id uuid.UUID, role firm.Role) error {
	changed := false
	err := sf.Store.Tx(ctx, func(q *db.Queries) error {
		admins, err := q.LockAdmins(ctx)
		if err != nil {
			return err
		}
		u, err := lock(ctx, q, id)
		if err != nil || u.Role == string(role) || isLast(admins, id) && role != rights.RoleAdmin {
			return err
		}
		if _, err := q.RoleOf(ctx, string(role)); store.NotFound(err) {
			return firm.Wrong("role", "there is no such role")
		} else if err != nil {
			return err
		}
		before, e := editOf(u), editOf(u)
		e.Role = contract.MemberRole(role)
		changed = true
		return sf.update(ctx, q, firm.Actor{}, id, before, e)
	})
	if err == nil && changed {
		sf.changed(id)
	}
	return err
}
