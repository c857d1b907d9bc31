package queues

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/core/callerid"
	"trundo/internal/core/queue"
	"trundo/internal/core/route"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// turn is that a callback is somebody's to make now.
type turn struct {
	user    string
	until   time.Time
	refused map[string]time.Time // who let their turn pass
}

// turnFor is for how long a callback is somebody's before the next person has their turn.
const turnFor = 45 * time.Second

// calledBack notes that the caller is to be called back, in the place that they had, and says so; false: that cannot be.
func (g *going) calledBack(ctx context.Context, e route.TakeCallback) bool {
	id, err := uuid.Parse(e.Queue)
	if err != nil || g.caller.e164 == "" {
		return false
	}
	set, err := g.qs.setUp(ctx)
	if err != nil || set.queues[id] == nil {
		return false
	}
	q, now := set.queues[id], g.qs.Clock.Now()
	p := g.qs.row(g, q, now)
	p.Kind = "callback"
	text := in(g.state.Language).callback
	if e.Typed != "" {
		at, ok := q.chosen(e.Typed, p.E164, now)
		if !ok {
			return false
		}
		p.DueAt, text = &at, in(g.state.Language).calledAt(at, q.clockOf(p.E164, now))
	}
	if g.wait != nil && g.wait.queue == id {
		p.Since, p.Priority = g.wait.since, g.wait.priority
	}
	if err := g.qs.note(ctx, p); err != nil {
		g.qs.Log.Error("a callback was not noted", "call", g.id, "error", err)
		return false // they wait on
	}
	if g.wait != nil {
		g.qs.leave(g.wait, "callback", "", nil)
	}
	g.in = false
	g.speak(ctx, g.state.Language, text, "")
	if at, speaks := g.alarms[alarmSpoken]; speaks {
		g.qs.Pause(ctx, at.Sub(g.qs.Clock.Now()))
	}
	g.qs.tell()
	g.qs.MayBeFree()
	_ = g.qs.Calls.Arrivals.Conclude(ctx, g.id, call.CallbackTaken, "they asked to be called back")
	return true
}

// mayWaitOn lets who leaves a voicemail after waiting in a queue be called back in their place, where the queue wishes.
func (qs *Queues) mayWaitOn(g *going) {
	if g.last == nil || !g.queue.Voicemails || g.caller.e164 == "" {
		return
	}
	p := qs.row(g, g.queue, qs.Clock.Now())
	p.Kind, p.Since, p.Priority = "callback", g.last.since, g.last.priority
	qs.mu.Lock()
	qs.recorded[g.id] = p
	qs.mu.Unlock()
}

// waitsOn notes, at the end of a call, the callback of who has left a voicemail; who has left none has called in vain.
func (qs *Queues) waitsOn(id uuid.UUID, s *call.State) {
	qs.mu.Lock()
	p, may := qs.recorded[id]
	delete(qs.recorded, id)
	qs.mu.Unlock()
	if !may || s.Message() == 0 {
		return
	}
	qs.writes.Add(func(ctx context.Context) error {
		if err := qs.note(ctx, p); err != nil {
			return err
		}
		qs.Waits()
		qs.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindLane}) // it is not missed besides
		return nil
	})
}

// CallBack notes that somebody is to be called back by a queue who has not called; Kind and ID of p are set here.
func (qs *Queues) CallBack(ctx context.Context, p db.InsertQueueWaitParams) error {
	p.ID, p.Kind = store.NewID(), "callback"
	if err := qs.note(ctx, p); err != nil {
		return err
	}
	qs.Waits()
	return nil
}

// note notes a callback. There is one for a number: who has asked already keeps their place, and the time that they say
// now counts.
func (qs *Queues) note(ctx context.Context, p db.InsertQueueWaitParams) error {
	open, err := qs.Store.OpenCallback(ctx, db.OpenCallbackParams{QueueID: p.QueueID, E164: p.E164, Ext: p.Ext})
	switch {
	case store.NotFound(err):
		return qs.Store.InsertQueueWait(ctx, p)
	case err == nil && (p.DueAt != nil || p.Word != ""):
		return qs.Store.SetCallback(ctx, db.SetCallbackParams{DueAt: p.DueAt, Word: p.Word, ID: open})
	}
	return err
}

// callbackWork is a callback as core/queue sees it. qs.mu is held.
func (qs *Queues) callbackWork(b db.OpenCallbacksRow, q *Queue, now time.Time) queue.Work {
	w := queue.Work{ID: b.ID.String(), Queue: b.QueueID.String(), Voice: true, Since: b.Since, Priority: b.Priority,
		Needs: q.Needs}
	if b.DueAt != nil {
		w.Due = *b.DueAt
	}
	if b.OwnerID != nil {
		w.Prefers = []queue.Preference{{ID: b.OwnerID.String(), Why: whyOwner}}
	}
	t := qs.turns[b.ID]
	if t.user != "" { // who had their turn and let it pass
		if t.refused == nil {
			t.refused = map[string]time.Time{}
		}
		t.refused[t.user] = t.until
		t.user = ""
		qs.turns[b.ID] = t
	}
	for user, at := range t.refused {
		if now.Sub(at) < refusedFor {
			w.Refused = append(w.Refused, user)
		}
	}
	return w
}

// takesTurn makes a callback somebody's for a while. qs.mu is held.
func (qs *Queues) takesTurn(id uuid.UUID, a queue.Assignment, now time.Time) {
	t := qs.turns[id]
	t.user, t.until = a.To[0], now.Add(turnFor)
	qs.turns[id] = t
}

// backPlacement is on whose behalf a callback is made.
type backPlacement struct {
	qs   *Queues
	wait db.OpenCallbacksRow
}

// CallType implements calls.Placement.
func (backPlacement) CallType() *uuid.UUID { return nil }

// Shown implements calls.Placement: the line on which they called.
func (p backPlacement) Shown(_ context.Context, _ firm.Actor, lines []callerid.Line, single callerid.Request,
	_ string) (callerid.Choice, error) {
	if p.wait.LineID != nil {
		for _, l := range lines {
			if l.ID == p.wait.LineID.String() {
				single.Owed = l.ID
			}
		}
	}
	return callerid.Choose(lines, single)
}

// Unrecorded implements calls.Placement.
func (backPlacement) Unrecorded() string { return "" }

// Enter implements calls.Placement: the callback is the rep's from now on, and nobody else's.
func (p backPlacement) Enter(ctx context.Context, q *db.Queries, a firm.Actor, _ uuid.UUID, _ time.Time) error {
	n, err := q.TakeCallback(ctx, db.TakeCallbackParams{UserID: &a.ID, ID: p.wait.ID})
	if err == nil && n == 0 {
		return call.ErrTaken
	}
	return err
}

// Ended implements calls.Placement: who was reached has been called back; else it is tried again, as often as the queue
// says, and is owed after that.
func (p backPlacement) Ended(ctx context.Context, id uuid.UUID, s call.State, slips map[uuid.UUID]uuid.UUID) {
	qs := p.qs
	defer qs.writes.Add(func(context.Context) error { // after what is written here
		qs.Waits()
		return nil
	})
	now := qs.Clock.Now()
	var by *uuid.UUID
	for user := range slips {
		by = &user
	}
	if !s.Answered().IsZero() {
		qs.writes.Add(func(ctx context.Context) error {
			_, err := qs.Store.LeaveQueueWait(
				ctx,
				db.LeaveQueueWaitParams{At: &now, How: "called", AnsweredBy: by, ID: p.wait.ID},
			)
			return err
		})
		return
	}
	set, err := qs.setUp(ctx)
	retries, again := 0, time.Hour
	if err == nil && set.queues[p.wait.QueueID] != nil {
		q := set.queues[p.wait.QueueID]
		retries, again = q.Retries, time.Duration(q.RetryMinutes)*time.Minute
	}
	if p.wait.Tries < retries {
		due := now.Add(again)
		qs.writes.Add(func(ctx context.Context) error {
			return qs.Store.GiveCallbackBack(ctx, db.GiveCallbackBackParams{Tried: 1, DueAt: &due, ID: p.wait.ID})
		})
		return
	}
	qs.writes.Add(func(ctx context.Context) error {
		if _, err := qs.Store.LeaveQueueWait(ctx, db.LeaveQueueWaitParams{At: &now, How: "unreached",
			Why: fmt.Sprintf("tried %d times", p.wait.Tries+1), ID: p.wait.ID}); err != nil || p.wait.CallID == nil {
			return err
		}
		if err := qs.Store.OwesCall(ctx, *p.wait.CallID); err != nil {
			return err
		}
		qs.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindLane})
		return nil
	})
}
