package book

import (
	"context"
	"encoding/json"
	"strings"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"trundo/internal/contract"
	"trundo/internal/core/duplicate"
	"trundo/internal/core/fields"
	"trundo/internal/core/phone"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// loadBatch is how many rows are taken up in one transaction, together with how far the import is: so none is taken up
// twice, whatever happens between two of them.
const loadBatch = 4000

// loadImport takes the good rows of an import into the book.
func (fl *Files) loadImport(ctx context.Context, id uuid.UUID) {
	if err := fl.loadRows(ctx, id); err != nil {
		fl.importFailed(ctx, id, err, fl.loadImport)
	}
}

func (fl *Files) loadRows(ctx context.Context, id uuid.UUID) error {
	found, err := fl.Store.ImportByID(ctx, id)
	if err != nil {
		return err
	}
	i := found.Import
	if i.State != "loading" {
		return nil
	}
	f, err := fl.Settings(ctx)
	if err != nil {
		return err
	}
	var plan contract.ImportPlan
	if err := json.Unmarshal(i.Plan, &plan); err != nil {
		return err
	}
	firms := map[string]uuid.UUID{}
	for {
		rows, err := fl.Store.StagedRows(ctx, db.StagedRowsParams{ImportID: id, After: i.LoadedTo, Count: loadBatch})
		if err != nil {
			return err
		}
		if len(rows) == 0 {
			break
		}
		l := &loader{fl: fl, f: f, i: i, plan: plan, kind: fields.Kind(i.RecordKind), kinds: []string{i.RecordKind},
			firms: firms}
		if l.kind.Person() {
			l.kinds = []string{"contact", "lead"}
		}
		err = fl.Store.TxBoth(ctx, func(q *db.Queries, tx pgx.Tx) error {
			l.q, l.tx = q, tx
			if err := l.load(ctx, rows); err != nil {
				return err
			}
			n, err := q.LoadedSoFar(ctx, db.LoadedSoFarParams{ID: id, LoadedTo: rows[len(rows)-1].RowNo,
				Made: int64(l.made), Updated: int64(l.updated),
				Skipped: int64(l.skipped), At: fl.Clock.Now()})
			if err == nil && n == 0 {
				return errStopped
			}
			return err
		})
		if err != nil {
			return err
		}
		i.LoadedTo = rows[len(rows)-1].RowNo
		fl.publishImport(id)
	}
	if err := fl.Store.Tx(ctx, func(q *db.Queries) error {
		now, err := q.LockImport(ctx, id)
		if err != nil || now.State != "loading" {
			return err
		}
		if err := q.ClearRows(ctx, id); err != nil {
			return err
		}
		return q.SetImportState(ctx, db.SetImportStateParams{ID: id, State: "done", At: fl.Clock.Now()})
	}); err != nil {
		return err
	}
	// The planner should know at once that there is more.
	if _, err := fl.Store.Pool.Exec(ctx, "ANALYZE records, phone_numbers"); err != nil {
		fl.Log.Warn("analysing after an import", "error", err)
	}
	fl.publishImport(id)
	fl.publishMany()
	return nil
}

// loader takes one batch up.
type loader struct {
	fl    *Files
	q     *db.Queries
	tx    pgx.Tx
	f     *firm.Settings
	i     db.Import
	plan  contract.ImportPlan
	kind  fields.Kind
	kinds []string

	known map[string][]known   // what identifies a record, to those it may be
	refs  map[string]uuid.UUID // kind and name in lower case to id
	// of the whole import: companies of the book as they are compared; empty until one is missed
	firms                  map[string]uuid.UUID
	records, numbers       [][]any
	listed                 []uuid.UUID
	made, updated, skipped int
}

var recordColumns = []string{"id", "kind", "name", "company_id", "owner_id", "source", "stage", "zone", "note",
	"custom", "created_at", "given", "family", "job",
	"email", "web", "social", "address", "place", "person_id", "deal_id", "quote_id", "order_id", "way", "reference",
	"amount_minor", "currency", "due_on", "starts_at", "ends_at",
	"delivery", "invoice", "tags"}

var numberColumns = []string{"id", "record_id", "field_id", "label", "position", "typed", "e164", "ext",
	"digits_reversed", "valid", "region", "zones"}

// copied is a record as a row for COPY, in the order of recordColumns.
func copied(r *db.Record) []any {
	return []any{r.ID, r.Kind, r.Name, r.CompanyID, r.OwnerID, r.Source, r.Stage, r.Zone, r.Note, r.Custom, r.CreatedAt,
		r.Given, r.Family, r.Job,
		r.Email, r.Web, r.Social, r.Address, r.Place, r.PersonID, r.DealID, r.QuoteID, r.OrderID, r.Way, r.Reference,
		r.AmountMinor, r.Currency, r.DueOn, r.StartsAt, r.EndsAt,
		r.Delivery, r.Invoice, r.Tags}
}

func (l *loader) load(ctx context.Context, rows []db.StagedRowsRow) error {
	staged := make([]stagedRow, len(rows))
	for n, r := range rows {
		if err := json.Unmarshal(r.Data, &staged[n]); err != nil {
			return err
		}
	}
	if err := l.lookUp(ctx, staged); err != nil {
		return err
	}
	for n := range staged {
		if err := l.take(ctx, &staged[n]); err != nil {
			return err
		}
	}
	if err := l.flush(ctx); err != nil {
		return err
	}
	if l.plan.ListID != nil {
		_, err := l.tx.Exec(ctx, `INSERT INTO list_members (list_id, record_id, at) SELECT l.id, x, $3 FROM lists l, unnest($2::uuid[]) x WHERE l.id = $1 ON CONFLICT DO NOTHING`,
			*l.plan.ListID, l.listed, l.fl.Clock.Now())
		return err
	}
	return nil
}

// identities are what tells that two rows, or a row and a record, are the same.
func (l *loader) identities(s *stagedRow) []string {
	var keys []string
	if m := s.Values["email"]; m != "" {
		keys = append(keys, "mail:"+strings.ToLower(m))
	}
	if r := s.Values["reference"]; r != "" {
		keys = append(keys, "reference:"+strings.ToLower(r))
	}
	if l.kind == fields.Company {
		keys = append(keys, "name:"+strings.ToLower(s.Values["name"]))
	}
	if l.kind.Person() {
		for _, n := range s.Numbers {
			keys = append(keys, "number:"+n.E164+";"+n.Ext)
		}
	}
	return keys
}

// lookUp finds in the book, with one query each, what the rows of a batch name.
func (l *loader) lookUp(ctx context.Context, staged []stagedRow) error {
	l.known, l.refs = map[string][]known{}, map[string]uuid.UUID{}
	wanted := map[string][]string{}
	mails, numbers, references, own := []string{}, []string{}, []string{}, []string{}
	for n := range staged {
		s := &staged[n]
		for key, name := range s.Refs {
			wanted[key] = append(wanted[key], strings.ToLower(name))
		}
		if l.plan.Same == contract.ImportPlanSameMake {
			continue
		}
		mails = append(mails, strings.ToLower(s.Values["email"]))
		references = append(references, strings.ToLower(s.Values["reference"]))
		own = append(own, strings.ToLower(s.Values["name"]))
		for _, x := range s.Numbers {
			numbers = append(numbers, x.E164)
		}
	}
	for key, names := range wanted {
		field, _ := fields.Find(l.f.Book.Of(l.kind), key)
		kinds := make([]string, len(field.RefKinds))
		for n, k := range field.RefKinds {
			kinds[n] = string(k)
		}
		rows, err := l.q.RecordsByName(ctx, db.RecordsByNameParams{Kinds: kinds, Names: names})
		if err != nil {
			return err
		}
		for _, r := range rows {
			l.refs[key+":"+r.LowerName] = r.ID
		}
	}
	if err := l.knowFirms(ctx, wanted["company"]); err != nil {
		return err
	}
	if l.plan.Same == contract.ImportPlanSameMake {
		return nil
	}
	byMail, err := l.q.RecordsByMail(ctx, db.RecordsByMailParams{Kinds: l.kinds, Mails: mails})
	if err != nil {
		return err
	}
	for _, r := range byMail {
		l.know("mail:"+r.Email, r.ID, "")
	}
	byReference, err := l.q.RecordsByReference(ctx, db.RecordsByReferenceParams{Kind: string(l.kind), Refs: references})
	if err != nil {
		return err
	}
	for _, r := range byReference {
		l.know("reference:"+r.Reference, r.ID, "")
	}
	if l.kind == fields.Company {
		rows, err := l.q.RecordsByName(ctx, db.RecordsByNameParams{Kinds: l.kinds, Names: own})
		if err != nil {
			return err
		}
		for _, r := range rows {
			l.know("name:"+r.LowerName, r.ID, "")
		}
	}
	if l.kind.Person() {
		rows, err := l.q.RecordsByNumber(ctx, db.RecordsByNumberParams{Kinds: l.kinds, Numbers: numbers})
		if err != nil {
			return err
		}
		for _, r := range rows {
			l.know("number:"+r.E164+";"+r.Ext, r.RecordID, r.Name)
		}
	}
	return nil
}

// knowFirms finds companies that a row names without their legal form, or with another punctuation: they are not made a
// second time.
func (l *loader) knowFirms(ctx context.Context, names []string) error {
	for _, name := range names {
		if _, there := l.refs["company:"+name]; there {
			continue
		}
		if len(l.firms) == 0 {
			rows, err := l.q.CompanyNames(ctx)
			if err != nil {
				return err
			}
			l.firms[""] = uuid.Nil
			for _, r := range rows {
				l.firms[duplicate.Firm(r.Name)] = r.ID
			}
		}
		if id, there := l.firms[duplicate.Firm(name)]; there && id != uuid.Nil {
			l.refs["company:"+name] = id
		}
	}
	return nil
}

// known is somebody who may be meant; name is empty where what identifies them is enough.
type known struct {
	id   uuid.UUID
	name string
}

func (l *loader) know(key string, id uuid.UUID, name string) {
	l.known[key] = append(l.known[key], known{id, name})
}

// alike is how similar two names have to be for a shared number to mean the same person: colleagues share lines too.
const alike = 0.35

// same finds who is meant by what identifies a row. A row without a name is whoever has the number.
func (l *loader) same(key, name string) (uuid.UUID, bool) {
	for _, k := range l.known[key] {
		if k.name == "" || name == "" || duplicate.Similarity(k.name, name) >= alike {
			return k.id, true
		}
	}
	return uuid.Nil, false
}

// take makes a record of a row, or adds it to the one that it is about.
func (l *loader) take(ctx context.Context, s *stagedRow) error {
	keys := l.identities(s)
	if l.plan.Same != contract.ImportPlanSameMake {
		for _, key := range keys {
			id, there := l.same(key, fields.FullName(s.Values["given"], s.Values["family"], "", s.Values["name"]))
			if !there {
				continue
			}
			l.listed = append(l.listed, id)
			if l.plan.Same == contract.ImportPlanSameSkip {
				l.skipped++
				return nil
			}
			return l.update(ctx, id, s)
		}
	}
	r := db.Record{ID: store.NewID(), Kind: string(l.kind), CreatedAt: l.fl.Clock.Now(), Custom: json.RawMessage(`{}`),
		OwnerID: &l.i.UserID}
	if l.kind == fields.Product {
		r.OwnerID = nil
	}
	stage, _ := fields.Find(fields.BuiltIn(l.kind), "stage")
	if len(stage.Choices) > 0 {
		r.Stage = stage.Choices[0]
	}
	if err := l.fill(&r, s, false); err != nil {
		return err
	}
	l.records = append(l.records, copied(&r))
	for n, x := range s.Numbers {
		l.number(r.ID, n, x)
	}
	for _, key := range keys {
		name := ""
		if strings.HasPrefix(key, "number:") {
			name = r.Name
		}
		l.know(key, r.ID, name)
	}
	l.listed = append(l.listed, r.ID)
	l.made++
	return nil
}

// fill puts a row's values into a record. A company that is not in the book yet is made; whom a row names otherwise and
// nobody is called so goes into the note, so that nothing is lost.
func (l *loader) fill(r *db.Record, s *stagedRow, keepNote bool) error {
	custom := customOfRecord(r)
	for _, f := range l.f.Book.Of(l.kind) {
		value := s.Values[f.Key]
		if value == "" || f.Computed {
			continue
		}
		if f.Type == fields.Long && keepNote && r.Note != "" && !strings.Contains(r.Note, value) {
			value = r.Note + "\n\n" + value
		}
		if err := setValue(r, f, value, custom); err != nil {
			return err
		}
	}
	for key, name := range s.Refs {
		f, _ := fields.Find(l.f.Book.Of(l.kind), key)
		id, there := l.refs[key+":"+strings.ToLower(name)]
		if !there && key == "company" {
			id = l.firms[duplicate.Firm(name)] // made by an earlier row
			there = id != uuid.Nil
		}
		if !there && key == "company" {
			c := db.Record{ID: store.NewID(), Kind: string(fields.Company), Name: name, CreatedAt: r.CreatedAt,
				Custom: json.RawMessage(`{}`), OwnerID: &l.i.UserID,
				Source: r.Source, Stage: "prospect", Tags: []string{}}
			l.records = append(l.records, copied(&c))
			id, there = c.ID, true
			l.firms[duplicate.Firm(name)] = id
			l.refs[key+":"+strings.ToLower(name)] = id
		}
		switch {
		case !there:
			r.Note = strings.TrimSpace(r.Note + "\n\n" + f.Label + " in the file: " + name)
		case id != r.ID:
			if err := setValue(r, f, id.String(), custom); err != nil {
				return err
			}
		}
	}
	text, err := json.Marshal(custom)
	if err != nil {
		return err
	}
	r.Custom = text
	settle(r)
	return nil
}

func (l *loader) number(record uuid.UUID, position int, x stagedNumber) {
	var field *uuid.UUID
	if x.Field != "" {
		if c, there := l.f.Book.CustomOf(l.kind, fields.Custom+x.Field); there {
			field = &c.ID
		}
	}
	zones := x.Zones
	if zones == nil {
		zones = []string{}
	}
	l.numbers = append(l.numbers, []any{store.NewID(), record, field, x.Label, position, x.Typed, x.E164, x.Ext,
		phone.Reverse(phone.Digits(x.E164)), x.Valid, x.Region, zones})
}

// update adds a row to a record that is there: what the row has replaces, what it has not stays. A record that an
// earlier row of the same batch makes is completed before it is written.
func (l *loader) update(ctx context.Context, id uuid.UUID, s *stagedRow) error {
	for n := range l.records {
		if l.records[n][0] == id { // not written yet: write what there is first
			if err := l.flush(ctx); err != nil {
				return err
			}
			break
		}
	}
	r, err := l.q.LockRecord(ctx, id)
	if err != nil {
		return err
	}
	if r.Kind != string(l.kind) && !fields.Kind(r.Kind).Person() {
		l.skipped++
		return nil
	}
	stage := r.Stage
	if err := l.fill(&r, s, true); err != nil {
		return err
	}
	if r.Kind != string(l.kind) { // a contact is not put back to a lead's stage
		r.Stage = stage
	}
	if err := l.flush(ctx); err != nil { // companies that were just made
		return err
	}
	if err := l.q.UpdateRecord(ctx, updateOf(&r)); err != nil {
		return err
	}
	have, err := l.q.NumbersOf(ctx, []uuid.UUID{id})
	if err != nil {
		return err
	}
	for _, x := range s.Numbers {
		there := false
		for _, h := range have {
			there = there || h.E164 == x.E164 && h.Ext == x.Ext
		}
		if !there {
			l.number(id, len(have), x)
		}
	}
	l.updated++
	return nil
}

// flush writes the records and numbers that are still held.
func (l *loader) flush(ctx context.Context) error {
	if len(l.records) > 0 {
		if _, err := l.tx.CopyFrom(ctx, pgx.Identifier{"records"}, recordColumns,
			pgx.CopyFromRows(l.records)); err != nil {
			return err
		}
		l.records = nil
	}
	if len(l.numbers) > 0 {
		if _, err := l.tx.CopyFrom(ctx, pgx.Identifier{"phone_numbers"}, numberColumns,
			pgx.CopyFromRows(l.numbers)); err != nil {
			return err
		}
		l.numbers = nil
	}
	return nil
}
