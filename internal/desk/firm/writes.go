package firm

import (
	"context"
	"sync"
	"time"

	"trundo/internal/store"
)

// Writes are what is still to be written down, in order, as soon as the database takes it: nobody waits for that. Its
// methods may be called from any goroutine.
type Writes struct {
	of   *Firm
	what string // that is written, for the log
	done func() // is told after each

	mu   sync.Mutex
	todo []func(context.Context) error
}

// NewWrites makes a row of what is to be written down; done, which may be nil, is told after each.
func NewWrites(f *Firm, what string, done func()) *Writes {
	if done == nil {
		done = func() {}
	}
	return &Writes{of: f, what: what, done: done}
}

// awayFor is how long a database that is away is left alone.
const awayFor = 400 * time.Millisecond

// Add puts something at the end of the row.
func (w *Writes) Add(do func(context.Context) error) {
	w.mu.Lock()
	w.todo = append(w.todo, do)
	begins := len(w.todo) == 1
	w.mu.Unlock()
	if begins {
		w.of.InBackground(w.on)
	}
}

// Settled tells whether all of it is written down.
func (w *Writes) Settled() bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	return len(w.todo) == 0
}

func (w *Writes) on(ctx context.Context) {
	for {
		w.mu.Lock()
		do := w.todo[0]
		w.mu.Unlock()
		err := do(ctx)
		for store.Away(err) && ctx.Err() == nil {
			select {
			case <-ctx.Done():
			case <-time.After(awayFor):
				err = do(ctx)
			}
		}
		if err != nil && ctx.Err() == nil {
			w.of.Log.Error("something was not written down", "what", w.what, "error", err)
		}
		w.done()
		w.mu.Lock()
		w.todo = w.todo[1:]
		last := len(w.todo) == 0
		w.mu.Unlock()
		if last {
			return
		}
	}
}
