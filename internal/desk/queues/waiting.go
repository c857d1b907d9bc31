package queues

import (
	"cmp"
	"context"
	"slices"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/estimate"
	"trundo/internal/core/queue"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// wait is a caller who waits in a queue.
type wait struct {
	id, queue, call uuid.UUID
	g               *going
	since           time.Time
	priority        int
	prefers         []queue.Preference
	refused         map[string]time.Time // who declined, or did not answer, and when
	rings           bool                 // it rings for somebody, or is about to
	paused          bool                 // they have pressed a key, and keep their place
}

// refusedFor is how long somebody who declined a call, or did not answer it, is not asked again: where nobody else is
// there, they are.
const refusedFor = 20 * time.Second

// givenFor is how long somebody to whom a call has been given counts as rung, though it does not ring yet.
const givenFor = 5 * time.Second

// work is a wait as core/queue sees it.
func (w *wait) work(now time.Time, q *Queue) queue.Work {
	x := queue.Work{ID: w.id.String(), Queue: w.queue.String(), Voice: true, Since: w.since, Priority: w.priority,
		Needs: q.Needs, Prefers: w.prefers}
	for user, at := range w.refused {
		if now.Sub(at) < refusedFor {
			x.Refused = append(x.Refused, user)
		}
	}
	return x
}

// join lets a caller wait in a queue, in the place that they had in it before; why not, where it does not take them.
func (qs *Queues) join(ctx context.Context, g *going, q *Queue, priority int) (*wait, queue.Refusal) {
	there, err := qs.there(ctx, q)
	if err != nil {
		return nil, queue.Nobody
	}
	now := qs.Clock.Now()
	qs.mu.Lock()
	if w := g.wait; w != nil && w.queue == q.ID { // back from a key
		w.paused = false
		qs.mu.Unlock()
		qs.MayBeFree()
		return w, ""
	}
	waiting := 0
	for _, w := range qs.waiting {
		if w.queue == q.ID {
			waiting++
		}
	}
	if refusal := q.limits().Admits(q.open(now), waiting, there); refusal != "" {
		qs.mu.Unlock()
		qs.refuse(ctx, g, q, now, refusal)
		return nil, refusal
	}
	w := &wait{id: store.NewID(), queue: q.ID, call: g.id, g: g, since: now, priority: priority,
		prefers: g.caller.prefers, refused: map[string]time.Time{}}
	qs.waiting[w.id] = w
	qs.mu.Unlock()
	p := qs.row(g, q, now)
	p.ID, p.Priority, p.Ahead = w.id, priority, qs.ahead(w, q)
	if e, sure := qs.estimate(ctx, w, q, there); sure && q.SayWait {
		p.SaidMs = new(e.Mean.Milliseconds())
	}
	qs.writes.Add(func(ctx context.Context) error {
		if err := qs.Store.InsertQueueWait(ctx, p); err != nil {
			return err
		}
		return qs.Store.QueueOwes(ctx, db.QueueOwesParams{QueueID: &q.ID, CallID: g.id})
	})
	qs.MayBeFree()
	qs.tell()
	return w, ""
}

// row is what is written down of a call that comes to a queue.
func (qs *Queues) row(g *going, q *Queue, now time.Time) db.InsertQueueWaitParams {
	p := db.InsertQueueWaitParams{ID: store.NewID(), QueueID: q.ID, Kind: "call", CallID: &g.id, E164: g.caller.e164,
		Ext: g.caller.ext, Since: now, RecordID: g.caller.record}
	if g.line.id != uuid.Nil {
		p.LineID = &g.line.id
	}
	return p
}

// refuse writes down that a queue did not take a caller.
func (qs *Queues) refuse(ctx context.Context, g *going, q *Queue, now time.Time, why queue.Refusal) {
	p := qs.row(g, q, now)
	qs.writes.Add(func(ctx context.Context) error {
		if err := qs.Store.InsertQueueWait(ctx, p); err != nil {
			return err
		}
		_, err := qs.Store.LeaveQueueWait(
			ctx,
			db.LeaveQueueWaitParams{At: &now, How: "overflow", Why: string(why), ID: p.ID},
		)
		return err
	})
}

// leave takes a caller out of the line, for good.
func (qs *Queues) leave(w *wait, how, why string, by *uuid.UUID) {
	qs.mu.Lock()
	_, waits := qs.waiting[w.id]
	delete(qs.waiting, w.id)
	qs.mu.Unlock()
	if !waits {
		return
	}
	at := qs.Clock.Now()
	qs.writes.Add(func(ctx context.Context) error {
		_, err := qs.Store.LeaveQueueWait(ctx,
			db.LeaveQueueWaitParams{At: &at, How: how, Why: why, AnsweredBy: by, ID: w.id})
		return err
	})
	qs.tell()
}

// ahead is how many have their turn before somebody who waits.
func (qs *Queues) ahead(w *wait, q *Queue) int {
	now := qs.Clock.Now()
	mine := w.work(now, q)
	qs.mu.Lock()
	defer qs.mu.Unlock()
	n := 0
	for _, x := range qs.waiting {
		if x.id != w.id && x.queue == w.queue && !x.rings && queue.Compare(x.work(now, q), mine) < 0 {
			n++
		}
	}
	return n
}

// there is how many members of a queue take calls, at work or free.
func (qs *Queues) there(ctx context.Context, q *Queue) (int, error) {
	if len(q.Members) == 0 {
		return 0, nil
	}
	ids, err := qs.Calls.Team.Absent(ctx, q.Members)
	if err != nil {
		return 0, err
	}
	doing, err := qs.Calls.Team.Presence(ctx, ids...)
	n := 0
	for _, r := range doing {
		if r.There() {
			n++
		}
	}
	return n, err
}

// timesFresh is for how long handling times are not read again.
const timesFresh = 30 * time.Second

// estimate is how long somebody will wait; false: that is not sure enough to be said.
func (qs *Queues) estimate(ctx context.Context, w *wait, q *Queue, there int) (estimate.Wait, bool) {
	qs.times.Mu.Lock()
	defer qs.times.Mu.Unlock()
	now := qs.Clock.Now()
	if qs.times.Value == nil || now.Sub(qs.times.At) > timesFresh {
		since := now.Add(-4 * time.Hour)
		rows, err := qs.Store.HandlingTimes(ctx, &since)
		if err != nil {
			return estimate.Wait{}, false
		}
		qs.times.Value, qs.times.At = map[uuid.UUID][]time.Duration{}, now
		for _, r := range rows {
			qs.times.Value[r.QueueID] = append(qs.times.Value[r.QueueID], time.Duration(r.Ms)*time.Millisecond)
		}
	}
	e, known := estimate.Of(estimate.Line{Ahead: qs.ahead(w, q), People: there, Handling: qs.times.Value[q.ID]})
	return e, known && e.Sure()
}

// assignOn gives what waits to who is free, whenever something has changed, and each second.
func (qs *Queues) assignOn(ctx context.Context) {
	ticker := qs.Clock.NewTicker(time.Second)
	defer ticker.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-qs.woken:
		case <-ticker.Chan():
			qs.readAgain(ctx)
		}
		if err := qs.assign(ctx); err != nil && ctx.Err() == nil && !store.Away(err) {
			qs.Log.Error("giving what waits to who is free", "error", err)
		}
	}
}

func (qs *Queues) assign(ctx context.Context) error {
	open, err := qs.open(ctx)
	if err != nil {
		return err
	}
	qs.mu.Lock()
	nobody := len(qs.waiting) == 0
	qs.mu.Unlock()
	if nobody && len(open.backs) == 0 && len(open.messages) == 0 {
		return nil
	}
	set, err := qs.setUp(ctx)
	if err != nil {
		return err
	}
	now := qs.Clock.Now()
	written, err := qs.written(ctx, open.messages, now)
	if err != nil {
		return err
	}
	works, rules := qs.works(set, open.backs, now)
	has := map[string]int{}
	messages := map[string]bool{}
	for _, r := range written {
		q := set.queues[r.QueueID]
		switch {
		case r.TakenBy != nil:
			has[r.TakenBy.String()]++
		case q != nil && q.open(now):
			works, rules[r.QueueID.String()] = append(works, qs.writtenWork(r, now)), q.rule()
			messages[r.ID.String()] = true
		}
	}
	if len(works) == 0 {
		return nil
	}
	people, err := qs.people(ctx, set, works, now)
	if err != nil {
		return err
	}
	for i := range people {
		people[i].Writing = set.room(&people[i], has[people[i].ID])
	}
	for _, a := range queue.Assign(works, people, rules, now) {
		if messages[a.Work] {
			if err := qs.give(ctx, uuid.MustParse(a.Work), uuid.MustParse(a.To[0]), now); err != nil {
				return err
			}
			continue
		}
		qs.hand(a, now)
	}
	return nil
}

// room is how many more messages somebody may have: as the most generous of their queues says.
func (s *setUp) room(p *queue.Person, has int) int {
	most := 0
	for _, id := range p.Queues {
		if q, err := uuid.Parse(id); err == nil && s.queues[q] != nil {
			most = max(most, s.queues[q].Writing.Room(has))
		}
	}
	return most
}

// works are what waits and does not ring yet, with the rules of its queues.
func (qs *Queues) works(set *setUp, backs []db.OpenCallbacksRow, now time.Time) ([]queue.Work, map[string]queue.Rule) {
	rules := map[string]queue.Rule{}
	var works []queue.Work
	qs.mu.Lock()
	defer qs.mu.Unlock()
	for _, w := range qs.waiting {
		if q := set.queues[w.queue]; q != nil && !w.rings && !w.paused {
			works = append(works, w.work(now, q))
			rules[w.queue.String()] = q.rule()
		}
	}
	open := map[uuid.UUID]bool{}
	for _, b := range backs {
		open[b.ID] = true
		q := set.queues[b.QueueID]
		if q == nil || b.TakenBy != nil || !q.open(now) {
			continue
		}
		if t, has := qs.turns[b.ID]; has && now.Before(t.until) {
			continue
		}
		works = append(works, qs.callbackWork(b, q, now))
		rules[b.QueueID.String()] = q.rule()
	}
	for id := range qs.turns {
		if !open[id] {
			delete(qs.turns, id)
		}
	}
	return works, rules
}

// people are the members of the queues in which something waits, and those whom it prefers.
func (qs *Queues) people(ctx context.Context, set *setUp, works []queue.Work, now time.Time) ([]queue.Person, error) {
	of := map[uuid.UUID][]string{}
	seen := map[string]bool{}
	add := func(id uuid.UUID, queue string) {
		if !slices.Contains(of[id], queue) {
			of[id] = append(of[id], queue)
		}
	}
	for _, w := range works {
		for _, p := range w.Prefers {
			if id, err := uuid.Parse(p.ID); err == nil {
				add(id, "")
			}
		}
		if seen[w.Queue] {
			continue
		}
		seen[w.Queue] = true
		members, err := qs.Calls.Team.Absent(ctx, set.queues[uuid.MustParse(w.Queue)].Members)
		if err != nil {
			return nil, err
		}
		for _, id := range members {
			add(id, w.Queue)
		}
	}
	if len(of) == 0 {
		return nil, nil
	}
	ids := make([]uuid.UUID, 0, len(of))
	for id := range of {
		ids = append(ids, id)
	}
	doing, err := qs.Calls.Team.Presence(ctx, ids...)
	if err != nil {
		return nil, err
	}
	skills, err := qs.skills(ctx)
	if err != nil {
		return nil, err
	}
	rung := qs.Calls.Arrivals.Rung()
	people := make([]queue.Person, 0, len(ids))
	qs.mu.Lock()
	defer qs.mu.Unlock()
	for _, t := range qs.turns {
		if now.Before(t.until) {
			rung[t.user] = true
		}
	}
	for _, id := range ids {
		r, is := doing[id], id.String()
		if at, just := qs.given[is]; just && now.Sub(at) < givenFor {
			rung[is] = true
		}
		people = append(people, queue.Person{ID: is, Queues: of[id], Skills: skills[id], Free: r.Free() && !rung[is],
			There: r.There(), IdleSince: r.IdleSince()})
	}
	return people, nil
}

// hand gives something to those to whom it has been assigned.
func (qs *Queues) hand(a queue.Assignment, now time.Time) {
	id := uuid.MustParse(a.Work)
	qs.mu.Lock()
	w := qs.waiting[id]
	if w == nil {
		qs.takesTurn(id, a, now)
		qs.mu.Unlock()
		qs.tell()
		return
	}
	w.rings = true
	for _, user := range a.To {
		qs.given[user] = now
	}
	qs.mu.Unlock()
	select {
	case w.g.assigned <- a:
	default: // it is being taken elsewhere just now
		qs.mu.Lock()
		w.rings = false
		qs.mu.Unlock()
	}
}

// unanswered counts a call that somebody left unanswered, and sets them away after as many as the queue says.
func (qs *Queues) unanswered(ctx context.Context, q *Queue, user string) {
	qs.mu.Lock()
	qs.misses[user]++
	away := q.Misses > 0 && qs.misses[user] >= q.Misses
	if away {
		qs.misses[user] = 0
	}
	qs.mu.Unlock()
	id, err := uuid.Parse(user)
	if !away || err != nil {
		return
	}
	f, err := qs.Settings(ctx)
	if err != nil {
		return
	}
	for _, s := range f.States {
		if !s.Active || s.TakesCalls {
			continue
		}
		a, err := qs.Actor(ctx, id)
		if err == nil {
			err = qs.Calls.Team.SetAvailability(ctx, a, s.ID)
		}
		if err != nil {
			qs.Log.Warn("somebody who does not answer was not set away", "user", user, "error", err)
			return
		}
		qs.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindWord,
			Word: new(
				"You missed " + callsText(q.Misses) + ", so no more will ring. Your state is " + s.Label + " now.",
			)}, id)
		return
	}
}

func callsText(n int) string {
	if n == 1 {
		return "a call"
	}
	return cmp.Or(
		map[int]string{2: "two calls", 3: "three calls", 4: "four calls", 5: "five calls"}[n],
		"several calls",
	)
}
