package firm

import (
	"context"
	"sync"
	"time"

	"golang.org/x/sync/singleflight"
)

const (
	// memoLife is how long what many ask for at once is remembered: a ring is drawn in every window that it reaches at
	// the same moment.
	memoLife = time.Second
	// memoMost is how many answers are remembered.
	memoMost = 2_000
)

// memo remembers answers that are the same for whoever asks, for a moment; of those who ask at once one reads.
type memo struct {
	asking singleflight.Group
	mu     sync.Mutex
	known  map[string]remembered
}

type remembered struct {
	at    time.Time
	value any
}

// SharedAnswer is the answer to key, which does not depend on who asks: the one that was read a moment ago, or a new
// one.
func SharedAnswer[T any](ctx context.Context, d *Firm, key string, read func(ctx context.Context) (T,
	error)) (T, error) {
	m := &d.memo
	m.mu.Lock()
	r, there := m.known[key]
	m.mu.Unlock()
	if v, is := r.value.(T); there && is && d.Clock.Since(r.at) < memoLife {
		return v, nil
	}
	v, err, _ := m.asking.Do(key, func() (any, error) {
		ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), carryPatience) // others wait for it too
		defer cancel()
		v, err := read(ctx)
		if err != nil {
			return v, err
		}
		m.mu.Lock()
		defer m.mu.Unlock()
		if len(m.known) >= memoMost || m.known == nil {
			m.known = map[string]remembered{}
		}
		m.known[key] = remembered{d.Clock.Now(), v}
		return v, nil
	})
	got, _ := v.(T)
	return got, err
}
