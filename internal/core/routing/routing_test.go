package routing_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/presence"
	"trundo/internal/core/routing"
)

func TestNext(t *testing.T) {
	at := func(minutes int) time.Time { return time.Date(2026, 3, 2, 9, minutes, 0, 0, time.UTC) }
	free := func(id string, since int) presence.Rep {
		return presence.Rep{ID: id, Takes: true, Window: true, Since: at(since)}
	}
	away, busy, gone := free("away", 0), free("busy", 0), free("gone", 0)
	away.Takes, busy.Calls, gone.Window = false, 1, false
	full, writing := free("full", 0), free("writing", 0)
	full.Calls, writing.WrappingSince = 2, at(1)
	reps := []presence.Rep{away, free("ines", 30), busy, free("tomas", 10), gone, free("maren", 20)}
	rule := func(m routing.Mode) routing.Rule {
		return routing.Rule{Mode: m, Rings: 20 * time.Second, Limit: time.Minute, Open: true,
			Unanswered: routing.Voicemail, Closed: routing.Announcement}
	}
	closed := rule(routing.All)
	closed.Open = false
	tests := map[string]struct {
		rule   routing.Rule
		reps   []presence.Rep
		tried  []string
		waited time.Duration
		want   routing.Step
	}{
		"all at once": {rule(routing.All), reps, nil, 0,
			routing.Step{Ring: []string{"ines", "tomas", "maren"}, For: 20 * time.Second}},
		"longest idle first": {rule(routing.LongestIdle), reps, nil, 0,
			routing.Step{Ring: []string{"tomas"}, For: 20 * time.Second}},
		"then the next": {rule(routing.LongestIdle), reps, []string{"tomas"}, 20 * time.Second,
			routing.Step{Ring: []string{"maren"}, For: 20 * time.Second}},
		"in order": {rule(routing.InOrder), reps, nil, 0,
			routing.Step{Ring: []string{"ines"}, For: 20 * time.Second}},
		"only for what is left of it": {rule(routing.InOrder), reps, []string{"ines"}, 50 * time.Second,
			routing.Step{Ring: []string{"tomas"}, For: 10 * time.Second}},
		"as long as it may": {rule(routing.All), reps, nil, time.Minute,
			routing.Step{Then: routing.Voicemail, Why: "it rang for as long as it may"}},
		"all have been tried": {rule(routing.All), reps, []string{"ines", "tomas", "maren", "busy"},
			20 * time.Second, routing.Step{Then: routing.Voicemail, Why: "nobody answered"}},
		"nobody takes calls": {rule(routing.All), []presence.Rep{away, full, writing, gone}, nil, 0,
			routing.Step{Then: routing.Voicemail, Why: "nobody was available"}},
		"who speaks, when nobody else is left": {rule(routing.All), reps, []string{"ines", "tomas", "maren"},
			20 * time.Second, routing.Step{Ring: []string{"busy"}, For: 20 * time.Second}},
		"who speaks, when nobody else is there": {rule(routing.InOrder), []presence.Rep{away, writing, busy}, nil, 0,
			routing.Step{Ring: []string{"busy"}, For: 20 * time.Second}},
		"nobody at all": {rule(routing.All), nil, nil, 0,
			routing.Step{Then: routing.Voicemail, Why: "nobody was available"}},
		"closed": {closed, reps, nil, 0,
			routing.Step{Then: routing.Announcement, Why: "the line was closed"}},
		"who comes while others decline": {rule(routing.All), reps, []string{"ines"}, time.Second,
			routing.Step{Ring: []string{"tomas", "maren"}, For: 20 * time.Second}},
	}
	for name, tt := range tests {
		t.Run(name, func(t *testing.T) {
			tried := map[string]bool{}
			for _, id := range tt.tried {
				tried[id] = true
			}
			assert.Equal(t, tt.want, routing.Next(tt.rule, tt.reps, tried, tt.waited))
		})
	}
}

func ExampleNext() {
	step := routing.Next(routing.Rule{Mode: routing.All, Rings: 20 * time.Second, Limit: time.Minute, Open: true},
		[]presence.Rep{{ID: "ines", Takes: true, Window: true}, {ID: "tomas"}}, nil, 0)
	fmt.Println(step.Ring, step.For)
	// Output: [ines] 20s
}
