package store_test

import (
	"context"
	"encoding/json"
	"errors"
	"testing"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/store"
	"trundo/internal/store/db"
	"trundo/internal/store/pgtest"
)

func put(q *db.Queries, ctx context.Context, key, value string) error {
	return q.PutSetting(ctx, db.PutSettingParams{Key: key, Value: json.RawMessage(value)})
}

// kept are the settings of some names that are in the database; "" is one that is not.
func kept(t *testing.T, s *store.Store, keys ...string) []string {
	values := make([]string, len(keys))
	for i, k := range keys {
		v, err := s.Setting(t.Context(), k)
		if !store.NotFound(err) {
			require.NoError(t, err)
		}
		values[i] = string(v)
	}
	return values
}

func TestWhatIsPipedIsThereForTheNextReadAndAfterTheCommit(t *testing.T) {
	s := pgtest.New(t)
	require.NoError(t, s.TxPiped(t.Context(), func(q *db.Queries) error {
		require.NoError(t, put(q, t.Context(), "one", `1`))
		require.NoError(t, put(q, t.Context(), "one", `2`))
		v, err := q.Setting(t.Context(), "one") // a row
		require.NoError(t, err)
		assert.Equal(t, "2", string(v))
		_, err = q.Setting(t.Context(), "nobody")
		assert.ErrorIs(t, err, pgx.ErrNoRows)
		require.NoError(t, put(q, t.Context(), "two", `3`))
		_, err = q.UsersRecording(t.Context()) // rows
		require.NoError(t, err)
		n, err := q.SetUserRecording(t.Context(), db.SetUserRecordingParams{ID: uuid.New()}) // a count
		require.NoError(t, err)
		assert.Zero(t, n)
		return put(q, t.Context(), "three", `4`)
	}))
	assert.Equal(t, []string{"2", "3", "4"}, kept(t, s, "one", "two", "three"))
}

func TestWhatIsPipedIsAllOrNothing(t *testing.T) {
	boom := errors.New("boom")
	long := string(make([]byte, 5)) + "\x00" // PostgreSQL takes no NUL in a text
	for name, do := range map[string]func(context.Context, *db.Queries) error{
		"do fails before anything is sent": func(ctx context.Context, q *db.Queries) error {
			return errors.Join(put(q, ctx, "one", `1`), boom)
		},
		"do fails after something was sent": func(ctx context.Context, q *db.Queries) error {
			_, err := q.Setting(ctx, "two")
			return errors.Join(err, put(q, ctx, "one", `1`), boom)
		},
		"the last one is refused": func(ctx context.Context, q *db.Queries) error {
			return errors.Join(put(q, ctx, "one", `1`), put(q, ctx, long, `1`))
		},
		"one in the middle is refused": func(ctx context.Context, q *db.Queries) error {
			if err := errors.Join(put(q, ctx, "one", `1`), put(q, ctx, long, `1`), put(q, ctx, "two", `2`)); err != nil {
				return err
			}
			_, err := q.Setting(ctx, "one")
			return err
		},
	} {
		t.Run(name, func(t *testing.T) {
			s := pgtest.New(t)
			require.NoError(t, put(s.Queries, t.Context(), "two", `0`))
			assert.Error(t, s.TxPiped(t.Context(), func(q *db.Queries) error { return do(t.Context(), q) }))
			assert.Equal(t, []string{"", "0"}, kept(t, s, "one", "two"))
			require.NoError(t, s.TxPiped(t.Context(), func(q *db.Queries) error { return put(q, t.Context(), "one", `9`) }))
			assert.Equal(t, []string{"9", "0"}, kept(t, s, "one", "two"), "the connection is well again")
		})
	}
}

func TestADuplicateThatIsPipedIsToldByTheCommit(t *testing.T) {
	s := pgtest.New(t)
	id := uuid.New()
	add := func(q *db.Queries, login string) error {
		return q.InsertUser(t.Context(), db.InsertUserParams{ID: id, Login: login, Name: login, Role: "rep",
			Zone: "UTC"})
	}
	require.NoError(t, add(s.Queries, "ines"))
	err := s.TxPiped(t.Context(), func(q *db.Queries) error {
		require.NoError(t, add(q, "tomas"), "nobody has asked the database yet")
		return nil
	})
	assert.True(t, store.Duplicate(err), "%v", err)
}

func TestAPipedTransactionThatIsGivenUpLeavesNothing(t *testing.T) {
	s := pgtest.New(t)
	ctx, cancel := context.WithCancel(t.Context())
	err := s.TxPiped(ctx, func(q *db.Queries) error {
		if err := put(q, ctx, "one", `1`); err != nil {
			return err
		}
		if _, err := q.UsersRecording(ctx); err != nil {
			return err
		}
		cancel()
		return nil
	})
	assert.ErrorIs(t, err, context.Canceled)
	assert.Equal(t, []string{""}, kept(t, s, "one"))
}
