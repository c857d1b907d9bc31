package calls

import (
	"context"
	"errors"
	"io"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/audio"
	"trundo/internal/desk/firm"
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

// AddSound keeps a sound that a recorded or brought, as a WAV file of any usual form, and tells how long it is. Errors:
// *FieldError.
func (vs *Voices) AddSound(ctx context.Context, a firm.Actor, name string,
	r io.Reader) (id uuid.UUID, long time.Duration, err error) {
	samples, err := formats.ReadWAV(r, MaxSound+time.Second)
	if errors.Is(err, formats.ErrWAVLong) {
		err = ErrSoundLong
	}
	if err != nil {
		return id, 0, firm.About("sound", err)
	}
	switch long = time.Duration(len(samples)) * time.Second / audio.Rate; {
	case long > MaxSound:
		return id, 0, firm.About("sound", ErrSoundLong)
	case long < minSound:
		return id, 0, firm.About("sound", ErrSoundShort)
	}
	codes := make([]byte, len(samples))
	audio.EncodeFrame(codes, samples)
	id = store.NewID()
	return id, long, vs.Store.InsertSound(ctx,
		db.InsertSoundParams{ID: id, UserID: a.ID, Name: firm.CleanText(name), Codes: codes, CreatedAt: vs.Clock.Now()})
}

// SoundFile is such a sound as a WAV file. Error: ErrNotFound.
func (vs *Voices) SoundFile(ctx context.Context, id uuid.UUID) ([]byte, error) {
	s, err := vs.Store.Sound(ctx, id)
	if store.NotFound(err) {
		return nil, firm.ErrNotFound
	} else if err != nil {
		return nil, err
	}
	return append(formats.WAVHeader(1, len(s.Codes)), s.Codes...), nil
}

// SpokenFile is a text as it would be spoken in a language, as a WAV file. Error: *FieldError.
func (vs *Voices) SpokenFile(ctx context.Context, text, language string) ([]byte, error) {
	if text = firm.CleanText(text); text == "" || len(text) > 2000 {
		return nil, firm.Wrong("text", "a text of 1 to 2000 letters can be spoken")
	}
	codes, err := vs.heardIn(ctx, VoiceOf(language), text, nil)
	if err != nil {
		return nil, err
	}
	if len(codes) == 0 {
		return nil, firm.Wrong("text", "this server has no voice")
	}
	return append(formats.WAVHeader(1, len(codes)), codes...), nil
}

// soundCheck tells whether a sound that somebody names is there.
func (vs *Voices) soundCheck(ctx context.Context, field string, id *uuid.UUID) error {
	if id == nil {
		return nil
	}
	if _, err := vs.Store.Sound(ctx, *id); store.NotFound(err) {
		return firm.Wrong(field, "this sound is not there")
	} else if err != nil {
		return err
	}
	return nil
}

// heardAs is what is heard for a text, or for the sound in its place.
func (vs *Voices) heardAs(ctx context.Context, text string, sound *uuid.UUID) ([]byte, error) {
	if sound != nil {
		if s, err := vs.Store.Sound(ctx, *sound); err == nil {
			return s.Codes, nil
		}
	}
	return vs.spoken(ctx, text) // a greeting that is spoken is better than none
}
