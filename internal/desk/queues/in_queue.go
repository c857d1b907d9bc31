package queues

import (
	"context"
	"strings"
	"trundo/internal/core/route"

	"github.com/google/uuid"
)

// joins lets the caller wait in a queue.
func (g *going) joins(ctx context.Context, e route.JoinQueue) route.Event {
	set, err := g.qs.setUp(ctx)
	id, wrong := uuid.Parse(e.Queue)
	if err != nil || wrong != nil || set.queues[id] == nil {
		return route.Nobody{}
	}
	if !g.attend(ctx) {
		return g.looks(ctx)
	}
	q := set.queues[id]
	if g.wait != nil && g.wait.queue != id {
		g.qs.leave(g.wait, "pressed", "", nil)
		g.wait = nil
	}
	back := g.wait != nil
	w, refusal := g.qs.join(ctx, g, q, e.Priority)
	if refusal != "" {
		return route.Nobody{}
	}
	g.wait, g.last, g.queue, g.in = w, w, q, true
	g.qs.Calls.Arrivals.Music(g.id, false)
	g.alarmIn(alarmLimit, q.limits().Keeps(g.qs.Clock.Since(w.since)))
	if !back {
		g.says(ctx)
	} else {
		g.alarmIn(alarmSay, seconds(q.EverySeconds))
	}
	return nil
}

// says says to who waits where they stand, and a word between; then the music goes on.
func (g *going) says(ctx context.Context) {
	if !g.in || len(g.rung) > 0 {
		return
	}
	g.alarmIn(alarmSay, seconds(g.queue.EverySeconds))
	set, err := g.qs.setUp(ctx)
	if err != nil || set.queues[g.queue.ID] == nil {
		return
	}
	g.queue = set.queues[g.queue.ID]
	there, err := g.qs.there(ctx, g.queue)
	if err != nil {
		return
	}
	e, sure := g.qs.estimate(ctx, g.wait, g.queue, there)
	parts := []string{
		g.queue.saidToday(g.qs.Clock.Now()),
		g.queue.place(g.state.Language, g.qs.ahead(g.wait, g.queue), e, sure),
	}
	if g.comforts > 0 || len(strings.Join(parts, "")) == 0 {
		parts = append(parts, g.queue.comfort(g.state.Language, max(0, g.comforts-1)))
	}
	g.comforts++
	text := strings.TrimSpace(strings.Join(parts, " "))
	if text == "" {
		return
	}
	g.speak(ctx, g.state.Language, text, "")
}

// pauses takes the caller out of the line while they are in what follows a key; the place is kept.
func (g *going) pauses(ctx context.Context) {
	g.qs.Calls.Arrivals.RingNoMore(ctx, g.id, g.rung...)
	g.rung, g.in = nil, false
	for _, a := range []alarm{alarmRing, alarmPulse, alarmSay, alarmLimit, alarmSpoken} {
		delete(g.alarms, a)
	}
	g.qs.mu.Lock()
	g.wait.paused, g.wait.rings = true, false
	g.qs.mu.Unlock()
	g.qs.Calls.Arrivals.Hush(g.id)
}

// quits takes the caller out of the queue for good.
func (g *going) quits(ctx context.Context, how, why string) {
	g.pauses(ctx)
	g.qs.leave(g.wait, how, why, nil)
	g.wait = nil
}
