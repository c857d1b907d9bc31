// Package store keeps everything that must last, in PostgreSQL through pgx: migrations, the queries that
// sqlc generates into db, and what it means that the database is away.
//
// It must not know rules of the job, rights, HTTP or live events.
package store

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/pressly/goose/v3/lock"
	pgxuuid "github.com/vgarvardt/pgx-google-uuid/v5"

	"trundo/internal/store/db"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Store is the database.
type Store struct {
	Pool *pgxpool.Pool
	*db.Queries
}

// Open prepares a pool for url, with at most conns connections (0: pgx's default). It does not wait for
// the database; Ping does.
func Open(ctx context.Context, url string, conns int32) (*Store, error) {
	config, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("DATABASE_URL: %w", err)
	}
	if conns > 0 {
		config.MaxConns = conns
	}
	config.ConnConfig.ConnectTimeout = 5 * time.Second
	config.ConnConfig.RuntimeParams["application_name"] = "trundo"
	config.ConnConfig.RuntimeParams["timezone"] = "UTC"
	config.ConnConfig.RuntimeParams["random_page_cost"] = "1.1" // disks have no arm any more; else a look-up in a table that is still small reads all of it, and goes on to when it is not
	config.AfterConnect = func(_ context.Context, conn *pgx.Conn) error {
		pgxuuid.Register(conn.TypeMap())
		return nil
	}
	pool, err := pgxpool.NewWithConfig(ctx, config)
	if err != nil {
		return nil, fmt.Errorf("opening the database: %w", err)
	}
	return &Store{Pool: pool, Queries: db.New(pool)}, nil
}

// Close waits for the connections in use and closes all.
func (s *Store) Close() { s.Pool.Close() }

// Tx runs do in a transaction and commits it, or rolls it back when do or the commit fails.
func (s *Store) Tx(ctx context.Context, do func(q *db.Queries) error) error {
	tx, err := s.Pool.Begin(ctx)
	if err != nil {
		return err
	}
	defer func() { _ = tx.Rollback(context.WithoutCancel(ctx)) }()
	if err := do(s.WithTx(tx)); err != nil {
		return err
	}
	return tx.Commit(ctx)
}

// Migrate brings the schema up to this program's version, forward only, under a lock that other servers
// starting at the same time wait for.
func (s *Store) Migrate(ctx context.Context) error {
	sqldb := stdlib.OpenDBFromPool(s.Pool)
	defer sqldb.Close()
	locker, err := lock.NewPostgresSessionLocker()
	if err != nil {
		return err
	}
	provider, err := goose.NewProvider(goose.DialectPostgres, sqldb, migrationFiles(), goose.WithSessionLocker(locker))
	if err != nil {
		return err
	}
	if _, err := provider.Up(ctx); err != nil {
		return fmt.Errorf("migrating the database: %w", err)
	}
	return nil
}

// migrationFiles is the embedded folder without its name.
func migrationFiles() fs.FS {
	sub, err := fs.Sub(migrations, "migrations")
	if err != nil {
		panic(err) // the folder is embedded above
	}
	return sub
}

// Away tells whether err means that the database cannot be reached or does not answer in time, rather
// than that it refused what it was asked.
func Away(err error) bool {
	if err == nil {
		return false
	}
	var pgErr *pgconn.PgError
	if errors.As(err, &pgErr) {
		// Class 08: connection; 57P: shutdown, crash, starting up; 53300: too many connections.
		return strings.HasPrefix(pgErr.Code, "08") || strings.HasPrefix(pgErr.Code, "57P") || pgErr.Code == "53300"
	}
	var connectErr *pgconn.ConnectError
	var netErr net.Error
	return errors.As(err, &connectErr) || errors.As(err, &netErr) || errors.Is(err, context.DeadlineExceeded) ||
		errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, net.ErrClosed) ||
		strings.Contains(err.Error(), "conn closed") || strings.Contains(err.Error(), "closed pool")
}

// NotFound tells whether a query for one row found none.
func NotFound(err error) bool { return errors.Is(err, pgx.ErrNoRows) }

// Duplicate tells whether err is the breach of a unique key.
func Duplicate(err error) bool {
	var pgErr *pgconn.PgError
	return errors.As(err, &pgErr) && pgErr.Code == "23505"
}

// NewID makes a UUIDv7, so that ids of rows made together lie together.
func NewID() uuid.UUID { return uuid.Must(uuid.NewV7()) }
