package desk_test

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"trundo/internal/desk/calls"
	"trundo/internal/desk/firm"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/carrier"
	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/formats"
	"trundo/internal/store"
)

// speaks makes ines call Berit, who answers.
func (w *world) speaks() contract.Call {
	w.t.Helper()
	c := w.calls()
	w.clock.Advance(2e9)
	w.until("she answers", func() bool {
		return w.sim.TheyAnswer(mobileNumber) &&
			w.phase(c.ID) == contract.PhaseSpeaking
	})
	return c
}

// recordingIs waits until the newest recording of a call is in a state.
func (w *world) recordingIs(id uuid.UUID, state contract.CallRecordingState) contract.Call {
	w.t.Helper()
	var c contract.Call
	w.until("the recording is "+string(state), func() bool {
		page, err := w.CallPage(w.t.Context(), w.ines, id)
		require.NoError(w.t, err)
		c = page.Call
		return c.Recording != nil && c.Recording.State == state
	})
	return c
}

func (w *world) act(id uuid.UUID, action contract.RecordingActAction) error {
	reason := "a card number"
	_, err := w.Recordings.ActOnRecording(w.t.Context(), w.ines, id,
		contract.RecordingAct{Action: action, Reason: &reason})
	return err
}

func TestACallIsRecordedPausedHeardRemarkedAndDeleted(t *testing.T) {
	w := newWorld(t)
	c := w.speaks()
	w.recordingIs(c.ID, contract.CallRecordingStateGoing)
	require.ErrorIs(t, w.act(c.ID, contract.RecordingActActionStart), calls.ErrRecorded)
	require.NoError(t, w.act(c.ID, contract.RecordingActActionPause))
	w.recordingIs(c.ID, contract.CallRecordingStatePaused)
	require.NoError(t, w.Arrivals.PressKeys(t.Context(), w.ines, c.ID, "4711", false))
	require.NoError(t, w.act(c.ID, contract.RecordingActActionResume))
	require.NoError(t, w.Arrivals.HoldCall(t.Context(), w.ines, c.ID, true))
	require.NoError(t, w.Arrivals.HoldCall(t.Context(), w.ines, c.ID, false))
	require.NoError(t, w.Arrivals.PressKeys(t.Context(), w.ines, c.ID, "2", false))
	_, err := w.Recordings.ActOnRecording(t.Context(), w.tomas, c.ID,
		contract.RecordingAct{Action: contract.RecordingActActionStop})
	require.ErrorIs(t, err, call.ErrNotThere)
	at := w.recordingIs(c.ID, contract.CallRecordingStateGoing).Recording.Ms
	w.until("some is recorded", func() bool {
		return w.recordingIs(c.ID,
			contract.CallRecordingStateGoing).Recording.Ms > at+200
	})
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	kept := w.recordingIs(c.ID, contract.CallRecordingStateKept)
	assert.Greater(t, kept.Recording.Ms, 200)
	require.ErrorIs(t, w.act(c.ID, contract.RecordingActActionPause), call.ErrOver)

	page, err := w.CallPage(t.Context(), w.ines, c.ID)
	require.NoError(t, err)
	require.Len(t, page.Recordings, 1)
	var pressed []string
	for _, fact := range page.Facts {
		if strings.Contains(fact.Text, "pressed") {
			pressed = append(pressed, fact.Text)
		}
	}
	assert.Equal(t, []string{"We pressed ••••", "We pressed 2"}, pressed,
		"what is not recorded is not written down either")
	r := page.Recordings[0]
	assert.Equal(t, []bool{true, false}, []bool{r.MayHear, r.MayDelete})
	require.Len(t, r.Gaps, 1)
	assert.Equal(t, "a card number", r.Gaps[0].Reason)
	assert.Equal(t, r.Ms-(r.Gaps[0].ToMs-r.Gaps[0].FromMs), r.Figures.SilenceMs,
		"this network has no sound, and a pause is no silence")

	f, err := w.Recordings.OpenRecording(t.Context(), w.ines, r.ID, false)
	require.NoError(t, err)
	sound, err := io.ReadAll(f)
	require.NoError(t, err)
	require.NoError(t, f.Close())
	assert.Len(t, sound, 58+r.Ms*16)
	for _, download := range []bool{false, true} { // a part of the same hearing, and taking it away
		f, err = w.Recordings.OpenRecording(t.Context(), w.ines, r.ID, download)
		require.NoError(t, err)
		require.NoError(t, f.Close())
	}
	_, err = w.Recordings.OpenRecording(t.Context(), w.tomas, r.ID, true)
	require.ErrorIs(t, err, firm.ErrForbidden)
	_, err = w.Recordings.OpenRecording(t.Context(), w.ines, uuid.New(), true)
	require.ErrorIs(t, err, firm.ErrNotFound)

	m, err := w.Recordings.AddRemark(t.Context(), w.odile, r.ID, contract.NewRemark{AtMs: 100, Text: " Good question "})
	require.NoError(t, err)
	assert.Equal(t, "Good question", m.Text)
	var field *firm.FieldError
	_, err = w.Recordings.AddRemark(t.Context(), w.odile, r.ID, contract.NewRemark{AtMs: r.Ms + 1, Text: "later"})
	require.ErrorAs(t, err, &field)
	_, err = w.Recordings.AddRemark(t.Context(), w.tomas, r.ID, contract.NewRemark{AtMs: 1, Text: "mine"})
	require.ErrorIs(t, err, firm.ErrForbidden)

	require.ErrorIs(t, w.Recordings.DeleteRecording(t.Context(), w.ines, r.ID, "she asked"), firm.ErrForbidden)
	require.ErrorAs(t, w.Recordings.DeleteRecording(t.Context(), w.odile, r.ID, " "), &field)
	require.NoError(t, w.Recordings.DeleteRecording(t.Context(), w.odile, r.ID, "she asked"))
	require.ErrorIs(t, w.Recordings.DeleteRecording(t.Context(), w.odile, r.ID, "twice"), firm.ErrNotFound)
	_, err = w.Recordings.OpenRecording(t.Context(), w.odile, r.ID, true)
	require.ErrorIs(t, err, firm.ErrNotFound)
	left, err := os.ReadDir(filepath.Join(filepath.Dir(w.journal), "recordings"))
	require.NoError(t, err)
	assert.Empty(t, left, "the sound is gone")
	page, err = w.CallPage(t.Context(), w.ines, c.ID)
	require.NoError(t, err)
	assert.Contains(t, page.Recordings[0].Deleted, "Deleted by odile")
	assert.Len(t, page.Recordings[0].Remarks, 1)
	var said []string
	for _, change := range page.Changes {
		said = append(said, change.Actor+": "+change.Text)
	}
	assert.Equal(t, []string{"ines: heard the recording", "ines: downloaded the recording",
		"odile: deleted the recording: she asked"}, said)
}

func TestALineThatIsNotRecordedCanBeForOneCall(t *testing.T) {
	w := newWorld(t)
	w.line(func(l *contract.FirmLine) { l.Recording = contract.RecordingRuleOff })
	c := w.speaks()
	require.ErrorIs(t, w.act(c.ID, contract.RecordingActActionPause), calls.ErrNotRecorded)
	require.NoError(t, w.act(c.ID, contract.RecordingActActionStart))
	w.recordingIs(c.ID, contract.CallRecordingStateGoing)
	require.NoError(t, w.act(c.ID, contract.RecordingActActionStop))
	w.recordingIs(c.ID, contract.CallRecordingStateKept)
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	w.ended(c.ID)
	assert.Len(t, w.page(c.ID).Recordings, 1)
}

func TestARecordingThatACrashCutOffIsCompletedAtTheNextStart(t *testing.T) {
	w := newWorld(t)
	c := w.speaks()
	w.recordingIs(c.ID, contract.CallRecordingStateGoing)
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	w.recordingIs(c.ID, contract.CallRecordingStateKept)
	w.Desk.Close()
	// As if it had been killed: a second of sound with an unfinished header, and a row that says that it goes on; and
	// one whose file is gone.
	dir := filepath.Join(filepath.Dir(w.journal), "recordings")
	require.NoError(t, os.WriteFile(filepath.Join(dir, "cut.wav"),
		append(formats.WAVHeader(2, formats.Unfinished), make([]byte, 16000)...), 0o600))
	for _, file := range []string{"cut.wav", "gone.wav"} {
		_, err := w.store.Pool.Exec(
			t.Context(),
			`INSERT INTO recordings (id, call_id, kind, state, server, file, began_at) VALUES ($1, $2, 'call', 'going', 'test', $3, now())`,
			store.NewID(),
			c.ID,
			file,
		)
		require.NoError(t, err)
	}
	// And one that began while the database was away.
	unknown := fmt.Sprintf("message_%s_%s.wav", c.ID, store.NewID())
	require.NoError(t, os.WriteFile(filepath.Join(dir, unknown),
		append(formats.WAVHeader(2, formats.Unfinished), make([]byte, 8000)...), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "notes.txt"), nil, 0o600))
	w.open()
	all := w.page(c.ID).Recordings
	require.Len(t, all, 4)
	known := slices.IndexFunc(all, func(r contract.Recording) bool { return r.Kind == contract.RecordingKindMessage })
	require.GreaterOrEqual(t, known, 0)
	assert.Equal(t, 500, all[known].Ms)
	all = slices.Delete(all, known, known+1)
	assert.Equal(t, []any{"kept", 1000, ""}, []any{string(all[1].State), all[1].Ms, all[1].Trouble})
	assert.Equal(t, []any{"kept", 0}, []any{string(all[2].State), all[2].Ms})
	assert.Contains(t, all[2].Trouble, "no such file")
	_, err := w.Recordings.OpenRecording(t.Context(), w.ines, all[2].ID, true)
	require.ErrorIs(t, err, calls.ErrNoSound)
}

func TestAMessageIsRecorded(t *testing.T) {
	w := newWorld(t)
	ref := w.comesIn("+14135550199")
	w.passes("the tone", func() bool {
		return strings.Contains(w.Lines.WhatIsHeard(t.Context(), carrier.Ref(ref)),
			"a tone")
	})
	all, err := w.Calls.Calls(t.Context(), w.ines, calls.CallQuery{})
	require.NoError(t, err)
	id := all.Calls[0].ID
	// no time passes meanwhile
	w.until("it is recorded", func() bool { return w.recordedAs(id) == contract.CallRecordingKindMessage })
	w.clock.Advance(5e9)
	require.True(t, w.sim.OutsideHangsUp(ref))
	c := w.recordingIs(id, contract.CallRecordingStateKept)
	assert.Equal(t, contract.CallRecordingKindMessage, c.Recording.Kind)
	f, err := w.Recordings.OpenRecording(t.Context(), w.tomas, *c.Recording.ID, false)
	require.NoError(t, err, "a message in nobody's box is everybody's")
	require.NoError(t, f.Close())
}

func (w *world) recordedAs(id uuid.UUID) contract.CallRecordingKind {
	if r := w.page(id).Call.Recording; r != nil {
		return r.Kind
	}
	return ""
}

func TestAConsultationIsARecordingOfItsOwnWhereTheFirmWantsThat(t *testing.T) {
	for _, wanted := range []bool{false, true} {
		w := newWorld(t)
		set, err := w.Recordings.RecordingSettings(t.Context(), w.admin())
		require.NoError(t, err)
		set.Consultations = &wanted
		set, err = w.Recordings.SetRecordingSettings(t.Context(), w.admin(), set)
		require.NoError(t, err)
		assert.Equal(t, wanted, *set.Consultations)
		var id uuid.UUID
		recordings := func() (all []string) {
			for _, r := range w.page(id).Recordings {
				all = append(all, string(r.Kind)+" "+string(r.State))
			}
			return all
		}
		w.sits(w.tomas)
		id = w.speaks().ID
		w.recordingIs(id, contract.CallRecordingStateGoing)
		w.clock.Advance(2e9)
		w.asks(id, w.tomas, contract.AskAsConsult, "")
		w.rung(w.tomas)
		_, err = w.Arrivals.AnswerCall(t.Context(), w.tomas, id)
		require.NoError(t, err)
		want := []string{"call kept"}
		if wanted {
			w.until("it is recorded", func() bool { return slices.Contains(recordings(), "consultation going") })
			want = append(want, "consultation kept")
		}
		require.NoError(t, w.act(id, contract.RecordingActActionPause))
		require.NoError(t, w.act(id, contract.RecordingActActionResume))
		w.turns(w.ines, id, contract.TurnActBack)
		require.NoError(t, w.Calls.HangUp(t.Context(), w.tomas, id))
		if wanted {
			w.until("it is complete", func() bool { return slices.Contains(recordings(), "consultation kept") })
		}
		assert.Equal(t, contract.CallRecordingKindCall, w.recordedAs(id), "lists show the call's")
		require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, id))
		w.until("all is kept", func() bool { return slices.Equal(want, recordings()) })
		if wanted {
			all := w.page(id).Recordings
			assert.Equal(t, all[0].Gaps[0].Reason, all[1].Gaps[0].Reason, "a pause is one of both")
		}
	}
}
