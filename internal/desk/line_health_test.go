package desk_test

import (
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
)

func TestANumberThatIsAnsweredLessIsPointedOutAndRests(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	ada := w.admin()
	var main uuid.UUID
	require.NoError(t, w.store.Pool.QueryRow(ctx, `UPDATE lines SET label = 'Main' RETURNING id`).Scan(&main))
	worn := store.NewID()
	_, err := w.store.Pool.Exec(ctx, `INSERT INTO lines (id, e164, label, region, zone, position)
		VALUES ($1, '+14135550110', 'Worn', 'US', 'America/New_York', 2)`, worn)
	require.NoError(t, err)
	called := func(line uuid.UUID, n, answered int) {
		_, err := w.store.Pool.Exec(
			ctx,
			`INSERT INTO calls (id, direction, line_id, remote_e164, remote_typed, remote_label,
				caller_id, device, owner_server, owner_epoch, state, started_at, answered_at, ended_at, end_reason, placed_by)
			SELECT gen_random_uuid(), 'outbound', $1, '+1413555' || i, '', '', '', 'browser', 'gone', 0, 'ended',
				$2::timestamptz, CASE WHEN i <= $4 THEN $2::timestamptz END, $2::timestamptz,
				CASE WHEN i <= $4 THEN 'ended_by_us' ELSE 'no_answer' END, $5 FROM generate_series(1, $3) i`,
			line,
			w.clock.Now().Add(-time.Hour),
			n,
			answered,
			w.ines.ID,
		)
		require.NoError(t, err)
	}
	called(main, 200, 120)
	called(worn, 200, 60)
	w.BookChanged()
	_, err = w.Lines.Health(ctx, w.ines)
	require.ErrorIs(t, err, firm.ErrForbidden)
	health := func() map[string]contract.LineHealth {
		all, err := w.Lines.Health(ctx, ada)
		require.NoError(t, err)
		by := map[string]contract.LineHealth{}
		for _, h := range all {
			by[h.Label] = h
		}
		return by
	}
	now := health()
	assert.True(t, now["Worn"].Falls)
	assert.False(t, now["Main"].Falls)
	assert.InDelta(t, 30, now["Worn"].Percent, 0.1)
	_, err = w.store.Pool.Exec(ctx, `UPDATE users SET line_id = $1 WHERE login = 'ines'`, worn)
	require.NoError(t, err)
	w.ActorsChanged()
	shown := func() string {
		me, err := w.Me(ctx, w.actor("ines"))
		require.NoError(t, err)
		return me.Line
	}
	assert.Equal(t, "413 555 0110", shown())
	_, err = w.Lines.Rest(ctx, w.ines, worn, 7)
	require.ErrorIs(t, err, firm.ErrForbidden)
	_, err = w.Lines.Rest(ctx, ada, worn, 7)
	require.NoError(t, err)
	assert.Equal(t, "413 555 0100", shown(), "while hers rests another is shown")
	assert.NotNil(t, health()["Worn"].RestsUntil)
	w.clock.Advance(8 * 24 * time.Hour)
	assert.Equal(t, "413 555 0110", shown(), "it has rested")
	_, err = w.Lines.Rest(ctx, ada, uuid.New(), 7)
	require.ErrorIs(t, err, firm.ErrNotFound)
}
