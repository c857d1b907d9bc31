package queues

import (
	"context"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/core/estimate"
	"trundo/internal/core/phone"
	"trundo/internal/core/queue"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store/db"
)

// mayLead tells whether a may open and close a queue, and move and take who waits in it: a right that goes to all
// queues, or to those of which somebody of one's teams is a member.
func (qs *Queues) mayLead(ctx context.Context, a firm.Actor, q *Queue) bool {
	switch a.Rights[rights.LeadQueues] {
	case rights.All:
		return true
	case rights.Team:
		f, err := qs.Settings(ctx)
		return err == nil && slices.ContainsFunc(q.Members, func(id uuid.UUID) bool {
			return id == a.ID || rights.ShareTeam(a.Teams, f.TeamsOf[id])
		})
	}
	return false
}

// led is a queue that a may lead, as it is set up now. Errors: firm.ErrNotFound, firm.ErrForbidden.
func (qs *Queues) led(ctx context.Context, a firm.Actor, id uuid.UUID) (*Queue, error) {
	set, err := qs.readSetUp(ctx)
	if err != nil {
		return nil, err
	}
	q := set.queues[id]
	switch {
	case q == nil:
		return nil, firm.ErrNotFound
	case !qs.mayLead(ctx, a, q):
		return nil, firm.ErrForbidden
	}
	return q, nil
}

// Now are the queues as they are now, with today's figures.
func (qs *Queues) Now(ctx context.Context, a firm.Actor) ([]contract.QueueNow, error) {
	set, err := qs.setUp(ctx)
	if err != nil {
		return nil, err
	}
	now := qs.Clock.Now()
	day := firm.DayStart(now, a.Location())
	days, err := qs.Store.QueueDay(ctx, db.QueueDayParams{Short: int(queue.ShortAbandon.Seconds()), Since: day})
	if err != nil {
		return nil, err
	}
	kept, err := qs.Store.CallbackDay(ctx, &day)
	if err != nil {
		return nil, err
	}
	open, err := qs.open(ctx)
	if err != nil {
		return nil, err
	}
	off, err := qs.estimateErrors(ctx, now)
	if err != nil {
		return nil, err
	}
	list := []contract.QueueNow{}
	for _, id := range set.order {
		q := set.queues[id]
		if !q.Active {
			continue
		}
		v := contract.QueueNow{ID: id, Name: q.Name, Open: q.open(now), ClosedByHand: q.Queue.Closed,
			Today: q.saidToday(
				now,
			), TargetSeconds: q.TargetSeconds, ServiceLevel: 1, Late: contract.Lateness(queue.InTime),
			MayLead: qs.mayLead(ctx, a, q), Member: slices.Contains(q.Members, a.ID)}
		for _, d := range days {
			if d.QueueID == id {
				v.Offered, v.Answered, v.Abandoned, v.Short = d.Offered, d.Answered, d.Abandoned, d.Short
				v.Transferred = d.Transferred
				v.WaitedSeconds, v.LongestSeconds = int(d.WaitedMs/1000), int(d.LongestMs/1000)
				v.ServiceLevel = queue.ServiceLevel(d.InTime, d.Offered-d.Waiting, d.Short)
			}
		}
		for _, k := range kept {
			if k.QueueID == id {
				v.CallbacksKept = k.Kept
			}
		}
		for _, b := range open.backs {
			if b.QueueID == id {
				v.Callbacks++
			}
		}
		for _, r := range open.messages {
			if r.QueueID == id && r.TakenBy == nil {
				v.Messages++
			}
		}
		if e, said := off[id]; said && (v.MayLead || a.MayDo(rights.Telephony)) {
			v.EstimateError = &e
		}
		if v.MayLead {
			v.Members = new(firm.OrEmpty(q.Members))
		}
		qs.counts(&v, q, now)
		if err := qs.members(ctx, &v, q); err != nil {
			return nil, err
		}
		list = append(list, v)
	}
	return list, nil
}

// counts adds who waits.
func (qs *Queues) counts(v *contract.QueueNow, q *Queue, now time.Time) {
	qs.mu.Lock()
	defer qs.mu.Unlock()
	for _, w := range qs.waiting {
		if w.queue != q.ID {
			continue
		}
		v.Waiting++
		if v.Oldest == nil || w.since.Before(*v.Oldest) {
			v.Oldest = new(w.since)
		}
	}
	if v.Oldest != nil {
		v.Late = contract.Lateness(queue.LateAt(now.Sub(*v.Oldest), seconds(q.TargetSeconds)))
	}
}

// members adds who is there.
func (qs *Queues) members(ctx context.Context, v *contract.QueueNow, q *Queue) error {
	if len(q.Members) == 0 {
		return nil
	}
	doing, err := qs.Calls.Team.Presence(ctx, q.Members...)
	for _, r := range doing {
		if r.There() {
			v.There++
		}
		if r.Free() {
			v.Free++
		}
	}
	return err
}

// estimateErrors are, by queue, how far waits that were said in the last thirty days lay from what came.
func (qs *Queues) estimateErrors(ctx context.Context, now time.Time) (map[uuid.UUID]float64, error) {
	return firm.SharedAnswer(ctx, qs.Firm, "estimate errors", func(ctx context.Context) (map[uuid.UUID]float64, error) {
		rows, err := qs.Store.EstimatesSaid(ctx, now.AddDate(0, 0, -30))
		if err != nil {
			return nil, err
		}
		told, real := map[uuid.UUID][]time.Duration{}, map[uuid.UUID][]time.Duration{}
		for _, r := range rows {
			told[r.QueueID] = append(told[r.QueueID], time.Duration(r.SaidMs)*time.Millisecond)
			real[r.QueueID] = append(real[r.QueueID], time.Duration(r.WaitedMs)*time.Millisecond)
		}
		off := map[uuid.UUID]float64{}
		for id := range told {
			off[id] = estimate.Error(told[id], real[id])
		}
		return off, nil
	})
}

// SetToday opens or closes a queue, and sets what is said to everybody who waits in it today. Errors: firm.ErrForbidden,
// firm.ErrNotFound.
func (qs *Queues) SetToday(ctx context.Context, a firm.Actor, id uuid.UUID,
	t contract.QueueToday) ([]contract.QueueNow, error) {
	q, err := qs.led(ctx, a, id)
	if err != nil {
		return nil, err
	}
	text := firm.CleanText(t.Today)
	today := firm.DayStart(qs.Clock.Now(), firm.ZoneNamed(q.Zone))
	on := time.Date(today.Year(), today.Month(), today.Day(), 0, 0, 0, 0, time.UTC)
	if err := qs.Store.Tx(ctx, func(tx *db.Queries) error {
		if _, err := tx.SetQueueToday(ctx, db.SetQueueTodayParams{Closed: t.Closed, Today: text, TodayOn: on,
			ID: id}); err != nil {
			return err
		}
		state := func(closed bool, said string) map[string]string {
			return map[string]string{"open": map[bool]string{true: "no", false: "yes"}[closed], "said": said}
		}
		return qs.Audited(ctx, tx, a, "queue", id, "queue for today", state(q.Queue.Closed,
			q.saidToday(qs.Clock.Now())),
			state(t.Closed, text))
	}); err != nil {
		return nil, err
	}
	qs.changedSetUp(ctx)
	if text != "" { // who waits hears it at once
		qs.mu.Lock()
		for _, w := range qs.waiting {
			if w.queue == id {
				select {
				case w.g.sayNow <- struct{}{}:
				default:
				}
			}
		}
		qs.mu.Unlock()
	}
	qs.tell()
	return qs.Now(ctx, a)
}

// placed is somebody who waits, with their place in the line.
type placed struct {
	work queue.Work
	view contract.WaitingCall
}

// turn tells whether it is their turn with the reader.
func (p placed) turn() bool { return optional.Value(p.view.Turn) }

// Waiting are those who wait in queues of which a is a member, or which a leads: callers first, then callbacks.
func (qs *Queues) Waiting(ctx context.Context, a firm.Actor) ([]contract.WaitingCall, error) {
	set, err := qs.setUp(ctx)
	if err != nil {
		return nil, err
	}
	f, err := qs.Settings(ctx)
	if err != nil {
		return nil, err
	}
	now := qs.Clock.Now()
	type waiter struct {
		*wait
		queue uuid.UUID
		work  queue.Work
	}
	qs.mu.Lock()
	var waits []waiter
	for _, w := range qs.waiting {
		if q := set.queues[w.queue]; q != nil {
			waits = append(waits, waiter{w, w.queue, w.work(now, q)})
		}
	}
	qs.mu.Unlock()
	var list []placed
	seen := map[uuid.UUID]bool{}
	for id, q := range set.queues {
		seen[id] = slices.Contains(q.Members, a.ID) || qs.mayLead(ctx, a, q)
	}
	for _, w := range waits {
		q := set.queues[w.queue]
		if q == nil || !seen[w.queue] {
			continue
		}
		s, there := qs.Calls.State(w.call)
		if !there || s.Phase() == call.PhaseEnded || slices.Contains(s.RungNow(), a.ID.String()) {
			continue
		}
		v := qs.waitView(
			q,
			w.id,
			w.g.caller.name,
			phone.Format(w.g.caller.e164, w.g.caller.ext, f.Region, a.Style),
			w.since,
			now,
		)
		v.CallID, v.Line = w.call, w.g.line.label
		for _, user := range s.RungNow() {
			if id, err := uuid.Parse(user); err == nil {
				if x, err := qs.Actor(ctx, id); err == nil {
					v.Rings = append(v.Rings, x.Name)
				}
			}
		}
		v.MayTake, v.MayMove = new(qs.mayLead(ctx, a, q)), new(qs.mayLead(ctx, a, q))
		list = append(list, placed{w.work, v})
	}
	open, err := qs.open(ctx)
	if err != nil {
		return nil, err
	}
	for _, b := range open.backs {
		q := set.queues[b.QueueID]
		if q == nil || !seen[b.QueueID] || b.TakenBy != nil {
			continue
		}
		v := qs.waitView(q, b.ID, b.Name, phone.Format(b.E164, b.Ext, f.Region, a.Style), b.Since, now)
		v.Callback, v.Due = new(true), b.DueAt
		if b.Word != "" {
			v.About = new(firm.Shorten(b.Word, 120))
		}
		if b.MessageMs > 0 {
			v.LeftSeconds = new(int(b.MessageMs / 1000))
		}
		v.CallID = optional.Value(b.CallID)
		if b.LineID != nil {
			v.Line = f.LineLabels[*b.LineID]
		}
		qs.mu.Lock()
		t, has := qs.turns[b.ID]
		qs.mu.Unlock()
		work := queue.Work{ID: b.ID.String(), Voice: true, Since: b.Since, Priority: b.Priority}
		mine := has && t.user == a.ID.String() && now.Before(t.until)
		v.Turn, v.MayTake, v.MayMove = &mine, new(mine || qs.mayLead(ctx, a, q)), new(qs.mayLead(ctx, a, q))
		list = append(list, placed{work, v})
	}
	for _, r := range open.messages {
		q := set.queues[r.QueueID]
		if q == nil || !seen[r.QueueID] || r.TakenBy != nil {
			continue
		}
		v := qs.writtenView(q, r, f, now)
		v.MayTake, v.MayMove = new(qs.mayLead(ctx, a, q)), new(qs.mayLead(ctx, a, q))
		list = append(list, placed{qs.writtenWork(r, now), v})
	}
	slices.SortFunc(list, func(x, y placed) int {
		if x.turn() != y.turn() {
			if x.turn() {
				return -1
			}
			return 1
		}
		return queue.Compare(x.work, y.work)
	})
	views := []contract.WaitingCall{}
	for _, p := range list {
		views = append(views, p.view)
	}
	return views, nil
}

func (qs *Queues) waitView(q *Queue, id uuid.UUID, name, display string, since, now time.Time) contract.WaitingCall {
	if display == "" {
		display = "number withheld"
	}
	if name == "" {
		name = display
	}
	return contract.WaitingCall{
		WaitID:  &id,
		Queue:   &q.Name,
		Name:    name,
		Display: display,
		Since:   since,
		Rings:   []string{},
		Late:    new(contract.Lateness(queue.LateAt(now.Sub(since), seconds(q.TargetSeconds)))),
	}
}

// outcomes say what came of a wait.
var outcomes = map[string]string{"abandoned": "until they gave up", "callback": "and asked to be called back",
	"voicemail": "and went to voicemail", "pressed": "and pressed a key"}

// WaitTexts say where somebody waited in a call, and for how long, each with its time.
func (qs *Queues) WaitTexts(ctx context.Context, call uuid.UUID) ([]contract.CallFact, error) {
	rows, err := qs.Store.WaitsOfCall(ctx, &call)
	var texts []contract.CallFact
	for i, w := range rows {
		x := contract.CallFact{Seq: -1 - i, At: w.Since, Text: "They wait in " + w.Name}
		switch {
		case w.How == "overflow" && w.LeftAt != nil && w.LeftAt.Equal(w.Since):
			x.Text = w.Name + " did not take them: " + w.Why
		case w.LeftAt != nil:
			x.At = *w.LeftAt
			x.Text = strings.TrimSpace("They waited in " + w.Name + " for " +
				w.LeftAt.Sub(w.Since).Round(time.Second).String() + " " + outcomes[w.How])
			if w.Why != "" {
				x.Text += ", " + w.Why
			}
		}
		texts = append(texts, x)
	}
	return texts, err
}
