package desk_test

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
)

// ears are a recogniser that the test drives.
type ears struct {
	mu    sync.Mutex
	err   error
	asked int
	says  string
}

func (e *ears) Transcribe(_ context.Context, _ firm.Heard) (contract.Transcript, error) {
	e.mu.Lock()
	defer e.mu.Unlock()
	e.asked++
	if e.err != nil {
		return contract.Transcript{}, e.err
	}
	return contract.Transcript{Source: "ears", OursKnown: true, Phrases: []contract.Phrase{
		{
			FromMs:     0,
			ToMs:       900,
			Text:       e.says,
			Confidence: new(0.5),
		}, {FromMs: 1000, ToMs: 2000, Ours: true, Text: "I will call you."}}}, nil
}

func (e *ears) becomes(err error) {
	e.mu.Lock()
	defer e.mu.Unlock()
	e.err = err
}

func TestARecordingIsWrittenDownOnceTheRecogniserIsThere(t *testing.T) {
	w := newWorld(t)
	ctx := t.Context()
	e := &ears{err: errors.New("the recogniser answers 503"), says: "Can you call me back?"}
	c := w.talk(9 * time.Second)
	w.Recordings.Transcriber = e // from here on: what was recorded of the call itself is not its concern
	id := w.wrote(c.ID)
	_, err := w.store.Pool.Exec(ctx, `DELETE FROM transcripts`)
	require.NoError(t, err)
	_, err = w.store.Pool.Exec(ctx, `UPDATE recordings SET total_ms = 240000, server = 'test' WHERE id = $1`, id)
	require.NoError(t, err)
	_, err = w.store.Pool.Exec(
		ctx,
		`INSERT INTO transcript_jobs (recording_id, due_at) VALUES ($1, $2)`,
		id,
		w.clock.Now(),
	)
	require.NoError(t, err)
	read := func() contract.Transcript {
		t.Helper()
		got, err := w.Recordings.Words(ctx, w.ines, id)
		require.NoError(t, err)
		return got
	}
	require.NoError(t, w.Recordings.WriteDue(ctx))
	assert.Equal(t, "the recogniser answers 503", *read().Problem)
	require.NoError(t, w.Recordings.WriteDue(ctx))
	assert.Equal(t, 1, e.asked, "it is left alone for a while")
	w.clock.Advance(time.Minute)
	e.becomes(nil)
	require.NoError(t, w.Recordings.WriteDue(ctx))
	words := read()
	assert.Equal(t, "ears", words.Source)
	require.Len(t, words.Phrases, 2)
	require.NotNil(t, words.Summary, "of four minutes")
	assert.Equal(t, "Can you call me back?", words.Summary.Questions[0].Text)
	assert.Equal(t, "I will call you.", words.Summary.Promises[0].Text)

	// Corrected by hand, it stays so.
	fix := contract.PhraseCorrection{N: 0, Before: "Can you call me back?", Text: "Can you call me at Beck's?"}
	_, err = w.Recordings.CorrectWords(ctx, w.tomas, id, fix)
	require.ErrorIs(t, err, firm.ErrForbidden)
	words, err = w.Recordings.CorrectWords(ctx, w.ines, id, fix)
	require.NoError(t, err)
	assert.Equal(t, "Can you call me at Beck's?", words.Phrases[0].Text)
	assert.Equal(t, "ines", *words.Phrases[0].CorrectedBy)
	_, err = w.Recordings.CorrectWords(ctx, w.ines, id, fix)
	require.ErrorIs(t, err, firm.ErrChangedElse)
	_, err = w.store.Pool.Exec(
		ctx,
		`INSERT INTO transcript_jobs (recording_id, due_at) VALUES ($1, $2)`,
		id,
		w.clock.Now(),
	)
	require.NoError(t, err)
	require.NoError(t, w.Recordings.WriteDue(ctx))
	assert.Equal(t, "Can you call me at Beck's?", read().Phrases[0].Text)
	assert.NotEmpty(t, w.finds(w.odile, is("words", "beck's")), "what was corrected is what is found")

	// What cannot be written down is not tried again.
	other := w.wrote(c.ID)
	_, err = w.store.Pool.Exec(ctx, `DELETE FROM transcripts WHERE recording_id = $1`, other)
	require.NoError(t, err)
	_, err = w.store.Pool.Exec(ctx, `UPDATE recordings SET server = 'test' WHERE id = $1`, other)
	require.NoError(t, err)
	_, err = w.store.Pool.Exec(
		ctx,
		`INSERT INTO transcript_jobs (recording_id, due_at) VALUES ($1, $2)`,
		other,
		w.clock.Now(),
	)
	require.NoError(t, err)
	e.becomes(fmt.Errorf("%w: it is music", firm.ErrNotWritten))
	require.NoError(t, w.Recordings.WriteDue(ctx))
	before := e.asked
	w.clock.Advance(24 * time.Hour)
	require.NoError(t, w.Recordings.WriteDue(ctx))
	assert.Equal(t, before, e.asked)
}
