package desk

import (
	"context"
	"encoding/json"
	"errors"
	"regexp"
	"slices"
	"strings"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/fields"
	"trundo/internal/core/filter"
	"trundo/internal/core/phone"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// bookSettings is the value of the setting "book".
type bookSettings struct {
	Orders  map[fields.Kind][]string        `json:"orders"`  // number order, of contacts and leads
	Layouts map[fields.Kind][]fields.Placed `json:"layouts"` // where fields stand
}

// book is what the admin has set up of the book.
type book struct {
	bookSettings
	custom []db.CustomFieldsRow // all, also those no longer offered
}

func (d *Desk) readBook(ctx context.Context) (book, error) {
	var b book
	if err := d.setting(ctx, "book", &b.bookSettings); err != nil {
		return b, err
	}
	var err error
	b.custom, err = d.Store.CustomFields(ctx)
	return b, err
}

// fields are all fields of a kind, an admin's own among them, those that are only read last.
func (b *book) fields(k fields.Kind) []fields.Field {
	list := fields.BuiltIn(k)
	for _, c := range b.custom {
		if c.RecordKind == string(k) && c.Active {
			list = append(list, customField(c))
		}
	}
	return append(list, fields.Computed(k)...)
}

func customField(c db.CustomFieldsRow) fields.Field {
	return fields.Field{Key: fields.Custom + c.Key, Label: c.Label, Type: fields.Type(c.Type), Choices: c.Choices}
}

// customOf finds the row of a field that an admin defined.
func (b *book) customOf(k fields.Kind, key string) (db.CustomFieldsRow, bool) {
	for _, c := range b.custom {
		if c.RecordKind == string(k) && fields.Custom+c.Key == key {
			return c, true
		}
	}
	return db.CustomFieldsRow{}, false
}

// listed are the fields by which records of several kinds together can be filtered: those that all have, and those that the firm has added
// to any of them, which are empty for the others.
func (b *book) listed(kinds []fields.Kind) []fields.Field {
	list := b.fields(kinds[0])
	for _, k := range kinds[1:] {
		other, both := b.fields(k), []fields.Field(nil)
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

func joined(a, b []string) []string {
	out := append([]string{}, a...)
	for _, x := range b {
		there := false
		for _, y := range a {
			there = there || x == y
		}
		if !there {
			out = append(out, x)
		}
	}
	return out
}

// home is what is taken where a text leaves it open.
func (f *firm) home(a Actor) fields.Home {
	return fields.Home{Currency: f.currency, Zone: a.Zone, CountryCode: phone.CountryCode(f.region)}
}

// People are those of the firm, with what they do just now.
type People interface {
	Team(ctx context.Context) ([]contract.Colleague, error)
}

// Book is what a's browser needs to show records of every kind.
func (d *Desk) Book(ctx context.Context, a Actor) (contract.Book, error) {
	f, err := d.firm(ctx)
	if err != nil {
		return contract.Book{}, err
	}
	view := contract.Book{Labels: phone.Labels, Currency: f.currency, Kinds: []contract.KindDef{},
		Rights: contract.BookRights{SetUp: a.mayDo(SetUp), Override: a.mayDo(Override), Export: a.mayDo(Export), Import: a.mayDo(Import), DeleteRecord: a.mayDo(DeleteRecord),
			LiftDoNotCall: a.mayDo(LiftDoNotCall)}}
	if view.People, err = d.people.Team(ctx); err != nil {
		return view, err
	}
	for _, k := range fields.Kinds {
		all := f.book.fields(k)
		def := contract.KindDef{Kind: contract.RecordKind(k), Fields: []contract.FieldDef{}}
		for _, p := range fields.Layout(all, f.book.Layouts[k]) {
			x, _ := fields.Find(all, p.Key)
			def.Fields = append(def.Fields, f.book.fieldDef(k, x, p.Place))
		}
		for _, x := range all {
			if x.Computed {
				def.Fields = append(def.Fields, f.book.fieldDef(k, x, fields.Hidden))
			}
		}
		view.Kinds = append(view.Kinds, def)
	}
	view.PeopleFields = f.book.peopleFields(view.Kinds)
	return view, nil
}

// peopleFields are the fields of contacts and leads in one list, each as the kind that has it defines it.
func (b *book) peopleFields(kinds []contract.KindDef) []contract.FieldDef {
	list := []contract.FieldDef{}
	for _, f := range b.listed([]fields.Kind{fields.Contact, fields.Lead}) {
		def := b.fieldDef(fields.Contact, f, fields.Hidden)
		for _, k := range kinds {
			if k.Kind != contract.RecordKindContact && k.Kind != contract.RecordKindLead {
				continue
			}
			if at := slices.IndexFunc(k.Fields, func(x contract.FieldDef) bool { return x.Key == f.Key }); at >= 0 {
				def = k.Fields[at]
				break
			}
		}
		def.Choices = orEmpty(f.Choices)
		list = append(list, def)
	}
	return list
}

func (b *book) fieldDef(k fields.Kind, f fields.Field, place fields.Place) contract.FieldDef {
	def := contract.FieldDef{Key: f.Key, Label: f.Label, Type: contract.FieldDefType(f.Type), Choices: orEmpty(f.Choices), RefKinds: []contract.RecordKind{},
		Required: f.Required, Computed: f.Computed, Ops: []string{}, Place: contract.FieldDefPlace(place)}
	for _, r := range f.RefKinds {
		def.RefKinds = append(def.RefKinds, contract.RecordKind(r))
	}
	for _, o := range filter.Ops(f.Type) {
		def.Ops = append(def.Ops, string(o))
	}
	if c, custom := b.customOf(k, f.Key); custom {
		def.CustomID = &c.ID
	}
	return def
}

// BookSettings are the firm's settings of the book. Error: ErrForbidden.
func (d *Desk) BookSettings(ctx context.Context, a Actor) (contract.BookSettings, error) {
	if !a.mayDo(SetUp) {
		return contract.BookSettings{}, ErrForbidden
	}
	f, err := d.firm(ctx)
	if err != nil {
		return contract.BookSettings{}, err
	}
	s := contract.BookSettings{NumberOrderContact: orEmpty(f.book.Orders[fields.Contact]), NumberOrderLead: orEmpty(f.book.Orders[fields.Lead]), Layouts: []contract.Layout{}}
	for _, k := range fields.Kinds {
		l := contract.Layout{Kind: contract.RecordKind(k), Fields: []contract.PlacedField{}}
		for _, p := range fields.Layout(f.book.fields(k), f.book.Layouts[k]) {
			l.Fields = append(l.Fields, contract.PlacedField{Key: p.Key, Place: contract.PlacedFieldPlace(p.Place)})
		}
		s.Layouts = append(s.Layouts, l)
	}
	return s, nil
}

// SetBookSettings keeps them. Errors: ErrForbidden, *FieldError.
func (d *Desk) SetBookSettings(ctx context.Context, a Actor, s contract.BookSettings) (contract.BookSettings, error) {
	if !a.mayDo(SetUp) {
		return s, ErrForbidden
	}
	f, err := d.firm(ctx)
	if err != nil {
		return s, err
	}
	set := bookSettings{Orders: map[fields.Kind][]string{fields.Contact: s.NumberOrderContact, fields.Lead: s.NumberOrderLead}, Layouts: map[fields.Kind][]fields.Placed{}}
	for _, l := range s.Layouts {
		known := f.book.fields(fields.Kind(l.Kind))
		for _, p := range l.Fields {
			if _, there := fields.Find(known, p.Key); !there {
				return s, wrong("layouts."+string(l.Kind), "there is no field “"+p.Key+"”")
			}
			set.Layouts[fields.Kind(l.Kind)] = append(set.Layouts[fields.Kind(l.Kind)], fields.Placed{Key: p.Key, Place: fields.Place(p.Place)})
		}
	}
	value, err := json.Marshal(set)
	if err != nil {
		return s, err
	}
	before, err := json.Marshal(f.book.bookSettings)
	if err != nil {
		return s, err
	}
	if err := d.Store.Tx(ctx, func(q *db.Queries) error {
		if err := q.PutSetting(ctx, db.PutSettingParams{Key: "book", Value: value}); err != nil {
			return err
		}
		return d.audited(ctx, q, a, "settings", uuid.Nil, "book", json.RawMessage(before), json.RawMessage(value))
	}); err != nil {
		return s, err
	}
	d.bookChanged()
	return d.BookSettings(ctx, a)
}

// bookChanged lets everybody read the set-up of the book anew.
func (d *Desk) bookChanged() {
	d.firmCache.mu.Lock()
	d.firmCache.value = nil
	d.firmCache.mu.Unlock()
	d.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindBook})
}

var notKey = regexp.MustCompile(`[^a-z0-9]+`)

// AddField defines a field of an admin's own for a kind of record. Errors: ErrForbidden, *FieldError.
func (d *Desk) AddField(ctx context.Context, a Actor, e contract.FieldEdit) (contract.Book, error) {
	if !a.mayDo(SetUp) {
		return contract.Book{}, ErrForbidden
	}
	choices, err := fieldChoices(e)
	if err != nil {
		return contract.Book{}, err
	}
	key := strings.Trim(notKey.ReplaceAllString(strings.ToLower(e.Label), "_"), "_")
	if key == "" {
		key = "field_" + store.NewID().String()[24:]
	}
	id := store.NewID()
	err = d.Store.Tx(ctx, func(q *db.Queries) error {
		if err := q.InsertCustomField(ctx, db.InsertCustomFieldParams{ID: id, RecordKind: string(e.Kind), Key: key, Label: strings.TrimSpace(e.Label),
			Type: string(e.Type), Choices: choices}); err != nil {
			return err
		}
		return d.audited(ctx, q, a, "field", id, "made", map[string]string{}, map[string]string{"label": e.Label, "type": string(e.Type)})
	})
	if store.Duplicate(err) {
		return contract.Book{}, wrong("label", "there is a field of this name already")
	} else if err != nil {
		return contract.Book{}, err
	}
	d.bookChanged()
	return d.Book(ctx, a)
}

// ChangeField renames a field, changes its choices, or takes it off (its values stay). Errors: ErrForbidden, *FieldError, ErrNotFound.
func (d *Desk) ChangeField(ctx context.Context, a Actor, id uuid.UUID, e contract.FieldEdit) (contract.Book, error) {
	if !a.mayDo(SetUp) {
		return contract.Book{}, ErrForbidden
	}
	choices, err := fieldChoices(e)
	if err != nil {
		return contract.Book{}, err
	}
	active := e.Active == nil || *e.Active
	err = d.Store.Tx(ctx, func(q *db.Queries) error {
		n, err := q.UpdateCustomField(ctx, db.UpdateCustomFieldParams{ID: id, Label: strings.TrimSpace(e.Label), Choices: choices, Active: active})
		if err != nil {
			return err
		}
		if n == 0 {
			return ErrNotFound
		}
		return d.audited(ctx, q, a, "field", id, "changed", map[string]string{}, map[string]string{"label": e.Label, "choices": strings.Join(choices, ", ")})
	})
	if err != nil {
		return contract.Book{}, err
	}
	d.bookChanged()
	return d.Book(ctx, a)
}

func fieldChoices(e contract.FieldEdit) ([]string, error) {
	if strings.TrimSpace(e.Label) == "" || strings.ContainsRune(e.Label, 0) {
		return nil, wrong("label", "a field needs a name")
	}
	choices := []string{}
	if e.Choices != nil {
		for _, c := range *e.Choices {
			if c = strings.TrimSpace(strings.ReplaceAll(c, "\x00", "")); c != "" {
				choices = append(choices, c)
			}
		}
	}
	if e.Type == contract.FieldEditTypeChoice && len(choices) == 0 {
		return nil, wrong("choices", "say between what can be chosen")
	}
	return choices, nil
}

var errNoKind = errors.New("there is no such kind of record")
