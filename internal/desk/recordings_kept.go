package desk

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"time"

	"github.com/google/uuid"

	"trundo/internal/blobs"
	"trundo/internal/core/recording"
	"trundo/internal/media"
	"trundo/internal/store/db"
)

const (
	// keepEvery is how often it is looked for recordings to put away and to delete.
	keepEvery = time.Minute
	// settled is how long a recording stays on the disk of its server, where it is heard most, before it is compressed and put away.
	settled = 15 * time.Minute
)

// Sound is a recording's sound, to be read from anywhere.
type Sound struct {
	io.ReadSeekCloser
	Type, Ending string // "audio/wav", ".wav"
}

// keepRecordings puts recordings away and deletes what was kept for long enough, until the desk closes.
func (d *Desk) keepRecordings(ctx context.Context) {
	ticker := time.NewTicker(keepEvery)
	defer ticker.Stop()
	for {
		if err := d.KeepRecordings(ctx); err != nil && ctx.Err() == nil {
			d.Log.Warn("keeping recordings", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-ticker.C:
		}
	}
}

// KeepRecordings compresses what is settled and puts it into the store of recordings, says what will be deleted, and deletes what is due.
func (d *Desk) KeepRecordings(ctx context.Context) error {
	return errors.Join(d.storeRecordings(ctx), d.tellExpiry(ctx), d.deleteExpired(ctx))
}

// storeRecordings compresses recordings of this server's disk, without loss, and puts them away. The file goes when the database knows the new place.
func (d *Desk) storeRecordings(ctx context.Context) error {
	if d.Recordings == nil {
		return nil
	}
	rows, err := d.Store.RecordingsToStore(ctx, db.RecordingsToStoreParams{Server: d.Server, Before: d.Clock.Now().Add(-settled)})
	if err != nil {
		return err
	}
	for _, r := range rows {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if err := d.storeRecording(ctx, r); err != nil {
			d.Log.Error("a recording stays on this server's disk", "call", r.CallID, "file", r.File, "error", err)
		}
	}
	return nil
}

func (d *Desk) storeRecording(ctx context.Context, r db.RecordingsToStoreRow) error {
	from := d.recordingFile(r.File)
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
	if err := d.Recordings.Put(ctx, name, "audio/flac", f, info.Size()); err != nil {
		return fmt.Errorf("putting a recording away: %w", err)
	}
	n, err := d.Store.Stored(ctx, db.StoredParams{ID: r.ID, Stored: name, StoredBytes: info.Size()})
	if err != nil {
		return err
	}
	if n == 0 { // deleted meanwhile
		return d.removeSound(ctx, r.File, name)
	}
	return os.Remove(from)
}

// openSound opens a recording's sound, wherever it is.
func (d *Desk) openSound(ctx context.Context, file, stored string) (Sound, error) {
	if stored == "" {
		f, err := os.Open(d.recordingFile(file))
		if err != nil {
			return Sound{}, ErrNoSound
		}
		return Sound{f, "audio/wav", ".wav"}, nil
	}
	if d.Recordings == nil {
		return Sound{}, ErrNoSound
	}
	r, err := d.Recordings.Open(ctx, stored)
	if err != nil {
		if !errors.Is(err, blobs.ErrNone) {
			d.Log.Error("the store of recordings", "file", stored, "error", err)
		}
		return Sound{}, ErrNoSound
	}
	return Sound{r, "audio/flac", ".flac"}, nil
}

// removeSound removes a recording's sound from wherever it is.
func (d *Desk) removeSound(ctx context.Context, file, stored string) error {
	if err := os.Remove(d.recordingFile(file)); err != nil && !errors.Is(err, os.ErrNotExist) {
		return fmt.Errorf("the sound could not be removed: %w", err)
	}
	if stored == "" || d.Recordings == nil {
		return nil
	}
	if err := d.Recordings.Delete(ctx, stored); err != nil {
		return fmt.Errorf("the sound could not be removed: %w", err)
	}
	return nil
}

// tellExpiry says of recordings when they will be deleted, or no longer, by the firm's policy.
func (d *Desk) tellExpiry(ctx context.Context) error {
	f, err := d.firm(ctx)
	if err != nil {
		return err
	}
	now := d.Clock.Now()
	policy := f.keeping.policy()
	calls, messages := d.limits(policy, now.Add(recording.Notice))
	rows, err := d.Store.RecordingsToTell(ctx, db.RecordingsToTellParams{CallsBefore: calls, MessagesBefore: messages})
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
			changes = append(changes, db.TellExpiryParams{ID: r.ID, ExpiresAt: set(at)})
		}
	}
	if len(changes) == 0 {
		return nil
	}
	return every(d.Store.TellExpiry(ctx, changes).Exec)
}

// deleteExpired deletes what has been kept for long enough, and leaves that it was there.
func (d *Desk) deleteExpired(ctx context.Context) error {
	now := d.Clock.Now()
	rows, err := d.Store.RecordingsExpired(ctx, &now)
	if err != nil {
		return err
	}
	for _, r := range rows {
		if _, err := os.Stat(d.recordingFile(r.File)); r.Stored == "" && r.Server != d.Server && err != nil {
			continue // its own server does it
		}
		n, err := d.Store.DeleteRecording(ctx, db.DeleteRecordingParams{ID: r.ID, At: &now, Why: "kept for as long as it was to be"})
		if err != nil {
			return err
		}
		if n == 0 {
			continue // held meanwhile
		}
		if err := d.removeSound(ctx, r.File, r.Stored); err != nil {
			d.Log.Error("an expired recording", "call", r.CallID, "error", err)
		}
		d.publishHistory(&r.CallID)
	}
	return nil
}

// HoldRecording keeps a recording from being deleted, or lets it go again; reason says why it has to be kept. Errors: ErrForbidden, ErrNotFound, *FieldError.
func (d *Desk) HoldRecording(ctx context.Context, a Actor, id uuid.UUID, on bool, reason string) error {
	if !a.mayDo(Delete) {
		return ErrForbidden
	}
	if reason = cleanText(reason); on && reason == "" {
		return wrong("reason", "say why it has to be kept")
	}
	r, err := d.hearable(ctx, a, id)
	if err != nil {
		return err
	}
	p := db.HoldRecordingParams{ID: id, Why: reason}
	what := "let the recording go"
	if on {
		what = "held the recording"
		p.HeldAt, p.HeldBy = set(d.Clock.Now()), &a.ID
	}
	if err := d.Store.Tx(ctx, func(q *db.Queries) error {
		if n, err := q.HoldRecording(ctx, p); err != nil || n == 0 {
			return errors.Join(err, ErrNotFound)
		}
		return d.audited(ctx, q, a, "call", r.CallID, what, map[string]string{}, map[string]string{what: reason})
	}); err != nil {
		return err
	}
	d.publishHistory(&r.CallID)
	return d.tellExpiry(ctx)
}
