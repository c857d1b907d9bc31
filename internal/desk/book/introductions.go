package book

import (
	"cmp"
	"context"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/duplicate"
	"trundo/internal/core/fields"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// Introduction is what is known of somebody new besides what a rep types.
type Introduction struct {
	ID                          uuid.UUID // that the record gets; zero: a new one
	Source, Number, Label, Mail string
}

// Introduce makes somebody new a record, of an existing company, of a new one, or of none. A company of the same name
// as one that is there is not made again without being told to. Errors: *FieldError, and those of making a record.
func (bk *Book) Introduce(ctx context.Context, q *db.Queries, a firm.Actor, f *firm.Settings, n contract.RecordFromCall,
	met Introduction) (record uuid.UUID,
	company *uuid.UUID, err error) {
	values := map[string]string{"source": met.Source, "email": met.Mail}
	values["given"], values["family"] = fields.SplitName(n.Name)
	if n.Email != nil {
		values["email"] = *n.Email
	}
	var made *uuid.UUID
	switch name := firm.CleanText(optional.Value(n.CompanyName)); {
	case n.CompanyID != nil:
		company = n.CompanyID
	case name != "":
		if err := newCompany(ctx, q, name, optional.Value(n.AnotherCompany)); err != nil {
			return record, nil, err
		}
		id := store.NewID()
		company, made = &id, &id
		if err := bk.MakeRecord(ctx, q, a, f, id, contract.NewRecord{Kind: contract.RecordKindCompany,
			Values: map[string]string{"name": name, "source": met.Source, "stage": "prospect"}}); err != nil {
			return record, nil, asField("company_name", err)
		}
	}
	if company != nil {
		values["company"] = company.String()
	}
	if record = met.ID; record == uuid.Nil {
		record = store.NewID()
	}
	person := contract.NewRecord{Kind: contract.RecordKind(n.Kind), Values: values}
	if met.Number != "" {
		label := cmp.Or(cleanLabel(optional.Value(n.Label)), met.Label, "work")
		person.Numbers = &[]contract.NewNumber{{Label: &label, Typed: met.Number}}
	}
	return record, made, bk.MakeRecord(ctx, q, a, f, record, person)
}

// newCompany tells whether a company of a name may be made: not where one of that name is there, unless it is said to
// be another.
func newCompany(ctx context.Context, q *db.Queries, name string, another bool) error {
	if another {
		return nil
	}
	_, found, err := likely(ctx, q, duplicate.Record{Company: true, Name: name}, uuid.Nil, true)
	if err != nil {
		return err
	}
	for _, s := range found {
		if duplicate.Firm(s.Name) == duplicate.Firm(name) {
			return firm.Wrong("company_name", "“"+s.Name+
				"” is there already: choose it, or say that this is another company")
		}
	}
	return nil
}
