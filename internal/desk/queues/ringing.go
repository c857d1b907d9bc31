package queues

import (
	"context"
	"slices"
	"time"
	"trundo/internal/core/call"
	"trundo/internal/core/phone"
	"trundo/internal/core/queue"
	"trundo/internal/core/route"

	"github.com/google/uuid"
)

// ringsFor tells whether a call rings for one of some, or for an outside number.
func ringsFor(s *call.State, users []string) bool {
	for i := range s.Legs {
		l := &s.Legs[i]
		if (l.State == call.Ringing || l.State == call.Dialing) &&
			(l.Party == call.Rep && slices.Contains(users, l.User) ||
				l.Party == call.Outside && slices.Contains(users, l.Address)) {
			return true
		}
	}
	return false
}

// rangOut is that nobody who was rung has answered: the next is rung, or the queue gives it to somebody else.
func (g *going) rangOut(ctx context.Context, s *call.State) route.Event {
	rung := g.rung
	g.rung = nil
	delete(g.alarms, alarmRing)
	delete(g.alarms, alarmPulse)
	if g.in {
		now := g.qs.Clock.Now()
		for _, user := range rung {
			if missed(s, user) {
				g.qs.unanswered(ctx, g.queue, user)
			}
		}
		g.qs.mu.Lock()
		g.wait.rings = false
		for _, user := range rung {
			g.wait.refused[user] = now
		}
		g.qs.mu.Unlock()
		g.qs.MayBeFree()
		return nil
	}
	if g.ringNext(ctx) {
		return nil
	}
	return route.Nobody{}
}

// missed tells whether the last ring of somebody ended without a word of theirs.
func missed(s *call.State, user string) bool {
	for i := len(s.Legs) - 1; i >= 0; i-- {
		if l := &s.Legs[i]; l.Party == call.Rep && l.User == user {
			return l.Reason == call.NoAnswer
		}
	}
	return false
}

// ringsFor rings those to whom the queue has given the call.
func (g *going) ringsFor(ctx context.Context, a queue.Assignment) {
	g.qs.mu.Lock()
	for _, user := range a.To {
		delete(g.qs.given, user)
	}
	waits := g.in && !g.wait.paused
	g.qs.mu.Unlock()
	if waits && g.ring(ctx, a.To, "waiting in "+g.queue.Name+" · "+a.Why, seconds(g.queue.RingSeconds)) {
		return
	}
	if g.wait != nil {
		g.qs.mu.Lock()
		g.wait.rings = false
		g.qs.mu.Unlock()
	}
}

// ring rings some; false: nobody of them can be rung now.
func (g *going) ring(ctx context.Context, users []string, why string, long time.Duration) bool {
	if len(users) == 0 || g.qs.Calls.Arrivals.RingFor(ctx, g.id, users, why) != nil {
		return false
	}
	g.rung = users
	g.alarmIn(alarmRing, long)
	g.alarmIn(alarmPulse, time.Second)
	return true
}

// ringNext rings the next of a step that rings one after the other; false: there is none.
func (g *going) ringNext(ctx context.Context) bool {
	for len(g.next) > 0 {
		user := g.next[0]
		g.next = g.next[1:]
		if free := g.qs.free(ctx, []string{user}); len(free) > 0 &&
			g.ring(ctx, free, "a call on "+g.line.label, g.each) {
			return true
		}
	}
	return false
}

// free are those of some for whom a call can ring now, or who stands in for them.
func (qs *Queues) free(ctx context.Context, users []string) []string {
	var ids []uuid.UUID
	for _, u := range users {
		if id, err := uuid.Parse(u); err == nil {
			ids = append(ids, id)
		}
	}
	if len(ids) == 0 {
		return nil
	}
	ids, err := qs.Calls.Team.Absent(ctx, ids)
	if err != nil {
		return nil
	}
	doing, err := qs.Calls.Team.Presence(ctx, ids...)
	if err != nil {
		return nil
	}
	rung := qs.Calls.Arrivals.Rung()
	var free []string
	for _, id := range ids {
		if doing[id].Free() && !rung[id.String()] && !slices.Contains(free, id.String()) {
			free = append(free, id.String())
		}
	}
	return free
}

// rings lets an attended caller hear that it rings.
func (g *going) rings(ctx context.Context) {
	if s, there := g.qs.Calls.State(g.id); there && s.Attended() {
		g.qs.Calls.Arrivals.Music(g.id, true)
	}
}

func (g *going) dial(ctx context.Context, e route.Dial) route.Event {
	f, err := g.qs.Settings(ctx)
	if err != nil || !g.attend(ctx) {
		return route.Nobody{}
	}
	n, err := phone.Parse(e.Number, f.Region)
	if err != nil || g.qs.Calls.Arrivals.Forward(ctx, g.id, n.Key(), g.line.e164) != nil {
		return route.Nobody{}
	}
	g.rung = []string{n.Key()}
	g.alarmIn(alarmRing, e.For)
	g.rings(ctx)
	return nil
}
