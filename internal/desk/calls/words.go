package calls

import (
	"context"
	"encoding/json"
	"slices"
	"time"

	"github.com/google/uuid"

	"trundo/internal/carrier"
	"trundo/internal/contract"
	"trundo/internal/core/recording"
	"trundo/internal/desk/firm"
	"trundo/internal/media"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// trueWords takes the words of a stand-in's people from themselves. What the rep says is not known to it.
type trueWords struct{}

func (trueWords) Source() (string, bool) { return "the simulated network", false }

func (trueWords) Transcribe(_ context.Context, h firm.Heard) ([]contract.Phrase, error) {
	w, ok := h.Voice.(carrier.Worded)
	if !ok {
		return nil, nil
	}
	var phrases []contract.Phrase
	for _, s := range w.Words() {
		from := s.At.Sub(h.Began)
		to := min(from+s.Long, h.Long)
		if to <= 0 || from >= h.Long {
			continue // said while nothing was recorded
		}
		phrases = append(phrases, contract.Phrase{FromMs: ms(max(0, from)), ToMs: ms(to), Text: s.Text})
	}
	return phrases, nil
}

// writeWords keeps what was said in a recording, as far as it can be known.
func (rc *Recordings) writeWords(ctx context.Context, id uuid.UUID, h firm.Heard) {
	t := rc.Transcriber
	if t == nil {
		t = trueWords{}
	}
	phrases, err := t.Transcribe(ctx, h)
	if err != nil || len(phrases) == 0 {
		if err != nil {
			rc.Log.Warn("a recording was not written down", "recording", id, "error", err)
		}
		return
	}
	phrases = outsideGaps(phrases, h.Gaps)
	source, ours := t.Source()
	if err := KeepWords(ctx, rc.Store.Queries, id,
		contract.Transcript{Source: source, OursKnown: ours, Phrases: phrases}); err != nil {
		rc.Log.Warn("what was said was not kept", "recording", id, "error", err)
	}
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
	return t, json.Unmarshal(row.Phrases, &t)
}
