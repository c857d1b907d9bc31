package store_test

import (
	"net/url"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"trundo/internal/store"
	"trundo/internal/store/pgtest"
)

// program finds one of PostgreSQL's programs, which Debian keeps out of the way.
func program(t *testing.T, name string) string {
	t.Helper()
	if found, err := exec.LookPath(name); err == nil {
		return found
	}
	found, err := filepath.Glob("/usr/lib/postgresql/*/bin/" + name)
	require.NoError(t, err)
	require.NotEmpty(t, found, name)
	return found[len(found)-1]
}

func TestABackupRestores(t *testing.T) {
	from := pgtest.New(t)
	_, err := from.Pool.Exec(t.Context(),
		`INSERT INTO records (id, kind, name, given, family) VALUES (gen_random_uuid(), 'contact', 'Zoë Ørsted', 'Zoë', 'Ørsted')`)
	require.NoError(t, err)
	source := from.Pool.Config().ConnString()
	dump := exec.CommandContext(t.Context(), program(t, "pg_dump"), "--no-owner", "--no-privileges", source)
	text, err := dump.Output()
	require.NoError(t, err)
	_, err = from.Pool.Exec(t.Context(), `DROP DATABASE IF EXISTS restored`)
	require.NoError(t, err)
	_, err = from.Pool.Exec(t.Context(), `CREATE DATABASE restored`)
	require.NoError(t, err)
	t.Cleanup(func() { _, _ = from.Pool.Exec(t.Context(), `DROP DATABASE IF EXISTS restored WITH (FORCE)`) })
	target, err := url.Parse(source)
	require.NoError(t, err)
	target.Path = "/restored"
	restore := exec.CommandContext(t.Context(), program(t, "psql"), "--quiet", "--set", "ON_ERROR_STOP=1",
		target.String())
	restore.Stdin = strings.NewReader(string(text))
	said, err := restore.CombinedOutput()
	require.NoError(t, err, string(said))
	s, err := store.Open(t.Context(), target.String(), 1)
	require.NoError(t, err)
	defer s.Close()
	var name string
	require.NoError(t, s.Pool.QueryRow(t.Context(),
		`SELECT name FROM records WHERE search LIKE '%zoe orsted%'`).Scan(&name))
	require.Equal(t, "Zoë Ørsted", name)
	require.NoError(t, s.Migrate(t.Context()))
	_, err = s.Pool.Exec(t.Context(), `INSERT INTO goose_db_version (version_id, is_applied) VALUES (99999, true)`)
	require.NoError(t, err)
	require.ErrorContains(t, s.Migrate(t.Context()), "newer than this program")
}
