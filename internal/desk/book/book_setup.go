package book

import (
	"context"
	"encoding/json"
	"errors"
	"regexp"
	"strings"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/fields"
	"trundo/internal/core/phone"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// People are those of the firm, with what they do just now.
type People interface {
	Team(ctx context.Context) ([]contract.Colleague, error)
}

// Book is what a's browser needs to show records of every kind.
func (bk *Book) Book(ctx context.Context, a firm.Actor) (contract.Book, error) {
	f, err := bk.Settings(ctx)
	if err != nil {
		return contract.Book{}, err
	}
	view := contract.Book{Labels: phone.Labels, Currency: f.Currency, Kinds: []contract.KindDef{}}
	if view.People, err = bk.people.Team(ctx); err != nil {
		return view, err
	}
	for _, k := range fields.Kinds {
		all := f.Book.Of(k)
		def := contract.KindDef{Kind: contract.RecordKind(k), Fields: []contract.FieldDef{}}
		for _, p := range fields.Layout(all, f.Book.Layouts[k]) {
			x, _ := fields.Find(all, p.Key)
			def.Fields = append(def.Fields, f.Book.FieldDef(k, x, p.Place))
		}
		for _, x := range all {
			if x.Computed {
				def.Fields = append(def.Fields, f.Book.FieldDef(k, x, fields.Hidden))
			}
		}
		view.Kinds = append(view.Kinds, def)
	}
	view.PeopleFields = f.Book.PeopleFields(view.Kinds)
	return view, nil
}

// BookSettings are the firm's settings of the book. Error: ErrForbidden.
func (bk *Book) BookSettings(ctx context.Context, a firm.Actor) (contract.BookSettings, error) {
	if !a.MayDo(rights.Fields) {
		return contract.BookSettings{}, firm.ErrForbidden
	}
	f, err := bk.Settings(ctx)
	if err != nil {
		return contract.BookSettings{}, err
	}
	s := contract.BookSettings{NumberOrderContact: firm.OrEmpty(f.Book.Orders[fields.Contact]),
		NumberOrderLead: firm.OrEmpty(f.Book.Orders[fields.Lead]), Layouts: []contract.Layout{}}
	for _, k := range fields.Kinds {
		l := contract.Layout{Kind: contract.RecordKind(k), Fields: []contract.PlacedField{}}
		for _, p := range fields.Layout(f.Book.Of(k), f.Book.Layouts[k]) {
			l.Fields = append(l.Fields, contract.PlacedField{Key: p.Key, Place: contract.PlacedFieldPlace(p.Place)})
		}
		s.Layouts = append(s.Layouts, l)
	}
	return s, nil
}

// SetBookSettings keeps them. Errors: ErrForbidden, *FieldError.
func (bk *Book) SetBookSettings(ctx context.Context, a firm.Actor,
	s contract.BookSettings) (contract.BookSettings, error) {
	if !a.MayDo(rights.Fields) {
		return s, firm.ErrForbidden
	}
	f, err := bk.Settings(ctx)
	if err != nil {
		return s, err
	}
	set := firm.BookSettings{Orders: map[fields.Kind][]string{fields.Contact: s.NumberOrderContact,
		fields.Lead: s.NumberOrderLead}, Layouts: map[fields.Kind][]fields.Placed{}}
	for _, l := range s.Layouts {
		known := f.Book.Of(fields.Kind(l.Kind))
		for _, p := range l.Fields {
			if _, there := fields.Find(known, p.Key); !there {
				return s, firm.Wrong("layouts."+string(l.Kind), "there is no field “"+p.Key+"”")
			}
			set.Layouts[fields.Kind(l.Kind)] = append(set.Layouts[fields.Kind(l.Kind)],
				fields.Placed{Key: p.Key, Place: fields.Place(p.Place)})
		}
	}
	value, err := json.Marshal(set)
	if err != nil {
		return s, err
	}
	before, err := json.Marshal(f.Book.BookSettings)
	if err != nil {
		return s, err
	}
	if err := bk.Store.Tx(ctx, func(q *db.Queries) error {
		if err := q.PutSetting(ctx, db.PutSettingParams{Key: "book", Value: value}); err != nil {
			return err
		}
		return bk.Audited(ctx, q, a, "settings", uuid.Nil, "book", json.RawMessage(before), json.RawMessage(value))
	}); err != nil {
		return s, err
	}
	bk.BookChanged()
	return bk.BookSettings(ctx, a)
}

var notKey = regexp.MustCompile(`[^a-z0-9]+`)

// AddField defines a field of an admin's own for a kind of record. Errors: ErrForbidden, *FieldError.
func (bk *Book) AddField(ctx context.Context, a firm.Actor, e contract.FieldEdit) (contract.Book, error) {
	if !a.MayDo(rights.Fields) {
		return contract.Book{}, firm.ErrForbidden
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
	err = bk.Store.Tx(ctx, func(q *db.Queries) error {
		if err := q.InsertCustomField(ctx,
			db.InsertCustomFieldParams{ID: id, RecordKind: string(e.Kind), Key: key, Label: strings.TrimSpace(e.Label),
				Type: string(e.Type), Choices: choices}); err != nil {
			return err
		}
		return bk.Audited(ctx, q, a, "field", id, "made", map[string]string{},
			map[string]string{"label": e.Label, "type": string(e.Type)})
	})
	if store.Duplicate(err) {
		return contract.Book{}, firm.Wrong("label", "there is a field of this name already")
	} else if err != nil {
		return contract.Book{}, err
	}
	bk.BookChanged()
	return bk.Book(ctx, a)
}

// ChangeField renames a field, changes its choices, or takes it off (its values stay). Errors: ErrForbidden,
// *FieldError, ErrNotFound.
func (bk *Book) ChangeField(ctx context.Context, a firm.Actor, id uuid.UUID,
	e contract.FieldEdit) (contract.Book, error) {
	if !a.MayDo(rights.Fields) {
		return contract.Book{}, firm.ErrForbidden
	}
	choices, err := fieldChoices(e)
	if err != nil {
		return contract.Book{}, err
	}
	active := e.Active == nil || *e.Active
	err = bk.Store.Tx(ctx, func(q *db.Queries) error {
		n, err := q.UpdateCustomField(ctx,
			db.UpdateCustomFieldParams{ID: id, Label: strings.TrimSpace(e.Label), Choices: choices, Active: active})
		if err != nil {
			return err
		}
		if n == 0 {
			return firm.ErrNotFound
		}
		return bk.Audited(ctx, q, a, "field", id, "changed", map[string]string{},
			map[string]string{"label": e.Label, "choices": strings.Join(choices, ", ")})
	})
	if err != nil {
		return contract.Book{}, err
	}
	bk.BookChanged()
	return bk.Book(ctx, a)
}

func fieldChoices(e contract.FieldEdit) ([]string, error) {
	if strings.TrimSpace(e.Label) == "" || strings.ContainsRune(e.Label, 0) {
		return nil, firm.Wrong("label", "a field needs a name")
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
		return nil, firm.Wrong("choices", "say between what can be chosen")
	}
	return choices, nil
}

var errNoKind = errors.New("there is no such kind of record")
