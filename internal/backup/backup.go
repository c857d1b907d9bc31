// Package backup writes everything that a firm has into one archive, and makes an installation of one: the database as
// it
// was at one moment, recordings, imported files and the key that seals secrets.
//
// It must not know what the tables mean: a new table is part of the next archive by itself.
package backup

import (
	"archive/tar"
	"bytes"
	"compress/gzip"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"trundo/internal/blobs"
	"trundo/internal/store"
)

// Place is where an installation keeps what it has.
type Place struct {
	Store *store.Store
	Dir   string      // the folder of its files
	Kept  blobs.Store // where recordings are put away, where that is not within Dir; nil: it is
}

// format is the version of the archive's own form.
const format = 1

// Names within an archive.
const (
	headName  = "trundo.json" // the first: what it is
	sumsName  = "sums.json"   // the last: what must be in it
	tablesDir = "db/"
	filesDir  = "files/"
	keptDir   = "kept/"
)

// chunk is how much of a table is kept in memory, and stands in one entry.
const chunk = 4 << 20

// leftOut are tables that are not taken along: who is signed in signs in again.
var leftOut = map[string]bool{"sessions": true, "sign_in_steps": true, "goose_db_version": true}

// Head says what an archive is.
type Head struct {
	What   string    `json:"what"`
	Format int       `json:"format"`
	Schema int64     `json:"schema"` // version of the database
	At     time.Time `json:"at"`
}

// what every archive says of itself.
const what = "a backup of Trundo"

// sum is an entry that must be there as it was written.
type sum struct {
	Name string `json:"name"`
	Size int64  `json:"size"`
	Hash string `json:"sha256"`
}

// Summary is what was written or read.
type Summary struct {
	Head
	Tables, Files int
	Bytes         int64 // of the entries
}

// writer adds entries to an archive and remembers their sums.
type writer struct {
	tar  *tar.Writer
	at   time.Time
	sums []sum
	done map[string]bool
	Summary
}

func (w *writer) add(name string, size int64, r io.Reader) error {
	if err := w.tar.WriteHeader(&tar.Header{Name: name, Mode: 0o600, Size: size, ModTime: w.at}); err != nil {
		return err
	}
	hash := sha256.New()
	if _, err := io.CopyN(io.MultiWriter(w.tar, hash), r, size); err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	w.sums = append(w.sums, sum{name, size, hex.EncodeToString(hash.Sum(nil))})
	w.done[name] = true
	w.Bytes += size
	return nil
}

func (w *writer) addJSON(name string, v any) error {
	text, err := json.MarshalIndent(v, "", " ")
	if err != nil {
		return err
	}
	return w.add(name, int64(len(text)), bytes.NewReader(text))
}

// ErrNothing is told by Write where there is no firm in the database.
var ErrNothing = errors.New("there is no firm in this database: nothing to back up")

// Write writes everything of p into one archive. The program may go on working meanwhile. Error: ErrNothing.
func Write(ctx context.Context, out io.Writer, p Place, now time.Time) (Summary, error) {
	schema, err := p.Store.SchemaVersion(ctx)
	if err != nil {
		return Summary{}, err
	}
	if schema == 0 {
		return Summary{}, ErrNothing
	}
	w := &writer{tar: tar.NewWriter(out), at: now, done: map[string]bool{},
		Summary: Summary{Head: Head{what, format, schema, now.UTC()}}}
	if err := w.addJSON(headName, w.Head); err != nil {
		return w.Summary, err
	}
	// Files first, then the database as it is at one moment, then the files that have come since: what the database
	// tells of is in the archive.
	if err := w.files(ctx, p); err != nil {
		return w.Summary, err
	}
	if err := w.database(ctx, p.Store); err != nil {
		return w.Summary, err
	}
	if err := w.files(ctx, p); err != nil {
		return w.Summary, err
	}
	if err := w.addJSON(sumsName, w.sums); err != nil {
		return w.Summary, err
	}
	return w.Summary, w.tar.Close()
}

// files adds the files that are not there yet.
func (w *writer) files(ctx context.Context, p Place) error {
	err := filepath.WalkDir(p.Dir, func(at string, d fs.DirEntry, err error) error {
		if err != nil || !d.Type().IsRegular() {
			return passing(err)
		}
		name, err := filepath.Rel(p.Dir, at)
		if err != nil {
			return err
		}
		return w.file(filesDir+filepath.ToSlash(name), func() (io.ReadSeekCloser, error) { return os.Open(at) })
	})
	if err != nil || p.Kept == nil {
		return err
	}
	names, err := p.Store.StoredRecordings(ctx)
	if err != nil {
		return err
	}
	for _, name := range names {
		err := w.file(keptDir+name, func() (io.ReadSeekCloser, error) { return p.Kept.Open(ctx, name) })
		if err != nil {
			return err
		}
	}
	return nil
}

// passing lets a file go that has gone meanwhile.
func passing(err error) error {
	if errors.Is(err, fs.ErrNotExist) || errors.Is(err, blobs.ErrNone) {
		return nil
	}
	return err
}

func (w *writer) file(name string, open func() (io.ReadSeekCloser, error)) error {
	if w.done[name] || strings.HasPrefix(path.Base(name), ".part-") {
		return nil
	}
	f, err := open()
	if err != nil {
		return passing(err)
	}
	defer f.Close()
	size, err := f.Seek(0, io.SeekEnd)
	if err != nil {
		return err
	}
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return err
	}
	w.Files++
	return w.add(name, size, f)
}

// database adds every table, all as they are at one moment.
func (w *writer) database(ctx context.Context, s *store.Store) error {
	return pgx.BeginTxFunc(ctx, s.Pool, pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly},
		func(tx pgx.Tx) error {
			tables, err := tablesOf(ctx, tx)
			if err != nil {
				return err
			}
			for _, t := range tables {
				part := &tableWriter{w: w, table: t.name}
				part.zip = gzip.NewWriter(&part.buffer)
				_, err := tx.Conn().PgConn().CopyTo(ctx, part, t.copy("TO STDOUT"))
				if err = errors.Join(err, part.flush()); err != nil {
					return fmt.Errorf("table %s: %w", t.name, err)
				}
				w.Tables++
			}
			return nil
		})
}

// tableWriter makes entries out of a stream of rows.
type tableWriter struct {
	w      *writer
	table  string
	n      int
	taken  int
	buffer bytes.Buffer
	zip    *gzip.Writer
}

func (t *tableWriter) Write(rows []byte) (int, error) {
	n, err := t.zip.Write(rows)
	if t.taken += n; err == nil && t.taken >= chunk {
		err = t.flush()
	}
	return n, err
}

func (t *tableWriter) flush() error {
	if err := t.zip.Close(); err != nil {
		return err
	}
	t.n++
	name := fmt.Sprintf("%s%s/%06d.gz", tablesDir, t.table, t.n)
	err := t.w.add(name, int64(t.buffer.Len()), &t.buffer)
	t.buffer.Reset()
	t.zip.Reset(&t.buffer)
	t.taken = 0
	return err
}

// table is one with the columns that are written down: those that the database computes are not.
type table struct {
	name    string
	columns []string
}

func (t table) copy(way string) string {
	var columns []string
	for _, c := range t.columns {
		columns = append(columns, pgx.Identifier{c}.Sanitize())
	}
	return fmt.Sprintf("COPY %s (%s) %s", pgx.Identifier{t.name}.Sanitize(), strings.Join(columns, ", "), way)
}

// derived tells of a table that is made of others: it is made anew after a restore.
func derived(name string) bool {
	return strings.HasPrefix(name, "call_figures") || name == "figures_due"
}

func tablesOf(ctx context.Context, tx pgx.Tx) ([]table, error) {
	rows, err := tx.Query(ctx, `SELECT c.relname, array_agg(a.attname::text ORDER BY a.attnum)
		FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace AND n.nspname = 'public'
		JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped AND a.attgenerated = ''
		WHERE c.relkind = 'r' GROUP BY c.relname ORDER BY c.relname`)
	if err != nil {
		return nil, err
	}
	all, err := pgx.CollectRows(rows, func(r pgx.CollectableRow) (t table, err error) {
		err = r.Scan(&t.name, &t.columns)
		return t, err
	})
	return slices.DeleteFunc(all, func(t table) bool { return leftOut[t.name] || derived(t.name) }), err
}
