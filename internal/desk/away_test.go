package desk_test

import (
	"testing"

	"trundo/internal/desk/firm"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/store/pgtest"
)

func TestWhileTheDatabaseIsAwayACallGoesOnAndNothingIsLost(t *testing.T) {
	cluster, url := pgtest.Own(t)
	w := openWorld(t, url, t.TempDir()+"/journal")
	c := w.calls()
	_, err := w.Calls.SaveNotes(t.Context(), w.ines, c.Slip.ID, contract.NotesEdit{Body: "before", Writer: "left"})
	require.NoError(t, err)
	window := w.Hub.Subscribe(w.ines.ID, "", 0)
	require.NoError(t, cluster.Halt())

	kept, err := w.Calls.SaveNotes(t.Context(), w.ines, c.Slip.ID,
		contract.NotesEdit{Body: "before, during", Base: 1, Writer: "left"})
	require.NoError(t, err)
	assert.False(t, kept.Saved, "kept, and not called saved")
	_, err = w.Calls.SaveNotes(t.Context(), w.tomas, c.Slip.ID, contract.NotesEdit{Body: "not his", Writer: "x"})
	require.ErrorIs(t, err, firm.ErrForbidden)
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID), "hanging up does not wait for a database")
	w.until("the journal has noticed", w.Calls.Away)
	_, err = w.Calls.PlaceCall(t.Context(), w.ines, key(), contract.NewCall{NumberID: &w.mobile})
	require.ErrorIs(t, err, firm.ErrAway)
	_, err = w.Filing.File(t.Context(), w.ines, c.Slip.ID, key(), nil)
	require.Error(t, err)
	require.Error(t, w.Calls.Ready(t.Context()))
	a, err := w.Actor(t.Context(), w.ines.ID)
	require.NoError(t, err, "nobody is signed out by it")
	assert.Equal(t, "ines", a.Login)

	require.NoError(t, cluster.Resume(t.Context()))
	w.until("all is written back", func() bool { return !w.Calls.Away() })
	ended := w.ended(c.ID)
	assert.Equal(t, "given_up", ended.State.EndReason)
	assert.Equal(t, "before, during", ended.Slip.Notes.Body)
	var told []bool
	for len(window.Events()) > 0 {
		if e := <-window.Events(); e.Kind == contract.LiveEventKindSaving {
			told = append(told, *e.Away)
		}
	}
	assert.Equal(t, []bool{true, false}, told, "the windows were told, both times")
	w.calls()
}
