package store

import (
	"context"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"

	"trundo/internal/store/db"
)

// TxPiped is Tx for transactions that somebody waits for: statements whose result nobody reads (sqlc's :exec and
// :batchexec) are not waited for one by one, but go to the database together with the next one that is, or with the
// commit. What one of them is refused for is told by that later call, so do must not tell such errors apart.
func (s *Store) TxPiped(ctx context.Context, do func(q *db.Queries) error) error {
	conn, err := s.Pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release() // which ends a connection that is still within a transaction
	p := &pipe{conn: conn}
	p.later("BEGIN")
	err = do(db.New(p))
	if err == nil {
		p.later("COMMIT")
		err = p.send(ctx)
	}
	if err != nil && conn.Conn().PgConn().TxStatus() != 'I' {
		_, _ = conn.Exec(context.WithoutCancel(ctx), "ROLLBACK")
	}
	return err
}

// pipe is a transaction's connection with the statements that have not been sent yet.
type pipe struct {
	conn  *pgxpool.Conn
	queue pgx.Batch
}

func (p *pipe) later(sql string, args ...any) { p.queue.Queue(sql, args...) }

// unread tells whether sqlc has marked a statement as one whose result is not read.
func unread(sql string) bool {
	head, _, _ := strings.Cut(sql, "\n")
	return strings.HasSuffix(head, " :exec") || strings.HasSuffix(head, " :batchexec")
}

// flush sends what waits and a last statement, and gives the results with all but that one's read.
func (p *pipe) flush(ctx context.Context, sql string, args []any) (pgx.BatchResults, error) {
	before := p.queue.Len()
	p.later(sql, args...)
	batch := p.queue
	p.queue = pgx.Batch{}
	results := p.conn.SendBatch(ctx, &batch)
	for range before {
		if _, err := results.Exec(); err != nil {
			_ = results.Close() // which says the same
			return nil, err
		}
	}
	return results, nil
}

// send sends what waits.
func (p *pipe) send(ctx context.Context) error {
	if p.queue.Len() == 0 {
		return nil
	}
	batch := p.queue
	p.queue = pgx.Batch{}
	return p.conn.SendBatch(ctx, &batch).Close()
}

func (p *pipe) Exec(ctx context.Context, sql string, args ...any) (pgconn.CommandTag, error) {
	if unread(sql) {
		p.later(sql, args...)
		return pgconn.CommandTag{}, nil
	}
	results, err := p.flush(ctx, sql, args)
	if err != nil {
		return pgconn.CommandTag{}, err
	}
	tag, err := results.Exec()
	if closed := results.Close(); err == nil {
		err = closed
	}
	return tag, err
}

func (p *pipe) Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error) {
	results, err := p.flush(ctx, sql, args)
	if err != nil {
		return nil, err
	}
	rows, err := results.Query()
	if err != nil {
		_ = results.Close()
		return nil, err
	}
	return &lastRows{rows, results}, nil
}

func (p *pipe) QueryRow(ctx context.Context, sql string, args ...any) pgx.Row {
	results, err := p.flush(ctx, sql, args)
	if err != nil {
		return failed{err}
	}
	return lastRow{results.QueryRow(), results}
}

// SendBatch queues a batch whose results are not read; any other is sent with what waits before it.
func (p *pipe) SendBatch(ctx context.Context, b *pgx.Batch) pgx.BatchResults {
	for _, q := range b.QueuedQueries {
		if !unread(q.SQL) {
			if err := p.send(ctx); err != nil {
				return queued{err: err}
			}
			return p.conn.SendBatch(ctx, b)
		}
	}
	for _, q := range b.QueuedQueries {
		p.later(q.SQL, q.Arguments...)
	}
	return queued{}
}

// lastRows are the rows of the last statement of a batch, which they end when they are closed.
type lastRows struct {
	pgx.Rows
	results pgx.BatchResults
}

func (r *lastRows) Close() {
	r.Rows.Close()
	_ = r.results.Close() // what went wrong is told by Err
}

type lastRow struct {
	row     pgx.Row
	results pgx.BatchResults
}

func (r lastRow) Scan(into ...any) error {
	err := r.row.Scan(into...)
	if closed := r.results.Close(); err == nil {
		err = closed
	}
	return err
}

type failed struct{ err error }

func (f failed) Scan(...any) error { return f.err }

// queued are the results of a batch that is sent later; err says why one before it failed.
type queued struct {
	pgx.BatchResults // nil: nothing else of it is asked for
	err              error
}

func (q queued) Exec() (pgconn.CommandTag, error) { return pgconn.CommandTag{}, q.err }
func (q queued) Query() (pgx.Rows, error)         { return nil, q.err }
func (q queued) QueryRow() pgx.Row                { return failed{q.err} }
func (q queued) Close() error                     { return q.err }
