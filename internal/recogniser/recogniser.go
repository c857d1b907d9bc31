// Package recogniser has recordings written down by a program that is reached over HTTP. What it asks and what it
// expects is
// described in docs/operating.md ("Writing down what is said").
//
// It must not know calls, records, or who may read what was said; nor does it try again: it says whether that may help.
package recogniser

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"time"
)

// patience is for how long an answer is waited for: an hour of sound may take minutes.
const patience = 30 * time.Minute

// mostAnswer is how long an answer may be.
const mostAnswer = 32 << 20

// Recogniser asks one program. Its methods may be called from any goroutine.
type Recogniser struct {
	url, token string
	client     *http.Client
}

// New is one at an address. The token, if there is one, goes with each request as a bearer token.
func New(url, token string) *Recogniser {
	return &Recogniser{url: url, token: token, client: &http.Client{Timeout: patience}}
}

// Phrase is something that was said without a break.
type Phrase struct {
	FromMs     int      `json:"from_ms"`
	ToMs       int      `json:"to_ms"`
	Channel    int      `json:"channel"` // 0: ours, 1: theirs
	Text       string   `json:"text"`
	Confidence *float64 `json:"confidence,omitempty"` // 0 to 1
}

// Heard is what a program has understood.
type Heard struct {
	Source   string   `json:"source"`   // what it calls itself
	Language string   `json:"language"` // BCP 47; empty: not said
	Phrases  []Phrase `json:"phrases"`
}

// ErrRefused is told where trying again does not help: the program does not take this sound, or answers what cannot be
// read.
var ErrRefused = errors.New("the recogniser does not take this recording")

// Transcribe sends a recording's sound and reads what was said in it. Errors: ErrRefused; any other may be gone later.
func (r *Recogniser) Transcribe(ctx context.Context, kind string, sound io.Reader) (h Heard, err error) {
	ask, err := http.NewRequestWithContext(ctx, http.MethodPost, r.url, sound)
	if err != nil {
		return h, err
	}
	ask.Header.Set("Content-Type", kind)
	ask.Header.Set("Accept", "application/json")
	if r.token != "" {
		ask.Header.Set("Authorization", "Bearer "+r.token)
	}
	answer, err := r.client.Do(ask)
	if err != nil {
		return h, fmt.Errorf("asking the recogniser: %w", err)
	}
	defer answer.Body.Close()
	switch code := answer.StatusCode; {
	case code == http.StatusTooManyRequests, code == http.StatusRequestTimeout, code >= http.StatusInternalServerError,
		code == http.StatusUnauthorized, code == http.StatusForbidden: // a token can be mended
		return h, fmt.Errorf("the recogniser answers %d", code)
	case code != http.StatusOK:
		return h, fmt.Errorf("%w: it answers %d", ErrRefused, code)
	}
	if err := json.NewDecoder(io.LimitReader(answer.Body, mostAnswer)).Decode(&h); err != nil {
		if ctx.Err() != nil {
			return h, ctx.Err()
		}
		return h, fmt.Errorf("%w: its answer cannot be read: %w", ErrRefused, err)
	}
	for _, p := range h.Phrases {
		if p.FromMs < 0 || p.ToMs < p.FromMs || p.Channel < 0 || p.Channel > 1 {
			return h, fmt.Errorf("%w: a phrase from %d to %d ms of channel %d", ErrRefused, p.FromMs, p.ToMs, p.Channel)
		}
	}
	return h, nil
}
