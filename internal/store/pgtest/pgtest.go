// Package pgtest gives tests a real PostgreSQL: one private cluster for a test binary, and a migrated
// database of its own for each test. It must not know what is tested.
package pgtest

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"trundo/internal/store"
	"trundo/internal/store/pgcluster"
)

var (
	mu      sync.Mutex
	cluster *pgcluster.Cluster
	folder  string
	count   atomic.Int64
)

// template is a migrated database that each test's is copied from.
const template = "template_trundo"

// Main is called from TestMain with its *testing.M: it runs the tests and then ends the cluster.
func Main(m interface{ Run() int }) {
	code := m.Run()
	mu.Lock()
	defer mu.Unlock()
	if cluster != nil {
		if err := cluster.Stop(); err != nil {
			fmt.Fprintln(os.Stderr, err)
		}
		_ = os.RemoveAll(folder)
	}
	os.Exit(code)
}

// New gives a migrated database that goes with the test.
func New(t testing.TB) *store.Store {
	t.Helper()
	s, err := store.Open(context.Background(), URL(t), 0)
	require.NoError(t, err)
	t.Cleanup(s.Close)
	return s
}

// URL gives the address of a migrated database for one test.
func URL(t testing.TB) string {
	t.Helper()
	c := shared(t)
	return copied(t, c, fmt.Sprintf("test_%d", count.Add(1)), template)
}

// copied makes a database that goes with the test. Copying its files takes a third of the time of writing it page by
// page, PostgreSQL's own choice.
func copied(t testing.TB, c *pgcluster.Cluster, name, of string) string {
	t.Helper()
	exec(t, c.URL("postgres"), "CREATE DATABASE "+name+" TEMPLATE "+of+" STRATEGY file_copy")
	t.Cleanup(func() { exec(t, c.URL("postgres"), "DROP DATABASE IF EXISTS "+name+" WITH (FORCE)") })
	return c.URL(name)
}

// Copy gives the address of a copy of a database that fill has filled once for this test binary, under a name.
func Copy(t testing.TB, name string, fill func(s *store.Store)) string {
	t.Helper()
	c := shared(t)
	filled := "filled_" + name
	copies.Lock()
	if !copies.made[filled] {
		exec(t, c.URL("postgres"), "CREATE DATABASE "+filled+" TEMPLATE "+template)
		s, err := store.Open(context.Background(), c.URL(filled), 2)
		require.NoError(t, err)
		fill(s)
		s.Close()
		copies.made[filled] = true
	}
	copies.Unlock()
	return copied(t, c, fmt.Sprintf("test_%d", count.Add(1)), filled)
}

var copies = struct {
	sync.Mutex
	made map[string]bool
}{made: map[string]bool{}}

// Own gives a cluster that only this test uses, so that it can be halted, and a migrated database in it.
func Own(t testing.TB) (*pgcluster.Cluster, string) {
	t.Helper()
	dir := tempDir(t)
	c := start(t, filepath.Join(dir, "pg"))
	t.Cleanup(func() {
		_ = c.Stop()
		_ = os.RemoveAll(dir)
	})
	return c, c.URL(template)
}

func shared(t testing.TB) *pgcluster.Cluster {
	mu.Lock()
	defer mu.Unlock()
	if cluster == nil {
		folder = tempDir(t)
		cluster = start(t, filepath.Join(folder, "pg"))
	}
	return cluster
}

func tempDir(t testing.TB) string {
	dir, err := os.MkdirTemp("", "trundo-test-*")
	require.NoError(t, err)
	require.NoError(t, os.Chmod(dir, 0o755))
	return dir
}

func start(t testing.TB, dir string) *pgcluster.Cluster {
	ctx, cancel := context.WithTimeout(context.Background(), 2*time.Minute)
	defer cancel()
	c, err := pgcluster.Start(ctx, pgcluster.Options{Dir: dir, Fast: true})
	require.NoError(t, err)
	exec(t, c.URL("postgres"), "CREATE DATABASE "+template)
	s, err := store.Open(ctx, c.URL(template), 0)
	require.NoError(t, err)
	require.NoError(t, s.Migrate(ctx))
	s.Close()
	return c
}

func exec(t testing.TB, url, sql string) {
	conn, err := pgx.Connect(context.Background(), url)
	require.NoError(t, err)
	defer conn.Close(context.Background())
	_, err = conn.Exec(context.Background(), sql)
	require.NoError(t, err)
}
