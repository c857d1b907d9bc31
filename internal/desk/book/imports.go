package book

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/fields"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/formats"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// MaxImport is the largest file that is taken, in bytes.
const MaxImport = 4 << 30

// sampleRows is how many rows of a file are shown before it is read.
const sampleRows = 8

// problemHeading is the column that a file of rejected rows has besides its own. It is passed over when it comes again.
const problemHeading = "Why it was rejected"

func (fl *Files) importFile(id uuid.UUID) string {
	return filepath.Join(fl.FilesDir, "imports", id.String())
}

// AddImport begins an import: the file is sent next. Errors: ErrForbidden, *FieldError.
func (fl *Files) AddImport(ctx context.Context, a firm.Actor, n contract.NewImport) (contract.Import, error) {
	if !a.MayDo(rights.Import) {
		return contract.Import{}, firm.ErrForbidden
	}
	id := store.NewID()
	name := strings.TrimSpace(strings.ReplaceAll(n.FileName, "\x00", ""))
	if name == "" {
		return contract.Import{}, firm.About("file_name", fields.ErrRequired)
	}
	if (n.Format == contract.NewImportFormatVcard) && !fields.Kind(n.Kind).Person() &&
		n.Kind != contract.RecordKindCompany {
		return contract.Import{}, firm.Wrong("format", "vCards hold people and companies")
	}
	if err := fl.Store.InsertImport(ctx,
		db.InsertImportParams{ID: id, UserID: a.ID, RecordKind: string(n.Kind), Format: string(n.Format),
			FileName: name, Mends: n.Mends,
			Server: fl.Server, At: fl.Clock.Now()}); err != nil {
		return contract.Import{}, err
	}
	return fl.Import(ctx, a, id)
}

// ReceiveImport takes an import's file as it comes, in constant memory. A file that breaks off is thrown away, and can
// be sent again. Errors: ErrForbidden, ErrNotFound, *FieldError.
func (fl *Files) ReceiveImport(ctx context.Context, a firm.Actor, id uuid.UUID,
	body io.Reader) (contract.Import, error) {
	row, err := fl.importRow(ctx, a, id)
	if err != nil {
		return contract.Import{}, err
	}
	if row.State != "waiting" {
		return contract.Import{}, firm.Wrong("file", "this import has its file already")
	}
	path := fl.importFile(id)
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return contract.Import{}, err
	}
	part, err := os.CreateTemp(filepath.Dir(path), "part-*")
	if err != nil {
		return contract.Import{}, err
	}
	defer os.Remove(part.Name())
	size, err := io.Copy(part, io.LimitReader(body, MaxImport+1))
	if err == nil {
		err = part.Sync()
	}
	if closeErr := part.Close(); err == nil {
		err = closeErr
	}
	switch {
	case err != nil:
		return contract.Import{}, firm.About("file",
			fmt.Errorf("the file did not arrive whole; send it again (%w)", err))
	case size > MaxImport:
		return contract.Import{}, firm.Wrong("file",
			fmt.Sprintf("a file can be %d GB large: part it and bring the parts in one after the other", MaxImport>>30))
	case size == 0:
		return contract.Import{}, firm.About("file", formats.ErrEmpty)
	}
	if err := os.Rename(part.Name(), path); err != nil {
		return contract.Import{}, err
	}
	if err := fl.Store.SetImportFile(ctx,
		db.SetImportFileParams{ID: id, FileBytes: size, At: fl.Clock.Now()}); err != nil {
		return contract.Import{}, err
	}
	view, err := fl.Import(ctx, a, id)
	if err == nil && view.Problem != "" { // it cannot be read at all: say so at once
		if err := fl.Store.SetImportState(ctx,
			db.SetImportStateParams{ID: id, State: "failed", Problem: view.Problem, At: fl.Clock.Now()}); err != nil {
			return view, err
		}
		view.State = contract.ImportStateFailed
	}
	return view, err
}

// importRow reads an import that a may see.
func (fl *Files) importRow(ctx context.Context, a firm.Actor, id uuid.UUID) (db.Import, error) {
	if !a.MayDo(rights.Import) {
		return db.Import{}, firm.ErrForbidden
	}
	row, err := fl.Store.ImportByID(ctx, id)
	if store.NotFound(err) {
		return db.Import{}, firm.ErrNotFound
	}
	return row.Import, err
}

// Imports are the newest imports. Error: ErrForbidden.
func (fl *Files) Imports(ctx context.Context, a firm.Actor) ([]contract.Import, error) {
	if !a.MayDo(rights.Import) {
		return nil, firm.ErrForbidden
	}
	rows, err := fl.Store.NewestImports(ctx)
	if err != nil {
		return nil, err
	}
	views := make([]contract.Import, len(rows))
	for i, r := range rows {
		views[i] = importView(r.Import, r.UserName)
	}
	return views, nil
}

func importView(r db.Import, user string) contract.Import {
	v := contract.Import{ID: r.ID, Kind: contract.RecordKind(r.RecordKind), Format: contract.ImportFormat(r.Format),
		FileName: r.FileName, UserName: user,
		State: contract.ImportState(r.State), Problem: r.Problem, FileBytes: r.FileBytes, BytesRead: r.BytesRead,
		RowsRead: r.RowsRead, RowsGood: r.RowsGood,
		RowsRejected: r.RowsRejected, RowsMade: r.RowsMade, RowsUpdated: r.RowsUpdated, RowsSkipped: r.RowsSkipped,
		Columns: []contract.ImportColumn{},
		Sample:  [][]string{}, CreatedAt: r.CreatedAt}
	var plan contract.ImportPlan
	if json.Unmarshal(r.Plan, &plan) == nil && plan.Columns != nil {
		v.Plan = &plan
	}
	return v
}

// Import is how far an import is; before it is checked, with its columns and first rows. Errors: ErrForbidden,
// ErrNotFound.
func (fl *Files) Import(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.Import, error) {
	if !a.MayDo(rights.Import) {
		return contract.Import{}, firm.ErrForbidden
	}
	row, err := fl.Store.ImportByID(ctx, id)
	if store.NotFound(err) {
		return contract.Import{}, firm.ErrNotFound
	} else if err != nil {
		return contract.Import{}, err
	}
	v := importView(row.Import, row.UserName)
	if v.State == contract.ImportStateWaiting || v.State == contract.ImportStateFailed {
		return v, nil
	}
	f, err := fl.Settings(ctx)
	if err != nil {
		return v, err
	}
	if err := fl.lookInto(&v, f); err != nil {
		v.Problem = err.Error()
	}
	if v.Plan == nil && row.Import.Mends != nil {
		return v, fl.asBefore(ctx, &v, *row.Import.Mends)
	}
	return v, nil
}

// asBefore proposes for a file with mended rows what was said of the columns of the file from which they come.
func (fl *Files) asBefore(ctx context.Context, v *contract.Import, mended uuid.UUID) error {
	before, err := fl.Store.ImportByID(ctx, mended)
	if store.NotFound(err) {
		return nil
	} else if err != nil {
		return err
	}
	plan := importView(before.Import, "").Plan
	if plan == nil {
		return nil
	}
	was := map[string]string{}
	for _, c := range plan.Columns {
		was[c.Heading] = c.Field
	}
	for i, c := range v.Columns {
		if field, there := was[c.Heading]; there {
			v.Columns[i].Field = field
		}
	}
	plan.Columns = v.Columns
	v.Plan = plan
	return nil
}

// lookInto reads the headings and the first rows of an import's file.
func (fl *Files) lookInto(v *contract.Import, f *firm.Settings) error {
	file, err := os.Open(fl.importFile(v.ID))
	if err != nil {
		return errors.New("the file is no longer there: bring it again")
	}
	defer file.Close()
	source, err := formats.Open(string(v.Format), file)
	if err != nil {
		return err
	}
	v.Encoding = source.Encoding()
	kind := fields.Kind(v.Kind)
	list := f.Book.Of(kind)
	taken := map[string]bool{}
	for _, heading := range source.Columns() {
		field := fields.Guess(heading, kind, list)
		if heading == problemHeading || taken[field] && !strings.HasPrefix(field, fields.NumberTarget) {
			field = ""
		}
		taken[field] = true
		v.Columns = append(v.Columns, contract.ImportColumn{Heading: heading, Field: field})
	}
	for len(v.Sample) < sampleRows {
		row, err := source.Next()
		if errors.Is(err, io.EOF) {
			break
		} else if err != nil {
			return err
		}
		v.Sample = append(v.Sample, row.Cells)
	}
	return nil
}

// PlanImport says which column is which field, and begins to check every row. Errors: ErrForbidden, ErrNotFound,
// *FieldError.
func (fl *Files) PlanImport(ctx context.Context, a firm.Actor, id uuid.UUID,
	p contract.ImportPlan) (contract.Import, error) {
	v, err := fl.Import(ctx, a, id)
	if err != nil {
		return v, err
	}
	if v.State != contract.ImportStateReady && v.State != contract.ImportStateChecked {
		return v, firm.Wrong("id", "this import is "+string(v.State)+": it cannot be planned now")
	}
	f, err := fl.Settings(ctx)
	if err != nil {
		return v, err
	}
	if err := checkPlan(f, v, p); err != nil {
		return v, err
	}
	if p.ListID != nil {
		l, err := fl.List(ctx, a, *p.ListID)
		if err != nil {
			return v, firm.About("list_id", err)
		}
		if l.Type != contract.RecordListTypeHand {
			return v, firm.Wrong("list_id", "choose a hand-made list")
		}
	}
	plan, err := json.Marshal(p)
	if err != nil {
		return v, err
	}
	if err := fl.Store.Tx(ctx, func(q *db.Queries) error {
		if err := q.ClearRows(ctx, id); err != nil {
			return err
		}
		if err := q.ClearRejects(ctx, id); err != nil {
			return err
		}
		return q.StartCheck(ctx, db.StartCheckParams{ID: id, Plan: plan, At: fl.Clock.Now()})
	}); err != nil {
		return v, err
	}
	fl.InBackground(func(ctx context.Context) { fl.checkImport(ctx, id) })
	return fl.Import(ctx, a, id)
}

// checkPlan tells what is wrong with a plan.
func checkPlan(f *firm.Settings, v contract.Import, p contract.ImportPlan) error {
	kind := fields.Kind(v.Kind)
	list := f.Book.Of(kind)
	known := map[string]bool{}
	for _, c := range v.Columns {
		known[c.Heading] = true
	}
	seen := map[string]bool{}
	names := false
	for i, c := range p.Columns {
		at := fmt.Sprintf("columns.%d", i)
		if !known[c.Heading] {
			return firm.Wrong(at, "the file has no column “"+c.Heading+"”")
		}
		if c.Field == "" {
			continue
		}
		field, there := fields.Find(list, c.Field)
		label, number := strings.CutPrefix(c.Field, fields.NumberTarget)
		whole := c.Field == "name" && kind.Person()
		switch {
		case number && cleanLabel(label) == "", !number && !whole && (!there || field.Computed):
			return firm.Wrong(at, "there is no field “"+c.Field+"”")
		case seen[c.Field] && !number:
			return firm.Wrong(at, "two columns are meant for “"+c.Field+"”")
		}
		seen[c.Field] = true
		names = names || c.Field == "name" || kind.Person() &&
			(c.Field == "family" || c.Field == "given" || c.Field == "email")
	}
	if !names {
		return firm.Wrong("columns", "say which column has the name")
	}
	return nil
}

// LoadImport begins to take the good rows into the book. Errors: ErrForbidden, ErrNotFound, *FieldError.
func (fl *Files) LoadImport(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.Import, error) {
	if _, err := fl.importRow(ctx, a, id); err != nil {
		return contract.Import{}, err
	}
	err := fl.Store.Tx(ctx, func(q *db.Queries) error {
		i, err := q.LockImport(ctx, id)
		if err != nil {
			return err
		}
		if i.State != "checked" {
			return firm.Wrong("id", "this import is "+i.State+": it cannot be taken up now")
		}
		if err := fl.Audited(ctx, q, a, "import", id, "taken up", map[string]string{},
			map[string]string{"file": i.FileName}); err != nil {
			return err
		}
		return q.SetImportState(ctx, db.SetImportStateParams{ID: id, State: "loading", At: fl.Clock.Now()})
	})
	if err != nil {
		return contract.Import{}, err
	}
	fl.InBackground(func(ctx context.Context) { fl.loadImport(ctx, id) })
	return fl.Import(ctx, a, id)
}

// CancelImport stops an import; what was taken up stays. Errors: ErrForbidden, ErrNotFound.
func (fl *Files) CancelImport(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.Import, error) {
	if _, err := fl.importRow(ctx, a, id); err != nil {
		return contract.Import{}, err
	}
	err := fl.Store.Tx(ctx, func(q *db.Queries) error {
		i, err := q.LockImport(ctx, id)
		if err != nil {
			return err
		}
		if i.State == "done" || i.State == "cancelled" || i.State == "failed" {
			return nil
		}
		return q.SetImportState(ctx, db.SetImportStateParams{ID: id, State: "cancelled", At: fl.Clock.Now()})
	})
	if err != nil {
		return contract.Import{}, err
	}
	fl.publishImport(id)
	return fl.Import(ctx, a, id)
}

func (fl *Files) publishImport(id uuid.UUID) {
	fl.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindImport, ImportID: &id})
}

// shownRejects is how many rejected rows are shown; all of them are in the file.
const shownRejects = 100

// Rejects are the first rows that were rejected, each with its reason. Errors: ErrForbidden, ErrNotFound.
func (fl *Files) Rejects(ctx context.Context, a firm.Actor, id uuid.UUID) ([]contract.Reject, error) {
	if _, err := fl.importRow(ctx, a, id); err != nil {
		return nil, err
	}
	rows, err := fl.Store.Rejects(ctx, db.RejectsParams{ImportID: id, Count: shownRejects})
	if err != nil {
		return nil, err
	}
	views := make([]contract.Reject, len(rows))
	for i, r := range rows {
		views[i] = contract.Reject{Row: r.RowNo, Line: r.Line, Field: r.Field, Reason: r.Reason, Cells: r.Cells}
	}
	return views, nil
}

// WriteRejects writes the rejected rows as CSV under their own headings, with the reason in a column more, to be mended
// and brought again. Errors: ErrForbidden, ErrNotFound.
func (fl *Files) WriteRejects(ctx context.Context, a firm.Actor, id uuid.UUID, w io.Writer) error {
	v, err := fl.Import(ctx, a, id)
	if err != nil {
		return err
	}
	var columns []string
	reason := -1
	for i, c := range v.Columns {
		columns = append(columns, c.Heading)
		if c.Heading == problemHeading {
			reason = i
		}
	}
	if reason < 0 {
		columns, reason = append(columns, problemHeading), len(columns)
	}
	out, err := formats.NewCSVWriter(w, columns)
	if err != nil {
		return err
	}
	for after := int64(0); ; {
		rows, err := fl.Store.Rejects(ctx, db.RejectsParams{ImportID: id, After: after, Count: 1000})
		if err != nil {
			return err
		}
		for _, r := range rows {
			cells := make([]string, len(columns))
			copy(cells, r.Cells)
			cells[reason] = r.Reason
			if r.Field != "" {
				cells[reason] = r.Field + ": " + r.Reason
			}
			if err := out.Write(cells); err != nil {
				return err
			}
			after = r.RowNo
		}
		if len(rows) < 1000 {
			return out.Flush()
		}
	}
}
