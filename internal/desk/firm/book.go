package firm

import (
	"context"
	"slices"
	"strings"

	"trundo/internal/contract"
	"trundo/internal/core/fields"
	"trundo/internal/core/filter"
	"trundo/internal/store/db"
)

// BookSettings is the value of the setting "book".
type BookSettings struct {
	Orders  map[fields.Kind][]string        `json:"orders"`  // number order, of contacts and leads
	Layouts map[fields.Kind][]fields.Placed `json:"layouts"` // where fields stand
}

// BookFields is what the admin has set up of the book.
type BookFields struct {
	BookSettings
	Custom []db.CustomFieldsRow // all, also those no longer offered
}

func (k *Firm) readBook(ctx context.Context) (BookFields, error) {
	var b BookFields
	if err := k.Setting(ctx, "book", &b.BookSettings); err != nil {
		return b, err
	}
	var err error
	b.Custom, err = k.Store.CustomFields(ctx)
	return b, err
}

// Of are all fields of a kind, an admin's own among them, those that are only read last.
func (b *BookFields) Of(k fields.Kind) []fields.Field {
	list := fields.BuiltIn(k)
	for _, c := range b.Custom {
		if c.RecordKind == string(k) && c.Active {
			list = append(list, customField(c))
		}
	}
	return append(list, fields.Computed(k)...)
}

// CustomOf finds the row of a field that an admin defined.
func (b *BookFields) CustomOf(k fields.Kind, key string) (db.CustomFieldsRow, bool) {
	for _, c := range b.Custom {
		if c.RecordKind == string(k) && fields.Custom+c.Key == key {
			return c, true
		}
	}
	return db.CustomFieldsRow{}, false
}

// Listed are the fields by which records of several kinds together can be filtered: those that all have, and those that
// the firm has added to any of them, which are empty for the others.
func (b *BookFields) Listed(kinds []fields.Kind) []fields.Field {
	list := b.Of(kinds[0])
	for _, k := range kinds[1:] {
		other, both := b.Of(k), []fields.Field(nil)
		for _, f := range list {
			if o, there := fields.Find(other, f.Key); there && o.Type == f.Type {
				f.Choices = joined(f.Choices, o.Choices)
				both = append(both, f)
			}
		}
		for _, only := range [][]fields.Field{list, other} {
			for _, f := range only {
				if _, there := fields.Find(both, f.Key); !there && strings.HasPrefix(f.Key, fields.Custom) {
					both = append(both, f)
				}
			}
		}
		list = both
	}
	// A list of people is also searched by their whole name.
	if _, there := fields.Find(list, "name"); !there {
		list = append([]fields.Field{{Key: "name", Label: "Name", Type: fields.Text, Computed: true}}, list...)
	}
	return list
}

// PeopleFields are the fields of contacts and leads in one list, each as the kind that has it defines it.
func (b *BookFields) PeopleFields(kinds []contract.KindDef) []contract.FieldDef {
	list := []contract.FieldDef{}
	for _, f := range b.Listed([]fields.Kind{fields.Contact, fields.Lead}) {
		def := b.FieldDef(fields.Contact, f, fields.Hidden)
		for _, k := range kinds {
			if k.Kind != contract.RecordKindContact && k.Kind != contract.RecordKindLead {
				continue
			}
			if at := slices.IndexFunc(k.Fields, func(x contract.FieldDef) bool { return x.Key == f.Key }); at >= 0 {
				def = k.Fields[at]
				break
			}
		}
		def.Choices = OrEmpty(f.Choices)
		list = append(list, def)
	}
	return list
}

// FieldDef is a field as a browser needs it, at its place on the sheet.
func (b *BookFields) FieldDef(k fields.Kind, f fields.Field, place fields.Place) contract.FieldDef {
	def := contract.FieldDef{Key: f.Key, Label: f.Label, Type: contract.FieldDefType(f.Type),
		Choices: OrEmpty(f.Choices), RefKinds: []contract.RecordKind{},
		Required: f.Required, Computed: f.Computed, Ops: []string{}, Place: contract.FieldDefPlace(place)}
	for _, r := range f.RefKinds {
		def.RefKinds = append(def.RefKinds, contract.RecordKind(r))
	}
	for _, o := range filter.Ops(f.Type) {
		def.Ops = append(def.Ops, string(o))
	}
	if c, custom := b.CustomOf(k, f.Key); custom {
		def.CustomID = &c.ID
	}
	return def
}
