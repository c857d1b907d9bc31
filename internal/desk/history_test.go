package desk_test

import (
	"testing"

	"trundo/internal/desk/calls"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/store"
)

func TestHistoryGoesOnWhereAPageEnded(t *testing.T) {
	w := newWorld(t)
	for i := range 90 {
		id := store.NewID()
		at := monday.AddDate(0, 0, -i/2) // two at the same moment
		_, err := w.store.Pool.Exec(t.Context(),
			`INSERT INTO follow_ups (id, record_id, owner_id, text, created_at) VALUES ($1, $2, $3, 'x', $4)`, id,
			w.berit, w.ines.ID, at)
		require.NoError(t, err)
		_, err = w.store.Pool.Exec(t.Context(),
			`INSERT INTO history (record_id, at, kind, ref_id) VALUES ($1, $2, 'follow_up', $3)`, w.berit, at, id)
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

func TestACallInAListCanBeMadeAgain(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	c := w.calls()
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	w.ended(c.ID)
	ref := w.comesIn("+19075550199")
	w.rung(w.ines)
	require.True(t, w.sim.OutsideHangsUp(ref))
	w.until("over", func() bool { return w.Calls.CallsInProgress() == 0 })
	page, err := w.Calls.Calls(t.Context(), w.ines, calls.CallQuery{})
	require.NoError(t, err)
	require.Len(t, page.Calls, 2)
	stranger, known := page.Calls[0].Number, page.Calls[1].Number
	assert.Equal(t, []any{uuid.Nil, uuid.Nil, "907 555 0199", "+19075550199"},
		[]any{stranger.ID, stranger.RecordID, stranger.Display, stranger.Typed})
	assert.NotEmpty(t, stranger.Zone, "with the time there")
	assert.Equal(t, []any{w.mobile, w.berit, "413 555 0142", "mobile"},
		[]any{known.ID, known.RecordID, known.Display, known.Label})
	history, err := w.History(t.Context(), w.ines, w.berit, "call", "")
	require.NoError(t, err)
	assert.Equal(t, w.mobile, history.Entries[0].Call.Number.ID)
	assert.Equal(t, w.mobile, w.page(c.ID).Call.Number.ID)
	_, err = w.Book.MarkRecord(t.Context(), w.ines, w.berit,
		contract.DoNotCallMark{On: true, Reason: ptr("asked by letter")})
	require.NoError(t, err)
	assert.NotEmpty(t, w.page(c.ID).Call.Number.Refused, "what may not be called is not offered")
}
