package desk_test

import (
	"bytes"
	"io"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/carrier"
	"trundo/internal/contract"
	"trundo/internal/desk"
	"trundo/internal/formats"
	"trundo/internal/store/db"
)

// sound is a WAV file of a length.
func sound(long time.Duration) io.Reader {
	n := int(long * 8000 / time.Second)
	return bytes.NewReader(append(formats.WAVHeader(1, n), bytes.Repeat([]byte{0x7f}, n)...))
}

func TestAGreetingOfOnesOwnIsCheckedKeptAndHeard(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	speech := &said{}
	w.Speech = speech
	var field *desk.FieldError
	for name, r := range map[string]io.Reader{"a text": strings.NewReader("not a sound"), "too long": sound(desk.MaxSound + time.Second), "too short": sound(100 * time.Millisecond)} {
		_, _, err := w.AddSound(ctx, w.ines, name, r)
		require.ErrorAs(t, err, &field, name)
		assert.Equal(t, "sound", field.Field, name)
	}
	id, long, err := w.AddSound(ctx, w.ines, "hello", sound(2*time.Second))
	require.NoError(t, err)
	assert.Equal(t, 2*time.Second, long)
	file, err := w.SoundFile(ctx, id)
	require.NoError(t, err)
	assert.Len(t, file, 58+16000)
	_, err = w.SoundFile(ctx, uuid.New())
	require.ErrorIs(t, err, desk.ErrNotFound)

	ghost := uuid.New()
	_, err = w.SetPreferences(ctx, w.ines, contract.Preferences{Opens: contract.PreferencesOpensRing, GreetingSoundID: &ghost})
	require.ErrorAs(t, err, &field)
	w.line(func(l *contract.FirmLine) { l.GreetingSoundID = &id; l.Greeting = "" })
	ref := w.comesIn("+14135550199") // nobody has a window
	w.passes("the tone", func() bool { return strings.Contains(w.WhatIsHeard(ctx, carrier.Ref(ref)), "a tone") })
	assert.NotContains(t, speech.all(), "leave a message", "the sound is heard instead of a text")

	spoken, err := w.SpokenFile(ctx, "Hello")
	require.NoError(t, err)
	assert.Len(t, spoken, 59)
	_, err = w.SpokenFile(ctx, " ")
	require.ErrorAs(t, err, &field)
}

func TestWhichPreparedMessageFitsAndWhoAgreedToIt(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	id, _, err := w.AddSound(ctx, w.ines, "fair", sound(time.Second))
	require.NoError(t, err)
	saved, err := w.SetPreparedMessages(ctx, w.admin(), contract.PreparedMessages{Messages: []contract.PreparedMessage{
		{Name: "usual", Text: "Call us back.", Active: true},
		{Name: "monday", Active: true, SoundID: &id, Weekdays: &[]int{1}},
		{Name: "sold", Text: "Thank you.", Active: true, OutcomeID: &w.sold},
		{Name: "old", Text: "No more.", Active: false}}})
	require.NoError(t, err)
	require.Len(t, saved, 4)
	order := func(c contract.Call) (names []string) {
		all, err := w.PreparedFor(ctx, w.ines, c.ID)
		require.NoError(t, err)
		for _, m := range all {
			names = append(names, m.Name)
		}
		return names
	}
	c := w.calls() // on a Monday
	assert.Equal(t, []string{"monday", "usual", "sold"}, order(c))
	_, err = w.ChangeSlip(ctx, w.ines, c.Slip.ID, contract.SlipChange{Version: c.Slip.Version, OutcomeID: &w.sold})
	require.NoError(t, err)
	assert.Equal(t, []string{"monday", "usual", "sold"}, order(c), "the call itself does not count")
	require.NoError(t, w.HangUp(ctx, w.ines, c.ID))
	w.ended(c.ID)
	w.clock.Advance(24 * time.Hour)
	c = w.speaks()
	assert.Equal(t, []string{"sold", "usual", "monday"}, order(c))

	_, err = w.SetRecordingSettings(ctx, w.admin(), contract.RecordingSettings{Everybody: contract.RecordingRuleAnnounce, PreparedConsent: ptr(true)})
	require.NoError(t, err)
	var field *desk.FieldError
	_, err = w.LeavePrepared(ctx, w.ines, c.ID, *saved[0].ID, false)
	require.ErrorAs(t, err, &field)
	require.ErrorIs(t, err, desk.ErrNoConsent)
	r, err := w.SetMessageConsent(ctx, w.ines, w.berit, true)
	require.NoError(t, err)
	assert.NotNil(t, r.MessageConsent)
	_, err = w.SetMessageConsent(ctx, w.ines, uuid.New(), true)
	require.ErrorIs(t, err, desk.ErrNotFound)
	_, err = w.LeavePrepared(ctx, w.ines, c.ID, *saved[0].ID, false)
	require.NoError(t, err)
}

func TestABadLineIsRatedAndReported(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	c := w.speaks()
	good := w.RateLine(w.ines, contract.LineFigures{RoundTripMs: 60})
	assert.Equal(t, []any{contract.LineQualityVerdict("good"), ""}, []any{good.Verdict, good.Words})
	bad := w.RateLine(w.ines, contract.LineFigures{RoundTripMs: 60, Loss: 0.2})
	assert.Equal(t, contract.LineQualityVerdict("bad"), bad.Verdict)
	assert.Equal(t, "20 % of what they say is lost on the way to you", bad.Words)
	require.NoError(t, w.ReportLine(ctx, w.ines, c.ID, contract.LineReport{Trouble: "cut_outs", Figures: &bad}))
	require.Error(t, w.ReportLine(ctx, w.tomas, c.ID, contract.LineReport{Trouble: "noise"}))
	require.ErrorIs(t, w.ReportLine(ctx, w.ines, uuid.New(), contract.LineReport{Trouble: "noise"}), desk.ErrNotFound)
	changes := w.page(c.ID).Changes
	require.Len(t, changes, 1)
	assert.Contains(t, changes[0].Text, "reported a bad line: cut-outs (measured: MOS ")
	var in *desk.InCallError
	require.ErrorAs(t, w.EchoTest(w.ines, true), &in)
	require.NoError(t, w.HangUp(ctx, w.ines, c.ID))
	w.ended(c.ID)
	require.NoError(t, w.EchoTest(w.ines, true))
	require.NoError(t, w.EchoTest(w.ines, false))
}

func TestWhatWasSaidIsForThoseWhoMayHearIt(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	c := w.speaks()
	w.recordingIs(c.ID, contract.CallRecordingStateGoing)
	require.NoError(t, w.HangUp(ctx, w.ines, c.ID))
	id := *w.recordingIs(c.ID, contract.CallRecordingStateKept).Recording.ID
	words, err := w.Words(ctx, w.ines, id)
	require.NoError(t, err)
	assert.Empty(t, words.Phrases, "nobody has a voice here")
	require.NoError(t, desk.KeepWords(ctx, db.New(w.store.Pool), id, contract.Transcript{Source: "a test", Phrases: []contract.Phrase{{FromMs: 100, ToMs: 900, Text: "Good day."}}}))
	words, err = w.Words(ctx, w.ines, id)
	require.NoError(t, err)
	assert.Equal(t, []any{"a test", "Good day."}, []any{words.Source, words.Phrases[0].Text})
	_, err = w.Words(ctx, w.tomas, id)
	require.ErrorIs(t, err, desk.ErrForbidden)
}
