package backup

import (
	"archive/tar"
	"compress/gzip"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/jackc/pgx/v5"
)

// Errors of Check and Restore.
var (
	ErrForeign  = errors.New("this is no backup of Trundo")
	ErrCut      = errors.New("the backup is cut off: something is missing at its end")
	ErrAltered  = errors.New("the backup was altered")
	ErrNewer    = errors.New("the backup was made by a newer version of the program: restore it with that one")
	ErrNotEmpty = errors.New("there is something already where the backup is to be restored")
)

// Check reads an archive from its beginning to its end, and tells what it holds. Errors: ErrForeign, ErrCut,
// ErrAltered.
func Check(r io.Reader) (Summary, error) {
	var s Summary
	var found, must []sum
	tables := map[string]bool{}
	err := entries(r, func(h *tar.Header, in io.Reader) error {
		hash := sha256.New()
		in = io.TeeReader(in, hash)
		var err error
		switch {
		case len(found) == 0:
			s.Head, err = readHead(h, in)
		case h.Name == sumsName:
			err = json.NewDecoder(in).Decode(&must)
			return errors.Join(err, drain(in))
		case strings.HasPrefix(h.Name, tablesDir):
			name, _, _ := strings.Cut(strings.TrimPrefix(h.Name, tablesDir), "/")
			tables[name] = true
		default:
			s.Files++
		}
		if err = errors.Join(err, drain(in)); err != nil {
			return err
		}
		s.Bytes += h.Size
		found = append(found, sum{h.Name, h.Size, hex.EncodeToString(hash.Sum(nil))})
		return nil
	})
	s.Tables = len(tables)
	switch {
	case err != nil:
		return s, err
	case must == nil:
		return s, ErrCut
	case len(found) != len(must):
		return s, ErrAltered
	}
	for i := range found {
		if found[i] != must[i] {
			return s, fmt.Errorf("%w: %s", ErrAltered, found[i].Name)
		}
	}
	return s, nil
}

func drain(r io.Reader) error {
	_, err := io.Copy(io.Discard, r)
	return err
}

func readHead(h *tar.Header, in io.Reader) (Head, error) {
	var head Head
	if h.Name != headName || h.Size > 1<<16 || json.NewDecoder(in).Decode(&head) != nil || head.What != what {
		return head, ErrForeign
	}
	if head.Format > format {
		return head, ErrNewer
	}
	return head, nil
}

// entries goes through an archive. Errors: ErrForeign, ErrCut, that of do.
func entries(r io.Reader, do func(*tar.Header, io.Reader) error) error {
	in := tar.NewReader(r)
	for first := true; ; first = false {
		h, err := in.Next()
		switch {
		case errors.Is(err, io.EOF) && !first:
			return nil
		case err != nil && first:
			return ErrForeign
		case errors.Is(err, io.ErrUnexpectedEOF):
			return ErrCut
		case err != nil:
			return fmt.Errorf("%w: %w", ErrAltered, err)
		case h.Typeflag != tar.TypeReg || !filepath.IsLocal(h.Name):
			return ErrForeign
		}
		if err := do(h, in); errors.Is(err, io.ErrUnexpectedEOF) {
			return ErrCut
		} else if err != nil {
			return err
		}
	}
}

// Restore makes an installation of an archive, in a database and a folder that are empty; all of it or nothing. An
// older
// one is brought to this version. Errors: those of Check, ErrNewer, ErrNotEmpty.
func Restore(ctx context.Context, r io.ReadSeeker, p Place) (Summary, error) {
	s, err := Check(r)
	if err != nil {
		return s, err
	}
	if newest := p.Store.NewestSchema(); s.Schema > newest {
		return s, ErrNewer
	}
	if err := empty(ctx, p); err != nil {
		return s, err
	}
	if _, err := r.Seek(0, io.SeekStart); err != nil {
		return s, err
	}
	if err := p.Store.MigrateTo(ctx, s.Schema); err != nil {
		return s, err
	}
	err = pgx.BeginFunc(ctx, p.Store.Pool, func(tx pgx.Tx) error {
		links, err := unlink(ctx, tx)
		if err != nil {
			return err
		}
		load := loader{ctx: ctx, tx: tx, p: p}
		if load.tables, err = tablesOf(ctx, tx); err != nil {
			return err
		}
		for _, t := range load.tables { // what the migrations have put there
			if _, err := tx.Exec(ctx, "DELETE FROM "+pgx.Identifier{t.name}.Sanitize()); err != nil {
				return err
			}
		}
		if err := entries(r, load.entry); err != nil {
			return err
		}
		for _, l := range links { // and so it is seen that all fits together
			if _, err := tx.Exec(ctx, l); err != nil {
				return fmt.Errorf("what belongs together: %w", err)
			}
		}
		return nil
	})
	if err != nil {
		return s, errors.Join(err, clear(p.Dir))
	}
	if _, err := p.Store.Pool.Exec(ctx, "ANALYZE"); err != nil {
		return s, err
	}
	return s, p.Store.Migrate(ctx)
}

// empty tells whether there is room. Error: ErrNotEmpty.
func empty(ctx context.Context, p Place) error {
	if err := os.MkdirAll(p.Dir, 0o700); err != nil {
		return err
	}
	there, err := os.ReadDir(p.Dir)
	if err != nil {
		return err
	}
	if len(there) > 0 {
		return fmt.Errorf("%w: files in the folder %s", ErrNotEmpty, p.Dir)
	}
	var tables, users bool
	if err := p.Store.Pool.QueryRow(ctx, `SELECT EXISTS (SELECT FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
		WHERE n.nspname = 'public' AND c.relkind = 'r')`).Scan(&tables); err != nil ||
		!tables {
		return err
	}
	if err := p.Store.Pool.QueryRow(ctx, `SELECT EXISTS (SELECT FROM users) OR EXISTS (SELECT FROM records)`).Scan(
		&users); err != nil {
		return fmt.Errorf("%w: tables of something else in the database", ErrNotEmpty)
	}
	if users {
		return fmt.Errorf("%w: a firm in the database", ErrNotEmpty)
	}
	return nil
}

// clear removes what was put into a folder that was empty.
func clear(dir string) error {
	there, err := os.ReadDir(dir)
	for _, f := range there {
		err = errors.Join(err, os.RemoveAll(filepath.Join(dir, f.Name())))
	}
	return err
}

// unlink takes the foreign keys away, and gives the statements that put them back: tables are filled one after the
// other,
// and some tell of each other.
func unlink(ctx context.Context, tx pgx.Tx) ([]string, error) {
	rows, err := tx.Query(ctx, `SELECT format('ALTER TABLE %s DROP CONSTRAINT %I', conrelid::regclass, conname),
			format('ALTER TABLE %s ADD CONSTRAINT %I %s', conrelid::regclass, conname, pg_get_constraintdef(oid))
		FROM pg_constraint WHERE contype = 'f' AND connamespace = 'public'::regnamespace ORDER BY 1`)
	if err != nil {
		return nil, err
	}
	links, err := pgx.CollectRows(rows, pgx.RowToStructByPos[struct{ Drop, Add string }])
	if err != nil {
		return nil, err
	}
	var add []string
	for _, l := range links {
		if _, err := tx.Exec(ctx, l.Drop); err != nil {
			return nil, err
		}
		add = append(add, l.Add)
	}
	return add, nil
}

// loader puts the entries of an archive where they belong.
type loader struct {
	ctx    context.Context
	tx     pgx.Tx
	p      Place
	tables []table
}

func (l *loader) entry(h *tar.Header, in io.Reader) error {
	switch dir, name, _ := strings.Cut(h.Name, "/"); dir + "/" {
	case tablesDir:
		return l.rows(name, in)
	case filesDir:
		return writeFile(filepath.Join(l.p.Dir, filepath.FromSlash(name)), in)
	case keptDir:
		if l.p.Kept == nil {
			return writeFile(filepath.Join(l.p.Dir, "kept", name), in)
		}
		return l.p.Kept.Put(l.ctx, name, "application/octet-stream", in, h.Size)
	}
	return nil
}

// rows adds a part of a table.
func (l *loader) rows(name string, in io.Reader) error {
	name, _, _ = strings.Cut(name, "/")
	for _, t := range l.tables {
		if t.name != name {
			continue
		}
		plain, err := gzip.NewReader(in)
		if err != nil {
			return fmt.Errorf("%w: table %s", ErrAltered, name)
		}
		if _, err := l.tx.Conn().PgConn().CopyFrom(l.ctx, plain, t.copy("FROM STDIN")); err != nil {
			return fmt.Errorf("table %s: %w", name, err)
		}
		return nil
	}
	return fmt.Errorf("%w: table %s", ErrForeign, name)
}

func writeFile(name string, in io.Reader) error {
	if err := os.MkdirAll(filepath.Dir(name), 0o700); err != nil {
		return err
	}
	f, err := os.OpenFile(name, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = io.Copy(f, in)
	return errors.Join(err, f.Sync(), f.Close())
}
