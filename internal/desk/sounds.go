package desk

import (
	"context"
	"errors"
	"io"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/audio"
	"trundo/internal/formats"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

const (
	// MaxSound is how long a sound that people bring may be, and minSound how short.
	MaxSound = 3 * time.Minute
	minSound = 300 * time.Millisecond
)

// Errors about sounds that people bring.
var (
	ErrSoundLong  = errors.New("this sound is longer than three minutes")
	ErrSoundShort = errors.New("this sound is shorter than a third of a second")
)

// AddSound keeps a sound that a recorded or brought, as a WAV file of any usual form, and tells how long it is. Errors: *FieldError.
func (d *Desk) AddSound(ctx context.Context, a Actor, name string, r io.Reader) (id uuid.UUID, long time.Duration, err error) {
	samples, err := formats.ReadWAV(r, MaxSound+time.Second)
	if errors.Is(err, formats.ErrWAVLong) {
		err = ErrSoundLong
	}
	if err != nil {
		return id, 0, &FieldError{"sound", err}
	}
	switch long = time.Duration(len(samples)) * time.Second / audio.Rate; {
	case long > MaxSound:
		return id, 0, &FieldError{"sound", ErrSoundLong}
	case long < minSound:
		return id, 0, &FieldError{"sound", ErrSoundShort}
	}
	codes := make([]byte, len(samples))
	audio.EncodeFrame(codes, samples)
	id = store.NewID()
	return id, long, d.Store.InsertSound(ctx, db.InsertSoundParams{ID: id, UserID: a.ID, Name: cleanText(name), Codes: codes, CreatedAt: d.Clock.Now()})
}

// SoundFile is such a sound as a WAV file. Error: ErrNotFound.
func (d *Desk) SoundFile(ctx context.Context, id uuid.UUID) ([]byte, error) {
	s, err := d.Store.Sound(ctx, id)
	if store.NotFound(err) {
		return nil, ErrNotFound
	} else if err != nil {
		return nil, err
	}
	return append(formats.WAVHeader(1, len(s.Codes)), s.Codes...), nil
}

// SpokenFile is a text as it would be spoken, as a WAV file. Error: *FieldError.
func (d *Desk) SpokenFile(ctx context.Context, text string) ([]byte, error) {
	if text = cleanText(text); text == "" || len(text) > 2000 {
		return nil, wrong("text", "a text of 1 to 2000 letters can be spoken")
	}
	codes, err := d.spoken(ctx, text)
	if err != nil {
		return nil, err
	}
	if len(codes) == 0 {
		return nil, wrong("text", "this server has no voice")
	}
	return append(formats.WAVHeader(1, len(codes)), codes...), nil
}

// soundCheck tells whether a sound that somebody names is there.
func (d *Desk) soundCheck(ctx context.Context, field string, id *uuid.UUID) error {
	if id == nil {
		return nil
	}
	if _, err := d.Store.Sound(ctx, *id); store.NotFound(err) {
		return wrong(field, "this sound is not there")
	} else if err != nil {
		return err
	}
	return nil
}

// heardAs is what is heard for a text, or for the sound in its place.
func (d *Desk) heardAs(ctx context.Context, text string, sound *uuid.UUID) ([]byte, error) {
	if sound != nil {
		if s, err := d.Store.Sound(ctx, *sound); err == nil {
			return s.Codes, nil
		}
	}
	return d.spoken(ctx, text) // a greeting that is spoken is better than none
}
