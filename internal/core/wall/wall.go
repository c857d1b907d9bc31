// Package wall says who of a team needs somebody, why, and in which order they stand on the wall.
//
// It must not know who looks, calls, or how anything is shown.
package wall

import (
	"cmp"
	"fmt"
	"slices"
	"time"
)

// Kind is what somebody is doing.
type Kind string

// The kinds, in the order in which they stand among those who need nobody.
const (
	Speaking Kind = "speaking"
	Ringing  Kind = "ringing"
	Wrapping Kind = "wrapping"
	Free     Kind = "free"
	Away     Kind = "away"
	Gone     Kind = "gone" // signed in nowhere
)

var kinds = []Kind{Speaking, Ringing, Wrapping, Free, Away, Gone}

// Limits are from when something calls for attention; 0: never.
type Limits struct {
	Talk time.Duration `json:"talk"`
	Hold time.Duration `json:"hold"`
	Wrap time.Duration `json:"wrap"`
	Wait time.Duration `json:"wait"` // in a queue
	Away time.Duration `json:"away"`
}

// Usual are the limits that a firm begins with.
var Usual = Limits{
	Talk: 20 * time.Minute,
	Hold: time.Minute,
	Wrap: 5 * time.Minute,
	Wait: time.Minute,
	Away: 30 * time.Minute,
}

// Row is somebody of the team.
type Row struct {
	Name  string
	Kind  Kind
	Since time.Time // zero: not known
	Held  time.Time // since when somebody outside waits in their call; zero: nobody does
	Asks  bool      // they have asked for help
}

// Needs are the reasons why somebody should look, the most urgent first. They are for the reader, and do not change
// from
// second to second.
func (l Limits) Needs(r Row, now time.Time) (needs []string) {
	over := func(since time.Time, limit time.Duration) bool {
		return limit > 0 && !since.IsZero() && now.Sub(since) >= limit
	}
	if r.Asks {
		needs = append(needs, "asks for help")
	}
	if over(r.Held, l.Hold) {
		needs = append(needs, "customer on hold for more than "+said(l.Hold))
	}
	switch {
	case r.Kind == Speaking && over(r.Since, l.Talk):
		needs = append(needs, "speaking for more than "+said(l.Talk))
	case r.Kind == Wrapping && over(r.Since, l.Wrap):
		needs = append(needs, "wrapping up for more than "+said(l.Wrap))
	case r.Kind == Away && over(r.Since, l.Away):
		needs = append(needs, "away for more than "+said(l.Away))
	}
	return needs
}

// said is a time in whole minutes, or seconds below one and a half.
func said(d time.Duration) string {
	switch {
	case d == time.Second:
		return "a second"
	case d < 90*time.Second && d != time.Minute:
		return fmt.Sprintf("%d seconds", int(d.Seconds()))
	case d.Round(time.Minute) == time.Minute:
		return "a minute"
	}
	return fmt.Sprintf("%d minutes", int(d.Minutes()))
}

// Order puts rows into the order of the wall: those who need somebody before, the more reasons the higher; then by what
// they
// do; who does it longest first; then by name.
func (l Limits) Order(rows []Row, now time.Time) []int {
	order := make([]int, len(rows))
	needs := make([]int, len(rows))
	for i, r := range rows {
		order[i], needs[i] = i, len(l.Needs(r, now))
	}
	slices.SortStableFunc(order, func(a, b int) int {
		x, y := rows[a], rows[b]
		return cmp.Or(
			cmp.Compare(needs[b], needs[a]),
			cmp.Compare(slices.Index(kinds, x.Kind), slices.Index(kinds, y.Kind)),
			x.Since.Compare(y.Since),
			cmp.Compare(x.Name, y.Name),
		)
	})
	return order
}
