package outreach

import (
	"context"
	"time"

	"trundo/internal/store"
)

// lookAgain is how often it is looked for work of other servers.
const lookAgain = time.Minute

// whenDue does work until the desk ends: when it is woken, and when next says that something is due. What it is called
// stands in the log.
func (ou *Outreach) whenDue(ctx context.Context, what string, woken <-chan struct{}, do func(context.Context) error,
	next func(context.Context) (time.Time, error)) {
	for {
		wait := lookAgain
		if err := do(ctx); err != nil && ctx.Err() == nil && !store.Away(err) {
			ou.Log.Error(what, "error", err)
		} else if at, err := next(ctx); err == nil {
			wait = min(wait, max(at.Sub(ou.Clock.Now()), 10*time.Millisecond))
		}
		timer := ou.Clock.NewTimer(wait)
		select {
		case <-ctx.Done():
			timer.Stop()
			return
		case <-woken:
			timer.Stop()
		case <-timer.Chan():
		}
	}
}

// wake lets work that waits be done now.
func wake(work chan struct{}) {
	select {
	case work <- struct{}{}:
	default:
	}
}
