package store_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"sync"
	"testing"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/store"
	"trundo/internal/store/db"
	"trundo/internal/store/pgtest"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

func TestAwayTellsAMissingDatabaseFromARefusal(t *testing.T) {
	away := []error{context.DeadlineExceeded, io.EOF, io.ErrUnexpectedEOF, net.ErrClosed,
		&net.OpError{Op: "dial", Err: errors.New("refused")},
		&pgconn.PgError{Code: "57P01"}, &pgconn.PgError{Code: "57P03"}, &pgconn.PgError{Code: "08006"},
		&pgconn.PgError{Code: "53300"},
		fmt.Errorf("saving: %w", io.EOF), errors.New("conn closed"), errors.New("closed pool")}
	for _, err := range away {
		assert.True(t, store.Away(err), "%v", err)
	}
	for _, err := range []error{nil, errors.New("anything"), pgx.ErrNoRows, &pgconn.PgError{Code: "23505"},
		&pgconn.PgError{Code: "22P02"}, context.Canceled} {
		assert.False(t, store.Away(err), "%v", err)
	}
}

func TestServersThatStartTogetherMigrateOnce(t *testing.T) {
	s := pgtest.New(t)
	var group sync.WaitGroup
	errs := make([]error, 4)
	for i := range errs {
		group.Add(1)
		go func() {
			defer group.Done()
			errs[i] = s.Migrate(t.Context())
		}()
	}
	group.Wait()
	for _, err := range errs {
		require.NoError(t, err)
	}
}

func TestATransactionIsAllOrNothing(t *testing.T) {
	s := pgtest.New(t)
	boom := errors.New("boom")
	err := s.Tx(t.Context(), func(q *db.Queries) error {
		if err := q.PutSetting(t.Context(), db.PutSettingParams{Key: "k", Value: []byte(`1`)}); err != nil {
			return err
		}
		return boom
	})
	require.ErrorIs(t, err, boom)
	_, err = s.Setting(t.Context(), "k")
	assert.True(t, store.NotFound(err))
	put := func() error {
		_, err := s.Pool.Exec(t.Context(), `INSERT INTO settings (key, value) VALUES ('k', '1')`)
		return err
	}
	require.NoError(t, put())
	assert.True(t, store.Duplicate(put()))
}

func TestNewIDsAreInOrder(t *testing.T) {
	last := store.NewID()
	for range 1000 {
		next := store.NewID()
		require.Equal(t, uuid.Version(7), next.Version())
		require.Greater(t, next.String(), last.String())
		last = next
	}
}

func TestOpenNamesWhatIsWrongWithTheAddress(t *testing.T) {
	_, err := store.Open(t.Context(), "not an address", 0)
	require.ErrorContains(t, err, "DATABASE_URL")
}
