package store_test

import (
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/demo"
	"trundo/internal/store"
	"trundo/internal/store/pgtest"
)

// plainly is what a search means, without a thought for speed.
const plainly = `SELECT c.id FROM calls c WHERE (c.started_at, c.id) < ($1, $2) AND ($3 = '' OR c.direction = $3)
	AND ($4 <> 'missed' OR c.direction = 'inbound' AND c.answered_at IS NULL AND c.ended_at IS NOT NULL)
	AND ($7::uuid IS NULL OR c.placed_by = $7 AND c.direction <> 'inbound' OR c.colleague_id = $7
		OR EXISTS (SELECT FROM slips s WHERE s.call_id = c.id AND s.user_id = $7))
	AND (c.remote_e164 = '' AND c.remote_typed ILIKE '%' || $5 || '%' OR $6 <> '' AND c.remote_e164 LIKE '%' || $6 || '%'
		OR EXISTS (SELECT FROM call_links l JOIN records r ON r.id = l.record_id WHERE l.call_id = c.id
			AND r.deleted_at IS NULL AND r.search LIKE fold('%' || $5 || '%'))
		OR EXISTS (SELECT FROM slips s JOIN users u ON u.id = s.user_id WHERE s.call_id = c.id AND u.name ILIKE '%' || $5 || '%'))
	ORDER BY c.started_at DESC, c.id DESC LIMIT $8`

func TestATextFindsTheSameCallsInEachWay(t *testing.T) {
	s := pgtest.New(t)
	require.NoError(t, demo.Fill(t.Context(), s, demo.Size{Companies: 30, People: 200, Calls: 700}, time.Now()))
	var rep uuid.UUID
	require.NoError(t, s.Pool.QueryRow(t.Context(), `SELECT id FROM users WHERE login = 'ines'`).Scan(&rep))
	fits := 0
	for _, q := range []store.CallListQuery{{Q: "osterlund"}, {Q: "a"}, {Q: "Ines"}, {Q: "zzqqxx"}, {Q: "100%"},
		{Q: "5550142", Digits: "5550142"}, {Q: "555", Digits: "555"}, {Q: "ö"}, {Q: "nursery", Way: "inbound"},
		{Q: "e", Narrow: "missed"}, {Q: "tomas", User: &rep}, {Q: "a", User: &rep, Way: "outbound"}} {
		q.Before, q.BeforeID, q.Count = time.Now().Add(time.Hour), uuid.Max, 20
		for range 3 { // pages
			rows, err := s.Pool.Query(t.Context(), plainly, q.Before, q.BeforeID, q.Way, q.Narrow, q.Q, q.Digits, q.User,
				q.Count)
			require.NoError(t, err)
			want, err := pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
			require.NoError(t, err)
			got, err := s.CallIDs(t.Context(), q)
			require.NoError(t, err)
			each, gathered, err := s.CallIDsByText(t.Context(), q)
			require.NoError(t, err)
			assert.Equal(t, want, got, "%+v", q)
			assert.Equal(t, want, each, "%+v", q)
			assert.Equal(t, want, gathered, "%+v", q)
			if fits += len(want); len(want) == 0 {
				break
			}
			q.BeforeID = want[len(want)-1]
			require.NoError(t, s.Pool.QueryRow(t.Context(), `SELECT started_at FROM calls WHERE id = $1`, q.BeforeID).
				Scan(&q.Before))
		}
	}
	assert.Greater(t, fits, 200, "there is something to find")
}
