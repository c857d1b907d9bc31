package book

import (
	"cmp"
	"context"
	"strings"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/callable"
	"trundo/internal/core/fields"
	"trundo/internal/core/phone"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// numbersOf reads the numbers of records in the order in which they are tried, each with whether it may be called now.
func (bk *Book) numbersOf(ctx context.Context, a firm.Actor, f *firm.Settings,
	records []uuid.UUID) (map[uuid.UUID][]contract.PhoneNumber, error) {
	rows, err := bk.Store.NumbersOf(ctx, records)
	if err != nil {
		return nil, err
	}
	of := map[uuid.UUID][]contract.PhoneNumber{}
	for from := 0; from < len(rows); {
		to := from
		var labels []string
		for to < len(rows) && rows[to].RecordID == rows[from].RecordID {
			labels = append(labels, rows[to].Label)
			to++
		}
		r := rows[from]
		for _, i := range phone.Order(labels, r.NumberOrder, f.Book.Orders[fields.Kind(r.Kind)]) {
			of[r.RecordID] = append(of[r.RecordID], bk.NumberView(rows[from+i], a, f))
		}
		from = to
	}
	return of, nil
}

// NumberView is a number as a reads it, with what a click on it will do now.
func (bk *Book) NumberView(r db.NumbersOfRow, a firm.Actor, f *firm.Settings) contract.PhoneNumber {
	zones := r.Zones
	if r.RecordZone != "" {
		zones = append([]string{r.RecordZone}, zones...) // the address's zone first, and both must allow
	}
	wishes := callable.Subject{NumberDoNotCall: r.DncAt != nil, PersonDoNotCall: r.RecordDncAt != nil,
		CompanyDoNotCall: r.CompanyDncAt != nil,
		ListedDoNotCall:  r.ListedAt != nil, Zones: zones}
	v := callable.Check(wishes, bk.Hours, bk.Clock.Now())
	n := contract.PhoneNumber{ID: r.ID, RecordID: r.RecordID, Label: r.Label, Typed: r.Typed, Valid: r.Valid,
		Dialable: r.E164 != "", Display: r.Typed,
		InHours: v.InHours, Ambiguous: v.Ambiguous}
	if r.FieldLabel != "" {
		n.Label = r.FieldLabel
	}
	if n.Dialable {
		n.Display = phone.Format(r.E164, r.Ext, f.Region, a.Style)
	}
	if !v.Changes.IsZero() {
		changes := v.Changes.UTC()
		n.ChangesAt = &changes
	}
	if v.Zone != nil {
		n.Zone = v.Zone.String()
	}
	if e := firm.Refused(v.Refused,
		firm.Reasons{Number: r.DncReason, Person: r.RecordDncReason, Company: r.CompanyDncReason,
			Listed: r.ListedReason}); e != nil {
		n.Refused = e.Error()
	}
	return n
}

// CallAgain is the number of a call as one of whom it is with has it, persons first; else as it is known by itself,
// with no id.
func CallAgain(v contract.Call, r db.CallsByIDsRow, stored []db.NumbersOfRow) db.NumbersOfRow {
	for _, l := range v.Links { // persons come before companies
		for _, n := range stored {
			if n.RecordID == l.Record.ID && n.E164 == r.RemoteE164 && n.Ext == r.RemoteExt {
				return n
			}
		}
	}
	typed := r.RemoteE164
	if r.RemoteExt != "" {
		typed += ";ext=" + r.RemoteExt
	}
	alone := db.NumbersOfRow{Label: r.RemoteLabel, Typed: typed, E164: r.RemoteE164, Ext: r.RemoteExt, Valid: true,
		Zones: phone.Zones(r.RemoteE164)}
	if len(v.Links) > 0 {
		alone.RecordID = v.Links[0].Record.ID
	}
	return alone
}

// insertNumber adds a number to a record; what is no number is kept as it was typed, and cannot be dialed.
func insertNumber(ctx context.Context, q *db.Queries, f *firm.Settings, record uuid.UUID, field *uuid.UUID, label,
	typed string) error {
	p := numberRow(typed, f.Region)
	return q.InsertNumber(ctx, db.InsertNumberParams{ID: store.NewID(), RecordID: record, FieldID: field, Label: label,
		Typed: p.Typed, E164: p.E164, Ext: p.Ext,
		DigitsReversed: p.DigitsReversed, Valid: p.Valid, Region: p.Region, Zones: p.Zones})
}

// maxZones is how many zones of a number are kept: where there are more, it may be anywhere.
const maxZones = 4

// numberRow is what is kept of a number that was typed.
func numberRow(typed, region string) db.PhoneNumber {
	n, err := phone.Parse(typed, region)
	if err != nil {
		return db.PhoneNumber{Typed: strings.TrimSpace(typed), Zones: []string{}}
	}
	p := db.PhoneNumber{Typed: n.Typed, E164: &n.E164, Ext: n.Ext, DigitsReversed: phone.Reverse(phone.Digits(n.E164)),
		Valid: n.Valid, Region: n.Region,
		Zones: phone.Zones(n.E164)}
	if len(p.Zones) > maxZones {
		p.Zones = p.Zones[:maxZones]
	}
	if p.Zones == nil {
		p.Zones = []string{}
	}
	return p
}

// labelOf is what a new number is called: as it was said, as it was written behind it, or mobile.
func labelOf(n contract.NewNumber, region string) string {
	parsed, _ := phone.Parse(n.Typed, region) // what is no number has no label
	return cmp.Or(cleanLabel(optional.Value(n.Label)), cleanLabel(parsed.Label), "mobile")
}

func cleanLabel(label string) string {
	return strings.Join(strings.Fields(strings.ToLower(strings.ReplaceAll(label, "\x00", ""))), " ")
}

// checkNumber tells what is wrong with a number that somebody types in.
func checkNumber(field, typed, region string) error {
	if len(typed) > phone.MaxTyped {
		return firm.About(field, phone.ErrTooLong)
	}
	if _, err := phone.Parse(typed, region); err != nil {
		return firm.About(field, err)
	}
	return nil
}

// AddNumber adds a number to a record. Errors: *FieldError, ErrNotFound, ErrGone.
func (bk *Book) AddNumber(ctx context.Context, a firm.Actor, record uuid.UUID,
	n contract.NewNumber) (contract.Record, error) {
	f, err := bk.Settings(ctx)
	if err != nil {
		return contract.Record{}, err
	}
	if err := checkNumber("typed", n.Typed, f.Region); err != nil {
		return contract.Record{}, err
	}
	label := labelOf(n, f.Region)
	return bk.changeRecord(ctx, a, record, func(q *db.Queries, r *db.Record) error {
		if err := insertNumber(ctx, q, f, record, nil, label, n.Typed); err != nil {
			return err
		}
		return bk.RecordChanged(ctx, q, a, record, nil, map[string]string{label: strings.TrimSpace(n.Typed)})
	})
}

// ChangeNumber changes a number's label or digits, or marks it do-not-call. Errors: *FieldError, ErrNotFound, ErrGone.
func (bk *Book) ChangeNumber(ctx context.Context, a firm.Actor, id uuid.UUID,
	c contract.NumberChange) (contract.Record, error) {
	f, err := bk.Settings(ctx)
	if err != nil {
		return contract.Record{}, err
	}
	if c.Typed != nil {
		if err := checkNumber("typed", *c.Typed, f.Region); err != nil {
			return contract.Record{}, err
		}
	}
	return bk.onNumber(ctx, a, id, func(q *db.Queries, n db.PhoneNumber) error {
		p := db.UpdateNumberParams{ID: n.ID, Label: n.Label, Typed: n.Typed, E164: n.E164, Ext: n.Ext,
			DigitsReversed: n.DigitsReversed, Valid: n.Valid,
			Region: n.Region, Zones: n.Zones, DncAt: n.DncAt, DncReason: n.DncReason}
		before, after := map[string]string{}, map[string]string{}
		if c.Label != nil && cleanLabel(*c.Label) != "" && cleanLabel(*c.Label) != n.Label {
			p.Label = cleanLabel(*c.Label)
			before["label of "+n.Typed], after["label of "+n.Typed] = n.Label, p.Label
		}
		if c.Typed != nil && strings.TrimSpace(*c.Typed) != n.Typed {
			x := numberRow(*c.Typed, f.Region)
			if parsed, err := phone.Parse(*c.Typed, f.Region); err == nil && parsed.Label != "" && c.Label == nil {
				p.Label = cleanLabel(parsed.Label)
			}
			p.Typed, p.E164, p.Ext, p.DigitsReversed, p.Valid, p.Region, p.Zones = x.Typed, x.E164, x.Ext,
				x.DigitsReversed, x.Valid, x.Region, x.Zones
			before[p.Label], after[p.Label] = n.Typed, x.Typed
		}
		if c.DoNotCall != nil {
			what := "do-not-call, " + p.Label
			p.DncAt, p.DncReason = nil, ""
			before[what], after[what] = Marked(n.DncAt != nil, n.DncReason), "no: "+firm.CleanReason(c.Reason)
			if *c.DoNotCall {
				p.DncAt, p.DncReason = optional.Time(bk.Clock.Now()), firm.CleanReason(c.Reason)
				after[what] = Marked(true, p.DncReason)
			} else if err := a.MayLift(c.Reason); err != nil {
				return err
			}
		}
		if len(after) == 0 {
			return nil
		}
		if err := q.UpdateNumber(ctx, p); err != nil {
			return err
		}
		return bk.RecordChanged(ctx, q, a, n.RecordID, before, after)
	})
}

// Marked says in the words of the audit trail whether not to be called is set: no, yes, or the reason.
func Marked(on bool, reason string) string {
	switch {
	case !on:
		return "no"
	case reason == "":
		return "yes"
	}
	return reason
}

// RemoveNumber takes a number off its record. Calls made to it stay in the history. Errors: ErrNotFound, ErrGone.
func (bk *Book) RemoveNumber(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.Record, error) {
	return bk.onNumber(ctx, a, id, func(q *db.Queries, n db.PhoneNumber) error {
		if n.DncAt != nil && !a.MayDo(rights.LiftDoNotCall) {
			return firm.ErrForbidden // the wish would go with the number
		}
		if err := q.DeleteNumber(ctx, id); err != nil {
			return err
		}
		return bk.RecordChanged(ctx, q, a, n.RecordID, map[string]string{n.Label: n.Typed},
			map[string]string{n.Label: ""})
	})
}

// onNumber does something to a number under the lock of its record.
func (bk *Book) onNumber(ctx context.Context, a firm.Actor, id uuid.UUID,
	do func(*db.Queries, db.PhoneNumber) error) (contract.Record, error) {
	n, err := bk.Store.NumberTarget(ctx, id)
	if store.NotFound(err) {
		return contract.Record{}, firm.ErrNotFound
	} else if err != nil {
		return contract.Record{}, err
	}
	return bk.changeRecord(ctx, a, n.RecordID, func(q *db.Queries, r *db.Record) error {
		locked, err := q.LockNumber(ctx, id)
		if store.NotFound(err) {
			return firm.ErrNotFound
		} else if err != nil {
			return err
		}
		return do(q, locked)
	})
}

// OrderNumbers gives a record a number order of its own; none makes the firm's hold again. Errors: ErrNotFound,
// ErrGone.
func (bk *Book) OrderNumbers(ctx context.Context, a firm.Actor, record uuid.UUID,
	o contract.NumberOrder) (contract.Record, error) {
	labels := []string{}
	for _, l := range o.Labels {
		if l = cleanLabel(l); l != "" {
			labels = append(labels, l)
		}
	}
	return bk.changeRecord(ctx, a, record, func(q *db.Queries, r *db.Record) error {
		if err := q.SetNumberOrder(ctx, db.SetNumberOrderParams{ID: record, Labels: labels}); err != nil {
			return err
		}
		return bk.RecordChanged(ctx, q, a, record, map[string]string{"number order": strings.Join(r.NumberOrder, ", ")},
			map[string]string{"number order": strings.Join(labels, ", ")})
	})
}

// setFieldNumber keeps what was typed into a telephone field among the record's numbers.
func setFieldNumber(ctx context.Context, q *db.Queries, f *firm.Settings, r *db.Record, key,
	typed string) (before string, err error) {
	c, there := f.Book.CustomOf(fields.Kind(r.Kind), fields.Custom+key)
	if !there {
		return "", firm.ErrNotFound
	}
	rows, err := q.FieldNumbers(ctx, r.ID)
	if err != nil {
		return "", err
	}
	for _, n := range rows {
		if *n.FieldID != c.ID {
			continue
		}
		before = n.Typed
		if err := q.DeleteNumber(ctx, n.ID); err != nil {
			return "", err
		}
	}
	if typed == "" {
		return before, nil
	}
	return before, insertNumber(ctx, q, f, r.ID, &c.ID, strings.ToLower(c.Label), typed)
}
