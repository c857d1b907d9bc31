//go:build drill

package main

import (
	"os"
	"time"

	"github.com/jonboulle/clockwork"
)

// clock is that of a machine whose clock is wrong by TRUNDO_DRILL_CLOCK. Only the drill's binary has it.
func clock() clockwork.Clock {
	wrong, _ := time.ParseDuration(os.Getenv("TRUNDO_DRILL_CLOCK"))
	return wrongClock{clockwork.NewRealClock(), wrong}
}

type wrongClock struct {
	clockwork.Clock
	by time.Duration
}

func (c wrongClock) Now() time.Time { return c.Clock.Now().Add(c.by) }

func (c wrongClock) Since(t time.Time) time.Duration { return c.Now().Sub(t) }

func (c wrongClock) Until(t time.Time) time.Duration { return t.Sub(c.Now()) }
