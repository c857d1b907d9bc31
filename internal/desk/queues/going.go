package queues

import (
	"context"
	"time"

	"github.com/google/uuid"
	"github.com/jonboulle/clockwork"

	"trundo/internal/core/call"
	"trundo/internal/core/queue"
	"trundo/internal/core/route"
	"trundo/internal/desk/calls"
)

// alarm is what a time is for at which something happens to a caller by itself.
type alarm int

const (
	alarmSpoken  alarm = iota // what is said has ended
	alarmElapsed              // no key has come
	alarmRing                 // it has rung for long enough
	alarmSay                  // something is to be said to who waits
	alarmLimit                // they have waited for as long as the queue lets them
	alarmPulse                // who is rung may not be reached any more
)

// going is a caller who is taken through a route. Its goroutine owns it, but for the channels.
type going struct {
	qs       *Queues
	id       uuid.UUID // of the call
	line     lineOf
	doc      route.Route
	other    route.Routes
	state    route.State
	caller   caller
	changed  chan struct{}
	keyed    chan string
	assigned chan queue.Assignment
	removed  chan string // why somebody is to leave the queue
	moved    chan *Queue // they are in another queue now
	sayNow   chan struct{}
	alarms   map[alarm]time.Time
	given    bool // a rep gave the call away: it goes back to them
	over     bool
	wait     *wait // in the queue in which they are
	last     *wait // in the queue in which they are, or were last
	queue    *Queue
	in       bool // they wait in it now
	comforts int  // that were said
	rung     []string
	next     []string // who is rung after them, by a step that rings one after the other
	each     time.Duration
}

func (qs *Queues) newGoing(ctx context.Context, id uuid.UUID, line lineOf, doc route.Route) *going {
	g := &going{qs: qs, id: id, line: line, doc: doc, changed: make(chan struct{}, 1), keyed: make(chan string, 64),
		assigned: make(chan queue.Assignment, 1), removed: make(chan string, 1),
		moved: make(chan *Queue, 1), sayNow: make(chan struct{}, 1), alarms: map[alarm]time.Time{},
		other: func(string) (route.Route, bool) { return route.Route{}, false }}
	g.caller = qs.whoCalls(ctx, id)
	qs.mu.Lock()
	qs.going[id] = g
	qs.mu.Unlock()
	return g
}

// run takes the caller through the route until somebody has the call or it is over.
func (g *going) run(ctx context.Context) {
	defer g.ends()
	events := []route.Event{route.Begin{}}
	for {
		for len(events) > 0 {
			var effects []route.Effect
			g.state, effects = g.doc.Next(g.state, events[0], g.other)
			events = events[1:]
			for _, e := range effects {
				if e := g.perform(ctx, e); e != nil {
					events = append(events, e)
				}
			}
		}
		if g.over {
			return
		}
		e := g.waits(ctx)
		if g.over {
			return
		}
		if e != nil {
			events = append(events, e)
		}
	}
}

func (g *going) ends() {
	g.qs.mu.Lock()
	delete(g.qs.going, g.id)
	g.qs.mu.Unlock()
	if g.wait != nil {
		g.qs.leave(g.wait, "abandoned", "", nil)
	}
}

func (g *going) alarmIn(a alarm, long time.Duration) { g.alarms[a] = g.qs.Clock.Now().Add(long) }

// waits waits for what happens next; nil: nothing that the route has to know.
func (g *going) waits(ctx context.Context) route.Event {
	var first alarm
	var at time.Time
	for a, t := range g.alarms {
		if at.IsZero() || t.Before(at) {
			first, at = a, t
		}
	}
	var timer clockwork.Timer
	var rings <-chan time.Time
	if !at.IsZero() {
		timer = g.qs.Clock.NewTimer(at.Sub(g.qs.Clock.Now()))
		rings = timer.Chan()
		defer timer.Stop()
	}
	select {
	case <-ctx.Done():
		g.over = true
	case <-g.changed:
		return g.looks(ctx)
	case digits := <-g.keyed:
		return route.Keyed{Digits: digits}
	case a := <-g.assigned:
		g.ringsFor(ctx, a)
	case why := <-g.removed:
		if g.in {
			g.quits(ctx, "removed", why)
			return route.Nobody{}
		}
	case q := <-g.moved:
		g.queue = q
	case <-g.sayNow:
		g.says(ctx)
	case <-rings:
		delete(g.alarms, first)
		return g.due(ctx, first)
	}
	return nil
}

// looks looks what has become of the call.
func (g *going) looks(ctx context.Context) route.Event {
	s, there := g.qs.Calls.State(g.id)
	switch {
	case !there || s.Phase() == call.PhaseEnded:
		g.over = true
	case !s.Attended() && (s.Phase() == call.PhaseMessage || s.Phase() == call.PhaseSpeaking && !s.Left()):
		g.over = true
		if g.in {
			g.taken(&s)
		}
	case len(g.rung) > 0 && !ringsFor(&s, g.rung):
		return g.rangOut(ctx, &s)
	}
	return nil
}

// taken is that somebody has answered a call that waited in a queue.
func (g *going) taken(s *call.State) {
	takers := s.Takers()
	if len(takers) == 0 {
		g.qs.leave(g.wait, "voicemail", "", nil)
		return
	}
	user := takers[len(takers)-1]
	g.qs.mu.Lock()
	g.qs.misses[user] = 0
	g.qs.mu.Unlock()
	if id, err := uuid.Parse(user); err == nil {
		g.qs.leave(g.wait, "answered", "", &id)
	}
}

// due is what happens at the time of an alarm.
func (g *going) due(ctx context.Context, a alarm) route.Event {
	ar := g.qs.Calls.Arrivals
	switch a {
	case alarmSpoken:
		if g.in {
			ar.Music(g.id, false)
			return nil
		}
		ar.Hush(g.id)
		return route.Spoken{}
	case alarmElapsed:
		return route.Elapsed{}
	case alarmRing:
		if s, there := g.qs.Calls.State(g.id); there {
			ar.Unforward(ctx, g.id)
			ar.RingNoMore(ctx, g.id, s.RungNow()...)
			if s, there = g.qs.Calls.State(g.id); there && len(g.rung) > 0 && !ringsFor(&s, g.rung) {
				return g.rangOut(ctx, &s)
			}
		}
	case alarmSay:
		g.says(ctx)
	case alarmLimit:
		g.quits(ctx, "overflow", string(queue.TooLong))
		return route.Nobody{}
	case alarmPulse:
		if s, there := g.qs.Calls.State(g.id); there && len(g.rung) > 0 {
			ar.RingUnreached(ctx, g.id, &s)
			g.alarmIn(alarmPulse, time.Second)
		}
	}
	return nil
}

// perform does what the route says; an event where its outcome is known at once.
func (g *going) perform(ctx context.Context, e route.Effect) route.Event {
	ar := g.qs.Calls.Arrivals
	switch e := e.(type) {
	case route.Speak:
		return g.speak(ctx, e.Language, e.Text, e.Sound)
	case route.Hush:
		delete(g.alarms, alarmSpoken)
		ar.Hush(g.id)
	case route.Wait:
		g.alarmIn(alarmElapsed, e.For)
	case route.LookUp:
		return route.Found{Holds: g.qs.holds(ctx, e.Test, g.line, &g.caller, g.qs.Clock.Now())}
	case route.RingOwner:
		var owner []string
		if g.caller.owner != nil {
			owner = g.qs.free(ctx, []string{g.caller.owner.String()})
		}
		if g.ring(ctx, owner, "a call on "+g.line.label+" · you own the record", e.For) {
			g.rings(ctx)
			return nil
		}
		return route.Nobody{}
	case route.RingPeople:
		g.each, g.next = e.For, e.People
		if e.All {
			g.next = nil
			if g.ring(ctx, g.qs.free(ctx, e.People), "a call on "+g.line.label, e.For) {
				g.rings(ctx)
				return nil
			}
			return route.Nobody{}
		}
		if g.ringNext(ctx) {
			g.rings(ctx)
			return nil
		}
		return route.Nobody{}
	case route.Dial:
		return g.dial(ctx, e)
	case route.OfferTimes:
		return g.speak(ctx, e.Language, in(e.Language).offer, "")
	case route.AskTime:
		text := in(e.Language).askTime
		if e.Again {
			text = in(e.Language).again
		}
		return g.speak(ctx, e.Language, text, "")
	case route.CheckTime:
		return route.Found{Holds: g.qs.mayCall(ctx, e.Queue, e.Typed, g.caller.e164, g.qs.Clock.Now())}
	case route.AskSurvey:
		if !g.attend(ctx) {
			return g.looks(ctx)
		}
		delete(g.alarms, alarmElapsed)
		if !g.qs.Surveys.OnTheWay(ctx, g.id, e.Language, g.keyed, g.changed) {
			g.over = ctx.Err() != nil
			return g.looks(ctx)
		}
		return route.Spoken{}
	case route.Inform:
		text, served := g.qs.informsAt(ctx, e, g.line, &g.caller, g.qs.Clock.Now())
		if served {
			defer ar.Serve(ctx, g.id)
		}
		return g.speak(ctx, e.Language, text, "")
	default:
		return g.moves(ctx, e)
	}
	return nil
}

// moves does what leads to a queue, to a callback, or out of the route.
func (g *going) moves(ctx context.Context, e route.Effect) route.Event {
	ar := g.qs.Calls.Arrivals
	switch e := e.(type) {
	case route.JoinQueue:
		return g.joins(ctx, e)
	case route.LeaveQueue:
		g.pauses(ctx)
	case route.TakeCallback:
		if !g.calledBack(ctx, e) {
			return route.Nobody{}
		}
		g.over = true
	case route.TakeMessage:
		var box *uuid.UUID
		if id, err := uuid.Parse(e.User); err == nil {
			box = &id
		}
		if g.wait != nil {
			g.qs.leave(g.wait, "voicemail", "", nil)
		}
		g.qs.mayWaitOn(g)
		g.in, g.over = false, true
		ar.TakeMessage(ctx, g.id, box, g.why("it went to voicemail"))
	case route.Finish:
		g.over = true
		if g.given && !e.Served { // back to who gave it
			if g.wait != nil {
				g.qs.leave(g.wait, "overflow", "", nil)
			}
			_ = ar.Unattend(ctx, g.id)
			return nil
		}
		reason := call.Missed
		switch {
		case g.given:
			reason = call.EndedByUs
		case e.Served:
			reason = call.Announced
		}
		_ = ar.Conclude(ctx, g.id, reason, g.why(e.Why))
	}
	return nil
}

// why says why nobody answered, with the queue in which they waited.
func (g *going) why(why string) string {
	if g.queue != nil {
		return why + ", after waiting in " + g.queue.Name
	}
	return why
}

// attend lets the attendant take the call, if it has not; false: it is somebody's, or over.
func (g *going) attend(ctx context.Context) bool {
	return g.qs.Calls.Arrivals.Attend(ctx, g.id) == nil
}

func (g *going) speak(ctx context.Context, language, text, sound string) route.Event {
	if !g.attend(ctx) {
		return g.looks(ctx)
	}
	var id *uuid.UUID
	if x, err := uuid.Parse(sound); err == nil {
		id = &x
	}
	delete(g.alarms, alarmElapsed)
	g.alarmIn(alarmSpoken, g.qs.Calls.Arrivals.Speak(ctx, g.id, calls.VoiceOf(language), text, id))
	return nil
}
