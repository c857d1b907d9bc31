package queue_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/queue"
)

var noon = time.Date(2026, 12, 1, 12, 0, 0, 0, time.UTC)

func ago(d time.Duration) time.Time { return noon.Add(-d) }

// voice is a caller who has waited for so long.
func voice(id string, waited time.Duration, how ...func(*queue.Work)) queue.Work {
	w := queue.Work{ID: id, Queue: "service", Voice: true, Since: ago(waited)}
	for _, f := range how {
		f(&w)
	}
	return w
}

func needs(skill string, level int) func(*queue.Work) {
	return func(w *queue.Work) { w.Needs = map[string]int{skill: level} }
}

func priority(p int) func(*queue.Work) { return func(w *queue.Work) { w.Priority = p } }

func prefers(ids ...string) func(*queue.Work) {
	return func(w *queue.Work) {
		for _, id := range ids {
			w.Prefers = append(w.Prefers, queue.Preference{ID: id, Why: "owns the record"})
		}
	}
}

// idle is somebody who has been free for so long.
func idle(id string, free time.Duration, how ...func(*queue.Person)) queue.Person {
	p := queue.Person{ID: id, Queues: []string{"service"}, Free: true, There: true, IdleSince: ago(free)}
	for _, f := range how {
		f(&p)
	}
	return p
}

func knows(skill string, level int) func(*queue.Person) {
	return func(p *queue.Person) { p.Skills = map[string]int{skill: level} }
}

func busy(p *queue.Person) { p.Free = false }

func TestAssign(t *testing.T) {
	written := func(id string, waited time.Duration) queue.Work {
		w := voice(id, waited)
		w.Voice = false
		return w
	}
	writes := func(p *queue.Person) { p.Writing = 2 }
	tests := []struct {
		name    string
		waiting []queue.Work
		people  []queue.Person
		rule    queue.Rule
		want    []string // "work: who (why)"
	}{
		{
			"nobody is free",
			[]queue.Work{voice("a", time.Minute)},
			[]queue.Person{idle("m", 0, busy)},
			queue.Rule{},
			nil,
		},
		{
			"who came first, to who has been free for longest",
			[]queue.Work{voice("a", 1*time.Minute), voice("b", 2*time.Minute)},
			[]queue.Person{idle("m", time.Minute), idle("o", time.Hour)},
			queue.Rule{},
			[]string{"b: [o] (free for longest)", "a: [m] (free for longest)"},
		},
		{"a step of priority is a minute", []queue.Work{voice("a", 61*time.Second), voice("b", 0, priority(1))},
			[]queue.Person{idle("m", 0)}, queue.Rule{}, []string{"a: [m] (free for longest)"}},
		{"and passes less than that", []queue.Work{voice("a", 59*time.Second), voice("b", 0, priority(1))},
			[]queue.Person{idle("m", 0)}, queue.Rule{}, []string{"b: [m] (free for longest)"}},
		{"a voice before an older message", []queue.Work{written("w", time.Hour), voice("a", 0)},
			[]queue.Person{idle("m", 0, writes)}, queue.Rule{}, []string{"a: [m] (free for longest)"}},
		{"written work only to who has room for it", []queue.Work{written("w", time.Hour)},
			[]queue.Person{
				idle("m", time.Hour),
				idle("o", 0, writes),
			}, queue.Rule{}, []string{"w: [o] (free for longest)"}},
		{"who knows it best", []queue.Work{voice("a", 0, needs("pumps", 2))},
			[]queue.Person{idle("m", time.Hour, knows("pumps", 2)), idle("o", 0, knows("pumps", 4))}, queue.Rule{},
			[]string{"a: [o] (knows it best)"}},
		{
			"nobody knows enough: it waits, and others go on",
			[]queue.Work{voice("a", time.Hour, needs("pumps", 3)), voice("b", 0)},
			[]queue.Person{idle("m", 0, knows("pumps", 2))},
			queue.Rule{},
			[]string{"b: [m] (free for longest)"},
		},
		{"after a time less is asked for", []queue.Work{voice("a", 59*time.Second, needs("pumps", 3))},
			[]queue.Person{idle("m", 0, knows("pumps", 2))}, queue.Rule{RelaxAfter: time.Minute}, nil},
		{"and then somebody knows enough", []queue.Work{voice("a", time.Minute, needs("pumps", 3))},
			[]queue.Person{idle("m", 0, knows("pumps", 2))}, queue.Rule{RelaxAfter: time.Minute},
			[]string{"a: [m] (free for longest)"}},
		{"a skill that nobody has: at last anybody", []queue.Work{voice("a", 5*time.Minute, needs("Latin", 5))},
			[]queue.Person{idle("m", 0)}, queue.Rule{RelaxAfter: time.Minute}, []string{"a: [m] (free for longest)"}},
		{
			"not a member",
			[]queue.Work{voice("a", time.Hour)},
			[]queue.Person{idle("m", 0, func(p *queue.Person) { p.Queues = nil })},
			queue.Rule{},
			nil,
		},
		{"the owner first, though not a member", []queue.Work{voice("a", 5*time.Second, prefers("o"))},
			[]queue.Person{idle("m", time.Hour), idle("o", 0, func(p *queue.Person) { p.Queues = nil })},
			queue.Rule{PreferFor: 20 * time.Second}, []string{"a: [o] (owns the record)"}},
		{"the owner speaks: it waits a while", []queue.Work{voice("a", 5*time.Second, prefers("o"))},
			[]queue.Person{idle("m", time.Hour), idle("o", 0, busy)}, queue.Rule{PreferFor: 20 * time.Second}, nil},
		{"and then goes to others", []queue.Work{voice("a", 20*time.Second, prefers("o"))},
			[]queue.Person{idle("m", time.Hour), idle("o", 0, busy)}, queue.Rule{PreferFor: 20 * time.Second},
			[]string{"a: [m] (free for longest)"}},
		{"the owner is not there: at once to others", []queue.Work{voice("a", 0, prefers("x"))},
			[]queue.Person{idle("m", 0)}, queue.Rule{PreferFor: time.Minute}, []string{"a: [m] (free for longest)"}},
		{
			"the owner declined",
			[]queue.Work{voice("a", 0, prefers("o"), func(w *queue.Work) { w.Refused = []string{"o"} })},
			[]queue.Person{idle("m", 0), idle("o", time.Hour)},
			queue.Rule{PreferFor: time.Minute},
			[]string{"a: [m] (free for longest)"},
		},
		{
			"a callback at its time, not before",
			[]queue.Work{voice("a", time.Hour, func(w *queue.Work) { w.Due = noon.Add(time.Second) }),
				voice(
					"b",
					time.Hour,
					func(w *queue.Work) { w.Due = noon },
				)},
			[]queue.Person{idle("m", 0), idle("o", 0)},
			queue.Rule{},
			[]string{"b: [m] (free for longest)"},
		},
		{
			"several are rung at once",
			[]queue.Work{voice("a", 0), voice("b", 0)},
			[]queue.Person{idle("m", 3), idle("o", 2), idle("p", 1)},
			queue.Rule{Ring: 2},
			[]string{"a: [m o] (whoever is free)", "b: [p] (whoever is free)"},
		},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			var got []string
			for _, a := range queue.Assign(tt.waiting, tt.people, map[string]queue.Rule{"service": tt.rule}, noon) {
				got = append(got, fmt.Sprintf("%s: %v (%s)", a.Work, a.To, a.Why))
			}
			assert.Equal(t, tt.want, got)
		})
	}
}

// However much of higher priority comes in, nothing is passed by what came more than Passing after it.
func TestNothingIsPassedForLong(t *testing.T) {
	rnd := rand.New(rand.NewPCG(1, 2))
	for range 200 {
		var waiting []queue.Work
		for i := range 60 {
			waiting = append(waiting, voice(fmt.Sprint(i), time.Duration(rnd.IntN(1800))*time.Second,
				priority(rnd.IntN(2*queue.MostPriority+1)-queue.MostPriority)))
		}
		slices.SortFunc(waiting, queue.Compare)
		for i, w := range waiting {
			for _, before := range waiting[:i] {
				require.False(t, before.Since.After(w.Since.Add(queue.Passing)), "%v passes %v", before, w)
				if before.Priority <= w.Priority { // no inversion
					require.False(t, before.Since.After(w.Since))
				}
			}
		}
	}
}

func TestAssignIsFairAndSound(t *testing.T) {
	rnd := rand.New(rand.NewPCG(3, 4))
	for range 300 {
		var waiting []queue.Work
		for i := range rnd.IntN(30) {
			w := voice(fmt.Sprint("w", i), time.Duration(rnd.IntN(600))*time.Second, priority(rnd.IntN(7)-3))
			w.Voice = rnd.IntN(3) > 0
			if rnd.IntN(2) == 0 {
				w.Needs = map[string]int{"pumps": 1 + rnd.IntN(5)}
			}
			waiting = append(waiting, w)
		}
		var people []queue.Person
		for i := range rnd.IntN(20) {
			p := idle(fmt.Sprint("p", i), time.Duration(rnd.IntN(600))*time.Second, knows("pumps", rnd.IntN(6)))
			p.Free, p.Writing = rnd.IntN(2) == 0, rnd.IntN(2)
			people = append(people, p)
		}
		given := map[string]string{}
		works := map[string]bool{}
		for _, a := range queue.Assign(waiting, people, nil, noon) {
			require.False(t, works[a.Work])
			works[a.Work] = true
			for _, id := range a.To {
				require.Empty(t, given[id], "two things for one")
				given[id] = a.Work
			}
		}
		for _, w := range waiting { // whoever is left free could have had nothing of what is left
			for _, p := range people {
				if !works[w.ID] && p.Free && given[p.ID] == "" && (w.Voice || p.Writing > 0) {
					require.False(t, queue.Fits(w, p, queue.Rule{}, noon), "%v was left, and %v", w, p)
				}
			}
		}
	}
}

func TestLimits(t *testing.T) {
	l := queue.Limits{Length: 2, Wait: 10 * time.Minute}
	assert.Equal(t, queue.Closed, l.Admits(false, 0, 3))
	assert.Equal(t, queue.Nobody, l.Admits(true, 0, 0))
	assert.Equal(t, queue.Full, l.Admits(true, 2, 3))
	assert.Equal(t, queue.Refusal(""), l.Admits(true, 1, 3))
	assert.Equal(t, queue.Refusal(""), queue.Limits{}.Admits(true, 10_000, 1))
	assert.Equal(t, 4*time.Minute, l.Keeps(6*time.Minute))
	assert.Zero(t, l.Keeps(11*time.Minute))
	assert.Equal(t, 24*time.Hour, queue.Limits{}.Keeps(time.Hour))
	// 80 of 100 in time, 4 hung up within five seconds: 80 / 96.
	assert.InDelta(t, 0.8333, queue.ServiceLevel(80, 100, 4), 0.0001)
	assert.InDelta(t, 1.0, queue.ServiceLevel(0, 3, 3), 0)
	for waited, want := range map[time.Duration]queue.Late{14 * time.Second: queue.InTime, 15 * time.Second: queue.Soon,
		19 * time.Second: queue.Soon, 20 * time.Second: queue.TooOld} {
		assert.Equal(t, want, queue.LateAt(waited, 20*time.Second))
	}
	assert.Equal(t, queue.InTime, queue.LateAt(time.Hour, 0))
}

// Example: the caller who has waited longer goes to who has been free for longest.
func Example() {
	waiting := []queue.Work{{ID: "Ms Okafor", Queue: "service", Voice: true, Since: noon.Add(-time.Minute)}}
	people := []queue.Person{
		{ID: "Marc", Queues: []string{"service"}, Free: true, There: true, IdleSince: noon.Add(-time.Minute)},
		{ID: "Odile", Queues: []string{"service"}, Free: true, There: true, IdleSince: noon.Add(-time.Hour)},
	}
	for _, a := range queue.Assign(waiting, people, nil, noon) {
		fmt.Println(a.Work, a.To, a.Why)
	}
	// Output: Ms Okafor [Odile] free for longest
}

func BenchmarkAssign(b *testing.B) {
	rnd := rand.New(rand.NewPCG(5, 6))
	var waiting []queue.Work
	for i := range 1000 {
		waiting = append(
			waiting,
			voice(fmt.Sprint(i), time.Duration(rnd.IntN(600))*time.Second, needs("pumps", 1+rnd.IntN(5))),
		)
	}
	var people []queue.Person
	for i := range 300 {
		people = append(
			people,
			idle(fmt.Sprint(i), time.Duration(rnd.IntN(600))*time.Second, knows("pumps", rnd.IntN(6))),
		)
	}
	for b.Loop() {
		queue.Assign(waiting, people, nil, noon)
	}
}
