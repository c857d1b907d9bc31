package desk_test

import (
	"testing"
	"time"

	"trundo/internal/desk/book"
	"trundo/internal/desk/firm"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
)

func TestWhoMayDeleteAndForHowLongItComesBack(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	require.ErrorIs(t, w.Book.RemoveRecord(ctx, w.ines, w.berit), firm.ErrForbidden, "somebody else's")
	hanging, err := w.Book.HangsOn(ctx, w.ines, w.vesper)
	require.NoError(t, err)
	assert.Equal(t, 1, hanging.Records, "its person")
	_, err = w.store.Pool.Exec(ctx, `UPDATE records SET owner_id = $2 WHERE id = $1`, w.berit, w.ines.ID)
	require.NoError(t, err)
	r, err := w.Book.Record(ctx, w.ines, w.berit)
	require.NoError(t, err)
	assert.True(t, r.MayRemove)
	require.NoError(t, w.Book.RemoveRecord(ctx, w.ines, w.berit))
	_, err = w.Book.HangsOn(ctx, w.tomas, w.berit)
	require.ErrorIs(t, err, firm.ErrGone, "who may not bring it back learns nothing of it")
	_, err = w.Book.RestoreRecord(ctx, w.tomas, w.berit)
	require.ErrorIs(t, err, firm.ErrForbidden)
	w.clock.Advance(29 * 24 * time.Hour)
	_, err = w.Book.RestoreRecord(ctx, w.ines, w.berit)
	require.NoError(t, err)
	require.NoError(t, w.Book.RemoveRecord(ctx, w.odile, w.berit))
	w.clock.Advance(31 * 24 * time.Hour)
	_, err = w.Book.RestoreRecord(ctx, w.odile, w.berit)
	require.ErrorIs(t, err, book.ErrGoneForGood)
	_, err = w.Book.BulkAct(ctx, w.ines, key(),
		contract.BulkAct{Action: "delete", Selection: contract.Selection{Ids: &[]uuid.UUID{w.vesper}}})
	require.ErrorIs(t, err, firm.ErrForbidden)
}

func TestWhoItStopsLiftsNoDoNotCall(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	off := contract.DoNotCallMark{On: false, Reason: ptr("it is in my way")}
	_, err := w.Book.MarkRecord(ctx, w.ines, w.aron, off)
	require.ErrorIs(t, err, firm.ErrForbidden)
	_, err = w.Book.ChangeNumber(ctx, w.ines, w.home,
		contract.NumberChange{DoNotCall: ptr(false), Reason: ptr("it is in my way")})
	require.ErrorIs(t, err, firm.ErrForbidden)
	_, err = w.Book.RemoveNumber(ctx, w.ines, w.home)
	require.ErrorIs(t, err, firm.ErrForbidden, "the wish would go with the number")
	var wrong *firm.FieldError
	_, err = w.Book.MarkRecord(ctx, w.odile, w.aron, contract.DoNotCallMark{On: false})
	require.ErrorAs(t, err, &wrong)
	assert.Equal(t, "reason", wrong.Field)
	_, err = w.Book.MarkRecord(ctx, w.odile, w.aron, contract.DoNotCallMark{On: false, Reason: ptr("wrote on 2 March")})
	require.NoError(t, err)
	var after string
	require.NoError(t, w.store.Pool.QueryRow(ctx,
		`SELECT after ->> 'do-not-call' FROM audit WHERE subject_id = $1 ORDER BY at DESC LIMIT 1`,
		w.aron).Scan(&after))
	assert.Equal(t, "no: wrote on 2 March", after)
}

func TestManyAreChangedBehindTheRequest(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	_, err := w.store.Pool.Exec(
		ctx,
		`INSERT INTO records (id, kind, name, given, family) SELECT gen_random_uuid(), 'contact', 'Person ' || i, 'Person', i::text FROM generate_series(1, 5000) i`,
	)
	require.NoError(t, err)
	k := key()
	wish := contract.BulkAct{Action: "add_tag", Value: ptr("many"),
		Selection: contract.Selection{Query: &contract.RowQuery{Kinds: []contract.RecordKind{"contact"}}}}
	done, err := w.Book.BulkAct(ctx, w.ines, k, wish)
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		done, err = w.Book.BulkProgress(ctx, w.ines, done.ID)
		require.NoError(t, err)
		return done.State == contract.BulkResultStateDone
	}, 20*time.Second, 10*time.Millisecond)
	assert.Equal(t, []int{5001, 5001, 5001}, []int{done.Count, done.Selected, done.LookedAt})
	again, err := w.Book.BulkAct(ctx, w.ines, k, wish)
	require.NoError(t, err)
	assert.Equal(t, done, again, "the same key does it once")
	_, err = w.Book.BulkAct(ctx, w.ines, k,
		contract.BulkAct{Action: "add_tag", Value: ptr("other"), Selection: wish.Selection})
	require.ErrorIs(t, err, firm.ErrKeyReused)
	_, err = w.Book.BulkProgress(ctx, w.tomas, done.ID)
	require.ErrorIs(t, err, firm.ErrForbidden)
	_, err = w.Book.UndoBulk(ctx, w.ines, done.ID)
	require.NoError(t, err)
	var left int
	require.NoError(t, w.store.Pool.QueryRow(ctx,
		`SELECT count(*) FROM records WHERE tags @> ARRAY['many']`).Scan(&left))
	assert.Zero(t, left)
}

func TestALaneTakesAChangeOnce(t *testing.T) {
	w := newWorld(t)
	k := key()
	wish := contract.BulkAct{Action: "to_lane", Value: ptr("Call"),
		Selection: contract.Selection{Ids: &[]uuid.UUID{w.berit}}}
	for range 2 {
		done, err := w.Book.BulkAct(t.Context(), w.ines, k, wish)
		require.NoError(t, err)
		assert.Equal(t, 1, done.Count)
	}
	var n int
	require.NoError(t, w.store.Pool.QueryRow(t.Context(), `SELECT count(*) FROM follow_ups WHERE record_id = $1`,
		w.berit).Scan(&n))
	assert.Equal(t, 1, n)
}
