package staff

import (
	"context"
	"encoding/json"
	"strings"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// shippedRoles are those that a firm begins with; they are never removed.
var shippedRoles = map[string]bool{rights.RoleRep: true, rights.RoleSupervisor: true, rights.RoleAdmin: true}

// Roles are what somebody of the firm may be, for who hires or who sets roles up. Error: firm.ErrForbidden.
func (sf *Staff) Roles(ctx context.Context, a firm.Actor) (contract.Roles, error) {
	view := contract.Roles{Roles: []contract.Role{}, Definitions: []contract.RightDefinition{}}
	if !a.MayDo(rights.Roles) && !a.MayDo(rights.Staff) && !a.MayDo(rights.SetUpFirm) {
		return view, firm.ErrForbidden
	}
	for _, d := range rights.Definitions {
		v := contract.RightDefinition{Right: string(d.Right), Area: contract.RightDefinitionArea(d.Area)}
		for _, r := range d.Reaches {
			v.Reaches = append(v.Reaches, contract.Reach(r))
		}
		view.Definitions = append(view.Definitions, v)
	}
	rows, err := sf.Store.Roles(ctx)
	for _, r := range rows {
		view.Roles = append(view.Roles, contract.Role{Key: r.Key, Name: r.Name, Members: r.Members, Version: r.Version,
			Rights: firm.RightSet(firm.RightsOf(r.Key, r.Rights)), Shipped: shippedRoles[r.Key],
			Fixed: r.Key == rights.RoleAdmin})
	}
	return view, err
}

func (sf *Staff) role(ctx context.Context, a firm.Actor, key string) (contract.Role, error) {
	all, err := sf.Roles(ctx, a)
	if err != nil {
		return contract.Role{}, err
	}
	for _, r := range all.Roles {
		if r.Key == key {
			return r, nil
		}
	}
	return contract.Role{}, firm.ErrNotFound
}

// roleEdit is what was typed of a role, as it is stored. Error: *firm.FieldError.
func roleEdit(a firm.Actor, e contract.RoleEdit) (name string, set rights.Set, err error) {
	if name = firm.CleanText(e.Name); name == "" {
		return "", nil, firm.Wrong("name", "say what the role is called")
	}
	if e.Rights == nil {
		return name, nil, nil
	}
	set = rights.Set{}
	for r, reach := range *e.Rights {
		set[rights.Right(r)] = rights.Reach(reach)
	}
	if err := set.Check(); err != nil {
		return "", nil, firm.About("rights", err)
	}
	if !set.Within(a.Rights) {
		return "", nil, firm.Wrong("rights", "nobody can give a right that they do not have themselves")
	}
	return name, set, nil
}

// AddRole makes a role of the firm's own. The same key adds one. Errors: firm.ErrForbidden, *firm.FieldError,
// firm.ErrKeyReused.
func (sf *Staff) AddRole(ctx context.Context, a firm.Actor, key string, e contract.RoleEdit) (contract.Role, error) {
	if !a.MayDo(rights.Roles) {
		return contract.Role{}, firm.ErrForbidden
	}
	name, set, err := roleEdit(a, e)
	if err != nil {
		return contract.Role{}, err
	}
	if set == nil {
		set = rights.Set{}
	}
	id, err := sf.Once(ctx, a, key, "add_role", e, func(q *db.Queries, id uuid.UUID) error {
		text, err := json.Marshal(set)
		if err != nil {
			return err
		}
		if err := q.InsertRole(ctx, db.InsertRoleParams{Key: id.String(), Name: name, Rights: text}); err != nil {
			return nameTaken(err)
		}
		return sf.Audited(ctx, q, a, "role", id, "added", map[string]string{}, roleWords(name, set))
	})
	if err != nil {
		return contract.Role{}, err
	}
	return sf.role(ctx, a, id.String())
}

// ChangeRole changes a role, for everybody who has it, at once. An admin's rights are always all there are, and nobody
// changes a role that may do more than they, nor takes from their own the right to do so. Errors: firm.ErrForbidden,
// firm.ErrNotFound, firm.ErrChangedElse, *firm.FieldError.
func (sf *Staff) ChangeRole(ctx context.Context, a firm.Actor, key string,
	e contract.RoleEdit) (contract.Role, error) {
	if !a.MayDo(rights.Roles) {
		return contract.Role{}, firm.ErrForbidden
	}
	name, set, err := roleEdit(a, e)
	if err != nil {
		return contract.Role{}, err
	}
	err = sf.Store.Tx(ctx, func(q *db.Queries) error {
		now, err := lockRole(ctx, q, a, key)
		if err != nil {
			return err
		}
		if e.Version == nil || *e.Version != now.Version {
			return firm.ErrChangedElse
		}
		before := firm.RightsOf(key, now.Rights)
		after, written := before, now.Rights
		switch {
		case key == rights.RoleAdmin: // all, whatever was sent
		case e.AsShipped != nil && *e.AsShipped && shippedRoles[key]:
			if after, written = rights.Shipped(key), nil; !after.Within(a.Rights) {
				return firm.ErrForbidden
			}
		case set != nil:
			after = set
			if written, err = json.Marshal(set); err != nil {
				return err
			}
		}
		if string(a.Role) == key && !after.May(rights.Roles) {
			return firm.Wrong("rights", "you would take the right to set roles up from yourself")
		}
		if err := q.UpdateRole(ctx, db.UpdateRoleParams{Key: key, Name: name, Rights: written}); err != nil {
			return nameTaken(err)
		}
		was, is := roleWords(now.Name, before), roleWords(name, after)
		firm.OnlyChanged(was, is)
		return sf.Audited(ctx, q, a, "role", roleID(key), "changed", was, is)
	})
	if err != nil {
		return contract.Role{}, err
	}
	sf.ActorsChanged()
	sf.BookChanged()
	return sf.role(ctx, a, key)
}

// RemoveRole removes a role of the firm's own that nobody has. Errors: firm.ErrForbidden, firm.ErrNotFound,
// *firm.FieldError.
func (sf *Staff) RemoveRole(ctx context.Context, a firm.Actor, key string) error {
	if !a.MayDo(rights.Roles) {
		return firm.ErrForbidden
	}
	return sf.Store.Tx(ctx, func(q *db.Queries) error {
		now, err := lockRole(ctx, q, a, key)
		switch {
		case err != nil:
			return err
		case shippedRoles[key]:
			return firm.Wrong("key", "this role came with the program and stays")
		}
		used, err := q.RoleUsed(ctx, key)
		switch {
		case err != nil:
			return err
		case used:
			return firm.Wrong("key", "somebody has this role, or had it when they left: give them another one first")
		}
		if err := q.DeleteRole(ctx, key); err != nil {
			return err
		}
		return sf.Audited(
			ctx,
			q,
			a,
			"role",
			roleID(key),
			"removed",
			roleWords(now.Name, firm.RightsOf(key, now.Rights)),
			map[string]string{},
		)
	})
}

// lockRole locks a role for a change by a. Errors: firm.ErrNotFound; firm.ErrForbidden where it may do more than a.
func lockRole(ctx context.Context, q *db.Queries, a firm.Actor, key string) (db.LockRoleRow, error) {
	now, err := q.LockRole(ctx, key)
	switch {
	case store.NotFound(err):
		return now, firm.ErrNotFound
	case err != nil:
		return now, err
	case !firm.RightsOf(key, now.Rights).Within(a.Rights):
		return now, firm.ErrForbidden
	}
	return now, nil
}

func nameTaken(err error) error {
	if store.DuplicateOf(err) == "roles_name" {
		return firm.Wrong("name", "there is a role of this name already")
	}
	return err
}

// roleID names a role in the trail; those that came with the program have no id of their own.
func roleID(key string) uuid.UUID {
	if id, err := uuid.Parse(key); err == nil {
		return id
	}
	return uuid.NewSHA1(uuid.NameSpaceOID, []byte("role "+key))
}

// roleWords are what the trail says of a role.
func roleWords(name string, set rights.Set) map[string]string {
	w := map[string]string{"name": name}
	for r, reach := range set {
		if reach != rights.None {
			w[strings.ReplaceAll(string(r), "_", " ")] = string(reach)
		}
	}
	return w
}
