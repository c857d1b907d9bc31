// Package staff is who belongs to the firm: they are added, changed, invited, given a way in again, switched off with
// what they leave behind in other hands, and switched on.
//
// It knows the firm alone. What becomes of their rounds is asked of Rounds. It must
// not know calls: whoever is in one leaves when it is over, which the database tells.
package staff

import (
	"context"
	"sync"
	"time"

	"github.com/google/uuid"

	"trundo/internal/desk/firm"
)

// Staff is who belongs to the firm. Its methods may be called from any goroutine.
type Staff struct {
	*firm.Firm
	rounds Rounds

	mu        sync.Mutex
	firstCode string // by which somebody becomes the first admin; empty: none was made, or it was used
}

// Rounds is what this package asks of rounds.
type Rounds interface {
	// GiveUp takes somebody out of a round, and hands their work on it to a colleague where one is named.
	GiveUp(ctx context.Context, who firm.Actor, round uuid.UUID, to *uuid.UUID) error
}

// New makes who belongs to a firm. Use must be called before anything else.
func New(k *firm.Firm) *Staff { return &Staff{Firm: k} }

// Use hands in who knows of rounds.
func (sf *Staff) Use(r Rounds) { sf.rounds = r }

// letGoEvery is how often it is looked whether the call is over during which somebody was switched off.
const letGoEvery = 2 * time.Second

// Start lets those go whose last call is over, until the desk closes.
func (sf *Staff) Start() {
	sf.InBackground(func(ctx context.Context) {
		tick := sf.Clock.NewTicker(letGoEvery)
		defer tick.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-tick.Chan():
				if err := sf.LetGo(ctx); err != nil && ctx.Err() == nil {
					sf.Log.Warn("letting go of who has left", "error", err)
				}
			}
		}
	})
}
