package book

import (
	"context"
	"encoding/json"
	"slices"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/callerid"
	"trundo/internal/core/fields"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// KindsOf are the kinds that a list is of.
func KindsOf(kind string) []contract.RecordKind {
	if kind == "people" {
		return []contract.RecordKind{contract.RecordKindContact, contract.RecordKindLead}
	}
	return []contract.RecordKind{contract.RecordKind(kind)}
}

// Lists are the lists and views that a may see: shared ones and a's own.
func (bk *Book) Lists(ctx context.Context, a firm.Actor) ([]contract.RecordList, error) {
	rows, err := bk.Store.Lists(ctx, a.ID)
	if err != nil {
		return nil, err
	}
	views := make([]contract.RecordList, len(rows))
	for i, r := range rows {
		v := contract.RecordList{ID: r.ID, Name: r.Name, Group: r.GroupName, Type: contract.RecordListType(r.Type),
			Kind: r.RecordKind, OwnerName: r.OwnerName,
			Mine: r.OwnerID == a.ID, Shared: r.Shared, LineID: r.LineID, Version: r.Version}
		if err := json.Unmarshal(r.Query, &v.Query); err != nil {
			return nil, err
		}
		if r.Type == "hand" {
			members := r.Members
			v.Count = &members
		}
		views[i] = v
	}
	return views, nil
}

// List is one of the lists that a can see. Error: ErrNotFound.
func (bk *Book) List(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.RecordList, error) {
	all, err := bk.Lists(ctx, a)
	if err != nil {
		return contract.RecordList{}, err
	}
	for _, l := range all {
		if l.ID == id {
			return l, nil
		}
	}
	return contract.RecordList{}, firm.ErrNotFound
}

// checkList tells what is wrong with a list, and gives its query as it is kept. Errors: *FieldError.
func (bk *Book) checkList(ctx context.Context, a firm.Actor, e *contract.ListEdit) ([]byte, error) {
	e.Name = firm.CleanText(e.Name)
	if e.Name == "" {
		return nil, firm.About("name", fields.ErrRequired)
	}
	var q contract.ViewQuery
	if e.Query != nil {
		q = *e.Query
	}
	f, err := bk.Settings(ctx)
	if err != nil {
		return nil, err
	}
	if e.LineID != nil && !slices.ContainsFunc(f.Lines,
		func(l callerid.Line) bool { return l.ID == e.LineID.String() }) {
		return nil, firm.Wrong("line_id", "there is no such line")
	}
	if _, err := bk.rowQuery(a, f,
		contract.RowQuery{Kinds: KindsOf(string(e.Kind)), Q: q.Q, Filter: q.Filter, Sort: q.Sort}); err != nil {
		return nil, err
	}
	return json.Marshal(q)
}

func cleanGroup(group *string) string {
	if group == nil {
		return ""
	}
	return firm.CleanText(*group)
}

// AddList makes a list or a view. Errors: *FieldError.
func (bk *Book) AddList(ctx context.Context, a firm.Actor, e contract.ListEdit) (contract.RecordList, error) {
	query, err := bk.checkList(ctx, a, &e)
	if err != nil {
		return contract.RecordList{}, err
	}
	id := store.NewID()
	if err := bk.Store.InsertList(ctx,
		db.InsertListParams{ID: id, Name: e.Name, GroupName: cleanGroup(e.Group), Type: string(e.Type),
			RecordKind: string(e.Kind), Query: query,
			OwnerID: a.ID, Shared: e.Shared == nil || *e.Shared, CreatedAt: bk.Clock.Now(),
			LineID: e.LineID}); err != nil {
		return contract.RecordList{}, err
	}
	bk.BookChanged()
	return bk.List(ctx, a, id)
}

// lockList locks a list that a may change. Errors: ErrNotFound, ErrForbidden.
func (bk *Book) lockList(ctx context.Context, q *db.Queries, a firm.Actor, id uuid.UUID) (db.LockListRow, error) {
	l, err := q.LockList(ctx, id)
	switch {
	case store.NotFound(err), err == nil && !l.Shared && l.OwnerID != a.ID:
		return l, firm.ErrNotFound
	case err != nil:
		return l, err
	case !bk.MayOf(ctx, a, rights.ChangeLists, &l.OwnerID):
		return l, firm.ErrForbidden
	}
	return l, nil
}

// ChangeList renames a list, moves it to another group, or keeps another filter in a view. Errors: *FieldError,
// ErrNotFound, ErrForbidden, ErrChangedElse.
func (bk *Book) ChangeList(ctx context.Context, a firm.Actor, id uuid.UUID,
	e contract.ListEdit) (contract.RecordList, error) {
	query, err := bk.checkList(ctx, a, &e)
	if err != nil {
		return contract.RecordList{}, err
	}
	if err := bk.Store.Tx(ctx, func(q *db.Queries) error {
		l, err := bk.lockList(ctx, q, a, id)
		if err != nil {
			return err
		}
		if e.Version != nil && l.Version != *e.Version {
			return firm.ErrChangedElse
		}
		return q.UpdateList(ctx, db.UpdateListParams{ID: id, Name: e.Name, GroupName: cleanGroup(e.Group), Query: query,
			Shared: e.Shared == nil || *e.Shared, LineID: e.LineID})
	}); err != nil {
		return contract.RecordList{}, err
	}
	bk.BookChanged()
	return bk.List(ctx, a, id)
}

// RemoveList removes a list; the records that stood on it stay. Errors: ErrNotFound, ErrForbidden.
func (bk *Book) RemoveList(ctx context.Context, a firm.Actor, id uuid.UUID) error {
	err := bk.Store.Tx(ctx, func(q *db.Queries) error {
		l, err := bk.lockList(ctx, q, a, id)
		if err != nil {
			return err
		}
		if err := q.DeleteList(ctx, id); err != nil {
			return err
		}
		return bk.Audited(ctx, q, a, "list", id, "removed", map[string]string{"name": l.Name}, map[string]string{})
	})
	if err == nil {
		bk.BookChanged()
	}
	return err
}
