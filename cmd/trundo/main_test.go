package main

import (
	"bytes"
	"flag"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/store"
	"trundo/internal/store/pgtest"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

func TestEverySettingIsListed(t *testing.T) {
	var out bytes.Buffer
	f := flags("serve", &out, "serves")
	require.ErrorIs(t, f.Parse([]string{"-h"}), flag.ErrHelp)
	for _, s := range settings {
		assert.Contains(t, out.String(), s.name)
		assert.NotEmpty(t, s.what)
	}
	t.Setenv("TRUNDO_ADDR", "127.0.0.1:1")
	t.Setenv("TRUNDO_METRICS_ADDR", "off")
	c := config()
	assert.Equal(t, "127.0.0.1:1", c.Addr)
	assert.Empty(t, c.MetricsAddr)
}

func TestWhatIsMissingIsNamed(t *testing.T) {
	t.Setenv("DATABASE_URL", "")
	require.ErrorContains(t, run(t.Context(), []string{"serve"}), "DATABASE_URL is not set")
	require.ErrorContains(t, run(t.Context(), []string{"migrate"}), "DATABASE_URL is not set")
	require.ErrorContains(t, run(t.Context(), []string{"dance"}), `no command "dance"`)
	require.ErrorContains(t, run(t.Context(), []string{"admin"}), "usage")
	require.NoError(t, run(t.Context(), nil))
}

func TestAnAdminIsAdded(t *testing.T) {
	url := pgtest.URL(t)
	t.Setenv("DATABASE_URL", url)
	password := func(text string) {
		r, w, err := os.Pipe()
		require.NoError(t, err)
		_, err = w.WriteString(text)
		require.NoError(t, err)
		require.NoError(t, w.Close())
		stdin := os.Stdin
		os.Stdin = r
		t.Cleanup(func() { os.Stdin = stdin })
	}
	password("short\n")
	add := []string{"admin", "add", "-login", "Ada", "-name", "Ada Millrace", "-zone", "Europe/London"}
	require.ErrorContains(t, run(t.Context(), add), "at least 10 characters")
	password("long enough for her\n")
	require.NoError(t, run(t.Context(), add))
	s, err := store.Open(t.Context(), url, 1)
	require.NoError(t, err)
	defer s.Close()
	u, err := s.UserByLogin(t.Context(), "ada")
	require.NoError(t, err)
	assert.Equal(t, "admin", u.Role)
}
