package store

import (
	"context"
	"time"

	"github.com/alexedwards/scs/pgxstore"
)

// Sessions keeps sign-in sessions in the database. The library's store waits for as long as the database takes,
// whatever its context says: a database that stands still would hold every request. What waits for a session waits by
// its context here; the rest is the library's.
type Sessions struct {
	*pgxstore.PostgresStore
	store *Store
}

// Sessions is the store of sessions over s; every so often it deletes those that are over, or never where that is 0.
func (s *Store) Sessions(every time.Duration) *Sessions {
	return &Sessions{pgxstore.NewWithCleanupInterval(s.Pool, every), s}
}

// FindCtx implements scs.CtxStore.
func (s *Sessions) FindCtx(ctx context.Context, token string) (data []byte, found bool, err error) {
	err = s.store.Pool.QueryRow(ctx, `SELECT data FROM sessions WHERE token = $1 AND expiry > now()`, token).Scan(&data)
	if NotFound(err) {
		return nil, false, nil
	}
	return data, err == nil, err
}

// CommitCtx implements scs.CtxStore.
func (s *Sessions) CommitCtx(ctx context.Context, token string, data []byte, expiry time.Time) error {
	_, err := s.store.Pool.Exec(ctx, `INSERT INTO sessions (token, data, expiry) VALUES ($1, $2, $3)
		ON CONFLICT (token) DO UPDATE SET data = EXCLUDED.data, expiry = EXCLUDED.expiry`, token, data, expiry)
	return err
}

// DeleteCtx implements scs.CtxStore.
func (s *Sessions) DeleteCtx(ctx context.Context, token string) error {
	_, err := s.store.Pool.Exec(ctx, `DELETE FROM sessions WHERE token = $1`, token)
	return err
}
