package filing

import (
	"context"
	"slices"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/slip"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// Attach puts a call on a record, and on that person's company, and so answers whose number it is. A call that nobody
// answered has no slip: everybody may attach it. Errors: ErrNotFound, ErrForbidden, *FieldError.
func (fg *Filing) Attach(ctx context.Context, a firm.Actor, callID, record uuid.UUID) (contract.Call, error) {
	return fg.relink(ctx, a, callID, "attached", func(q *db.Queries, s *db.LockSlipRow) (string, error) {
		row, err := q.Record(ctx, record)
		if store.NotFound(err) {
			return "", firm.About("record", firm.ErrNotFound)
		} else if err != nil {
			return "", err
		}
		r := row.Record
		if r.DeletedAt != nil {
			return "", firm.About("record", firm.ErrGone)
		}
		if s == nil || s.AsksWho {
			if err := fg.Book.Learn(ctx, q, a, callID, r.ID); err != nil {
				return "", err
			}
		}
		var by *uuid.UUID
		if s != nil {
			by = &s.ID
		}
		for _, l := range slip.LinksFor(firm.Subject(r.ID, r.Kind, r.CompanyID, r.PersonID), "attached by hand") {
			if _, err := q.AddLink(ctx, db.AddLinkParams{CallID: callID, RecordID: uuid.MustParse(l.Record), SlipID: by,
				Role:   string(l.Role),
				Reason: l.Reason, LinkedBy: &a.ID, At: fg.Clock.Now()}); err != nil {
				return "", err
			}
		}
		if s == nil {
			return r.Name, nil
		}
		return r.Name, q.SettleWho(ctx, s.ID)
	})
}

// Detach takes a call off a record. Errors: as of Attach.
func (fg *Filing) Detach(ctx context.Context, a firm.Actor, callID, record uuid.UUID) (contract.Call, error) {
	return fg.relink(ctx, a, callID, "removed", func(q *db.Queries, _ *db.LockSlipRow) (string, error) {
		r, err := q.RecordName(ctx, record)
		if store.NotFound(err) {
			return "", firm.About("record", firm.ErrNotFound)
		} else if err != nil {
			return "", err
		}
		rows, err := q.LinkedSubjects(ctx, callID)
		if err != nil {
			return "", err
		}
		var gone slip.Subject
		var rest []slip.Subject
		for _, l := range rows {
			if s := firm.Subject(l.ID, l.Kind, l.CompanyID, l.PersonID); l.ID == record {
				gone = s
			} else {
				rest = append(rest, s)
			}
		}
		for _, id := range append(slip.LeaveWith(gone, rest), record.String()) {
			if _, err := q.RemoveLink(ctx,
				db.RemoveLinkParams{CallID: callID, RecordID: uuid.MustParse(id)}); err != nil {
				return "", err
			}
		}
		return r.Name, nil
	})
}

// AttachNobody answers whose number a slip's call is with nobody.
func (fg *Filing) AttachNobody(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.Call, error) {
	var s db.LockSlipRow
	if err := fg.Store.Tx(ctx, func(q *db.Queries) (err error) {
		if s, err = firm.LockSlip(ctx, q, a, id); err != nil {
			return err
		}
		return q.SettleWho(ctx, id)
	}); err != nil {
		return contract.Call{}, err
	}
	fg.Calls.PublishSlip(s.UserID, s.CallID, "")
	return fg.Calls.CallView(ctx, a, s.CallID)
}

// relink changes what a call is linked with. Once its slip is filed, or where nobody answered it, that is kept in the
// audit trail.
func (fg *Filing) relink(ctx context.Context, a firm.Actor, id uuid.UUID, action string,
	change func(*db.Queries, *db.LockSlipRow) (string, error)) (contract.Call, error) {
	f, err := fg.Settings(ctx)
	if err != nil {
		return contract.Call{}, err
	}
	var s *db.LockSlipRow
	var before, after []uuid.UUID
	var moved filing
	err = fg.Store.Tx(ctx, func(q *db.Queries) error {
		if s, err = lockSlipOfCall(ctx, q, a, id); err != nil {
			return err
		}
		if before, err = q.LinkedRecords(ctx, id); err != nil {
			return err
		}
		moved = filing{fg: fg, q: q, a: a, f: f, id: store.NewID(), at: fg.Clock.Now()}
		if s != nil {
			moved.slip = *s
			if err := moved.unsettle(ctx); err != nil {
				return err
			}
		}
		name, err := change(q, s)
		if err != nil {
			return err
		}
		if after, err = q.LinkedRecords(ctx, id); err != nil {
			return err
		}
		if s != nil {
			gone := slices.DeleteFunc(slices.Clone(before), func(r uuid.UUID) bool { return slices.Contains(after, r) })
			if err := moved.follow(ctx, gone); err != nil {
				return err
			}
		}
		kind, subject := "call", id
		if s != nil {
			kind, subject = "slip", s.ID
		}
		if s != nil && s.State != string(slip.Filed) || len(before) == len(after) {
			return nil
		}
		return fg.Audited(ctx, q, a, kind, subject, action, map[string]string{}, map[string]string{action: name})
	})
	if err != nil {
		return contract.Call{}, err
	}
	fg.Calls.Linked(id, after)
	fg.tellOfFiling(moved)
	for _, user := range moved.lanes {
		fg.PublishLane(user)
	}
	if s != nil {
		fg.Calls.PublishSlip(s.UserID, id, "")
	}
	fg.PublishHistory(&id, append(before, after...)...)
	return fg.Calls.CallView(ctx, a, id)
}

// lockSlipOfCall locks the slip by which a may change what a call is linked with; nil where nobody answered the call.
func lockSlipOfCall(ctx context.Context, q *db.Queries, a firm.Actor, callID uuid.UUID) (*db.LockSlipRow, error) {
	slips, err := q.SlipOfCall(ctx, db.SlipOfCallParams{CallID: callID, Me: a.ID})
	if err != nil {
		return nil, err
	}
	if len(slips) > 0 {
		s, err := firm.LockSlip(ctx, q, a, slips[0])
		return &s, err
	}
	if _, err := q.LockCall(ctx, callID); store.NotFound(err) {
		return nil, firm.ErrNotFound
	} else if err != nil {
		return nil, err
	}
	return nil, nil
}
