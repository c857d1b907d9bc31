package backup_test

import (
	"bytes"
	"fmt"
	"io"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/backup"
	"trundo/internal/blobs"
	"trundo/internal/demo"
	"trundo/internal/store"
	"trundo/internal/store/pgtest"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

var at = time.Date(2026, 3, 2, 15, 0, 0, 0, time.UTC)

// emptyDatabase makes one beside another, with nothing in it.
func emptyDatabase(t *testing.T, beside *store.Store) *store.Store {
	t.Helper()
	name := fmt.Sprintf("empty_%d", time.Now().UnixNano())
	_, err := beside.Pool.Exec(t.Context(), "CREATE DATABASE "+name)
	require.NoError(t, err)
	u, err := url.Parse(beside.Pool.Config().ConnString())
	require.NoError(t, err)
	u.Path = "/" + name
	s, err := store.Open(t.Context(), u.String(), 4)
	require.NoError(t, err)
	t.Cleanup(s.Close)
	return s
}

// installation is a firm with files.
func installation(t *testing.T) backup.Place {
	t.Helper()
	s := pgtest.New(t)
	require.NoError(t, demo.Fill(t.Context(), s, demo.Size{Companies: 5, People: 200, Calls: 300}, at))
	dir := t.TempDir()
	for name, text := range map[string]string{"secret.key": "key", "recordings/a.trk": strings.Repeat("voice", 1000),
		"imports/b": "", "kept/c.zst": "packed", ".part-x": "half"} {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o700))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	return backup.Place{Store: s, Dir: dir}
}

func archive(t *testing.T, p backup.Place) []byte {
	t.Helper()
	var out bytes.Buffer
	_, err := backup.Write(t.Context(), &out, p, at)
	require.NoError(t, err)
	return out.Bytes()
}

// tables tells of every table how many rows it has and what they are.
func tables(t *testing.T, s *store.Store) map[string]string {
	t.Helper()
	rows, err := s.Pool.Query(t.Context(), `SELECT relname FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
		WHERE nspname = 'public' AND relkind = 'r' AND relname NOT IN ('sessions', 'sign_in_steps', 'goose_db_version')
		AND relname NOT LIKE 'call_figures%' AND relname <> 'figures_due'`)
	require.NoError(t, err)
	var names []string
	for rows.Next() {
		var name string
		require.NoError(t, rows.Scan(&name))
		names = append(names, name)
	}
	found := map[string]string{}
	for _, name := range names {
		var sum string
		require.NoError(
			t,
			s.Pool.QueryRow(t.Context(), `SELECT count(*) || ' ' || coalesce(md5(string_agg(x::text, E'\n' ORDER BY
			x::text COLLATE "C")), '') FROM `+name+` x`).Scan(&sum),
		)
		found[name] = sum
	}
	return found
}

func files(t *testing.T, dir string) map[string]string {
	t.Helper()
	found := map[string]string{}
	require.NoError(t, filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		text, err := os.ReadFile(path)
		name, _ := filepath.Rel(dir, path)
		found[name] = string(text)
		return err
	}))
	return found
}

func TestARestoredFirmIsTheSame(t *testing.T) {
	from := installation(t)
	_, err := from.Store.Pool.Exec(t.Context(), `INSERT INTO sessions VALUES ('t', 'x', now())`)
	require.NoError(t, err)
	text := archive(t, from)
	checked, err := backup.Check(bytes.NewReader(text))
	require.NoError(t, err)
	assert.Equal(t, 4, checked.Files)
	to := backup.Place{Store: emptyDatabase(t, from.Store), Dir: filepath.Join(t.TempDir(), "data")}
	_, err = backup.Restore(t.Context(), bytes.NewReader(text), to)
	require.NoError(t, err)
	want := tables(t, from.Store)
	require.Greater(t, len(want), 50)
	assert.Equal(t, want, tables(t, to.Store))
	assert.NotEqual(t, "0 ", want["calls"])
	found := files(t, from.Dir)
	delete(found, ".part-x")
	assert.Equal(t, found, files(t, to.Dir))
	var left int
	require.NoError(t, to.Store.Pool.QueryRow(t.Context(), `SELECT count(*) FROM sessions`).Scan(&left))
	assert.Zero(t, left, "everybody signs in anew")
	_, err = to.Store.Pool.Exec(t.Context(), `INSERT INTO rep_state (user_id, since)
		VALUES (gen_random_uuid(), now())`)
	require.ErrorContains(t, err, "foreign key", "what belongs together is held together again")

	_, err = backup.Restore(t.Context(), bytes.NewReader(text), to)
	require.ErrorIs(t, err, backup.ErrNotEmpty)
	to.Dir = t.TempDir()
	_, err = backup.Restore(t.Context(), bytes.NewReader(text), to)
	require.ErrorIs(t, err, backup.ErrNotEmpty, "the database alone")
}

func TestRecordingsPutAwayElsewhereComeAlong(t *testing.T) {
	from := installation(t)
	var err error
	from.Kept, err = blobs.New(t.TempDir())
	require.NoError(t, err)
	var stored string
	require.NoError(
		t,
		from.Store.Pool.QueryRow(t.Context(), `INSERT INTO recordings (id, call_id, kind, state, server, file, stored, began_at)
		SELECT gen_random_uuid(), id, 'call', 'kept', 'here', 'far', 'far.zst', now() FROM calls LIMIT 1 RETURNING stored`).
			Scan(&stored),
	)
	require.NoError(t, from.Kept.Put(t.Context(), stored, "", strings.NewReader("voices"), 6))
	to := backup.Place{Store: emptyDatabase(t, from.Store), Dir: t.TempDir()}
	to.Kept, err = blobs.New(t.TempDir())
	require.NoError(t, err)
	_, err = backup.Restore(t.Context(), bytes.NewReader(archive(t, from)), to)
	require.NoError(t, err)
	f, err := to.Kept.Open(t.Context(), stored)
	require.NoError(t, err)
	defer f.Close()
	text, err := io.ReadAll(f)
	require.NoError(t, err)
	assert.Equal(t, "voices", string(text))
}

func TestWhatIsNoGoodBackupIsRefusedAndLeavesNothing(t *testing.T) {
	from := installation(t)
	text := archive(t, from)
	to := backup.Place{Store: emptyDatabase(t, from.Store), Dir: filepath.Join(t.TempDir(), "data")}
	altered := bytes.Clone(text)
	altered[bytes.Index(altered, []byte("voicevoice"))+2] = 'X'
	elsewhere := bytes.Replace(bytes.Clone(text), []byte("a backup of Trundo"), []byte("a backup of Brundo"), 1)
	for what, x := range map[string]struct {
		text []byte
		want error
	}{
		"nothing":           {nil, backup.ErrForeign},
		"a text":            {[]byte(strings.Repeat("hello ", 200)), backup.ErrForeign},
		"of another one":    {elsewhere, backup.ErrForeign},
		"cut in the middle": {text[:len(text)/2], backup.ErrCut},
		"cut near its end":  {text[:len(text)-3000], backup.ErrCut},
		"altered":           {altered, backup.ErrAltered},
	} {
		_, err := backup.Restore(t.Context(), bytes.NewReader(x.text), to)
		require.ErrorIs(t, err, x.want, what)
		assert.NoDirExists(t, to.Dir, what)
	}
	_, err := from.Store.Pool.Exec(
		t.Context(),
		`INSERT INTO goose_db_version (version_id, is_applied) VALUES (99999, true)`,
	)
	require.NoError(t, err)
	_, err = backup.Restore(t.Context(), bytes.NewReader(archive(t, from)), to)
	require.ErrorIs(t, err, backup.ErrNewer)
}

func TestAnOlderBackupIsBroughtToThisVersion(t *testing.T) {
	beside := pgtest.New(t)
	old := emptyDatabase(t, beside)
	_, err := backup.Write(t.Context(), io.Discard, backup.Place{Store: old, Dir: t.TempDir()}, at)
	require.ErrorIs(t, err, backup.ErrNothing)
	require.NoError(t, old.MigrateTo(t.Context(), 17))
	_, err = old.Pool.Exec(t.Context(), `INSERT INTO users (id, login, name, role, team, password_hash, zone)
		VALUES (gen_random_uuid(), 'ines', 'Ines', 'rep', 'Sales', '', 'America/New_York')`)
	require.NoError(t, err)
	to := backup.Place{Store: emptyDatabase(t, beside), Dir: t.TempDir()}
	_, err = backup.Restore(t.Context(), bytes.NewReader(archive(t, backup.Place{Store: old, Dir: t.TempDir()})), to)
	require.NoError(t, err)
	var teams []string
	require.NoError(t, to.Store.Pool.QueryRow(t.Context(), `SELECT teams FROM users WHERE login = 'ines'`).Scan(&teams))
	assert.Equal(t, []string{"Sales"}, teams)
	version, err := to.Store.SchemaVersion(t.Context())
	require.NoError(t, err)
	assert.Equal(t, to.Store.NewestSchema(), version)
}
