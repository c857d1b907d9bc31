package firm

import (
	"context"
	"encoding/json"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/absence"
	"trundo/internal/core/rights"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// MayDo tells whether a has a right, however far it goes.
func (a Actor) MayDo(r rights.Right) bool { return a.Rights.May(r) }

// RightsOf are the rights of a role as they were written down; nil: as the role came. An admin's are always all.
func RightsOf(role string, written json.RawMessage) rights.Set {
	var s rights.Set
	if role != rights.RoleAdmin && written != nil && json.Unmarshal(written, &s) == nil && s != nil {
		return s
	}
	return rights.Shipped(role)
}

// RightSet is a set of rights as the contract has it.
func RightSet(s rights.Set) contract.RightSet {
	view := contract.RightSet{}
	for r, reach := range s {
		if reach != rights.None {
			view[string(r)] = contract.Reach(reach)
		}
	}
	return view
}

// MayOf tells whether a right of a's goes as far as what belongs to owner; nil: to nobody, which is any team's. What
// belongs to somebody for whom a stands in is a's meanwhile.
func (k *Firm) MayOf(ctx context.Context, a Actor, r rights.Right, owner *uuid.UUID) bool {
	w := rights.Whose{Mine: owner != nil && *owner == a.ID, SameTeam: owner == nil}
	if !w.Mine && owner != nil && a.Rights[r] != rights.All {
		if f, err := k.SettingsWithin(ctx); err == nil {
			w.SameTeam = rights.ShareTeam(a.Teams, f.TeamsOf[*owner])
			w.Mine = absence.Deputy(f.Away(k.Clock.Now()), owner.String()) == a.ID.String()
		}
	}
	return a.Rights.MayOf(r, w)
}

// MayGive tells whether a may make somebody what a role is, or act on who is that: nobody gives more than they have.
// Errors: ErrForbidden, *FieldError where there is no such role.
func MayGive(ctx context.Context, q *db.Queries, a Actor, role string) error {
	r, err := q.RoleOf(ctx, role)
	switch {
	case store.NotFound(err):
		return Wrong("role", "there is no such role")
	case err != nil:
		return err
	case !RightsOf(role, r.Rights).Within(a.Rights):
		return ErrForbidden
	}
	return nil
}
