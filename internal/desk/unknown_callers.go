package desk

import (
	"cmp"
	"context"
	"strings"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/duplicate"
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
		met := introduction{}
		if c.LineID != nil && c.Direction == string(contract.CallDirectionInbound) {
			met.source = f.lineSources[*c.LineID]
		}
		if c.RemoteE164 != "" {
			met.number = c.RemoteE164
			if c.RemoteExt != "" {
				met.number += ";ext=" + c.RemoteExt
			}
		}
		record, company, err := d.introduce(ctx, q, a, f, n, met)
		if err != nil {
			return "", err
		}
		if made = append(made, record); company != nil {
			made = append(made, *company)
		}
		if err := d.adopt(ctx, q, a, s, c, record, cmp.Or(n.CompanyID, company)); err != nil {
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

// RecordFromMessage makes whoever wrote a message a record, with the address it came from and the line's source, and puts what came from
// there on it. The same key makes one record. Errors: *FieldError, ErrNotFound, ErrKeyReused, ErrSettled where it is on a record already.
func (d *Desk) RecordFromMessage(ctx context.Context, a Actor, id uuid.UUID, key string, n contract.RecordFromCall) (contract.Thread, error) {
	f, err := d.firm(ctx)
	if err != nil {
		return contract.Thread{}, err
	}
	var company *uuid.UUID
	record, err := d.once(ctx, a, key, "record_from_message", struct {
		Message uuid.UUID
		contract.RecordFromCall
	}{id, n}, func(q *db.Queries, record uuid.UUID) error {
		m, err := q.LockMessage(ctx, id)
		switch {
		case store.NotFound(err):
			return ErrNotFound
		case err != nil:
			return err
		case m.RecordID != nil:
			return ErrSettled
		}
		met := introduction{id: record}
		if m.LineID != nil && m.Incoming {
			met.source = f.lineSources[*m.LineID]
		}
		if m.Channel == string(contract.ChannelMail) {
			met.mail = m.Address
		} else {
			met.number, met.label = m.Address, "mobile"
		}
		if _, company, err = d.introduce(ctx, q, a, f, n, met); err != nil {
			return err
		}
		return d.putMessages(ctx, q, a, m.Address, record)
	})
	if err != nil {
		return contract.Thread{}, err
	}
	d.publishRecord(record)
	if company != nil {
		d.publishRecord(*company)
	}
	d.publishHistory(nil, record)
	d.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindLane})
	return d.Thread(ctx, a, &record, "")
}

// introduction is what is known of somebody new besides what a rep types.
type introduction struct {
	id                          uuid.UUID // that the record gets; zero: a new one
	source, number, label, mail string
}

// introduce makes somebody new a record, of an existing company, of a new one, or of none. A company of the same name as one that is there
// is not made again without being told to. Errors: *FieldError, and those of making a record.
func (d *Desk) introduce(ctx context.Context, q *db.Queries, a Actor, f *firm, n contract.RecordFromCall, met introduction) (record uuid.UUID,
	company *uuid.UUID, err error) {
	values := map[string]string{"source": met.source, "email": met.mail}
	values["given"], values["family"] = fields.SplitName(n.Name)
	if n.Email != nil {
		values["email"] = *n.Email
	}
	var made *uuid.UUID
	switch name := cleanText(value(n.CompanyName)); {
	case n.CompanyID != nil:
		company = n.CompanyID
	case name != "":
		if err := d.newCompany(ctx, a, f, name, value(n.AnotherCompany)); err != nil {
			return record, nil, err
		}
		id := store.NewID()
		company, made = &id, &id
		if err := d.makeRecord(ctx, q, a, f, id, contract.NewRecord{Kind: contract.RecordKindCompany,
			Values: map[string]string{"name": name, "source": met.source, "stage": "prospect"}}); err != nil {
			return record, nil, asField("company_name", err)
		}
	}
	if company != nil {
		values["company"] = company.String()
	}
	if record = met.id; record == uuid.Nil {
		record = store.NewID()
	}
	person := contract.NewRecord{Kind: contract.RecordKind(n.Kind), Values: values}
	if met.number != "" {
		label := cmp.Or(cleanLabel(value(n.Label)), met.label, "work")
		person.Numbers = &[]contract.NewNumber{{Label: &label, Typed: met.number}}
	}
	return record, made, d.makeRecord(ctx, q, a, f, record, person)
}

// newCompany tells whether a company of a name may be made: not where one of that name is there, unless it is said to be another.
func (d *Desk) newCompany(ctx context.Context, a Actor, f *firm, name string, another bool) error {
	if another {
		return nil
	}
	hits, err := d.hits(ctx, a, f, duplicate.Record{Company: true, Name: name}, uuid.Nil, true)
	if err != nil {
		return err
	}
	for _, h := range hits {
		if duplicate.Firm(h.Record.Name) == duplicate.Firm(name) {
			return wrong("company_name", "“"+h.Record.Name+"” is there already: choose it, or say that this is another company")
		}
	}
	return nil
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
