package book

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/fields"
	"trundo/internal/core/money"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// texts are the columns of a record that hold a field's text as it is.
func texts(r *db.Record) map[string]*string {
	return map[string]*string{"name": &r.Name, "given": &r.Given, "family": &r.Family, "job": &r.Job, "email": &r.Email,
		"stage":  &r.Stage,
		"source": &r.Source, "web": &r.Web, "social": &r.Social, "address": &r.Address, "place": &r.Place,
		"zone": &r.Zone, "note": &r.Note,
		"reference": &r.Reference, "delivery": &r.Delivery, "invoice": &r.Invoice, "way": &r.Way}
}

// refs are the columns that hold an id.
func refs(r *db.Record) map[string]**uuid.UUID {
	return map[string]**uuid.UUID{"company": &r.CompanyID, "person": &r.PersonID, "deal": &r.DealID,
		"quote": &r.QuoteID, "order": &r.OrderID, "owner": &r.OwnerID}
}

func times(r *db.Record) map[string]**time.Time {
	return map[string]**time.Time{"due": &r.DueOn, "starts": &r.StartsAt, "ends": &r.EndsAt}
}

// customOfRecord reads the fields that an admin defined.
func customOfRecord(r *db.Record) map[string]string {
	values := map[string]string{}
	var raw map[string]any
	if err := json.Unmarshal(r.Custom, &raw); err != nil {
		return values
	}
	for k, v := range raw {
		values[k] = fmt.Sprint(v)
	}
	return values
}

// valueOf is the canonical text of a field of a record; "" where it is empty. Telephone fields stand among the numbers.
func valueOf(r *db.Record, f fields.Field, custom map[string]string) string {
	if key, is := strings.CutPrefix(f.Key, fields.Custom); is {
		return custom[key]
	}
	if p, there := texts(r)[f.Key]; there {
		return *p
	}
	if p, there := refs(r)[f.Key]; there {
		return optional.ID(*p)
	}
	if p, there := times(r)[f.Key]; there {
		if *p == nil {
			return ""
		}
		if f.Type == fields.Date {
			return (*p).Format(time.DateOnly)
		}
		return (*p).UTC().Format(time.RFC3339)
	}
	switch f.Key {
	case "amount":
		if r.AmountMinor != nil {
			return money.Amount{Minor: *r.AmountMinor, Currency: r.Currency}.String()
		}
	case "tags":
		return strings.Join(r.Tags, ", ")
	case "created":
		return r.CreatedAt.UTC().Format(time.RFC3339)
	}
	return ""
}

// setValue puts a canonical text into a record. Whom it refers to has been checked.
func setValue(r *db.Record, f fields.Field, value string, custom map[string]string) error {
	if f.Type != fields.Phone {
		value = firm.CleanText(value)
	}
	if key, is := strings.CutPrefix(f.Key, fields.Custom); is {
		if value == "" {
			delete(custom, key)
		} else {
			custom[key] = value
		}
		return nil
	}
	if p, there := texts(r)[f.Key]; there {
		*p = value
		return nil
	}
	if p, there := refs(r)[f.Key]; there {
		*p = nil
		if value != "" {
			id, err := uuid.Parse(value)
			if err != nil {
				return errors.New("choose one that is in the book")
			}
			*p = &id
		}
		return nil
	}
	if p, there := times(r)[f.Key]; there {
		*p = nil
		if value != "" {
			layout := time.RFC3339
			if f.Type == fields.Date {
				layout = time.DateOnly
			}
			t, err := time.Parse(layout, value)
			if err != nil {
				return err
			}
			*p = &t
		}
		return nil
	}
	switch f.Key {
	case "amount":
		r.AmountMinor, r.Currency = nil, ""
		if value != "" {
			a, err := money.Parse(value, "")
			if err != nil {
				return err
			}
			r.AmountMinor, r.Currency = &a.Minor, a.Currency
		}
	case "tags":
		r.Tags = fields.SplitTags(value)
	default:
		return errors.New("this cannot be written")
	}
	return nil
}

// settle puts right what follows from other fields: a person's whole name.
func settle(r *db.Record) {
	if fields.Kind(r.Kind).Person() {
		r.Name = fields.FullName(r.Given, r.Family, r.Email, r.Name)
	}
	if r.Tags == nil {
		r.Tags = []string{}
	}
}

// applied is what a change of values did.
type applied struct {
	before, after map[string]string // by label, for the trail
	phones        map[string]string // telephone fields: custom key to what was typed
}

// apply reads values as they were typed into a record. Errors: *FieldError with "values.KEY", or KEY for a single
// field.
func (bk *Book) apply(ctx context.Context, q *db.Queries, a firm.Actor, f *firm.Settings, r *db.Record,
	values map[string]string) (applied, error) {
	done := applied{map[string]string{}, map[string]string{}, map[string]string{}}
	kind := fields.Kind(r.Kind)
	list := f.Book.Of(kind)
	custom := customOfRecord(r)
	for key, typed := range values {
		field, there := fields.Find(list, key)
		if !there || field.Computed {
			return done, firm.Wrong(key, "records of this kind have no such field")
		}
		value, err := field.Parse(typed, f.Home(a))
		if err != nil {
			return done, firm.About(key, err)
		}
		if field.Type == fields.Phone {
			done.phones[strings.TrimPrefix(key, fields.Custom)] = value
			continue
		}
		old := valueOf(r, field, custom)
		if old == value {
			continue
		}
		before, after := old, value
		if field.Type == fields.Ref || field.Type == fields.User {
			if after, err = bk.named(ctx, q, r.ID, field, value); err != nil {
				return done, firm.About(key, err)
			}
			if before, err = bk.named(ctx, q, uuid.Nil, field, old); err != nil {
				before = "?"
			}
		}
		if err := setValue(r, field, value, custom); err != nil {
			return done, firm.About(key, err)
		}
		done.before[field.Label], done.after[field.Label] = before, after
	}
	settle(r)
	if kind.Person() && r.Name == "" {
		return done, firm.Wrong("family", "a person needs a name, or at least a mail address")
	}
	if r.StartsAt != nil && r.EndsAt != nil && r.EndsAt.Before(*r.StartsAt) {
		return done, firm.Wrong("ends", "this is before it begins")
	}
	text, err := json.Marshal(custom)
	if err != nil {
		return done, err
	}
	r.Custom = text
	return done, nil
}

// named is the name of whom a reference means; it tells what is wrong with one that means nobody. of is the record that
// refers, which must not become a part of itself.
func (bk *Book) named(ctx context.Context, q *db.Queries, of uuid.UUID, f fields.Field, value string) (string, error) {
	if value == "" {
		return "", nil
	}
	id, err := uuid.Parse(value)
	if err != nil {
		return "", errors.New("choose one that is in the book")
	}
	if f.Type == fields.User {
		u, err := q.User(ctx, id)
		if store.NotFound(err) {
			return "", errors.New("nobody of the firm is meant by this")
		}
		return u.Name, err
	}
	r, err := q.RecordName(ctx, id)
	switch {
	case store.NotFound(err):
		return "", firm.ErrNotFound
	case err != nil:
		return "", err
	}
	if of == uuid.Nil {
		return r.Name, nil
	}
	if r.DeletedAt != nil {
		return "", firm.ErrGone
	}
	fits := false
	for _, k := range f.RefKinds {
		fits = fits || string(k) == r.Kind
	}
	if !fits {
		return "", fmt.Errorf("this is a %s", r.Kind)
	}
	if f.Key == "company" {
		up, err := q.AncestorsOf(ctx, id)
		if err != nil {
			return "", err
		}
		for _, x := range up {
			if x == of {
				return "", errors.New("a company cannot be part of itself, nor of one that is part of it")
			}
		}
	}
	return r.Name, nil
}

func updateOf(r *db.Record) db.UpdateRecordParams {
	return db.UpdateRecordParams{ID: r.ID, Kind: r.Kind, Name: r.Name, CompanyID: r.CompanyID, OwnerID: r.OwnerID,
		Source: r.Source, Stage: r.Stage, Zone: r.Zone,
		Note: r.Note, Custom: r.Custom, Given: r.Given, Family: r.Family, Job: r.Job, Email: r.Email, Web: r.Web,
		Social: r.Social, Address: r.Address, Place: r.Place,
		PersonID: r.PersonID, DealID: r.DealID, QuoteID: r.QuoteID, OrderID: r.OrderID, Way: r.Way,
		Reference: r.Reference, AmountMinor: r.AmountMinor, Currency: r.Currency, DueOn: r.DueOn,
		StartsAt: r.StartsAt, EndsAt: r.EndsAt, Delivery: r.Delivery, Invoice: r.Invoice, Tags: r.Tags}
}

func insertOf(r *db.Record) db.InsertRecordParams {
	return db.InsertRecordParams{ID: r.ID, Kind: r.Kind, Name: r.Name, CompanyID: r.CompanyID, OwnerID: r.OwnerID,
		Source: r.Source, Stage: r.Stage, Zone: r.Zone,
		Note: r.Note, Custom: r.Custom, CreatedAt: r.CreatedAt, Given: r.Given, Family: r.Family, Job: r.Job,
		Email: r.Email, Web: r.Web, Social: r.Social,
		Address: r.Address, Place: r.Place, PersonID: r.PersonID, DealID: r.DealID, QuoteID: r.QuoteID,
		OrderID: r.OrderID, Way: r.Way, Reference: r.Reference, AmountMinor: r.AmountMinor,
		Currency: r.Currency, DueOn: r.DueOn, StartsAt: r.StartsAt, EndsAt: r.EndsAt, Delivery: r.Delivery,
		Invoice: r.Invoice, Tags: r.Tags}
}

// names are what a record's references are called.
type names struct{ company, owner, person, deal, quote, order string }

// readable is a field's value for reading: names instead of ids, amounts with their currency.
func readable(r *db.Record, f fields.Field, value string, n names) string {
	switch f.Key {
	case "company":
		return n.company
	case "owner":
		return n.owner
	case "person":
		return n.person
	case "deal":
		return n.deal
	case "quote":
		return n.quote
	case "order":
		return n.order
	}
	return value
}

// recordValues are the fields of a record's sheet.
func recordValues(f *firm.Settings, r *db.Record, n names, kinds map[string]string, numbers []contract.PhoneNumber,
	fieldNumbers map[string]string) []contract.RecordValue {
	custom := customOfRecord(r)
	views := []contract.RecordValue{}
	for _, field := range f.Book.Of(fields.Kind(r.Kind)) {
		if field.Computed && field.Key != "created" {
			continue
		}
		v := contract.RecordValue{Key: field.Key, Value: valueOf(r, field, custom)}
		if field.Type == fields.Phone {
			v.Value = fieldNumbers[strings.TrimPrefix(field.Key, fields.Custom)]
		}
		v.Text = readable(r, field, v.Value, n)
		if field.Type == fields.Ref && v.Value != "" {
			v.Ref = &contract.RecordRef{ID: uuid.MustParse(v.Value), Kind: contract.RecordKind(kinds[field.Key]),
				Name: v.Text}
		}
		views = append(views, v)
	}
	return views
}
