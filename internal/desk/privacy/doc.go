// Package privacy is what the firm owes to those it keeps things about: everything about a person as a file, a person
// erased, whom the law holds, to what somebody agreed, and for how long things are kept at all.
//
// It knows the firm alone. Where sounds lie is asked of Sounds. It must not decide what a record or a call is.
package privacy

import (
	"context"
	"time"

	"github.com/google/uuid"

	"trundo/internal/desk/firm"
)

// Privacy is what the firm owes to those it keeps things about. Its methods may be called from any goroutine.
type Privacy struct {
	*firm.Firm
	sounds Sounds
}

// Sounds is what this package asks of recordings.
type Sounds interface {
	// RemoveSound removes a recording's sound from wherever it lies; one that is gone is no error.
	RemoveSound(ctx context.Context, file, stored string) error
	// SoundOf opens the sound of a recording.
	SoundOf(ctx context.Context, recording uuid.UUID) (firm.Sound, error)
}

// New makes it. Use must be called before anything else.
func New(k *firm.Firm) *Privacy { return &Privacy{Firm: k} }

// Use hands in who knows where sounds lie.
func (pv *Privacy) Use(s Sounds) { pv.sounds = s }

// forgetEvery is how often it is looked what has been kept for long enough.
const forgetEvery = time.Hour

// Start goes on with erasures that an earlier run had begun, and forgets what is older than the firm keeps it, until
// the
// desk closes.
func (pv *Privacy) Start() {
	pv.InBackground(func(ctx context.Context) {
		pv.resume(ctx)
		tick := pv.Clock.NewTicker(forgetEvery)
		defer tick.Stop()
		for {
			if _, err := pv.Forget(ctx); err != nil && ctx.Err() == nil {
				pv.Log.Warn("forgetting what was kept for long enough", "error", err)
			}
			select {
			case <-ctx.Done():
				return
			case <-tick.Chan():
			}
		}
	})
}
