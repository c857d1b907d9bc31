// Package usage is how much the firm uses in a month, by rep, team and line, what that costs, and what it allows itself.
//
// It knows the firm alone: what was used is counted from what calls, messages and recordings have left. It must not begin
// or end anything; whoever is about to begin something asks firm.Limits, which this package answers.
package usage

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/usage"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
)

// Usage is how much the firm uses. Its methods may be called from any goroutine.
type Usage struct {
	*firm.Firm

	mu    sync.Mutex
	known *month
}

// New makes it.
func New(k *firm.Firm) *Usage { return &Usage{Firm: k} }

// countedFor is for how long a count holds where somebody is about to begin something.
const countedFor = 30 * time.Second

// amounts are what was used, by what it is.
type amounts map[usage.What]int64

func (a amounts) add(w usage.What, n int64) {
	a[w] += n
}

// month is what was used in a month, and what is allowed.
type month struct {
	since, until time.Time
	counted      time.Time
	firm         amounts
	reps, lines  map[uuid.UUID]amounts
	teams        map[string]amounts
	cost         map[uuid.UUID]int64 // of lines, in minor units
	total        int64
	limits       []limit
	names        map[uuid.UUID]string
}

// limit is what is allowed of something.
type limit struct {
	ID     uuid.UUID
	What   usage.What
	Scope  usage.Scope
	Of     string
	Amount int64
	Hard   bool
}

// used is how much of what a limit is for was used.
func (m *month) used(l limit) int64 {
	switch l.Scope {
	case usage.Team:
		return m.teams[l.Of][l.What]
	case usage.Rep, usage.Line:
		id, err := uuid.Parse(l.Of)
		if err != nil {
			return 0
		}
		if l.Scope == usage.Rep {
			return m.reps[id][l.What]
		}
		return m.lines[id][l.What]
	}
	return m.firm[l.What]
}

// Refuses tells whether a hard limit stands against something that a is about to begin, by a line of the firm's or none.
// Where use cannot be counted nothing is refused. Error: firm.ErrLimit.
func (us *Usage) Refuses(ctx context.Context, what usage.What, a firm.Actor, line *uuid.UUID) error {
	m, err := us.lately(ctx)
	if err != nil {
		if !store.Away(err) && !errors.Is(err, context.Canceled) {
			us.Log.Warn("counting use", "error", err)
		}
		return nil
	}
	for _, l := range m.limits {
		if !l.Hard || l.What != what || !concerns(l, a, line) || usage.Of(m.used(l), l.Amount) != usage.Over {
			continue
		}
		return fmt.Errorf("%w: %d %s a month are used", firm.ErrLimit, l.Amount, what)
	}
	return nil
}

// concerns tells whether a limit holds for what a does by a line.
func concerns(l limit, a firm.Actor, line *uuid.UUID) bool {
	switch l.Scope {
	case usage.Firm:
		return true
	case usage.Rep:
		return l.Of == a.ID.String()
	case usage.Line:
		return line != nil && l.Of == line.String()
	case usage.Team:
		for _, t := range a.Teams {
			if t == l.Of {
				return true
			}
		}
	}
	return false
}

// lately is this month as it was counted a moment ago. Without a hard limit nothing is counted.
func (us *Usage) lately(ctx context.Context) (*month, error) {
	us.mu.Lock()
	defer us.mu.Unlock()
	now := us.Clock.Now()
	if us.known != nil && now.Sub(us.known.counted) < countedFor && now.Before(us.known.until) {
		return us.known, nil
	}
	limits, err := us.limits(ctx)
	if err != nil {
		return nil, err
	}
	hard := false
	for _, l := range limits {
		hard = hard || l.Hard
	}
	since, until := us.monthOf(now)
	m := &month{since: since, until: until, counted: now}
	if hard {
		if m, err = us.count(ctx, since, until); err != nil {
			return nil, err
		}
	}
	us.known = m
	return m, nil
}

// changed lets use be counted anew.
func (us *Usage) changed() {
	us.mu.Lock()
	us.known = nil
	us.mu.Unlock()
}
