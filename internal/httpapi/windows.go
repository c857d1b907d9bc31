package httpapi

import (
	"errors"
	"sync"
	"time"

	"github.com/google/uuid"
)

// How many windows may listen at once: of one person, and of all.
const (
	windowsOfOne = 30
	windowsOfAll = 3_000
)

var errTooManyWindows = errors.New("too many windows are open; close some of them")

// windows are the open streams of live events, so that they end with their session.
type windows struct {
	mu  sync.Mutex
	all map[*openWindow]struct{}
}

// openWindow is one of them; end ends it.
type openWindow struct {
	user    uuid.UUID
	cookie  string
	session string // its name
	end     func()
}

func newWindows() *windows { return &windows{all: map[*openWindow]struct{}{}} }

// add takes a window in; the answer takes it out. Error: errTooManyWindows.
func (w *windows) add(x *openWindow) (func(), error) {
	w.mu.Lock()
	defer w.mu.Unlock()
	mine := 0
	for o := range w.all {
		if o.user == x.user {
			mine++
		}
	}
	if mine >= windowsOfOne || len(w.all) >= windowsOfAll {
		return nil, errTooManyWindows
	}
	w.all[x] = struct{}{}
	return func() {
		w.mu.Lock()
		defer w.mu.Unlock()
		delete(w.all, x)
	}, nil
}

// endSession ends the windows of a session.
func (w *windows) endSession(cookie string) {
	w.endThose(func(x *openWindow) bool { return x.cookie == cookie })
}

// endUser ends all windows of somebody.
func (w *windows) endUser(user uuid.UUID) {
	w.endThose(func(x *openWindow) bool { return x.user == user })
}

func (w *windows) endThose(these func(*openWindow) bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	for x := range w.all {
		if these(x) {
			x.end()
		}
	}
}

// AwaitWindows waits until every window has heard that its stream ends, but no longer than patience.
func (s *Server) AwaitWindows(patience time.Duration) {
	empty := func() bool {
		s.windows.mu.Lock()
		defer s.windows.mu.Unlock()
		return len(s.windows.all) == 0
	}
	for until := time.Now().Add(patience); !empty() && time.Now().Before(until); {
		time.Sleep(5 * time.Millisecond)
	}
}
