package desk_test

import (
	"bytes"
	"io"
	"strings"
	"testing"
	"time"

	"trundo/internal/desk/calls"
	"trundo/internal/desk/firm"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/carrier"
	"trundo/internal/contract"
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
	var field *firm.FieldError
	for name, r := range map[string]io.Reader{"a text": strings.NewReader("not a sound"),
		"too long": sound(calls.MaxSound + time.Second), "too short": sound(100 * time.Millisecond)} {
		_, _, err := w.Voices.AddSound(ctx, w.ines, name, r)
		require.ErrorAs(t, err, &field, name)
		assert.Equal(t, "sound", field.Field, name)
	}
	id, long, err := w.Voices.AddSound(ctx, w.ines, "hello", sound(2*time.Second))
	require.NoError(t, err)
	assert.Equal(t, 2*time.Second, long)
	file, err := w.Voices.SoundFile(ctx, id)
	require.NoError(t, err)
	assert.Len(t, file, 58+16000)
	_, err = w.Voices.SoundFile(ctx, uuid.New())
	require.ErrorIs(t, err, firm.ErrNotFound)

	ghost := uuid.New()
	_, err = w.Arrivals.SetPreferences(ctx, w.ines,
		contract.Preferences{Opens: contract.PreferencesOpensRing, GreetingSoundID: &ghost})
	require.ErrorAs(t, err, &field)
	w.line(func(l *contract.FirmLine) { l.GreetingSoundID = &id; l.Greeting = "" })
	ref := w.comesIn("+14135550199") // nobody has a window
	w.passes("the tone", func() bool { return strings.Contains(w.Lines.WhatIsHeard(ctx, carrier.Ref(ref)), "a tone") })
	assert.NotContains(t, speech.all(), "leave a message", "the sound is heard instead of a text")

	spoken, err := w.Voices.SpokenFile(ctx, "Hello", "en")
	require.NoError(t, err)
	assert.Len(t, spoken, 59)
	_, err = w.Voices.SpokenFile(ctx, " ", "en")
	require.ErrorAs(t, err, &field)
}

func TestWhichPreparedMessageFitsAndWhoAgreedToIt(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	id, _, err := w.Voices.AddSound(ctx, w.ines, "fair", sound(time.Second))
	require.NoError(t, err)
	saved, err := w.Voices.SetPreparedMessages(ctx, w.admin(),
		contract.PreparedMessages{Messages: []contract.PreparedMessage{
			{Name: "usual", Text: "Call us back.", Active: true},
			{Name: "monday", Active: true, SoundID: &id, Weekdays: &[]int{1}},
			{Name: "sold", Text: "Thank you.", Active: true, OutcomeID: &w.sold},
			{Name: "old", Text: "No more.", Active: false}}})
	require.NoError(t, err)
	require.Len(t, saved, 4)
	order := func(c contract.Call) (names []string) {
		all, err := w.Voices.PreparedFor(ctx, w.ines, c.ID)
		require.NoError(t, err)
		for _, m := range all {
			names = append(names, m.Name)
		}
		return names
	}
	c := w.calls() // on a Monday
	assert.Equal(t, []string{"monday", "usual", "sold"}, order(c))
	_, err = w.Filing.ChangeSlip(ctx, w.ines, c.Slip.ID,
		contract.SlipChange{Version: c.Slip.Version, OutcomeID: &w.sold})
	require.NoError(t, err)
	assert.Equal(t, []string{"monday", "usual", "sold"}, order(c), "the call itself does not count")
	require.NoError(t, w.Calls.HangUp(ctx, w.ines, c.ID))
	w.ended(c.ID)
	w.clock.Advance(24 * time.Hour)
	c = w.speaks()
	assert.Equal(t, []string{"sold", "usual", "monday"}, order(c))

	_, err = w.Recordings.SetRecordingSettings(ctx, w.admin(),
		contract.RecordingSettings{Everybody: contract.RecordingRuleAnnounce, PreparedConsent: ptr(true)})
	require.NoError(t, err)
	var field *firm.FieldError
	_, err = w.Voices.LeavePrepared(ctx, w.ines, c.ID, *saved[0].ID, false)
	require.ErrorAs(t, err, &field)
	require.ErrorIs(t, err, calls.ErrNoConsent)
	r, err := w.Voices.SetMessageConsent(ctx, w.ines, w.berit, true)
	require.NoError(t, err)
	assert.NotNil(t, r.MessageConsent)
	_, err = w.Voices.SetMessageConsent(ctx, w.ines, uuid.New(), true)
	require.ErrorIs(t, err, firm.ErrNotFound)
	_, err = w.Voices.LeavePrepared(ctx, w.ines, c.ID, *saved[0].ID, false)
	require.NoError(t, err)
}

func TestABadLineIsRatedAndReported(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	c := w.speaks()
	good := w.Voices.RateLine(w.ines, contract.LineFigures{RoundTripMs: 60})
	assert.Equal(t, []any{contract.LineQualityVerdict("good"), ""}, []any{good.Verdict, good.Words})
	bad := w.Voices.RateLine(w.ines, contract.LineFigures{RoundTripMs: 60, Loss: 0.2})
	assert.Equal(t, contract.LineQualityVerdict("bad"), bad.Verdict)
	assert.Equal(t, "20 % of what they say is lost on the way to you", bad.Words)
	require.NoError(t, w.Voices.ReportLine(ctx, w.ines, c.ID, contract.LineReport{Trouble: "cut_outs", Figures: &bad}))
	require.Error(t, w.Voices.ReportLine(ctx, w.tomas, c.ID, contract.LineReport{Trouble: "noise"}))
	require.ErrorIs(t, w.Voices.ReportLine(ctx, w.ines, uuid.New(), contract.LineReport{Trouble: "noise"}),
		firm.ErrNotFound)
	changes := w.page(c.ID).Changes
	require.Len(t, changes, 1)
	assert.Contains(t, changes[0].Text, "reported a bad line: cut-outs (measured: MOS ")
	var in *firm.InCallError
	require.ErrorAs(t, w.Voices.EchoTest(w.ines, true), &in)
	require.NoError(t, w.Calls.HangUp(ctx, w.ines, c.ID))
	w.ended(c.ID)
	require.NoError(t, w.Voices.EchoTest(w.ines, true))
	require.NoError(t, w.Voices.EchoTest(w.ines, false))
}

func TestWhatWasSaidIsForThoseWhoMayHearIt(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	c := w.speaks()
	w.recordingIs(c.ID, contract.CallRecordingStateGoing)
	require.NoError(t, w.Calls.HangUp(ctx, w.ines, c.ID))
	id := *w.recordingIs(c.ID, contract.CallRecordingStateKept).Recording.ID
	words, err := w.Recordings.Words(ctx, w.ines, id)
	require.NoError(t, err)
	assert.Empty(t, words.Phrases, "nobody has a voice here")
	require.NoError(t, calls.KeepWords(ctx, db.New(w.store.Pool), id,
		contract.Transcript{Source: "a test", Phrases: []contract.Phrase{{FromMs: 100, ToMs: 900, Text: "Good day."}}}))
	words, err = w.Recordings.Words(ctx, w.ines, id)
	require.NoError(t, err)
	assert.Equal(t, []any{"a test", "Good day."}, []any{words.Source, words.Phrases[0].Text})
	_, err = w.Recordings.Words(ctx, w.tomas, id)
	require.ErrorIs(t, err, firm.ErrForbidden)
}
