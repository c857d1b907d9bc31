package book

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"trundo/internal/contract"
	"trundo/internal/core/fields"
	"trundo/internal/core/phone"
	"trundo/internal/formats"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// checkBatch is how many rows are checked and kept in one transaction.
const checkBatch = 4000

// stagedRow is a row that was found good, as it waits to be taken up.
type stagedRow struct {
	Values  map[string]string `json:"v"`
	Numbers []stagedNumber    `json:"n,omitempty"`
	// What has still to be found in the book: names of companies, people, deals, quotes by the key of their field.
	Refs map[string]string `json:"r,omitempty"`
}

type stagedNumber struct {
	Label  string   `json:"l"`
	Field  string   `json:"f,omitempty"` // key of the telephone field, without its prefix
	Typed  string   `json:"t"`
	E164   string   `json:"e,omitempty"`
	Ext    string   `json:"x,omitempty"`
	Valid  bool     `json:"v,omitempty"`
	Region string   `json:"r,omitempty"`
	Zones  []string `json:"z,omitempty"`
}

// Resume goes on with what an earlier run of this server was importing.
func (fl *Files) Resume(ctx context.Context) error {
	rows, err := fl.Store.UnfinishedImports(ctx, fl.Server)
	if err != nil {
		return err
	}
	for _, r := range rows {
		work := fl.checkImport
		if r.State == "loading" {
			work = fl.loadImport
		}
		fl.InBackground(func(ctx context.Context) { work(ctx, r.ID) })
	}
	return nil
}

// errStopped tells that somebody has cancelled an import.
var errStopped = errors.New("stopped")

// importFailed keeps why an import could not go on. While the database is away it is tried again.
func (fl *Files) importFailed(ctx context.Context, id uuid.UUID, err error, again func(context.Context, uuid.UUID)) {
	switch {
	case errors.Is(err, errStopped), ctx.Err() != nil:
		return
	case store.Away(err):
		select {
		case <-ctx.Done():
		case <-time.After(time.Second):
			again(ctx, id)
		}
		return
	}
	fl.Log.Error("import failed", "id", id, "error", err)
	if err := fl.Store.SetImportState(ctx,
		db.SetImportStateParams{ID: id, State: "failed", Problem: err.Error(), At: fl.Clock.Now()}); err != nil {
		fl.Log.Error("keeping why an import failed", "id", id, "error", err)
	}
	fl.publishImport(id)
}

// checkImport reads an import's file from where it was last kept, checks each row and keeps the good ones and the
// rejected ones apart.
func (fl *Files) checkImport(ctx context.Context, id uuid.UUID) {
	if err := fl.checkFile(ctx, id); err != nil {
		fl.importFailed(ctx, id, err, fl.checkImport)
	}
}

func (fl *Files) checkFile(ctx context.Context, id uuid.UUID) error {
	found, err := fl.Store.ImportByID(ctx, id)
	if err != nil {
		return err
	}
	i := found.Import
	if i.State != "checking" {
		return nil
	}
	checker, err := fl.newChecker(ctx, i)
	if err != nil {
		return err
	}
	file, err := os.Open(fl.importFile(id))
	if err != nil {
		return errors.New("the file is no longer there: bring it again")
	}
	defer file.Close()
	source, err := formats.Open(i.Format, file)
	if err != nil {
		return err
	}
	checker.bind(source.Columns())
	for n := int64(0); n < i.RowsRead; n++ { // what was kept before a crash
		if _, err := source.Next(); err != nil {
			return err
		}
	}
	// One goroutine reads, several check, one writes: the file is never held in memory.
	batches, checked := make(chan *batch, 2), make(chan *batch, 2)
	read := make(chan error, 1)
	working, stop := context.WithCancel(ctx)
	defer stop()
	go func() {
		defer close(batches)
		read <- readBatches(working, source, batches)
	}()
	go func() {
		defer close(checked)
		for b := range batches {
			checker.check(b)
			select {
			case checked <- b:
			case <-working.Done():
				return
			}
		}
	}()
	for b := range checked {
		i.RowsRead, i.BytesRead = i.RowsRead+int64(len(b.rows)), b.read
		if err := fl.keepChecked(ctx, &i, b); err != nil {
			return err
		}
		fl.publishImport(id)
	}
	if err := <-read; err != nil {
		return err
	}
	if ctx.Err() != nil {
		return ctx.Err()
	}
	if err := fl.Store.Tx(ctx, func(q *db.Queries) error {
		now, err := q.LockImport(ctx, id)
		if err != nil || now.State != "checking" {
			return err
		}
		return q.SetImportState(ctx, db.SetImportStateParams{ID: id, State: "checked", At: fl.Clock.Now()})
	}); err != nil {
		return err
	}
	fl.publishImport(id)
	return nil
}

// batch is some rows on their way.
type batch struct {
	rows    []formats.Row
	read    int64 // bytes of the file used up with them
	good    [][]byte
	rejects []reject // nil Reason: good
}

type reject struct{ field, reason string }

func readBatches(ctx context.Context, source formats.Source, into chan<- *batch) error {
	b := &batch{}
	send := func() error {
		b.read = source.Read()
		select {
		case into <- b:
			b = &batch{}
			return nil
		case <-ctx.Done():
			return ctx.Err()
		}
	}
	for {
		row, err := source.Next()
		if errors.Is(err, io.EOF) {
			if len(b.rows) == 0 {
				return nil
			}
			return send()
		} else if err != nil {
			return err
		}
		if b.rows = append(b.rows, row); len(b.rows) == checkBatch {
			if err := send(); err != nil {
				return err
			}
		}
	}
}

// keepChecked keeps a batch and how far the import is, in one transaction.
func (fl *Files) keepChecked(ctx context.Context, i *db.Import, b *batch) error {
	var good, bad [][]any
	for n, row := range b.rows {
		if r := b.rejects[n]; r.reason == "" {
			good = append(good, []any{i.ID, row.No, b.good[n]})
		} else {
			bad = append(bad, []any{i.ID, row.No, row.Line, r.field, r.reason, cleanCells(row.Cells)})
		}
	}
	i.RowsGood, i.RowsRejected = i.RowsGood+int64(len(good)), i.RowsRejected+int64(len(bad))
	return fl.Store.TxBoth(ctx, func(q *db.Queries, tx pgx.Tx) error {
		if _, err := tx.CopyFrom(ctx, pgx.Identifier{"import_rows"}, []string{"import_id", "row_no", "data"},
			pgx.CopyFromRows(good)); err != nil {
			return err
		}
		if _, err := tx.CopyFrom(ctx, pgx.Identifier{"import_rejects"},
			[]string{"import_id", "row_no", "line", "field", "reason", "cells"}, pgx.CopyFromRows(bad)); err != nil {
			return err
		}
		n, err := q.CheckedSoFar(ctx, db.CheckedSoFarParams{ID: i.ID, BytesRead: i.BytesRead, RowsRead: i.RowsRead,
			RowsGood: i.RowsGood, RowsRejected: i.RowsRejected, At: fl.Clock.Now()})
		if err == nil && n == 0 {
			return errStopped
		}
		return err
	})
}

// cleanCells makes cells that a database can keep: what is no text is marked.
func cleanCells(cells []string) []string {
	clean := make([]string, len(cells))
	for i, c := range cells {
		clean[i] = strings.ToValidUTF8(strings.ReplaceAll(c, "\x00", ""), "\ufffd")
	}
	return clean
}

// checker checks rows by an import's plan.
type checker struct {
	kind    fields.Kind
	region  string
	home    fields.Home
	list    []fields.Field
	plan    contract.ImportPlan
	owners  map[string]string // login or name in lower case to id
	targets []column
	zones   sync.Map // beginning of a number to its zones
}

// column is where a column's cells go.
type column struct {
	at    int
	key   string
	field fields.Field
	label string // of a number
}

func (fl *Files) newChecker(ctx context.Context, i db.Import) (*checker, error) {
	f, err := fl.Settings(ctx)
	if err != nil {
		return nil, err
	}
	a, err := fl.Actor(ctx, i.UserID)
	if err != nil {
		return nil, err
	}
	c := &checker{kind: fields.Kind(i.RecordKind), region: f.Region, home: f.Home(a),
		list: f.Book.Of(fields.Kind(i.RecordKind)), owners: map[string]string{}}
	if err := json.Unmarshal(i.Plan, &c.plan); err != nil {
		return nil, fmt.Errorf("the plan of the import: %w", err)
	}
	if c.plan.Dates != nil {
		c.home.Slashes = fields.DayOrder(*c.plan.Dates)
	}
	users, err := fl.Store.Users(ctx, db.UsersParams{})
	if err != nil {
		return nil, err
	}
	for _, u := range users {
		c.owners[strings.ToLower(u.Login)], c.owners[strings.ToLower(u.Name)] = u.ID.String(), u.ID.String()
	}
	return c, nil
}

// bind finds the columns of the plan in a file's headings.
func (c *checker) bind(columns []string) {
	at := map[string]int{}
	for i, heading := range columns {
		at[heading] = i
	}
	for _, col := range c.plan.Columns {
		i, there := at[col.Heading]
		if col.Field == "" || !there {
			continue
		}
		t := column{at: i, key: col.Field}
		if label, number := strings.CutPrefix(col.Field, fields.NumberTarget); number {
			t.label = cleanLabel(label)
		} else {
			t.field, _ = fields.Find(c.list, col.Field)
		}
		c.targets = append(c.targets, t)
	}
}

// checkers is how many goroutines check a batch.
const checkers = 2

func (c *checker) check(b *batch) {
	b.good, b.rejects = make([][]byte, len(b.rows)), make([]reject, len(b.rows))
	var group sync.WaitGroup
	for w := range checkers {
		group.Add(1)
		go func() {
			defer group.Done()
			for i := w; i < len(b.rows); i += checkers {
				b.good[i], b.rejects[i] = c.row(b.rows[i])
			}
		}()
	}
	group.Wait()
}

// row checks one row: every cell has to fit its field, and somebody or something has to have a name.
func (c *checker) row(r formats.Row) ([]byte, reject) {
	if r.Problem != nil {
		return nil, reject{"", r.Problem.Error()}
	}
	s := stagedRow{Values: map[string]string{}}
	for _, t := range c.targets {
		cell := strings.TrimSpace(r.Cells[t.at])
		if cell == "" {
			continue
		}
		if err := c.cell(&s, t, cell); err != nil {
			label := t.field.Label
			if t.label != "" {
				label = t.label
			}
			return nil, reject{label, err.Error()}
		}
	}
	switch {
	case c.kind.Person():
		if fields.FullName(s.Values["given"], s.Values["family"], s.Values["email"], "") == "" {
			return nil, reject{"Name", "a person needs a name, or at least a mail address"}
		}
	case s.Values["name"] == "":
		return nil, reject{"Name", fields.ErrRequired.Error()}
	}
	for _, f := range c.list {
		if f.Required && f.Key != "name" && s.Values[f.Key] == "" {
			return nil, reject{f.Label, fields.ErrRequired.Error()}
		}
	}
	text, err := json.Marshal(s)
	if err != nil {
		return nil, reject{"", err.Error()}
	}
	return text, reject{}
}

func (c *checker) cell(s *stagedRow, t column, cell string) error {
	if t.label != "" || t.field.Type == fields.Phone {
		for _, typed := range strings.Split(cell, "\n") {
			if typed = strings.TrimSpace(typed); typed == "" {
				continue
			}
			n, err := c.number(t, typed)
			if err != nil {
				return err
			}
			s.Numbers = append(s.Numbers, n)
		}
		return nil
	}
	if t.key == "name" && c.kind.Person() {
		whole, err := fields.Field{Type: fields.Text}.Parse(cell, c.home)
		if err != nil {
			return err
		}
		if s.Values["given"] == "" && s.Values["family"] == "" {
			s.Values["given"], s.Values["family"] = fields.SplitName(whole)
		}
		return nil
	}
	value, err := t.field.Parse(cell, c.home)
	if err != nil {
		return err
	}
	switch t.field.Type {
	case fields.User:
		id, there := c.owners[strings.ToLower(value)]
		if !there {
			return errors.New("nobody of the firm has this name")
		}
		value = id
	case fields.Ref:
		if s.Refs == nil {
			s.Refs = map[string]string{}
		}
		s.Refs[t.key] = value
		return nil
	}
	s.Values[t.key] = value
	return nil
}

func (c *checker) number(t column, typed string) (stagedNumber, error) {
	n := stagedNumber{Label: t.label, Typed: typed}
	if key, custom := strings.CutPrefix(t.key, fields.Custom); custom {
		n.Label, n.Field = strings.ToLower(t.field.Label), key
	}
	p, err := phone.Parse(typed, c.region)
	if err != nil {
		return n, err
	}
	n.Typed, n.E164, n.Ext, n.Valid, n.Region = p.Typed, p.E164, p.Ext, p.Valid, p.Region
	if p.Label != "" && n.Field == "" {
		n.Label = cleanLabel(p.Label)
	}
	// Zones follow from the beginning of a number: country and area code, and what comes after.
	begins := p.E164[:max(0, len(p.E164)-4)]
	zones, known := c.zones.Load(begins)
	if !known {
		list := phone.Zones(p.E164)
		zones, _ = c.zones.LoadOrStore(begins, list[:min(len(list), maxZones)])
	}
	n.Zones = zones.([]string)
	return n, nil
}
