package desk_test

import (
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/store"
)

func TestHistoryGoesOnWhereAPageEnded(t *testing.T) {
	w := newWorld(t)
	for i := range 90 {
		id := store.NewID()
		at := monday.AddDate(0, 0, -i/2) // two at the same moment
		_, err := w.store.Pool.Exec(t.Context(), `INSERT INTO follow_ups (id, record_id, owner_id, text, created_at) VALUES ($1, $2, $3, 'x', $4)`, id, w.berit, w.ines.ID, at)
		require.NoError(t, err)
		_, err = w.store.Pool.Exec(t.Context(), `INSERT INTO history (record_id, at, kind, ref_id) VALUES ($1, $2, 'follow_up', $3)`, w.berit, at, id)
		require.NoError(t, err)
	}
	seen := map[uuid.UUID]bool{}
	for before := ""; ; {
		page, err := w.History(t.Context(), w.ines, w.berit, "all", before)
		require.NoError(t, err)
		for _, e := range page.Entries {
			assert.False(t, seen[e.RefID])
			seen[e.RefID] = true
			require.NotNil(t, e.FollowUp)
		}
		if before = page.Next; before == "" {
			break
		}
	}
	assert.Len(t, seen, 90)
}
