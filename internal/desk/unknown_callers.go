package desk

import (
	"context"
	"strings"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/fields"
	"trundo/internal/core/slip"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// RecordFromCall makes whoever is on the line a record, with the call's number and the line's source, of an existing or a new
// company or of none, and puts the call on it. Earlier calls with that number that are on nobody come along. The same key makes
// one record. Errors: *FieldError, ErrNotFound, ErrForbidden, ErrKeyReused.
func (d *Desk) RecordFromCall(ctx context.Context, a Actor, id uuid.UUID, key string, n contract.RecordFromCall) (contract.Call, error) {
	f, err := d.firm(ctx)
	if err != nil {
		return contract.Call{}, err
	}
	const action = "record_from_call"
	hash := hashRequest(n)
	var made []uuid.UUID
	v, err := d.relink(ctx, a, id, "attached", func(q *db.Queries, s *db.LockSlipRow) (string, error) {
		if err := d.remember(ctx, q, a, key, action, hash, id); err != nil {
			return "", err
		}
		c, err := q.CallByID(ctx, db.CallByIDParams{Me: a.ID, ID: id})
		if err != nil {
			return "", err
		}
		source := ""
		if c.LineID != nil && c.Direction == string(contract.CallDirectionInbound) {
			source = f.lineSources[*c.LineID]
		}
		values := map[string]string{"source": source}
		values["given"], values["family"] = fields.SplitName(n.Name)
		if n.Email != nil {
			values["email"] = *n.Email
		}
		var company *uuid.UUID
		switch {
		case n.CompanyID != nil:
			company = n.CompanyID
		case n.CompanyName != nil && cleanText(*n.CompanyName) != "":
			id := store.NewID()
			company, made = &id, append(made, id)
			if err := d.makeRecord(ctx, q, a, f, id, contract.NewRecord{Kind: contract.RecordKindCompany,
				Values: map[string]string{"name": *n.CompanyName, "source": source, "stage": "prospect"}}); err != nil {
				return "", asField("company_name", err)
			}
		}
		if company != nil {
			values["company"] = company.String()
		}
		record := store.NewID()
		made = append(made, record)
		person := contract.NewRecord{Kind: contract.RecordKind(n.Kind), Values: values}
		if c.RemoteE164 != "" {
			label := "work"
			if n.Label != nil && cleanLabel(*n.Label) != "" {
				label = cleanLabel(*n.Label)
			}
			typed := c.RemoteE164
			if c.RemoteExt != "" {
				typed += ";ext=" + c.RemoteExt
			}
			person.Numbers = &[]contract.NewNumber{{Label: &label, Typed: typed}}
		}
		if err := d.makeRecord(ctx, q, a, f, record, person); err != nil {
			return "", err
		}
		if err := d.adopt(ctx, q, a, s, c, record, company); err != nil {
			return "", err
		}
		if s == nil {
			return strings.TrimSpace(n.Name), nil
		}
		return strings.TrimSpace(n.Name), q.SettleWho(ctx, s.ID)
	})
	if store.Duplicate(err) {
		earlier, found, again := d.earlierAnswer(ctx, a, key, action, hash)
		if again != nil {
			return v, again
		} else if found {
			return d.callView(ctx, a, earlier)
		}
	}
	if err != nil {
		return v, err
	}
	d.publishRecord(made...)
	return v, nil
}

// adopt puts a call, and the earlier calls with its number that are on nobody, on a new record and its company.
func (d *Desk) adopt(ctx context.Context, q *db.Queries, a Actor, s *db.LockSlipRow, c db.CallByIDRow, record uuid.UUID, company *uuid.UUID) error {
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
		for _, l := range slip.LinksFor(subject(record, "contact", company, nil), reason) {
			if _, err := q.AddLink(ctx, db.AddLinkParams{CallID: callID, RecordID: uuid.MustParse(l.Record), SlipID: slipID, Role: string(l.Role),
				Reason: l.Reason, LinkedBy: &a.ID, At: d.Clock.Now()}); err != nil {
				return err
			}
		}
	}
	return nil
}
