package desk_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/chain"
	"trundo/internal/desk/firm"
	"trundo/internal/store/db"
)

// audits writes entries into the trail and seals them.
func (w *world) audits(n int) {
	w.t.Helper()
	for i := range n {
		require.NoError(w.t, w.Audited(w.t.Context(), w.store.Queries, w.ines, "record", w.berit, "changed",
			map[string]string{}, map[string]string{"note": fmt.Sprint("number ", i)}))
		w.clock.Advance(time.Minute)
	}
	_, err := w.SealTrail(w.t.Context())
	require.NoError(w.t, err)
}

func TestTheTrailIsSealedAndWhatIsDoneToItIsFound(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	w.audits(5)
	found, err := firm.CheckTrail(ctx, w.store.Queries, "")
	require.NoError(t, err)
	first := found.Head
	assert.EqualValues(t, 5, found.Sealed)
	assert.Zero(t, found.Unsealed)
	w.audits(3)
	found, err = firm.CheckTrail(ctx, w.store.Queries, first)
	require.NoError(t, err)
	assert.True(t, found.Known)
	assert.EqualValues(t, 8, found.Last)
	found, err = firm.CheckTrail(ctx, w.store.Queries, "abc")
	require.NoError(t, err)
	assert.False(t, found.Known)

	for _, sql := range []string{`UPDATE audit SET after = '{}'`, `DELETE FROM audit`, `TRUNCATE audit`} {
		_, err := w.store.Pool.Exec(ctx, sql)
		require.ErrorContains(t, err, "is not changed", sql)
	}
	for what, sql := range map[string]string{
		"changed": `UPDATE audit SET after = '{"note": "nothing"}' WHERE n = 4`,
		"removed": `DELETE FROM audit WHERE n = 4`,
		"moved":   `UPDATE audit SET at = at - interval '1 year' WHERE n = 4`,
	} {
		tx, err := w.store.Pool.Begin(ctx)
		require.NoError(t, err)
		_, err = tx.Exec(ctx, `ALTER TABLE audit DISABLE TRIGGER USER`) // whoever owns the database can
		require.NoError(t, err)
		_, err = tx.Exec(ctx, sql)
		require.NoError(t, err)
		_, err = firm.CheckTrail(ctx, w.store.WithTx(tx), "")
		require.ErrorContains(t, err, "entry 4 ", what)
		require.NoError(t, tx.Rollback(ctx))
	}
}

func TestTheTrailIsShortenedAndHoldsFromThere(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	w.audits(4)
	require.NoError(
		t,
		w.store.PutSetting(ctx, db.PutSettingParams{Key: "retention", Value: []byte(`{"trail_days":30}`)}),
	)
	_, err := w.PruneTrail(ctx)
	require.NoError(t, err)
	kept := func() (n int) {
		require.NoError(t, w.store.Pool.QueryRow(ctx, `SELECT count(*) FROM audit`).Scan(&n))
		return n
	}
	assert.Equal(t, 4, kept(), "nothing is that old")
	w.clock.Advance(31 * 24 * time.Hour)
	w.audits(2)
	_, err = w.PruneTrail(ctx)
	require.NoError(t, err)
	assert.Equal(t, 2, kept())
	found, err := firm.CheckTrail(ctx, w.store.Queries, "")
	require.NoError(t, err)
	assert.Equal(t, []int64{2, 6}, []int64{found.Sealed, found.Last})
	_, err = w.store.Pool.Exec(ctx, `DELETE FROM audit_beginning`)
	require.NoError(t, err)
	_, err = firm.CheckTrail(ctx, w.store.Queries, "")
	require.ErrorIs(t, err, chain.ErrMissing)
}

func TestManySealAtOnceAndNothingIsSealedTwice(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	for range 50 {
		require.NoError(t, w.Audited(ctx, w.store.Queries, w.ines, "record", uuid.New(), "changed", "a", "b"))
	}
	done := make(chan error)
	for range 4 {
		go func() {
			_, err := w.SealTrail(ctx)
			done <- err
		}()
	}
	for range 4 {
		require.NoError(t, <-done)
	}
	found, err := firm.CheckTrail(ctx, w.store.Queries, "")
	require.NoError(t, err)
	assert.EqualValues(t, 50, found.Sealed)
}
