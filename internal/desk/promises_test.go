package desk_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
)

func TestTheLedgerOfPromises(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	promised := func(a firm.Actor, text string) contract.FollowUp {
		f, err := w.Book.AddFollowUp(ctx, a, w.berit, key(), contract.NewFollowUp{Text: text, Promised: ptr(true),
			DueAt: ptr(w.clock.Now().Add(time.Hour))})
		require.NoError(t, err)
		return f
	}
	settle := func(a firm.Actor, f contract.FollowUp, s contract.FollowUpChangeState) {
		_, err := w.Book.ChangeFollowUp(ctx, a, f.ID, contract.FollowUpChange{Version: f.Version, State: &s})
		require.NoError(t, err)
	}
	kept, late, given := promised(w.ines, "a price"), promised(w.ines, "a drawing"), promised(w.ines, "a visit")
	promised(w.tomas, "a filter")
	w.follow(w.ines, "only a follow-up")
	settle(w.ines, kept, contract.FollowUpChangeStateDone)
	settle(w.ines, given, contract.FollowUpChangeStateCancelled)
	w.clock.Advance(2 * time.Hour)
	settle(w.ines, late, contract.FollowUpChangeStateDone)
	promised(w.ines, "another one")
	l, err := w.Book.Promises(ctx, w.tomas, &w.berit, true)
	require.NoError(t, err)
	assert.Equal(t, contract.PromiseCounts{Kept: 1, Late: 1, Broken: 2, Open: 1}, l.Counts,
		"all that was promised to her, whoever did")
	assert.Equal(t, "another one", l.Newest[0].Text)
	mine, err := w.Book.Promises(ctx, w.ines, nil, true)
	require.NoError(t, err)
	assert.Equal(t, contract.PromiseCounts{Kept: 1, Late: 1, Broken: 1, Open: 1}, mine.Counts)
	team, err := w.Book.Promises(ctx, w.odile, nil, false)
	require.NoError(t, err)
	require.Len(t, team.By, 2)
	assert.Equal(t, []string{"ines", "tomas"}, []string{team.By[0].Name, team.By[1].Name})
	team, err = w.Book.Promises(ctx, w.tomas, nil, false)
	require.NoError(t, err)
	require.Len(t, team.By, 1, "a rep sees their own")
	w.clock.Advance(91 * 24 * time.Hour)
	mine, err = w.Book.Promises(ctx, w.ines, nil, true)
	require.NoError(t, err)
	assert.Equal(t, contract.PromiseCounts{}, mine.Counts)
	require.NoError(t, w.Book.RemoveRecord(ctx, w.odile, w.berit))
	_, err = w.Book.Promises(ctx, w.ines, &w.berit, true)
	require.ErrorIs(t, err, firm.ErrGone)
}
