package filing

import (
	"cmp"
	"context"
	"strings"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/slip"
	"trundo/internal/desk/book"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// RecordFromCall makes whoever is on the line a record, with the call's number and the line's source, of an existing or
// a new company or of none, and puts the call on it. Earlier calls with that number that are on nobody come along. The
// same key makes one record. Errors: *FieldError, ErrNotFound, ErrForbidden, ErrKeyReused.
func (fg *Filing) RecordFromCall(ctx context.Context, a firm.Actor, id uuid.UUID, key string,
	n contract.RecordFromCall) (contract.Call, error) {
	f, err := fg.Settings(ctx)
	if err != nil {
		return contract.Call{}, err
	}
	const action = "record_from_call"
	hash := firm.HashRequest(n)
	var made []uuid.UUID
	v, err := fg.relink(ctx, a, id, "attached", func(q *db.Queries, s *db.LockSlipRow) (string, error) {
		if err := fg.Remember(ctx, q, a, key, action, hash, id); err != nil {
			return "", err
		}
		c, err := q.CallByID(ctx, db.CallByIDParams{Me: a.ID, ID: id})
		if err != nil {
			return "", err
		}
		met := book.Introduction{}
		if c.LineID != nil && c.Direction == string(contract.CallDirectionInbound) {
			met.Source = f.LineSources[*c.LineID]
		}
		if c.RemoteE164 != "" {
			met.Number = c.RemoteE164
			if c.RemoteExt != "" {
				met.Number += ";ext=" + c.RemoteExt
			}
		}
		record, company, err := fg.Book.Introduce(ctx, q, a, f, n, met)
		if err != nil {
			return "", err
		}
		if made = append(made, record); company != nil {
			made = append(made, *company)
		}
		if err := fg.adopt(ctx, q, a, s, c, record, cmp.Or(n.CompanyID, company)); err != nil {
			return "", err
		}
		if s == nil {
			return strings.TrimSpace(n.Name), nil
		}
		return strings.TrimSpace(n.Name), q.SettleWho(ctx, s.ID)
	})
	if store.Duplicate(err) {
		earlier, found, again := fg.EarlierAnswer(ctx, a, key, action, hash)
		if again != nil {
			return v, again
		} else if found {
			return fg.Calls.CallView(ctx, a, earlier)
		}
	}
	if err != nil {
		return v, err
	}
	fg.PublishRecord(made...)
	return v, nil
}

// adopt puts a call, and the earlier calls with its number that are on nobody, on a new record and its company.
func (fg *Filing) adopt(ctx context.Context, q *db.Queries, a firm.Actor, s *db.LockSlipRow, c db.CallByIDRow,
	record uuid.UUID, company *uuid.UUID) error {
	calls := []uuid.UUID{c.ID}
	if c.RemoteE164 != "" {
		earlier, err := q.AdoptCalls(ctx, db.AdoptCallsParams{E164: c.RemoteE164, Ext: c.RemoteExt, Without: c.ID})
		if err != nil {
			return err
		}
		for _, e := range earlier {
			calls = append(calls, e.ID)
		}
	}
	for i, callID := range calls {
		reason, slipID := "an earlier call with their number", (*uuid.UUID)(nil)
		if i == 0 {
			reason = "they were on the line"
			if s != nil {
				slipID = &s.ID
			}
		}
		for _, l := range slip.LinksFor(firm.Subject(record, "contact", company, nil), reason) {
			if _, err := q.AddLink(ctx, db.AddLinkParams{CallID: callID, RecordID: uuid.MustParse(l.Record),
				SlipID: slipID, Role: string(l.Role),
				Reason: l.Reason, LinkedBy: &a.ID, At: fg.Clock.Now()}); err != nil {
				return err
			}
		}
	}
	return nil
}
