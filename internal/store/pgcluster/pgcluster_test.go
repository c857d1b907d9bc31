package pgcluster_test

import (
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/store/pgcluster"
)

func ask(t *testing.T, url, sql string) (text string, err error) {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), 5*time.Second)
	defer cancel()
	conn, err := pgx.Connect(ctx, url)
	if err != nil {
		return "", err
	}
	defer conn.Close(ctx)
	err = conn.QueryRow(ctx, sql).Scan(&text)
	return text, err
}

func TestAClusterIsMadeStoppedAndFoundAgain(t *testing.T) {
	dir, err := os.MkdirTemp("", "trundo-cluster-*")
	require.NoError(t, err)
	require.NoError(t, os.Chmod(dir, 0o755))
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	options := pgcluster.Options{Dir: filepath.Join(dir, "pg"), Fast: true}
	first, err := pgcluster.Start(t.Context(), options)
	require.NoError(t, err)
	t.Cleanup(func() { _ = first.Stop() })
	listens, err := ask(t, first.URL("postgres"), "SHOW listen_addresses")
	require.NoError(t, err)
	assert.Equal(t, "127.0.0.1", listens, "on loopback alone")

	second, err := pgcluster.Start(t.Context(), options)
	require.NoError(t, err)
	assert.Equal(t, first.Port(), second.Port(), "one that runs is used")
	require.NoError(t, second.Stop())
	_, err = ask(t, first.URL("postgres"), "SELECT 'still there'")
	require.NoError(t, err, "who has not started it does not stop it")

	require.NoError(t, first.Halt())
	_, err = ask(t, first.URL("postgres"), "SELECT 'there'")
	require.Error(t, err)
	require.NoError(t, first.Resume(t.Context()))
	_, err = ask(t, first.URL("postgres"), "SELECT 'there'")
	require.NoError(t, err, "it starts again after a crash, on the same port")
	require.NoError(t, first.Stop())
	require.NoError(t, first.Stop(), "stopping twice is nothing")
	require.NoError(t, first.Remove())
}
