package app

import (
	"context"
	"errors"
	"fmt"
	"net/url"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
	"trundo/internal/recogniser"
)

// transcriberAt is the recogniser at an address; nil without one.
func transcriberAt(address, token string) (firm.Transcriber, error) {
	if address == "" {
		return nil, nil
	}
	if u, err := url.Parse(address); err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" {
		return nil, fmt.Errorf("TRUNDO_RECOGNISER: %q is no address of a program", address)
	}
	return transcriber{recogniser.New(address, token)}, nil
}

// transcriber lets a recogniser write the desk's recordings down.
type transcriber struct{ *recogniser.Recogniser }

// Transcribe implements firm.Transcriber.
func (t transcriber) Transcribe(ctx context.Context, h firm.Heard) (contract.Transcript, error) {
	sound, err := h.Sound(ctx)
	if err != nil {
		return contract.Transcript{}, fmt.Errorf("%w: %w", firm.ErrNotWritten, err)
	}
	defer sound.Close()
	heard, err := t.Recogniser.Transcribe(ctx, sound.Type, sound)
	if errors.Is(err, recogniser.ErrRefused) {
		err = fmt.Errorf("%w: %w", firm.ErrNotWritten, err)
	}
	if err != nil {
		return contract.Transcript{}, err
	}
	v := contract.Transcript{Source: heard.Source, OursKnown: true, Phrases: []contract.Phrase{}}
	if v.Source == "" {
		v.Source = "the recogniser"
	}
	if heard.Language != "" {
		v.Language = &heard.Language
	}
	for _, p := range heard.Phrases {
		v.Phrases = append(
			v.Phrases,
			contract.Phrase{FromMs: p.FromMs, ToMs: p.ToMs, Ours: p.Channel == 0, Text: p.Text,
				Confidence: p.Confidence},
		)
	}
	return v, nil
}
