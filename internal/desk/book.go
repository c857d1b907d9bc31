package desk

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/callable"
	"trundo/internal/core/phone"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// numberWords prepares what somebody typed for a search by number: LIKE patterns for the end of a number and for any
// part of it, or "" where the text is no number. A number in any notation is looked for in its normal form.
func numberWords(q, region string) (digits, reversed string) {
	if !phone.LooksLikeNumber(q) {
		return "", ""
	}
	d := phone.Digits(q)
	if n, err := phone.Parse(q, region); err == nil && n.Valid {
		d = phone.Digits(n.E164)
	}
	return "%" + d + "%", phone.Reverse(d) + "%"
}

// likeWords makes a LIKE pattern for any part of a name.
func likeWords(q string) string {
	q = strings.ToLower(strings.TrimSpace(q))
	if q == "" {
		return ""
	}
	return "%" + escapeLike(q) + "%"
}

func escapeLike(q string) string {
	return strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`, "\x00", "").Replace(q)
}

const peoplePerPage = 100

// People lists people or companies by name, narrowed by words of a name, a company or a mail address, or by a number.
func (d *Desk) People(ctx context.Context, a Actor, q, kind, after string) (contract.RecordPage, error) {
	f, err := d.firm(ctx)
	if err != nil {
		return contract.RecordPage{}, err
	}
	kinds := map[string][]string{"": {"contact", "lead"}, "people": {"contact", "lead"}, "contact": {"contact"}, "lead": {"lead"}, "company": {"company"}}[kind]
	p := db.PeopleParams{Kinds: kinds, Words: likeWords(q), Count: peoplePerPage}
	p.Digits, p.DigitsReversed = numberWords(q, f.region)
	if after != "" {
		name, id, _ := strings.Cut(after, "\t")
		if p.AfterID, err = uuid.Parse(id); err != nil {
			return contract.RecordPage{}, wrong("after", "this is not a place in the list")
		}
		p.AfterName = strings.ReplaceAll(name, "\x00", "")
	}
	rows, err := d.Store.People(ctx, p)
	if err != nil {
		return contract.RecordPage{}, err
	}
	total, err := d.Store.CountPeople(ctx, kinds)
	if err != nil {
		return contract.RecordPage{}, err
	}
	page := contract.RecordPage{Total: int(total)}
	converted := make([]db.RecordsByIDsRow, len(rows))
	for i, r := range rows {
		converted[i] = db.RecordsByIDsRow(r)
	}
	if page.Rows, err = d.recordRows(ctx, a, f, converted); err != nil {
		return page, err
	}
	if n := len(rows); n == peoplePerPage {
		page.Next = strings.ToLower(rows[n-1].Name) + "\t" + rows[n-1].ID.String()
	}
	return page, nil
}

// recordRows adds each row's numbers.
func (d *Desk) recordRows(ctx context.Context, a Actor, f *firm, rows []db.RecordsByIDsRow) ([]contract.RecordRow, error) {
	ids := make([]uuid.UUID, len(rows))
	for i, r := range rows {
		ids[i] = r.ID
	}
	numbers, err := d.numbersOf(ctx, a, f, ids)
	if err != nil {
		return nil, err
	}
	views := make([]contract.RecordRow, len(rows))
	for i, r := range rows {
		views[i] = contract.RecordRow{ID: r.ID, Kind: contract.RecordKind(r.Kind), Name: r.Name, Job: r.Job, Stage: r.Stage, OwnerName: r.OwnerName,
			Company: companyRef(r.CompanyID, r.CompanyName), Numbers: orEmpty(numbers[r.ID])}
	}
	return views, nil
}

// recordRowsByID reads rows in the order of ids.
func (d *Desk) recordRowsByID(ctx context.Context, a Actor, f *firm, ids []uuid.UUID) ([]contract.RecordRow, error) {
	rows, err := d.Store.RecordsByIDs(ctx, ids)
	if err != nil {
		return nil, err
	}
	byID := map[uuid.UUID]db.RecordsByIDsRow{}
	for _, r := range rows {
		byID[r.ID] = r
	}
	sorted := make([]db.RecordsByIDsRow, 0, len(rows))
	for _, id := range ids {
		if r, ok := byID[id]; ok {
			sorted = append(sorted, r)
		}
	}
	return d.recordRows(ctx, a, f, sorted)
}

func companyRef(id *uuid.UUID, name string) *contract.RecordRef {
	if id == nil {
		return nil
	}
	return &contract.RecordRef{ID: *id, Kind: contract.RecordKindCompany, Name: name}
}

func orEmpty[T any](list []T) []T {
	if list == nil {
		return []T{}
	}
	return list
}

// numbersOf reads the numbers of records, each with whether it may be called now.
func (d *Desk) numbersOf(ctx context.Context, a Actor, f *firm, records []uuid.UUID) (map[uuid.UUID][]contract.PhoneNumber, error) {
	rows, err := d.Store.NumbersOf(ctx, records)
	if err != nil {
		return nil, err
	}
	of := map[uuid.UUID][]contract.PhoneNumber{}
	for _, r := range rows {
		of[r.RecordID] = append(of[r.RecordID], d.numberView(r, a, f))
	}
	return of, nil
}

func (d *Desk) numberView(r db.NumbersOfRow, a Actor, f *firm) contract.PhoneNumber {
	zones := r.Zones
	if r.RecordZone != "" {
		zones = append([]string{r.RecordZone}, zones...) // the address's zone first, and both must allow
	}
	v := callable.Check(callable.Subject{NumberDoNotCall: r.DncAt != nil, PersonDoNotCall: r.RecordDncAt != nil, Zones: zones}, d.Hours, d.Clock.Now())
	n := contract.PhoneNumber{ID: r.ID, RecordID: r.RecordID, Label: r.Label, Dialable: r.E164 != "", Display: r.Typed, InHours: v.InHours, Ambiguous: v.Ambiguous}
	if r.FieldLabel != "" {
		n.Label = r.FieldLabel
	}
	if n.Dialable {
		n.Display = phone.Format(r.E164, r.Ext, f.region, a.Style)
	}
	if !v.Changes.IsZero() {
		changes := v.Changes.UTC()
		n.ChangesAt = &changes
	}
	if v.Zone != nil {
		n.Zone = v.Zone.String()
	}
	if e := refused(v.Refused, r.DncReason, r.RecordDncReason); e != nil {
		n.Refused = e.Error()
	}
	return n
}

// Record is a record's sheet. Errors: ErrNotFound, ErrGone.
func (d *Desk) Record(ctx context.Context, a Actor, id uuid.UUID) (contract.Record, error) {
	f, err := d.firm(ctx)
	if err != nil {
		return contract.Record{}, err
	}
	r, err := d.Store.Record(ctx, id)
	switch {
	case store.NotFound(err):
		return contract.Record{}, ErrNotFound
	case err != nil:
		return contract.Record{}, err
	case r.DeletedAt != nil:
		return contract.Record{}, ErrGone
	}
	sheet := contract.Record{ID: r.ID, Kind: contract.RecordKind(r.Kind), Name: r.Name, Job: r.Job, Email: r.Email, Web: r.Web, Address: r.Address,
		Place: r.Place, Stage: r.Stage, Source: r.Source, Note: r.Note, OwnerName: r.OwnerName, Company: companyRef(r.CompanyID, r.CompanyName),
		Touches: r.Touches, Conversations: r.Conversations, Version: r.Version, People: []contract.RecordRow{}}
	if r.DncAt != nil {
		sheet.Refused = refused(callable.ErrPersonDoNotCall, "", r.DncReason).Error()
	}
	numbers, err := d.numbersOf(ctx, a, f, []uuid.UUID{id})
	if err != nil {
		return sheet, err
	}
	sheet.Numbers = orEmpty(numbers[id])
	if sheet.Custom, err = d.customValues(ctx, r.Kind, r.Custom); err != nil {
		return sheet, err
	}
	if r.Kind == "company" {
		ids, err := d.Store.PeopleOfCompany(ctx, &id)
		if err != nil {
			return sheet, err
		}
		if sheet.People, err = d.recordRowsByID(ctx, a, f, ids); err != nil {
			return sheet, err
		}
	}
	open, err := d.Store.FollowUpsOfRecord(ctx, id)
	if err != nil {
		return sheet, err
	}
	sheet.FollowUps = []contract.FollowUp{}
	for _, fu := range open {
		sheet.FollowUps = append(sheet.FollowUps, followUpView(db.FollowUpsByIDsRow(fu)))
	}
	return sheet, nil
}

// customValues are the fields that the admin defined, in their order, where they have a value. Telephone fields stand
// among the numbers.
func (d *Desk) customValues(ctx context.Context, kind string, custom []byte) ([]contract.CustomValue, error) {
	fields, err := d.Store.CustomFields(ctx, kind)
	if err != nil {
		return nil, err
	}
	var values map[string]any
	if err := json.Unmarshal(custom, &values); err != nil {
		return nil, fmt.Errorf("custom fields: %w", err)
	}
	views := []contract.CustomValue{}
	for _, f := range fields {
		if v, there := values[f.Key]; there && f.Type != "phone" {
			views = append(views, contract.CustomValue{Label: f.Label, Value: fmt.Sprint(v)})
		}
	}
	return views, nil
}

// UpdateRecord changes a record's note or mail. Errors: *FieldError, ErrNotFound, ErrGone, ErrChangedElse.
func (d *Desk) UpdateRecord(ctx context.Context, a Actor, id uuid.UUID, c contract.RecordChange) (contract.Record, error) {
	if c.Email != nil && *c.Email != "" && (!strings.Contains(*c.Email, "@") || strings.ContainsAny(*c.Email, " \x00\n<>")) {
		return contract.Record{}, wrong("email", "this is not a mail address")
	}
	if c.Note != nil && strings.ContainsRune(*c.Note, 0) {
		return contract.Record{}, wrong("note", "a note cannot hold a NUL character")
	}
	err := d.Store.Tx(ctx, func(q *db.Queries) error {
		r, err := q.LockRecord(ctx, id)
		switch {
		case store.NotFound(err):
			return ErrNotFound
		case err != nil:
			return err
		case r.DeletedAt != nil:
			return ErrGone
		case r.Version != c.Version:
			return ErrChangedElse
		}
		before, after := map[string]string{}, map[string]string{}
		note := r.Note
		if c.Note != nil && *c.Note != r.Note {
			before["note"], after["note"], note = r.Note, *c.Note, *c.Note
		}
		if c.Email != nil {
			old, err := q.Record(ctx, id)
			if err != nil {
				return err
			}
			if old.Email != *c.Email {
				before["email"], after["email"] = old.Email, *c.Email
				if err := q.UpdatePersonEmail(ctx, db.UpdatePersonEmailParams{RecordID: id, Email: *c.Email}); err != nil {
					return err
				}
			}
		}
		if len(after) == 0 {
			return nil
		}
		if err := q.UpdateRecordNote(ctx, db.UpdateRecordNoteParams{ID: id, Note: note}); err != nil {
			return err
		}
		return d.recordChanged(ctx, q, a, id, before, after)
	})
	if err != nil {
		return contract.Record{}, err
	}
	d.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindRecord, Records: &[]uuid.UUID{id}})
	return d.Record(ctx, a, id)
}

// recordChanged keeps a change of a record in the audit trail and in its history.
func (d *Desk) recordChanged(ctx context.Context, q *db.Queries, a Actor, id uuid.UUID, before, after map[string]string) error {
	if err := d.audited(ctx, q, a, "record", id, "changed", before, after); err != nil {
		return err
	}
	trail, err := q.AuditOf(ctx, db.AuditOfParams{SubjectKind: "record", SubjectID: id})
	if err != nil {
		return err
	}
	newest := trail[len(trail)-1]
	return q.AddHistory(ctx, db.AddHistoryParams{RecordID: id, At: newest.At, Kind: "change", RefID: id})
}

const historyPerPage = 40

// History is what happened to a record, newest first: all of it, or one kind.
func (d *Desk) History(ctx context.Context, a Actor, id uuid.UUID, kind, before string) (contract.HistoryPage, error) {
	p := db.HistoryPageParams{RecordID: id, Kinds: []string{"call", "follow_up", "change"}, Count: historyPerPage}
	if kind != "" && kind != "all" {
		p.Kinds = []string{kind}
	}
	var err error
	if p.Before, p.BeforeID, err = readCursor(before); err != nil {
		return contract.HistoryPage{}, err
	}
	rows, err := d.Store.HistoryPage(ctx, p)
	if err != nil {
		return contract.HistoryPage{}, err
	}
	var calls, followUps []uuid.UUID
	for _, r := range rows {
		switch r.Kind {
		case "call":
			calls = append(calls, r.RefID)
		case "follow_up":
			followUps = append(followUps, r.RefID)
		}
	}
	callOf, followUpOf := map[uuid.UUID]*contract.Call{}, map[uuid.UUID]*contract.FollowUp{}
	views, err := d.callViews(ctx, a, calls)
	if err != nil {
		return contract.HistoryPage{}, err
	}
	for i := range views {
		callOf[views[i].ID] = &views[i]
	}
	if len(followUps) > 0 {
		found, err := d.Store.FollowUpsByIDs(ctx, followUps)
		if err != nil {
			return contract.HistoryPage{}, err
		}
		for _, f := range found {
			view := followUpView(f)
			followUpOf[f.ID] = &view
		}
	}
	changes, err := d.changesByTime(ctx, id)
	if err != nil {
		return contract.HistoryPage{}, err
	}
	page := contract.HistoryPage{Entries: []contract.HistoryEntry{}}
	for _, r := range rows {
		page.Entries = append(page.Entries, contract.HistoryEntry{At: r.At, Kind: contract.HistoryEntryKind(r.Kind), RefID: r.RefID,
			Call: callOf[r.RefID], FollowUp: followUpOf[r.RefID], Change: changes[r.At.UnixMicro()]})
	}
	if n := len(rows); n == historyPerPage {
		page.Next = writeCursor(rows[n-1].At, rows[n-1].RefID)
	}
	return page, nil
}

// changesByTime finds a record's changes by the microsecond in which they were made.
func (d *Desk) changesByTime(ctx context.Context, id uuid.UUID) (map[int64]*contract.Change, error) {
	changes, err := d.changes(ctx, "record", id)
	if err != nil {
		return nil, err
	}
	at := map[int64]*contract.Change{}
	for i := range changes {
		at[changes[i].At.UnixMicro()] = &changes[i]
	}
	return at, nil
}

// Find is what the top field offers: for nothing typed the calls just made; else who matches, best first, and the
// number itself where the text is one.
func (d *Desk) Find(ctx context.Context, a Actor, q string) (contract.FindResult, error) {
	q = strings.TrimSpace(q)
	result := contract.FindResult{Records: []contract.RecordRow{}, Recent: []contract.Call{}}
	f, err := d.firm(ctx)
	if err != nil {
		return result, err
	}
	if q == "" {
		result.Recent, err = d.recentCalls(ctx, a, 8)
		return result, err
	}
	p := db.FindRecordsParams{Words: escapeLike(strings.ToLower(q)), Count: 8}
	p.Digits, p.DigitsReversed = numberWords(q, f.region)
	rows, err := d.Store.FindRecords(ctx, p)
	if err != nil {
		return result, err
	}
	ids := make([]uuid.UUID, len(rows))
	for i, r := range rows {
		ids[i] = r.ID
	}
	if result.Records, err = d.recordRowsByID(ctx, a, f, ids); err != nil {
		return result, err
	}
	if phone.LooksLikeNumber(q) {
		result.Dial = dialOffer(q, f, a)
	}
	return result, nil
}

func dialOffer(q string, f *firm, a Actor) *contract.DialOffer {
	offer := &contract.DialOffer{Typed: q, Display: q}
	if phone.Emergency(q, f.region) {
		offer.Problem = "emergency services cannot be reached from here: use another telephone"
		return offer
	}
	n, err := phone.Parse(q, f.region)
	if err != nil {
		offer.Problem = err.Error()
		return offer
	}
	offer.Display = phone.Format(n.E164, n.Ext, f.region, a.Style)
	return offer
}

func (d *Desk) recentCalls(ctx context.Context, a Actor, count int32) ([]contract.Call, error) {
	ids, err := d.Store.RecentCallIDs(ctx, db.RecentCallIDsParams{UserID: &a.ID, Count: count})
	if err != nil {
		return nil, err
	}
	return d.callViews(ctx, a, ids)
}

// dayEnd is midnight after t in its zone.
func dayEnd(t time.Time) time.Time {
	return time.Date(t.Year(), t.Month(), t.Day()+1, 0, 0, 0, 0, t.Location())
}
