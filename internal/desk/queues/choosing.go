package queues

import (
	"context"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/phone"
	"trundo/internal/core/queue"
	"trundo/internal/desk/firm"
)

// clockOf is now on the clock of whoever has a number; on the queue's where that is not known.
func (q *Queue) clockOf(e164 string, now time.Time) time.Time {
	if zones := phone.Zones(e164); len(zones) > 0 {
		return now.In(firm.ZoneNamed(zones[0]))
	}
	return now.In(firm.ZoneNamed(q.Zone))
}

// chosen is the time at which somebody wishes to be called who has typed it; false: the queue is closed then.
func (q *Queue) chosen(typed, e164 string, now time.Time) (time.Time, bool) {
	return queue.ChosenTime(typed, q.clockOf(e164, now), q.opens)
}

// opens tells whether the queue's hours are open at a time to come, whatever somebody has closed today.
func (q *Queue) opens(at time.Time) bool {
	return q.Active && q.Hours.Open(at.In(firm.ZoneNamed(q.Zone)))
}

// mayCall tells whether a queue can call somebody back at the time that they have typed.
func (qs *Queues) mayCall(ctx context.Context, id, typed, e164 string, now time.Time) bool {
	set, err := qs.setUp(ctx)
	of, wrong := uuid.Parse(id)
	if err != nil || wrong != nil || set.queues[of] == nil {
		return false
	}
	_, ok := set.queues[of].chosen(typed, e164, now)
	return ok
}

// Hours tell when a queue answers.
type Hours struct {
	Zone  *time.Location
	Now   bool                    // it is open now
	Opens func(at time.Time) bool // its hours are open at a time to come
}

// HoursOf tells when a queue answers. Error: firm.ErrNotFound, also of one that is switched off.
func (qs *Queues) HoursOf(ctx context.Context, id uuid.UUID) (*Hours, error) {
	set, err := qs.setUp(ctx)
	if err != nil {
		return nil, err
	}
	q := set.queues[id]
	if q == nil || !q.Active {
		return nil, firm.ErrNotFound
	}
	return &Hours{Zone: firm.ZoneNamed(q.Zone), Now: q.open(qs.Clock.Now()), Opens: q.opens}, nil
}
