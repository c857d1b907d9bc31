package book

import (
	"context"
	"encoding/json"
	"errors"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/callable"
	"trundo/internal/core/datetime"
	"trundo/internal/core/erasure"
	"trundo/internal/core/fields"
	"trundo/internal/core/money"
	"trundo/internal/core/rights"
	"trundo/internal/core/slip"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

func companyRef(id *uuid.UUID, name string) *contract.RecordRef {
	if id == nil {
		return nil
	}
	return &contract.RecordRef{ID: *id, Kind: contract.RecordKindCompany, Name: name}
}

// Record is a record's sheet. One that was merged is shown as what it was merged into. Errors: ErrNotFound, ErrGone.
func (bk *Book) Record(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.Record, error) {
	f, err := bk.Settings(ctx)
	if err != nil {
		return contract.Record{}, err
	}
	row, err := bk.Store.Record(ctx, id)
	for hops := 0; err == nil && row.Record.MergedInto != nil && hops < 20; hops++ {
		row, err = bk.Store.Record(ctx, *row.Record.MergedInto)
	}
	r := &row.Record
	switch {
	case store.NotFound(err):
		return contract.Record{}, firm.ErrNotFound
	case err != nil:
		return contract.Record{}, err
	case r.DeletedAt != nil:
		return contract.Record{}, firm.ErrGone
	}
	n := names{row.CompanyName, row.OwnerName, row.PersonName, row.DealName, row.QuoteName, row.OrderName}
	sheet := contract.Record{ID: r.ID, Kind: contract.RecordKind(r.Kind), Name: r.Name, Job: r.Job, Stage: r.Stage,
		Source: r.Source, Note: r.Note,
		OwnerName: row.OwnerName, Company: companyRef(r.CompanyID, row.CompanyName), Touches: row.Touches,
		Conversations: row.Conversations, Version: r.Version,
		People: []contract.RecordRow{}, NumberOrder: r.NumberOrder, MayRemove: bk.MayOf(ctx, a,
			rights.DeleteRecords, r.OwnerID),
		DoNotCall: r.DncAt != nil, MessageConsent: r.MessageConsentAt, Items: []contract.Item{}, Totals: []string{}}
	switch {
	case r.DncAt != nil && r.Kind == string(fields.Company):
		sheet.Refused = firm.Refused(callable.ErrCompanyDoNotCall, firm.Reasons{Company: r.DncReason}).Error()
	case r.DncAt != nil:
		sheet.Refused = firm.Refused(callable.ErrPersonDoNotCall, firm.Reasons{Person: r.DncReason}).Error()
	case row.CompanyDnc:
		sheet.Refused = firm.Refused(callable.ErrCompanyDoNotCall, firm.Reasons{Company: row.CompanyDncReason}).Error()
	}
	if sheet.Satisfaction, err = bk.satisfaction(ctx, r.ID); err != nil {
		return sheet, err
	}
	rows, err := bk.Store.NumbersOf(ctx, []uuid.UUID{r.ID})
	if err != nil {
		return sheet, err
	}
	inFields := map[string]string{}
	for _, x := range rows {
		for _, c := range f.Book.Custom {
			if x.FieldID != nil && c.ID == *x.FieldID {
				inFields[c.Key] = x.Typed
			}
		}
	}
	numbers, err := bk.numbersOf(ctx, a, f, []uuid.UUID{r.ID})
	if err != nil {
		return sheet, err
	}
	sheet.Numbers = firm.OrEmpty(numbers[r.ID])
	sheet.Values = recordValues(f, r, n,
		map[string]string{"company": row.CompanyKind, "person": row.PersonKind, "deal": string(fields.Deal),
			"quote": string(fields.Quote),
			"order": string(fields.Order)},
		sheet.Numbers, inFields)
	if err := bk.related(ctx, a, f, r, &sheet); err != nil {
		return sheet, err
	}
	if sheet.Items, sheet.Totals, err = bk.items(ctx, r); err != nil {
		return sheet, err
	}
	open, err := bk.Store.FollowUpsOfRecord(ctx, r.ID)
	if err != nil {
		return sheet, err
	}
	sheet.FollowUps = []contract.FollowUp{}
	for _, fu := range open {
		sheet.FollowUps = append(sheet.FollowUps, bk.FollowUpView(db.FollowUpsByIDsRow(fu), a))
	}
	if merge, err := bk.Store.LastMergeInto(ctx, r.ID); err == nil {
		sheet.Merge = &merge
	} else if !store.NotFound(err) {
		return sheet, err
	}
	return sheet, nil
}

// related adds the people of a company, and the deals, cases, papers and visits that belong to a record.
func (bk *Book) related(ctx context.Context, a firm.Actor, f *firm.Settings, r *db.Record,
	sheet *contract.Record) error {
	sheet.Related = []contract.RelatedRow{}
	if r.Kind == string(fields.Company) {
		ids, err := bk.Store.PeopleOfCompany(ctx, &r.ID)
		if err != nil {
			return err
		}
		if sheet.People, err = bk.RecordRowsByID(ctx, a, f, ids); err != nil {
			return err
		}
	}
	if slip.RoleOf(r.Kind) == slip.About {
		// A matter is called about: those it is with stand on its sheet, with their numbers.
		var with []uuid.UUID
		for _, id := range []*uuid.UUID{r.PersonID, r.CompanyID} {
			if id != nil {
				with = append(with, *id)
			}
		}
		var err error
		if sheet.People, err = bk.RecordRowsByID(ctx, a, f, with); err != nil {
			return err
		}
	}
	if r.Kind == string(fields.Product) {
		return nil
	}
	ids, err := bk.Store.RelatedIDs(ctx,
		db.RelatedIDsParams{ID: &r.ID,
			Kinds: []string{"company", "deal", "case", "quote", "order", "delivery", "invoice", "visit"}, Count: 60})
	if err != nil {
		return err
	}
	rows, err := bk.Store.RecordsByIDs(ctx, ids)
	if err != nil {
		return err
	}
	for _, id := range ids {
		for i := range rows {
			if x := &rows[i].Record; x.ID == id {
				sheet.Related = append(sheet.Related, relatedRow(x, a, bk.Clock.Now(), bk.Dates()))
			}
		}
	}
	return nil
}

func relatedRow(x *db.Record, a firm.Actor, now time.Time, dates datetime.Style) contract.RelatedRow {
	row := contract.RelatedRow{Record: contract.RecordRef{ID: x.ID, Kind: contract.RecordKind(x.Kind), Name: x.Name},
		About: x.Stage, Open: true}
	for _, s := range fields.Closed[fields.Kind(x.Kind)] {
		row.Open = row.Open && x.Stage != s
	}
	switch {
	case x.StartsAt != nil:
		at := x.StartsAt.In(a.Zone)
		row.Text = dates.Weekday(at) + ", " + dates.Time(at)
	case x.AmountMinor != nil:
		row.Text = money.Amount{Minor: *x.AmountMinor, Currency: x.Currency}.String()
	case x.DueOn != nil:
		row.Text = dates.Date(*x.DueOn)
	}
	switch fields.Kind(x.Kind) {
	case fields.Order:
		row.About = strings.Join([]string{x.Stage, "delivery " + firm.OrNone(x.Delivery), "invoice " +
			firm.OrNone(x.Invoice)}, ", ")
		if x.Way == fields.Ways[1] {
			row.About = x.Way + ": " + row.About
		}
	case fields.Delivery, fields.Invoice:
		if x.DueOn != nil {
			row.About += ", due " + dates.Date(*x.DueOn)
			row.Late = row.Open && x.DueOn.Format(time.DateOnly) < now.In(a.Location()).Format(time.DateOnly)
		}
	}
	return row
}

// changeRecord does something to a record under its lock, tells everybody, and gives the sheet. Errors: ErrNotFound,
// ErrGone, do's.
func (bk *Book) changeRecord(ctx context.Context, a firm.Actor, id uuid.UUID,
	do func(*db.Queries, *db.Record) error) (contract.Record, error) {
	err := bk.Store.Tx(ctx, func(q *db.Queries) error {
		r, err := firm.LockRecord(ctx, q, id)
		if err != nil {
			return err
		}
		return do(q, &r)
	})
	if err != nil {
		return contract.Record{}, err
	}
	bk.PublishRecord(id)
	return bk.Record(ctx, a, id)
}

// AddRecord makes a record, owned by a where nobody else is named. The same key gets the same one. Errors: *FieldError,
// ErrKeyReused.
func (bk *Book) AddRecord(ctx context.Context, a firm.Actor, key string,
	n contract.NewRecord) (contract.Record, error) {
	f, err := bk.Settings(ctx)
	if err != nil {
		return contract.Record{}, err
	}
	id, err := bk.Once(ctx, a, key, "add_record", n, func(q *db.Queries, id uuid.UUID) error {
		return bk.MakeRecord(ctx, q, a, f, id, n)
	})
	if err != nil {
		return contract.Record{}, err
	}
	bk.PublishRecord(id)
	return bk.Record(ctx, a, id)
}

// MakeRecord writes a new record with its numbers; a zero actor is the firm, which owns none.
func (bk *Book) MakeRecord(ctx context.Context, q *db.Queries, a firm.Actor, f *firm.Settings, id uuid.UUID,
	n contract.NewRecord) error {
	now := bk.Clock.Now()
	r := db.Record{ID: id, Kind: string(n.Kind), CreatedAt: now, Custom: json.RawMessage(`{}`)}
	if n.Kind != contract.RecordKindProduct && a.ID != uuid.Nil {
		r.OwnerID = &a.ID
	}
	for _, x := range fields.BuiltIn(fields.Kind(n.Kind)) {
		if x.Required && strings.TrimSpace(n.Values[x.Key]) == "" {
			return firm.About(x.Key, fields.ErrRequired)
		}
		if x.Key == "stage" && len(x.Choices) > 0 {
			r.Stage = x.Choices[0]
		}
	}
	done, err := bk.apply(ctx, q, a, f, &r, n.Values)
	if err != nil {
		return err
	}
	if r.Kind == string(fields.Deal) && r.Source == "" && r.PersonID != nil {
		// What somebody buys counts for where they came from.
		person, err := q.Record(ctx, *r.PersonID)
		if err != nil {
			return err
		}
		r.Source = person.Record.Source
	}
	if err := q.InsertRecord(ctx, insertOf(&r)); err != nil {
		return err
	}
	if n.Numbers != nil {
		for _, x := range *n.Numbers {
			if strings.TrimSpace(x.Typed) == "" {
				continue
			}
			if err := checkNumber("numbers", x.Typed, f.Region); err != nil {
				return err
			}
			if err := insertNumber(ctx, q, f, id, nil, labelOf(x, f.Region), x.Typed); err != nil {
				return err
			}
		}
	}
	for key, typed := range done.phones {
		if _, err := setFieldNumber(ctx, q, f, &r, key, typed); err != nil {
			return err
		}
	}
	if err := bk.Outbox.Emit(ctx, q, contract.WebhookEventRecordCreated, func() (any, error) {
		return map[string]any{"record_id": id, "kind": r.Kind, "name": r.Name, "source": r.Source, "by": a.Login}, nil
	}); err != nil {
		return err
	}
	return bk.RecordChanged(ctx, q, a, id, nil, map[string]string{"made": r.Name})
}

// UpdateRecord changes fields of a record. Errors: *FieldError, ErrNotFound, ErrGone, ErrChangedElse.
func (bk *Book) UpdateRecord(ctx context.Context, a firm.Actor, id uuid.UUID,
	c contract.RecordChange) (contract.Record, error) {
	f, err := bk.Settings(ctx)
	if err != nil {
		return contract.Record{}, err
	}
	return bk.changeRecord(ctx, a, id, func(q *db.Queries, r *db.Record) error {
		if r.Version != c.Version {
			return firm.ErrChangedElse
		}
		done, err := bk.apply(ctx, q, a, f, r, c.Values)
		if err != nil {
			return err
		}
		for key, typed := range done.phones {
			if typed != "" {
				if err := checkNumber(fields.Custom+key, typed, f.Region); err != nil {
					return err
				}
			}
			before, err := setFieldNumber(ctx, q, f, r, key, typed)
			if err != nil {
				return err
			}
			if before != typed {
				done.before[key], done.after[key] = before, typed
			}
		}
		if len(done.after) == 0 {
			return nil
		}
		if err := q.UpdateRecord(ctx, updateOf(r)); err != nil {
			return err
		}
		return bk.RecordChanged(ctx, q, a, id, done.before, done.after)
	})
}

// RemoveRecord takes a record out of the book, one's own or with the right to; its calls and notes stay, and it can be
// restored. Errors: ErrNotFound, ErrGone, ErrForbidden.
func (bk *Book) RemoveRecord(ctx context.Context, a firm.Actor, id uuid.UUID) error {
	now := bk.Clock.Now()
	err := bk.Store.Tx(ctx, func(q *db.Queries) error {
		r, err := firm.LockRecord(ctx, q, id)
		if err != nil {
			return err
		}
		if !bk.MayOf(ctx, a, rights.DeleteRecords, r.OwnerID) {
			return firm.ErrForbidden
		}
		if err := q.SetRecordDeleted(ctx, db.SetRecordDeletedParams{ID: id, At: &now}); err != nil {
			return err
		}
		return bk.RecordChanged(ctx, q, a, id, nil, map[string]string{"deleted": "yes"})
	})
	if err == nil {
		bk.PublishRecord(id)
	}
	return err
}

// restorable is for how long a removed record can be brought back.
const restorable = 30 * 24 * time.Hour

// HangsOn tells what hangs on a record, for who is about to remove it or may bring it back. Errors: ErrNotFound,
// ErrGone.
func (bk *Book) HangsOn(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.Hanging, error) {
	row, err := bk.Store.Record(ctx, id)
	r := row.Record
	switch {
	case store.NotFound(err):
		return contract.Hanging{}, firm.ErrNotFound
	case err != nil:
		return contract.Hanging{}, err
	case r.DeletedAt != nil && (r.MergedInto != nil || !bk.MayOf(ctx, a, rights.DeleteRecords, r.OwnerID)):
		return contract.Hanging{}, firm.ErrGone
	}
	h, err := bk.Store.HangsOn(ctx, id)
	v := contract.Hanging{Name: r.Name, Calls: h.Calls, Messages: h.Messages, FollowUps: h.FollowUps,
		Records: h.Records, RestorableDays: int(restorable.Hours()) / 24}
	if r.DeletedAt != nil && r.Name != erasure.Mark {
		v.RestorableUntil = optional.Time(r.DeletedAt.Add(restorable))
	}
	return v, err
}

// ErrGoneForGood is told who wants to bring a record back that was deleted long ago; RestoreRecord returns it.
var ErrGoneForGood = errors.New("this was deleted more than thirty days ago and cannot be brought back")

// RestoreRecord brings a removed record back within thirty days. Errors: ErrNotFound, ErrForbidden, ErrGoneForGood.
func (bk *Book) RestoreRecord(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.Record, error) {
	err := bk.Store.Tx(ctx, func(q *db.Queries) error {
		r, err := q.LockRecord(ctx, id)
		switch {
		case store.NotFound(err):
			return firm.ErrNotFound
		case err != nil:
			return err
		case r.DeletedAt == nil || r.MergedInto != nil:
			return nil
		case !bk.MayOf(ctx, a, rights.DeleteRecords, r.OwnerID):
			return firm.ErrForbidden
		case bk.Clock.Since(*r.DeletedAt) > restorable || r.Name == erasure.Mark:
			return ErrGoneForGood
		}
		if err := q.SetRecordDeleted(ctx, db.SetRecordDeletedParams{ID: id}); err != nil {
			return err
		}
		return bk.RecordChanged(ctx, q, a, id, map[string]string{"deleted": "yes"}, map[string]string{"deleted": ""})
	})
	if err != nil {
		return contract.Record{}, err
	}
	bk.PublishRecord(id)
	return bk.Record(ctx, a, id)
}

// ConvertLead makes a contact of a lead, with or without a company and a deal. It stays the same record, so that calls,
// notes, numbers and its address stay too. Errors: *FieldError, ErrNotFound, ErrGone, ErrChangedElse.
func (bk *Book) ConvertLead(ctx context.Context, a firm.Actor, id uuid.UUID,
	c contract.Conversion) (contract.Record, error) {
	f, err := bk.Settings(ctx)
	if err != nil {
		return contract.Record{}, err
	}
	return bk.changeRecord(ctx, a, id, func(q *db.Queries, r *db.Record) error {
		if r.Kind != string(fields.Lead) {
			return firm.Wrong("id", "only a lead becomes a contact")
		}
		if r.Version != c.Version {
			return firm.ErrChangedElse
		}
		before, after := map[string]string{"kind": "lead", "stage": r.Stage}, map[string]string{"kind": "contact",
			"stage": "enquiry"}
		made := func(kind contract.RecordKind, values map[string]string) (uuid.UUID, error) {
			made := store.NewID()
			values["source"], values["owner"] = r.Source, optional.ID(r.OwnerID)
			return made, bk.MakeRecord(ctx, q, a, f, made, contract.NewRecord{Kind: kind, Values: values})
		}
		switch {
		case c.CompanyID != nil:
			name, err := bk.named(ctx, q, id,
				fields.Field{Key: "company", Type: fields.Ref, RefKinds: []fields.Kind{fields.Company}},
				c.CompanyID.String())
			if err != nil {
				return firm.About("company_id", err)
			}
			r.CompanyID, after["Company"] = c.CompanyID, name
		case c.CompanyName != nil && strings.TrimSpace(*c.CompanyName) != "":
			company, err := made(contract.RecordKindCompany,
				map[string]string{"name": *c.CompanyName, "stage": "prospect"})
			if err != nil {
				return asField("company_name", err)
			}
			r.CompanyID, after["Company"] = &company, strings.TrimSpace(*c.CompanyName)
		}
		r.Kind, r.Stage = string(fields.Contact), "enquiry"
		if err := q.UpdateRecord(ctx, updateOf(r)); err != nil {
			return err
		}
		if c.DealName != nil && strings.TrimSpace(*c.DealName) != "" {
			values := map[string]string{"name": *c.DealName, "person": id.String(), "company": optional.ID(r.CompanyID)}
			if c.DealAmount != nil {
				values["amount"] = *c.DealAmount
			}
			if _, err := made(contract.RecordKindDeal, values); err != nil {
				return asField("deal_name", err)
			}
			after["deal"] = strings.TrimSpace(*c.DealName)
		}
		return bk.RecordChanged(ctx, q, a, id, before, after)
	})
}

// asField puts what is wrong with a part of a request under that part's name, unless it is an amount.
func asField(field string, err error) error {
	if e, is := err.(*firm.FieldError); is {
		if e.Field == "amount" {
			field = "deal_amount"
		}
		return firm.About(field, e.Err)
	}
	return err
}

// MarkRecord marks a person or a company do-not-call, or takes the mark away, with the right to and a reason. Errors:
// ErrNotFound, ErrGone, ErrForbidden, *FieldError.
func (bk *Book) MarkRecord(ctx context.Context, a firm.Actor, id uuid.UUID,
	m contract.DoNotCallMark) (contract.Record, error) {
	var at *time.Time
	reason := firm.CleanReason(m.Reason)
	now := "no"
	if m.On {
		at = optional.Time(bk.Clock.Now())
		now = Marked(true, reason)
	} else if err := a.MayLift(m.Reason); err != nil {
		return contract.Record{}, err
	} else {
		now += ": " + reason
	}
	return bk.changeRecord(ctx, a, id, func(q *db.Queries, r *db.Record) error {
		kept := reason
		if at == nil {
			kept = ""
		}
		if err := q.SetRecordDoNotCall(ctx, db.SetRecordDoNotCallParams{ID: id, At: at, Reason: kept}); err != nil {
			return err
		}
		return bk.RecordChanged(ctx, q, a, id, map[string]string{"do-not-call": Marked(r.DncAt != nil, r.DncReason)},
			map[string]string{"do-not-call": now})
	})
}
