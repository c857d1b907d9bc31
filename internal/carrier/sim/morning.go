package sim

import (
	"context"
	"math/rand/v2"
	"sync"
	"time"

	"trundo/internal/carrier"
)

// Callers tells a stream of calls who calls and which line.
type Callers interface {
	// SomebodysNumber is a number of somebody the firm knows; "" where there is none.
	SomebodysNumber(ctx context.Context) string
	// LineNumbers are the lines that can be called.
	LineNumbers(ctx context.Context) []string
}

// What the people of a busy morning do: most are known, some are new, withheld or foreign. They wait for an answer for
// half a minute on average and speak, or leave a message, for a minute and a half.
const (
	known, unknown, withheld = 70, 85, 93 // percent, each up to here; the rest is foreign
	patienceMean             = 30 * time.Second
	talkMean                 = 90 * time.Second
)

// Morning is a believable stream of calls that the outside makes by itself.
type Morning struct {
	sim     *Sim
	callers Callers

	mu      sync.Mutex
	stop    context.CancelFunc
	perHour int
	made    int
}

// NewMorning makes a stream that has not begun.
func NewMorning(s *Sim, c Callers) *Morning { return &Morning{sim: s, callers: c} }

// Start begins, or goes on at another rate. Calls come at random, perHour an hour on average (a Poisson process).
func (m *Morning) Start(perHour int) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.stop != nil {
		m.stop()
	}
	ctx, stop := context.WithCancel(context.Background())
	m.stop, m.perHour = stop, perHour
	go m.run(ctx, time.Hour/time.Duration(max(1, perHour)))
}

// Stop lets no more calls come. Those in progress end by themselves.
func (m *Morning) Stop() {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.stop != nil {
		m.stop()
		m.stop = nil
	}
}

// State tells whether calls come, how many an hour, and how many have come.
func (m *Morning) State() (running bool, perHour, made int) {
	m.mu.Lock()
	defer m.mu.Unlock()
	return m.stop != nil, m.perHour, m.made
}

func (m *Morning) run(ctx context.Context, mean time.Duration) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-m.sim.clock.After(around(mean)):
		}
		lines := m.callers.LineNumbers(ctx)
		if len(lines) == 0 {
			continue
		}
		ref, err := m.sim.CallIn(m.from(ctx), lines[rand.IntN(len(lines))])
		if err != nil {
			m.Stop() // the network is closed
			return
		}
		m.mu.Lock()
		m.made++
		m.mu.Unlock()
		go m.wait(ref)
	}
}

// around is a time at random with a mean (an exponential distribution).
func around(mean time.Duration) time.Duration {
	return time.Duration(rand.ExpFloat64() * float64(mean))
}

func (m *Morning) from(ctx context.Context) string {
	switch n := rand.IntN(100); {
	case n < known:
		if number := m.callers.SomebodysNumber(ctx); number != "" {
			return number
		}
		fallthrough
	case n < unknown:
		return "+1212555" + fourDigits(100, 200)
	case n < withheld:
		return ""
	}
	return "+4420794601" + fourDigits(0, 1000)[2:] // a range that is set apart for fiction
}

func fourDigits(from, to int) string {
	n := from + rand.IntN(to-from)
	return string([]byte{byte('0' + n/1000%10), byte('0' + n/100%10), byte('0' + n/10%10), byte('0' + n%10)})
}

// wait ends a call as its caller would: out of patience while it rings, or when all is said.
func (m *Morning) wait(ref string) {
	if m.after(3*time.Second+around(patienceMean), ref, true) {
		m.sim.OutsideHangsUp(ref)
		return
	}
	m.after(10*time.Second+around(talkMean), ref, false)
	m.sim.OutsideHangsUp(ref)
}

// after waits for a time, or until a leg that rings is answered or any is over; true: the time has passed and it still
// rings.
func (m *Morning) after(long time.Duration, ref string, rings bool) bool {
	end := m.sim.clock.After(long)
	pulse := m.sim.clock.NewTicker(500 * time.Millisecond)
	defer pulse.Stop()
	for {
		select {
		case <-end:
			return true
		case <-pulse.Chan():
			m.sim.mu.Lock()
			l := m.sim.legs[carrier.Ref(ref)]
			over := l == nil || rings && l.answered
			m.sim.mu.Unlock()
			if over {
				return false
			}
		}
	}
}
