package book

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"trundo/internal/contract"
	"trundo/internal/core/fields"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/formats"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// exportLife is for how long an export waits to be fetched.
const exportLife = 10 * time.Minute

// AddExport prepares an export of the selected records, or of everything; it is fetched once from the address in the
// answer. Errors: ErrForbidden, *FieldError.
func (fl *Files) AddExport(ctx context.Context, a firm.Actor, n contract.NewExport) (contract.Export, error) {
	if !a.MayDo(rights.Export) {
		return contract.Export{}, firm.ErrForbidden
	}
	f, err := fl.Settings(ctx)
	if err != nil {
		return contract.Export{}, err
	}
	if n.Format != contract.NewExportFormatEverything {
		if n.Selection == nil {
			return contract.Export{}, firm.About("selection", errNothing)
		}
		if _, err := fl.Selection(a, f, *n.Selection); err != nil {
			return contract.Export{}, err
		}
	}
	query, err := json.Marshal(n)
	if err != nil {
		return contract.Export{}, err
	}
	id := store.NewID()
	err = fl.Store.Tx(ctx, func(q *db.Queries) error {
		if err := q.DeleteOldExports(ctx, fl.Clock.Now().Add(-exportLife)); err != nil {
			return err
		}
		if err := q.InsertExport(ctx, db.InsertExportParams{ID: id, UserID: a.ID, Format: string(n.Format),
			Query: query, CreatedAt: fl.Clock.Now()}); err != nil {
			return err
		}
		return fl.Audited(ctx, q, a, "export", id, "taken out", map[string]string{},
			map[string]string{"format": string(n.Format)})
	})
	return contract.Export{Address: "/api/exports/" + id.String()}, err
}

// PreparedExport is an export that is about to be written.
type PreparedExport struct {
	FileName, ContentType string
	Write                 func(ctx context.Context, w io.Writer) error
}

// TakeExport gives an export that was prepared, once. Errors: ErrForbidden, ErrNotFound.
func (fl *Files) TakeExport(ctx context.Context, a firm.Actor, id uuid.UUID) (PreparedExport, error) {
	if !a.MayDo(rights.Export) {
		return PreparedExport{}, firm.ErrForbidden
	}
	row, err := fl.Store.TakeExport(ctx, db.TakeExportParams{ID: id, UserID: a.ID})
	if store.NotFound(err) {
		return PreparedExport{}, firm.ErrNotFound
	} else if err != nil {
		return PreparedExport{}, err
	}
	var n contract.NewExport
	if err := json.Unmarshal(row.Query, &n); err != nil {
		return PreparedExport{}, err
	}
	f, err := fl.Settings(ctx)
	if err != nil {
		return PreparedExport{}, err
	}
	day := fl.Clock.Now().In(a.Zone).Format(time.DateOnly)
	if n.Format == contract.NewExportFormatEverything {
		return PreparedExport{"everything-" + day + ".jsonl", "application/jsonl",
			func(ctx context.Context, w io.Writer) error { return fl.writeEverything(ctx, a, f, w) }}, nil
	}
	sel, err := fl.Selection(a, f, *n.Selection)
	if err != nil {
		return PreparedExport{}, err
	}
	p := PreparedExport{FileName: "book-" + day}
	switch n.Format {
	case contract.NewExportFormatVcard, contract.NewExportFormatVcard3:
		version := 4
		if n.Format == contract.NewExportFormatVcard3 {
			version = 3
		}
		p.FileName, p.ContentType = p.FileName+".vcf", "text/vcard; charset=utf-8"
		p.Write = func(ctx context.Context, w io.Writer) error {
			return fl.eachRecord(ctx, sel, func(rows []exported) error {
				for _, r := range rows {
					if k := fields.Kind(r.Record.Kind); !k.Person() && k != fields.Company {
						continue
					}
					if err := formats.WriteCard(w, r.card(), version); err != nil {
						return err
					}
				}
				return nil
			})
		}
	case contract.NewExportFormatJsonl:
		p.FileName, p.ContentType = p.FileName+".jsonl", "application/jsonl"
		p.Write = func(ctx context.Context, w io.Writer) error {
			return fl.eachRecord(ctx, sel, func(rows []exported) error { return writeLines(w, f, rows) })
		}
	default:
		p.FileName, p.ContentType = p.FileName+".csv", "text/csv; charset=utf-8"
		p.Write = func(ctx context.Context, w io.Writer) error { return fl.writeCSV(ctx, f, sel, n.Columns, w) }
	}
	return p, nil
}

// exported is a record with its numbers on the way out.
type exported struct {
	db.RecordsByIDsRow
	Numbers []db.NumbersOfRow
}

// exportBatch is how many records are read at once.
const exportBatch = 1000

// eachRecord reads the selected records in the order of their ids, in batches, so that any number of them is taken out
// in constant memory.
func (fl *Files) eachRecord(ctx context.Context, sel store.Selection, do func([]exported) error) error {
	text, args := sel.SelectedIDs()
	for after := uuid.Nil; ; {
		rows, err := fl.Store.Pool.Query(ctx, text+
			fmt.Sprintf(" AND r.id > $%d ORDER BY r.id LIMIT %d", len(args)+1,
				exportBatch), append(append([]any{}, args...), after)...)
		if err != nil {
			return err
		}
		ids, err := pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
		if err != nil || len(ids) == 0 {
			return err
		}
		after = ids[len(ids)-1]
		batch, err := fl.exportedByID(ctx, ids)
		if err != nil {
			return err
		}
		if err := do(batch); err != nil {
			return err
		}
		if len(ids) < exportBatch {
			return nil
		}
	}
}

func (fl *Files) exportedByID(ctx context.Context, ids []uuid.UUID) ([]exported, error) {
	records, err := fl.Store.RecordsByIDs(ctx, ids)
	if err != nil {
		return nil, err
	}
	numbers, err := fl.Store.NumbersOf(ctx, ids)
	if err != nil {
		return nil, err
	}
	of := map[uuid.UUID][]db.NumbersOfRow{}
	for _, n := range numbers {
		of[n.RecordID] = append(of[n.RecordID], n)
	}
	byID := map[uuid.UUID]db.RecordsByIDsRow{}
	for _, r := range records {
		byID[r.Record.ID] = r
	}
	batch := make([]exported, 0, len(ids))
	for _, id := range ids {
		if r, there := byID[id]; there {
			batch = append(batch, exported{r, of[id]})
		}
	}
	return batch, nil
}

func (r *exported) names() names {
	return names{r.CompanyName, r.OwnerName, r.PersonName, r.DealName, r.QuoteName, r.OrderName}
}

func (r *exported) card() formats.Card {
	x := &r.Record
	c := formats.Card{UID: x.ID.String(), Name: x.Name, Given: x.Given, Family: x.Family, Company: r.CompanyName,
		Job: x.Job, Mail: x.Email, Web: x.Web, Social: x.Social,
		Address: x.Address, Place: x.Place, Note: x.Note, IsCompany: x.Kind == string(fields.Company), Tags: x.Tags}
	for _, n := range r.Numbers {
		c.Numbers = append(c.Numbers, formats.CardNumber{Label: n.Label, E164: n.E164, Ext: n.Ext, Typed: n.Typed})
	}
	return c
}

// exportLabels are the labels of numbers that have a column of their own in CSV; other numbers stand in the last one.
var exportLabels = []string{"mobile", "office", "direct", "main", "home", "fax"}

// writeCSV writes the selected records under the headings of their fields, so that the file can be brought in again.
func (fl *Files) writeCSV(ctx context.Context, f *firm.Settings, sel store.Selection, only *[]string,
	w io.Writer) error {
	var out *formats.CSVWriter
	var list []fields.Field
	err := fl.eachRecord(ctx, sel, func(rows []exported) error {
		if out == nil {
			list = exportFields(f, fields.Kind(rows[0].Record.Kind), only)
			columns := []string{"Kind"}
			for _, x := range list {
				columns = append(columns, x.Label)
			}
			for _, l := range exportLabels {
				columns = append(columns, "Number: "+l)
			}
			var err error
			if out, err = formats.NewCSVWriter(w, append(columns, "Number: other", "Not to be called")); err != nil {
				return err
			}
		}
		for i := range rows {
			if err := out.Write(csvCells(list, &rows[i])); err != nil {
				return err
			}
		}
		return out.Flush()
	})
	if err == nil && out == nil {
		_, err = formats.NewCSVWriter(w, []string{"Kind"})
	}
	return err
}

func exportFields(f *firm.Settings, k fields.Kind, only *[]string) []fields.Field {
	var list []fields.Field
	for _, x := range f.Book.Of(k) {
		wanted := only == nil
		for _, key := range firm.OrEmpty(deref(only)) {
			wanted = wanted || key == x.Key || key == "name" && (x.Key == "given" || x.Key == "family")
		}
		if wanted && !x.Computed && x.Type != fields.Phone {
			list = append(list, x)
		}
	}
	return list
}

func deref[T any](p *[]T) []T {
	if p == nil {
		return nil
	}
	return *p
}

func csvCells(list []fields.Field, r *exported) []string {
	custom := customOfRecord(&r.Record)
	cells := []string{r.Record.Kind}
	for _, x := range list {
		cells = append(cells, readable(&r.Record, x, valueOf(&r.Record, x, custom), r.names()))
	}
	byLabel := map[string][]string{}
	for _, n := range r.Numbers {
		label := "other"
		for _, l := range exportLabels {
			if l == n.Label {
				label = l
			}
		}
		text := n.Typed
		if n.E164 != "" {
			text = n.E164
			if n.Ext != "" {
				text += " ext " + n.Ext
			}
		}
		byLabel[label] = append(byLabel[label], text)
	}
	for _, l := range append(append([]string{}, exportLabels...), "other") {
		cells = append(cells, strings.Join(byLabel[l], "\n"))
	}
	no := ""
	if r.Record.DncAt != nil {
		no = Marked(true, r.Record.DncReason)
	}
	return append(cells, no)
}

// exportedNumber is a number in JSON lines.
type exportedNumber struct {
	Label     string `json:"label"`
	Typed     string `json:"typed"`
	E164      string `json:"e164,omitempty"`
	Ext       string `json:"ext,omitempty"`
	DoNotCall string `json:"do_not_call,omitempty"`
}

// exportedRecord is a record in JSON lines.
type exportedRecord struct {
	Type      string            `json:"type"`
	ID        uuid.UUID         `json:"id"`
	Kind      string            `json:"kind"`
	Values    map[string]string `json:"values"`
	Numbers   []exportedNumber  `json:"numbers,omitempty"`
	DoNotCall string            `json:"do_not_call,omitempty"`
	CreatedAt time.Time         `json:"created_at"`
}

func writeLines(w io.Writer, f *firm.Settings, rows []exported) error {
	enc := json.NewEncoder(w)
	for i := range rows {
		r := &rows[i]
		line := exportedRecord{Type: "record", ID: r.Record.ID, Kind: r.Record.Kind, Values: map[string]string{},
			CreatedAt: r.Record.CreatedAt}
		custom := customOfRecord(&r.Record)
		for _, x := range f.Book.Of(fields.Kind(r.Record.Kind)) {
			if x.Computed || x.Type == fields.Phone {
				continue
			}
			if v := valueOf(&r.Record, x, custom); v != "" {
				line.Values[x.Key] = v
			}
			if v := readable(&r.Record, x, "", r.names()); v != "" {
				line.Values[x.Key] = v
			}
		}
		if r.Record.DncAt != nil {
			line.DoNotCall = Marked(true, r.Record.DncReason)
		}
		for _, n := range r.Numbers {
			out := exportedNumber{Label: n.Label, Typed: n.Typed, E164: n.E164, Ext: n.Ext}
			if n.DncAt != nil {
				out.DoNotCall = Marked(true, n.DncReason)
			}
			line.Numbers = append(line.Numbers, out)
		}
		if err := enc.Encode(line); err != nil {
			return err
		}
	}
	return nil
}

// everything are the tables besides records, as one JSON object a row; $1 is who reads them: notes and lists that are
// somebody else's alone are left out.
var everything = []string{
	`SELECT jsonb_build_object('type', 'item', 'record_id', record_id, 'position', position, 'product_id', product_id, 'label', label, 'quantity', quantity_milli / 1000.0,
	   'unit_minor', unit_minor, 'discount_percent', discount_bp / 100.0, 'tax_percent', tax_bp / 100.0)::text FROM record_items ORDER BY record_id, position`,
	`SELECT jsonb_build_object('type', 'follow_up', 'id', f.id, 'record_id', f.record_id, 'owner', u.name, 'kind', f.kind, 'text', f.text, 'promised', f.promised,
	   'due_at', f.due_at, 'day_only', f.day_only, 'state', f.state)::text FROM follow_ups f JOIN users u ON u.id = f.owner_id ORDER BY f.id`,
	`SELECT jsonb_build_object('type', 'call', 'id', c.id, 'direction', c.direction, 'number', c.remote_e164, 'ext', c.remote_ext, 'shown', c.caller_id, 'started_at', c.started_at,
	   'answered_at', c.answered_at, 'ended_at', c.ended_at, 'end_reason', c.end_reason, 'ring_ms', c.ring_ms, 'talk_ms', c.talk_ms,
	   'records', (SELECT coalesce(jsonb_agg(l.record_id), '[]') FROM call_links l WHERE l.call_id = c.id),
	   'slips', (SELECT coalesce(jsonb_agg(jsonb_build_object('rep', u.name, 'subject', s.subject, 'type', t.label, 'outcome', o.label, 'notes', CASE WHEN s.visible <> 'me' OR s.user_id = $1 THEN n.body END, 'filed_at', s.filed_at)), '[]')
	     FROM slips s JOIN users u ON u.id = s.user_id LEFT JOIN call_types t ON t.id = s.call_type_id LEFT JOIN outcomes o ON o.id = s.outcome_id
	     LEFT JOIN slip_notes n ON n.slip_id = s.id WHERE s.call_id = c.id))::text FROM calls c ORDER BY c.id`,
	`SELECT jsonb_build_object('type', 'list', 'id', l.id, 'name', l.name, 'group', l.group_name, 'kind', l.record_kind, 'query', l.query, 'list_type', l.type,
	   'members', (SELECT coalesce(jsonb_agg(m.record_id), '[]') FROM list_members m WHERE m.list_id = l.id))::text FROM lists l WHERE l.shared OR l.owner_id = $1 ORDER BY l.id`,
	`SELECT jsonb_build_object('type', 'do_not_call', 'number', e164, 'reason', reason, 'at', at)::text FROM do_not_call_numbers ORDER BY e164`,
}

// writeEverything writes all that the firm has put into the book, one JSON object a line: records of every kind, lines
// of quotes, follow-ups, calls with what their slips say, lists, and numbers not to be called.
func (fl *Files) writeEverything(ctx context.Context, a firm.Actor, f *firm.Settings, w io.Writer) error {
	if err := fl.eachRecord(ctx, store.Selection{Query: &store.RowQuery{Kinds: fields.Kinds}},
		func(rows []exported) error { return writeLines(w, f, rows) }); err != nil {
		return err
	}
	for _, sql := range everything {
		var args []any
		if strings.Contains(sql, "$1") {
			args = []any{a.ID}
		}
		rows, err := fl.Store.Pool.Query(ctx, sql, args...)
		if err != nil {
			return err
		}
		var line string
		if _, err := pgx.ForEachRow(rows, []any{&line}, func() error {
			_, err := io.WriteString(w, line+"\n")
			return err
		}); err != nil {
			return err
		}
	}
	return nil
}
