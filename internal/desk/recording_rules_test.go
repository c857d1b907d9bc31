package desk_test

import (
	"io"
	"os"
	"path/filepath"
	"testing"
	"time"

	"trundo/internal/desk/calls"
	"trundo/internal/desk/firm"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/blobs"
	"trundo/internal/contract"
)

// rules sets what the firm does where everybody must agree, and for how long it keeps calls.
func (w *world) rules(everybody contract.RecordingRule, days int,
	reps ...contract.RepRecording) contract.RecordingSettings {
	w.t.Helper()
	s, err := w.Recordings.SetRecordingSettings(w.t.Context(), w.admin(),
		contract.RecordingSettings{Everybody: everybody, CallDays: days,
			Reps: append([]contract.RepRecording{}, reps...)})
	require.NoError(w.t, err)
	return s
}

func TestWhereEverybodyMustAgreeTheyAreToldAskedOrNotRecorded(t *testing.T) {
	w := newWorld(t)
	c := w.speaks() // from Massachusetts to Massachusetts
	assert.Equal(t, "in Massachusetts everybody must agree",
		w.recordingIs(c.ID, contract.CallRecordingStateGoing).Recording.Why)
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	w.recordingIs(c.ID, contract.CallRecordingStateKept)
	page, err := w.CallPage(t.Context(), w.ines, c.ID)
	require.NoError(t, err)
	assert.Equal(t, "in Massachusetts everybody must agree", page.Recordings[0].Why)

	w.rules(contract.RecordingRuleAsk, 0)
	c = w.speaks()
	assert.Equal(t, "in Massachusetts everybody must agree",
		w.recordingIs(c.ID, contract.CallRecordingStateAsking).Recording.Why)
	require.NoError(t, w.act(c.ID, contract.RecordingActActionStart))
	w.recordingIs(c.ID, contract.CallRecordingStateGoing)
	require.NoError(t, w.act(c.ID, contract.RecordingActActionRefuse), "somebody thinks again")
	assert.Equal(t, "they did not agree", w.recordingIs(c.ID, contract.CallRecordingStateOff).Recording.Why)
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	w.recordingIs(c.ID, contract.CallRecordingStateKept)
	page, err = w.CallPage(t.Context(), w.ines, c.ID)
	require.NoError(t, err)
	require.Len(t, page.Recordings, 1)
	assert.Equal(t, "they were asked, and agreed", page.Recordings[0].Why)

	w.rules(contract.RecordingRuleOff, 0)
	c = w.speaks()
	assert.Equal(t, "in Massachusetts everybody must agree",
		w.recordingIs(c.ID, contract.CallRecordingStateOff).Recording.Why)
	require.ErrorIs(t, w.act(c.ID, contract.RecordingActActionStart), calls.ErrMayNotRecord, "nor by hand")
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))

	w.rules(contract.RecordingRuleAnnounce, 0, contract.RepRecording{ID: w.ines.ID, Rule: "off"})
	c = w.speaks()
	assert.Equal(t, "as it is set for you", w.recordingIs(c.ID, contract.CallRecordingStateOff).Recording.Why)

	var field *firm.FieldError
	for name, s := range map[string]contract.RecordingSettings{
		"everybody":    {Everybody: contract.RecordingRuleOn},
		"call_days":    {Everybody: contract.RecordingRuleAsk, CallDays: -1},
		"message_days": {Everybody: contract.RecordingRuleAsk, MessageDays: 40000},
		"reps":         {Everybody: contract.RecordingRuleAsk, Reps: []contract.RepRecording{{ID: uuid.New()}}},
	} {
		_, err = w.Recordings.SetRecordingSettings(t.Context(), w.admin(), s)
		require.ErrorAs(t, err, &field, name)
		assert.Equal(t, name, field.Field)
	}
	_, err = w.Recordings.SetRecordingSettings(t.Context(), w.ines, contract.RecordingSettings{})
	require.ErrorIs(t, err, firm.ErrForbidden)
}

func TestARecordingIsPutAwayHeldAndDeletedInItsTime(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	c := w.speaks()
	w.until("some is recorded", func() bool {
		return w.recordingIs(c.ID,
			contract.CallRecordingStateGoing).Recording.Ms > 200
	})
	require.NoError(t, w.Calls.HangUp(ctx, w.ines, c.ID))
	id := *w.recordingIs(c.ID, contract.CallRecordingStateKept).Recording.ID
	files := func() int {
		left, err := os.ReadDir(filepath.Join(filepath.Dir(w.journal), "recordings"))
		require.NoError(t, err)
		return len(left)
	}
	recording := func() contract.Recording {
		page, err := w.CallPage(ctx, w.ines, c.ID)
		require.NoError(t, err)
		return page.Recordings[0]
	}
	require.NoError(t, w.Recordings.KeepRecordings(ctx))
	assert.Equal(t, 1, files(), "it is fresh")
	w.clock.Advance(16 * time.Minute)
	require.NoError(t, w.Recordings.KeepRecordings(ctx))
	assert.Zero(t, files())
	f, err := w.Recordings.OpenRecording(ctx, w.ines, id, false)
	require.NoError(t, err)
	head := make([]byte, 4)
	_, err = io.ReadFull(f, head)
	require.NoError(t, err)
	require.NoError(t, f.Close())
	assert.Equal(t, "fLaC audio/flac", string(head)+" "+f.Type)

	n, err := w.Recordings.WouldDelete(ctx, w.admin(), 30, 0)
	require.NoError(t, err)
	assert.Zero(t, n)
	w.clock.Advance(40 * 24 * time.Hour)
	n, err = w.Recordings.WouldDelete(ctx, w.admin(), 30, 0)
	require.NoError(t, err)
	assert.Equal(t, 1, n)
	require.NoError(t, w.Recordings.KeepRecordings(ctx))
	assert.Nil(t, recording().ExpiresAt, "kept without end")
	s := w.rules(contract.RecordingRuleAnnounce, 30)
	assert.Equal(t, 1, s.Expiring)
	assert.Equal(t, w.clock.Now().AddDate(0, 0, 7).UTC(), recording().ExpiresAt.UTC(),
		"nothing is deleted without a week's notice")

	var field *firm.FieldError
	require.ErrorIs(t, w.Recordings.HoldRecording(ctx, w.ines, id, true, "mine"), firm.ErrForbidden)
	require.ErrorAs(t, w.Recordings.HoldRecording(ctx, w.odile, id, true, " "), &field)
	require.NoError(t, w.Recordings.HoldRecording(ctx, w.odile, id, true, "a complaint"))
	w.clock.Advance(30 * 24 * time.Hour)
	require.NoError(t, w.Recordings.KeepRecordings(ctx))
	assert.Contains(t, recording().Held, "Held by odile since April 11, 2026: a complaint")
	assert.Nil(t, recording().ExpiresAt)
	require.ErrorAs(t, w.Recordings.DeleteRecording(ctx, w.odile, id, "no"), &field)
	require.NoError(t, w.Recordings.HoldRecording(ctx, w.odile, id, false, ""))
	assert.Equal(t, w.clock.Now().AddDate(0, 0, 7).UTC(), recording().ExpiresAt.UTC())
	w.clock.Advance(6 * 24 * time.Hour)
	require.NoError(t, w.Recordings.KeepRecordings(ctx))
	assert.Equal(t, contract.RecordingStateKept, recording().State)
	w.clock.Advance(2 * 24 * time.Hour)
	require.NoError(t, w.Recordings.KeepRecordings(ctx))
	assert.Contains(t, recording().Deleted, "Deleted by itself on May 19: kept for as long as it was to be")
	_, err = w.Recordings.OpenRecording(ctx, w.odile, id, false)
	require.ErrorIs(t, err, firm.ErrNotFound)
	_, err = w.bucket.Open(ctx, id.String()+".flac")
	require.ErrorIs(t, err, blobs.ErrNone)
}
