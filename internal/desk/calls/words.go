package calls

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"time"

	"github.com/google/uuid"

	"trundo/internal/carrier"
	"trundo/internal/contract"
	"trundo/internal/core/recording"
	"trundo/internal/core/summary"
	"trundo/internal/core/topics"
	"trundo/internal/desk/firm"
	"trundo/internal/media"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// trueWords takes the words of a stand-in's people from themselves. What the rep says is not known to it.
type trueWords struct{}

func (trueWords) Transcribe(_ context.Context, h firm.Heard) (contract.Transcript, error) {
	t := contract.Transcript{Source: "the simulated network", Phrases: []contract.Phrase{}}
	w, ok := h.Voice.(carrier.Worded)
	if !ok {
		return t, nil
	}
	for _, s := range w.Words() {
		from := s.At.Sub(h.Began)
		to := min(from+s.Long, h.Long)
		if to <= 0 || from >= h.Long {
			continue // said while nothing was recorded
		}
		t.Phrases = append(t.Phrases, contract.Phrase{FromMs: ms(max(0, from)), ToMs: ms(to), Text: s.Text})
	}
	return t, nil
}

// transcriber is the firm's, or the words of a stand-in's people.
func (rc *Recordings) transcriber() firm.Transcriber {
	if rc.Transcriber == nil {
		return trueWords{}
	}
	return rc.Transcriber
}

// writeWords keeps what was said in a recording, as far as it can be known. What cannot be asked now is asked again
// later.
func (rc *Recordings) writeWords(ctx context.Context, id uuid.UUID, tries int, h firm.Heard) {
	t, err := rc.transcriber().Transcribe(ctx, h)
	if err == nil {
		t.Phrases = outsideGaps(t.Phrases, h.Gaps)
		if len(t.Phrases) > 0 {
			err = KeepWords(ctx, rc.Store.Queries, id, t)
		}
	}
	if err == nil {
		err = rc.Store.TranscriptDone(ctx, id)
	}
	if err == nil {
		return
	}
	rc.Log.Warn("a recording was not written down", "recording", id, "error", err)
	p := db.TryTranscriptLaterParams{RecordingID: id, Problem: err.Error()}
	if wait, again := recording.NextTry(tries + 1); again && !errors.Is(err, firm.ErrNotWritten) {
		p.DueAt = new(rc.Clock.Now().Add(wait))
	}
	if err := rc.Store.TryTranscriptLater(context.WithoutCancel(ctx), p); err != nil {
		rc.Log.Warn("a recording is not tried again", "recording", id, "error", err)
	}
}

const (
	// writeEvery is how often it is looked whether something is to be written down again.
	writeEvery = 20 * time.Second
	// writeWithin is for how long nobody else takes what is being written down.
	writeWithin = time.Hour
	// forgottenFor is how old a recording may be that nobody has tried to write down.
	forgottenFor = 7 * 24 * time.Hour
)

// WriteDue writes down what could not be written down before, where there is a recogniser.
func (rc *Recordings) WriteDue(ctx context.Context) error {
	if rc.Transcriber == nil {
		return nil
	}
	now := rc.Clock.Now()
	rows, err := rc.Store.TranscriptsDue(
		ctx,
		db.TranscriptsDueParams{Again: now.Add(writeWithin), Now: now, Server: rc.Server},
	)
	for _, r := range rows {
		var gaps []contract.Gap
		if err := json.Unmarshal(r.Gaps, &gaps); err != nil {
			return err
		}
		h := firm.Heard{Began: r.BeganAt, Long: time.Duration(r.TotalMs) * time.Millisecond,
			Sound: func(ctx context.Context) (firm.Sound, error) { return rc.SoundOf(ctx, r.RecordingID) }}
		for _, g := range gaps {
			h.Gaps = append(h.Gaps, media.Gap{From: time.Duration(g.FromMs) * time.Millisecond,
				To: time.Duration(g.ToMs) * time.Millisecond})
		}
		rc.writeWords(ctx, r.RecordingID, r.Tries, h)
		rc.PublishHistory(&r.CallID)
	}
	return err
}

// StartWriting writes down what is due, until the desk closes.
func (rc *Recordings) StartWriting() {
	if rc.Transcriber == nil {
		return
	}
	rc.InBackground(func(ctx context.Context) {
		now := rc.Clock.Now()
		if err := rc.Store.ForgottenTranscripts(ctx,
			db.ForgottenTranscriptsParams{Now: now, Since: now.Add(-forgottenFor)}); err != nil && ctx.Err() == nil {
			rc.Log.Error("looking for recordings to write down", "error", err)
		}
		for rc.Pause(ctx, writeEvery) {
			if err := rc.WriteDue(ctx); err != nil && ctx.Err() == nil && !store.Away(err) {
				rc.Log.Error("writing recordings down", "error", err)
			}
		}
	})
}

// outsideGaps leaves out every phrase of which any part was said while the recording was paused: when each word of it
// was said is not known.
func outsideGaps(phrases []contract.Phrase, gaps []media.Gap) []contract.Phrase {
	return slices.DeleteFunc(phrases, func(p contract.Phrase) bool {
		return slices.ContainsFunc(gaps, func(g media.Gap) bool {
			return recording.Overlap(time.Duration(p.FromMs)*time.Millisecond, time.Duration(p.ToMs)*time.Millisecond,
				g.From, g.To)
		})
	})
}

// KeepWords stores what was said in a recording.
func KeepWords(ctx context.Context, q *db.Queries, id uuid.UUID, t contract.Transcript) error {
	text, err := json.Marshal(t)
	if err != nil {
		return err
	}
	return q.PutTranscript(ctx, db.PutTranscriptParams{RecordingID: id, Source: t.Source, Phrases: text})
}

// Words are what was said in a recording that a may hear; without phrases where nobody wrote it down. Errors:
// ErrNotFound, ErrForbidden.
func (rc *Recordings) Words(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.Transcript, error) {
	t := contract.Transcript{Phrases: []contract.Phrase{}}
	r, err := rc.hearable(ctx, a, id)
	if err != nil {
		return t, err
	}
	row, err := rc.Store.Transcript(ctx, id)
	if store.NotFound(err) {
		if p, fault := rc.Store.TranscriptProblem(ctx, id); fault == nil && p.Problem != "" {
			t.Problem = &p.Problem
		}
		return t, nil
	} else if err != nil {
		return t, err
	}
	if err := rc.keepInTrail(ctx, a, r, "read the transcript", func(*db.Queries,
		time.Time) error {
		return nil
	}); err != nil {
		return t, err
	}
	if err := json.Unmarshal(row.Phrases, &t); err != nil {
		return t, err
	}
	t.MayCorrect = new(true)
	if time.Duration(r.TotalMs)*time.Millisecond >= summary.Long {
		t.Summary = summaryOf(t.Phrases)
	}
	return t, nil
}

// summaryOf is what stands out in what was said.
func summaryOf(phrases []contract.Phrase) *contract.TranscriptSummary {
	said := make([]topics.Said, len(phrases))
	for i, p := range phrases {
		said[i] = topics.Said{FromMs: p.FromMs, ToMs: p.ToMs, Ours: p.Ours, Text: p.Text}
	}
	s := summary.Of(said)
	views := func(lines []summary.Line) []contract.Phrase {
		all := []contract.Phrase{}
		for _, l := range lines {
			all = append(all, contract.Phrase{FromMs: l.AtMs, ToMs: l.AtMs, Ours: l.Ours, Text: l.Text})
		}
		return all
	}
	return &contract.TranscriptSummary{Questions: views(s.Questions), Promises: views(s.Promises)}
}

// CorrectWords corrects a phrase of what was said in a recording that a may hear. Errors: ErrNotFound, ErrForbidden,
// ErrChangedElse where it reads otherwise by now, *FieldError.
func (rc *Recordings) CorrectWords(ctx context.Context, a firm.Actor, id uuid.UUID,
	c contract.PhraseCorrection) (contract.Transcript, error) {
	text := firm.CleanText(c.Text)
	if text == "" {
		return contract.Transcript{}, firm.Wrong("text", "say what was said")
	}
	r, err := rc.hearable(ctx, a, id)
	if err != nil {
		return contract.Transcript{}, err
	}
	row, err := rc.Store.Transcript(ctx, id)
	if store.NotFound(err) {
		return contract.Transcript{}, firm.ErrNotFound
	} else if err != nil {
		return contract.Transcript{}, err
	}
	var t contract.Transcript
	if err := json.Unmarshal(row.Phrases, &t); err != nil {
		return t, err
	}
	if c.N >= len(t.Phrases) || t.Phrases[c.N].Text != c.Before {
		return t, firm.ErrChangedElse
	}
	t.Phrases[c.N].Text, t.Phrases[c.N].CorrectedBy, t.Phrases[c.N].Confidence = text, &a.Name, nil
	after, err := json.Marshal(t)
	if err != nil {
		return t, err
	}
	err = rc.Store.Tx(ctx, func(q *db.Queries) error {
		n, err := q.CorrectTranscript(
			ctx,
			db.CorrectTranscriptParams{Phrases: after, RecordingID: id, Before: row.Phrases},
		)
		if err == nil && n == 0 {
			err = firm.ErrChangedElse
		}
		if err != nil {
			return err
		}
		return rc.Audited(ctx, q, a, "call", r.CallID, "transcript corrected", nil, map[string]string{})
	})
	if err != nil {
		return t, err
	}
	rc.PublishHistory(&r.CallID)
	return rc.Words(ctx, a, id)
}
