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
	// compiling a report took longer than the report: 3.9 of 4.3 s, measured
	config.ConnConfig.RuntimeParams["jit"] = "off"
	// disks have no arm any more; else a look-up in a table that is still small reads all of it, and goes on to when it
	// is not
	config.ConnConfig.RuntimeParams["random_page_cost"] = "1.1"
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
	return s.migrations(func(p *goose.Provider) error {
		at, err := p.GetDBVersion(ctx)
		if err != nil {
			return fmt.Errorf("the version of the database: %w", err)
		}
		if newest := newestSchema(p); at > newest {
			return fmt.Errorf(
				"the database is at version %d, which is newer than this program (%d): start the newer one",
				at,
				newest,
			)
		}
		if _, err := p.Up(ctx); err != nil {
			return fmt.Errorf("migrating the database: %w", err)
		}
		return nil
	})
}

// migrations hands over who migrates the database.
func (s *Store) migrations(do func(*goose.Provider) error) error {
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
	return do(provider)
}

func newestSchema(p *goose.Provider) int64 {
	sources := p.ListSources()
	return sources[len(sources)-1].Version
}

// MigrateTo brings an empty database to an earlier version of the schema, for data that was written at that one.
func (s *Store) MigrateTo(ctx context.Context, version int64) error {
	return s.migrations(func(p *goose.Provider) error {
		_, err := p.UpTo(ctx, version)
		return err
	})
}

// SchemaVersion is the version of the database's schema.
func (s *Store) SchemaVersion(ctx context.Context) (version int64, err error) {
	err = s.migrations(func(p *goose.Provider) error {
		version, err = p.GetDBVersion(ctx)
		return err
	})
	return version, err
}

// NewestSchema is the version of the schema that this program brings.
func (s *Store) NewestSchema() (version int64) {
	_ = s.migrations(func(p *goose.Provider) error { // the migrations are embedded
		version = newestSchema(p)
		return nil
	})
	return version
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
		return awayState(pgErr.Code)
	}
	var connectErr *pgconn.ConnectError
	var netErr net.Error
	return errors.As(err, &connectErr) || errors.As(err, &netErr) || errors.Is(err, context.DeadlineExceeded) ||
		errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, net.ErrClosed) ||
		strings.Contains(err.Error(), "conn closed") || strings.Contains(err.Error(), "closed pool")
}

// Failed tells whether err comes from the database or the way to it, whatever it says: not from what somebody asked
// for.
func Failed(err error) bool {
	var pgErr *pgconn.PgError
	var connectErr *pgconn.ConnectError
	var netErr net.Error
	return errors.As(err, &pgErr) || errors.As(err, &connectErr) || errors.As(err, &netErr) ||
		errors.Is(err, context.DeadlineExceeded) ||
		errors.Is(err, net.ErrClosed)
}

// awayState tells whether a SQLSTATE (PostgreSQL's documentation, appendix A) says that nothing can be written now,
// whatever was asked.
func awayState(code string) bool {
	switch code {
	case "25006", // read only, as after a failover to a standby
		"58030",          // an input or output error
		"XX001", "XX002": // a page or an index is damaged
		return true
	}
	for _, class := range []string{
		"08",  // connection
		"53",  // no disk, no memory, no connection left
		"57P", // shutdown, crash, starting up
	} {
		if strings.HasPrefix(code, class) {
			return true
		}
	}
	return false
}

// NotFound tells whether a query for one row found none.
func NotFound(err error) bool { return errors.Is(err, pgx.ErrNoRows) }

// Duplicate tells whether err is the breach of a unique key.
func Duplicate(err error) bool {
	var pgErr *pgconn.PgError
	return errors.As(err, &pgErr) && pgErr.Code == "23505"
}

// DuplicateOf is the unique key that err is the breach of, "" where it is none.
func DuplicateOf(err error) string {
	var pgErr *pgconn.PgError
	if errors.As(err, &pgErr) && pgErr.Code == "23505" {
		return pgErr.ConstraintName
	}
	return ""
}

// Refused tells whether the database refused a value for its own sake, and which column it is, as far as that is known:
// it names something that is not there (23503), or holds what the column does not take (23502, 23514, and class 22).
func Refused(err error) (column string, is bool) {
	var pgErr *pgconn.PgError
	if !errors.As(err, &pgErr) {
		return "", false
	}
	switch {
	case pgErr.Code == "23503" && !strings.Contains(pgErr.Message, "update or delete"), pgErr.Code == "23514":
		column = strings.TrimPrefix(pgErr.ConstraintName, pgErr.TableName+"_")
		return strings.TrimSuffix(strings.TrimSuffix(column, "_fkey"), "_check"), true
	case pgErr.Code == "23502", strings.HasPrefix(pgErr.Code, "22"):
		return pgErr.ColumnName, true
	}
	return "", false
}

// NewID makes a UUIDv7, so that ids of rows made together lie together.
func NewID() uuid.UUID { return uuid.Must(uuid.NewV7()) }
