package queue_test

import (
	"container/heap"
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/estimate"
	"trundo/internal/core/queue"
)

// happening is a call that comes in, or the end of somebody's conversation.
type happening struct {
	at   time.Time
	ends int // person; -1: a call comes
}

type calendar []happening

func (c calendar) Len() int           { return len(c) }
func (c calendar) Less(i, j int) bool { return c[i].at.Before(c[j].at) }
func (c calendar) Swap(i, j int)      { c[i], c[j] = c[j], c[i] }
func (c *calendar) Push(x any)        { *c = append(*c, x.(happening)) }
func (c *calendar) Pop() any {
	last := (*c)[len(*c)-1]
	*c = (*c)[:len(*c)-1]
	return last
}

// day is a simulated queue: calls come, people take them by Assign, and everything is written down.
type day struct {
	rnd      *rand.Rand
	people   []queue.Person
	handles  func() time.Duration
	priority func() int
	todo     calendar
	waiting  []queue.Work
	serving  []time.Duration // handling time of each person's conversation
	handling []time.Duration // recent ones
	waits    []time.Duration
	said     map[string]time.Duration
	estimate [2][]time.Duration // said and real
	longest  time.Duration
	passed   time.Duration // by how much what was served before something older had come later
}

func newDay(seed uint64, people int, handles func(*rand.Rand) time.Duration) *day {
	d := &day{
		rnd:     rand.New(rand.NewPCG(seed, 1)),
		serving: make([]time.Duration, people),
		said:    map[string]time.Duration{},
	}
	d.handles = func() time.Duration { return handles(d.rnd) }
	d.priority = func() int { return 0 }
	for i := range people {
		d.people = append(d.people, idle(fmt.Sprint(i), 0))
	}
	return d
}

// run takes calls at the given times.
func (d *day) run(t *testing.T, arrivals []time.Time) {
	t.Helper()
	for _, at := range arrivals {
		d.todo = append(d.todo, happening{at, -1})
	}
	heap.Init(&d.todo)
	came := 0
	for len(d.todo) > 0 {
		h := heap.Pop(&d.todo).(happening)
		if h.ends >= 0 {
			p := &d.people[h.ends]
			p.Free, p.IdleSince = true, h.at
			d.handling = append(d.handling, d.serving[h.ends])
			d.handling = d.handling[max(0, len(d.handling)-estimate.MostTimes):]
		} else {
			came++
			w := queue.Work{ID: fmt.Sprint(came), Queue: "service", Voice: true, Since: h.at, Priority: d.priority()}
			d.estimates(w)
			d.waiting = append(d.waiting, w)
		}
		d.serve(t, h.at)
	}
	require.Empty(t, d.waiting)
}

// estimates tells a caller what is told.
func (d *day) estimates(w queue.Work) {
	for i := range d.people {
		if d.people[i].Free {
			return
		}
	}
	ahead := 0
	for _, x := range d.waiting {
		if queue.Compare(x, w) < 0 {
			ahead++
		}
	}
	if e, known := estimate.Of(estimate.Line{Ahead: ahead, People: len(d.people), Handling: d.handling}); known &&
		e.Sure() {
		d.said[w.ID] = e.Mean
	}
}

func (d *day) serve(t *testing.T, now time.Time) {
	t.Helper()
	for _, a := range queue.Assign(d.waiting, d.people, nil, now) {
		require.Len(t, a.To, 1)
		for i, w := range d.waiting {
			if w.ID != a.Work {
				continue
			}
			waited := now.Sub(w.Since)
			d.waits = append(d.waits, waited)
			d.longest = max(d.longest, waited)
			for _, left := range d.waiting {
				if left.ID != w.ID {
					d.passed = max(d.passed, w.Since.Sub(left.Since))
				}
			}
			if said, told := d.said[w.ID]; told {
				d.estimate[0], d.estimate[1] = append(d.estimate[0], said), append(d.estimate[1], waited)
			}
			d.waiting = append(d.waiting[:i], d.waiting[i+1:]...)
			break
		}
		for i := range d.people {
			if d.people[i].ID == a.To[0] {
				d.people[i].Free = false
				d.serving[i] = d.handles()
				heap.Push(&d.todo, happening{now.Add(d.serving[i]), i})
			}
		}
	}
}

func (d *day) mean() time.Duration {
	sum := time.Duration(0)
	for _, w := range d.waits {
		sum += w
	}
	return sum / time.Duration(len(d.waits))
}

// poisson are arrivals without memory, one every gap on the average.
func poisson(seed uint64, n int, gap time.Duration) []time.Time {
	rnd := rand.New(rand.NewPCG(seed, 2))
	at, all := noon, make([]time.Time, n)
	for i := range all {
		at = at.Add(time.Duration(rnd.ExpFloat64() * float64(gap)))
		all[i] = at
	}
	return all
}

func exponential(mean time.Duration) func(*rand.Rand) time.Duration {
	return func(r *rand.Rand) time.Duration { return time.Duration(r.ExpFloat64() * float64(mean)) }
}

// The mean wait of an M/M/n queue with A = 10 erlang and n = 14 is C·h/(n-A), with Erlang's C = 0.174131933595: for
// handling times of 180 s it is 7.836 s. Over a long run ours lies within 5 % of it.
func TestTheMeanWaitIsErlangs(t *testing.T) {
	const handling = 180 * time.Second
	d := newDay(11, 14, exponential(handling))
	d.run(t, poisson(12, 500_000, handling/10))
	want := 0.174131933595 * handling.Seconds() / (14 - 10)
	assert.InEpsilon(t, want, d.mean().Seconds(), 0.05)
}

// A day of 5,000 calls for 60 people, with a rush in which 500 come in a minute: nobody is passed by who came later than
// the rule allows, and what was said of the wait came true within a quarter.
func TestADayOfFiveThousandCalls(t *testing.T) {
	const handling = 240 * time.Second
	// Conversations are less uneven than exponential ones: a sum of three of a third each.
	d := newDay(21, 60, func(r *rand.Rand) time.Duration {
		third := exponential(handling / 3)
		return third(r) + third(r) + third(r)
	})
	d.priority = func() int { return []int{0, 0, 0, 0, 1, 1, -1, 3}[d.rnd.IntN(8)] }
	arrivals := poisson(22, 4500, 8*time.Hour/4500)
	for i := range 500 {
		arrivals = append(arrivals, noon.Add(3*time.Hour+time.Duration(i)*time.Minute/500))
	}
	d.run(t, arrivals)
	require.Len(t, d.waits, 5000)
	assert.LessOrEqual(t, d.passed, queue.Passing)
	assert.Less(t, d.longest, time.Hour)
	require.Greater(t, len(d.estimate[0]), 300)
	assert.LessOrEqual(t, estimate.Error(d.estimate[0], d.estimate[1]), 0.25)
	t.Logf("mean wait %v, longest %v, %d estimates were said, with an error of %.3f", d.mean(), d.longest,
		len(d.estimate[0]), estimate.Error(d.estimate[0], d.estimate[1]))
}
