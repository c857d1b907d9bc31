package firm

import (
	"context"
	"sync"
	"sync/atomic"
	"time"

	"trundo/internal/core/callable"
	"trundo/internal/journal"
	"trundo/internal/live"
)

// Firm is what every area of the desk stands on. Its methods may be called from any goroutine.
type Firm struct {
	*Config
	Hub     *live.Hub
	Hours   callable.Hours  // at which anybody may be called
	Journal *journal.Writer // saves facts and notes behind the call's back
	Epoch   int64           // of this server: which of its runs this is
	Limits  Limits          // of what the firm allows itself; handed in by the desk
	Outbox  Outbox          // tells other programs; handed in by the desk
	Mailer  Mailer          // sends mails of the firm itself; handed in by the desk

	settings     Cache[*Settings]
	lastSettings atomic.Pointer[Settings] // however old
	actors       sync.Map                 // uuid.UUID to cachedActor
	hashing      *hashing
	memo         memo

	background context.Context // ends when the desk closes
	stop       context.CancelFunc
	working    sync.WaitGroup
}

// New makes the firm of a server. It does nothing yet: the desk hands in the journal, the epoch and the outbox first.
func New(c *Config) *Firm {
	k := &Firm{Config: c, Hours: callable.DefaultHours, Hub: live.New(c.Clock.Now), hashing: newHashing()}
	k.background, k.stop = context.WithCancel(context.Background())
	return k
}

// Stop ends what goes on in the background, and waits for it.
func (k *Firm) Stop() {
	k.stop()
	k.working.Wait()
}

// Background ends when the desk closes.
func (k *Firm) Background() context.Context { return k.background }

// InBackground runs work that outlives its request, until the desk closes.
func (k *Firm) InBackground(work func(context.Context)) {
	k.working.Add(1)
	go func() {
		defer k.working.Done()
		work(k.background)
	}()
}

// Pause waits for so long on the desk's clock; false: ctx has ended.
func (k *Firm) Pause(ctx context.Context, long time.Duration) bool {
	timer := k.Clock.NewTimer(long)
	defer timer.Stop()
	select {
	case <-ctx.Done():
		return false
	case <-timer.Chan():
		return true
	}
}
