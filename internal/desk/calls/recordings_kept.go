package calls

import (
	"context"
	"errors"
	"fmt"
	"os"
	"time"

	"github.com/google/uuid"

	"trundo/internal/blobs"
	"trundo/internal/core/recording"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/media"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

const (
	// keepEvery is how often it is looked for recordings to put away and to delete.
	keepEvery = time.Minute
	// settled is how long a recording stays on the disk of its server, where it is heard most, before it is compressed
	// and put away.
	settled = 15 * time.Minute
)

// keepRecordings puts recordings away and deletes what was kept for long enough, until the desk closes.
func (rc *Recordings) keepRecordings(ctx context.Context) {
	ticker := time.NewTicker(keepEvery)
	defer ticker.Stop()
	for {
		if err := rc.KeepRecordings(ctx); err != nil && ctx.Err() == nil {
			rc.Log.Warn("keeping recordings", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-ticker.C:
		}
	}
}

// KeepRecordings compresses what is settled and puts it into the store of recordings, says what will be deleted, and
// deletes what is due.
func (rc *Recordings) KeepRecordings(ctx context.Context) error {
	return errors.Join(rc.storeRecordings(ctx), rc.tellExpiry(ctx), rc.deleteExpired(ctx))
}

// storeRecordings compresses recordings of this server's disk, without loss, and puts them away. The file goes when the
// database knows the new place.
func (rc *Recordings) storeRecordings(ctx context.Context) error {
	if rc.RecordingStore == nil {
		return nil
	}
	rows, err := rc.Store.RecordingsToStore(ctx,
		db.RecordingsToStoreParams{Server: rc.Server, Before: rc.Clock.Now().Add(-settled)})
	if err != nil {
		return err
	}
	for _, r := range rows {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if err := rc.storeRecording(ctx, r); err != nil {
			rc.Log.Error("a recording stays on this server's disk", "call", r.CallID, "file", r.File, "error", err)
		}
	}
	return nil
}

func (rc *Recordings) storeRecording(ctx context.Context, r db.RecordingsToStoreRow) error {
	from := rc.recordingFile(r.File)
	packed := from + ".flac"
	defer os.Remove(packed)
	if err := media.Pack(from, packed); err != nil {
		return err
	}
	f, err := os.Open(packed)
	if err != nil {
		return err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return err
	}
	name := r.ID.String() + ".flac"
	if err := rc.RecordingStore.Put(ctx, name, "audio/flac", f, info.Size()); err != nil {
		return fmt.Errorf("putting a recording away: %w", err)
	}
	n, err := rc.Store.Stored(ctx, db.StoredParams{ID: r.ID, Stored: name, StoredBytes: info.Size()})
	if err != nil {
		return err
	}
	if n == 0 { // deleted meanwhile
		return rc.RemoveSound(ctx, r.File, name)
	}
	return os.Remove(from)
}

// openSound opens a recording's sound, wherever it is.
func (rc *Recordings) openSound(ctx context.Context, file, stored string) (firm.Sound, error) {
	if stored == "" {
		f, err := os.Open(rc.recordingFile(file))
		if err != nil {
			return firm.Sound{}, ErrNoSound
		}
		return firm.Sound{ReadSeekCloser: f, Type: "audio/wav", Ending: ".wav"}, nil
	}
	if rc.RecordingStore == nil {
		return firm.Sound{}, ErrNoSound
	}
	r, err := rc.RecordingStore.Open(ctx, stored)
	if err != nil {
		if !errors.Is(err, blobs.ErrNone) {
			rc.Log.Error("the store of recordings", "file", stored, "error", err)
		}
		return firm.Sound{}, ErrNoSound
	}
	return firm.Sound{ReadSeekCloser: r, Type: "audio/flac", Ending: ".flac"}, nil
}

// SoundOf opens the sound of a recording, whoever asks. Errors: firm.ErrNotFound, ErrNoSound.
func (rc *Recordings) SoundOf(ctx context.Context, id uuid.UUID) (firm.Sound, error) {
	r, err := rc.Store.Recording(ctx, id)
	if store.NotFound(err) {
		return firm.Sound{}, firm.ErrNotFound
	} else if err != nil {
		return firm.Sound{}, err
	}
	return rc.openSound(ctx, r.File, r.Stored)
}

// RemoveSound removes a recording's sound from wherever it is; one that is gone is no error.
func (rc *Recordings) RemoveSound(ctx context.Context, file, stored string) error {
	if err := os.Remove(rc.recordingFile(file)); err != nil && !errors.Is(err, os.ErrNotExist) {
		return fmt.Errorf("the sound could not be removed: %w", err)
	}
	if stored == "" || rc.RecordingStore == nil {
		return nil
	}
	if err := rc.RecordingStore.Delete(ctx, stored); err != nil {
		return fmt.Errorf("the sound could not be removed: %w", err)
	}
	return nil
}

// tellExpiry says of recordings when they will be deleted, or no longer, by the firm's policy.
func (rc *Recordings) tellExpiry(ctx context.Context) error {
	f, err := rc.Settings(ctx)
	if err != nil {
		return err
	}
	now := rc.Clock.Now()
	policy := f.Keeping.Policy()
	calls, messages := rc.limits(policy, now.Add(recording.Notice))
	rows, err := rc.Store.RecordingsToTell(ctx, db.RecordingsToTellParams{CallsBefore: calls, MessagesBefore: messages})
	if err != nil {
		return err
	}
	var changes []db.TellExpiryParams
	for _, r := range rows {
		var told time.Time
		if r.ExpiresAt != nil {
			told = *r.ExpiresAt
		}
		if at := policy.Expiry(now, r.BeganAt, told, r.Kind == "message", r.Held); !at.Equal(told) {
			changes = append(changes, db.TellExpiryParams{ID: r.ID, ExpiresAt: optional.Time(at)})
		}
	}
	if len(changes) == 0 {
		return nil
	}
	return firm.Every(rc.Store.TellExpiry(ctx, changes).Exec)
}

// deleteExpired deletes what has been kept for long enough, and leaves that it was there.
func (rc *Recordings) deleteExpired(ctx context.Context) error {
	now := rc.Clock.Now()
	rows, err := rc.Store.RecordingsExpired(ctx, &now)
	if err != nil {
		return err
	}
	for _, r := range rows {
		if _, err := os.Stat(rc.recordingFile(r.File)); r.Stored == "" && r.Server != rc.Server && err != nil {
			continue // its own server does it
		}
		n, err := rc.Store.DeleteRecording(ctx,
			db.DeleteRecordingParams{ID: r.ID, At: &now, Why: "kept for as long as it was to be"})
		if err != nil {
			return err
		}
		if n == 0 {
			continue // held meanwhile
		}
		if err := rc.RemoveSound(ctx, r.File, r.Stored); err != nil {
			rc.Log.Error("an expired recording", "call", r.CallID, "error", err)
		}
		rc.PublishHistory(&r.CallID)
	}
	return nil
}

// HoldRecording keeps a recording from being deleted, or lets it go again; reason says why it has to be kept. Errors:
// ErrForbidden, ErrNotFound, *FieldError.
func (rc *Recordings) HoldRecording(ctx context.Context, a firm.Actor, id uuid.UUID, on bool, reason string) error {
	if reason = firm.CleanText(reason); on && reason == "" {
		return firm.Wrong("reason", "say why it has to be kept")
	}
	r, err := rc.within(ctx, a, rights.DeleteRecordings, id)
	if err != nil {
		return err
	}
	p := db.HoldRecordingParams{ID: id, Why: reason}
	what := "let the recording go"
	if on {
		what = "held the recording"
		p.HeldAt, p.HeldBy = optional.Time(rc.Clock.Now()), &a.ID
	}
	if err := rc.Store.Tx(ctx, func(q *db.Queries) error {
		if n, err := q.HoldRecording(ctx, p); err != nil || n == 0 {
			return errors.Join(err, firm.ErrNotFound)
		}
		return rc.Audited(ctx, q, a, "call", r.CallID, what, map[string]string{}, map[string]string{what: reason})
	}); err != nil {
		return err
	}
	rc.PublishHistory(&r.CallID)
	return rc.tellExpiry(ctx)
}
