package queues

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/queue"
	"trundo/internal/core/route"
	"trundo/internal/core/routing"
	"trundo/internal/desk/firm"
	"trundo/internal/store/db"
)

// setUp is what is written down of lines, routes and queues, as every call needs it.
type setUp struct {
	lines  map[uuid.UUID]lineOf
	live   map[uuid.UUID]route.Route // the live versions
	routes []db.RoutesRow
	queues map[uuid.UUID]*Queue
	order  []uuid.UUID // of the queues, by name
	// members of queues, and whoever may lead some, by their role: they are told of what waits
	concerned []uuid.UUID
}

// lineOf is a line that calls come in on.
type lineOf struct {
	id, route   uuid.UUID
	e164, label string
	hours       routing.Hours
	zone        *time.Location
}

// rules are how a queue is stored.
type rules struct {
	Needs         map[string]int      `json:"needs"`
	Rings         int                 `json:"rings"`
	RingSeconds   int                 `json:"ring_seconds"`
	Misses        int                 `json:"misses"`
	PreferSeconds int                 `json:"prefer_seconds"`
	RelaxSeconds  int                 `json:"relax_seconds"`
	TargetSeconds int                 `json:"target_seconds"`
	MaxLength     int                 `json:"max_length"`
	MaxWait       int                 `json:"max_wait_seconds"`
	Hours         routing.Hours       `json:"hours"`
	Zone          string              `json:"zone"`
	SayPosition   bool                `json:"say_position"`
	SayWait       bool                `json:"say_wait"`
	Comfort       []map[string]string `json:"comfort"`
	EverySeconds  int                 `json:"every_seconds"`
	Retries       int                 `json:"retries"`
	RetryMinutes  int                 `json:"retry_minutes"`
	Voicemails    bool                `json:"voicemails"` // who leaves one is called back in their place
	Writing       queue.Writing       `json:"writing"`
}

// Queue is a queue with its members.
type Queue struct {
	db.Queue
	rules
	Members []uuid.UUID
}

func seconds(n int) time.Duration { return time.Duration(n) * time.Second }

// rule is how core/queue serves it.
func (q *Queue) rule() queue.Rule {
	return queue.Rule{PreferFor: seconds(q.PreferSeconds), RelaxAfter: seconds(q.RelaxSeconds), Ring: q.Rings}
}

func (q *Queue) limits() queue.Limits {
	return queue.Limits{Length: q.MaxLength, Wait: seconds(q.MaxWait)}
}

// open tells whether it takes callers.
func (q *Queue) open(now time.Time) bool {
	return q.Active && !q.Queue.Closed && q.Hours.Open(now.In(firm.ZoneNamed(q.Zone)))
}

// saidToday is what is said to everybody who waits today.
func (q *Queue) saidToday(now time.Time) string {
	if q.TodayOn.Format(time.DateOnly) != now.In(firm.ZoneNamed(q.Zone)).Format(time.DateOnly) {
		return ""
	}
	return q.Today
}

// fresh is for how long the set-up is not read again; what this server changes is known at once.
const fresh = 5 * time.Second

func (qs *Queues) setUp(ctx context.Context) (*setUp, error) {
	qs.set.Mu.Lock()
	defer qs.set.Mu.Unlock()
	if qs.set.Value != nil {
		return qs.set.Value, nil
	}
	asked := qs.Clock.Now()
	s, err := qs.readSetUp(ctx)
	if err != nil {
		if qs.last != nil {
			return qs.last, nil // while the database is away, as it was
		}
		return nil, err
	}
	qs.set.Value, qs.set.At, qs.last = s, asked, s
	return s, nil
}

// readAgain reads the set-up again every few seconds, behind the back of who asks for it: another server may have changed
// it. No caller waits for that.
func (qs *Queues) readAgain(ctx context.Context) {
	asked := qs.Clock.Now()
	qs.set.Mu.Lock()
	known := qs.set.Value != nil && asked.Sub(qs.set.At) < fresh
	qs.set.Mu.Unlock()
	if known {
		return
	}
	s, err := qs.readSetUp(ctx)
	qs.set.Mu.Lock()
	defer qs.set.Mu.Unlock()
	if err == nil && asked.After(qs.set.At) { // else it has been changed here meanwhile
		qs.set.Value, qs.set.At, qs.last = s, asked, s
	}
}

// setUpWithin is the set-up as it was last read, for use within a transaction: a second connection is not asked for there.
// nil: it has not been read yet.
func (qs *Queues) setUpWithin(ctx context.Context) (*setUp, error) {
	qs.set.Mu.Lock()
	defer qs.set.Mu.Unlock()
	if qs.set.Value == nil {
		return qs.last, nil
	}
	return qs.set.Value, nil
}

// changedSetUp lets everybody read the set-up anew.
func (qs *Queues) changedSetUp(ctx context.Context) {
	qs.set.Mu.Lock()
	qs.set.Value = nil
	qs.set.Mu.Unlock()
	_, _ = qs.setUp(ctx) // what cannot be read now is read when it is asked for
	qs.BookChanged()
	qs.MayBeFree()
}

func (qs *Queues) readSetUp(ctx context.Context) (*setUp, error) {
	s := &setUp{lines: map[uuid.UUID]lineOf{}, live: map[uuid.UUID]route.Route{}, queues: map[uuid.UUID]*Queue{}}
	lines, err := qs.Store.RoutedLines(ctx)
	if err != nil {
		return nil, err
	}
	for _, l := range lines {
		of := lineOf{id: l.ID, e164: l.E164, label: l.Label, zone: firm.ZoneNamed(l.Zone)}
		if l.RouteID != nil {
			of.route = *l.RouteID
		}
		if err := json.Unmarshal(l.Hours, &of.hours); err != nil {
			return nil, fmt.Errorf("hours of %s: %w", l.Label, err)
		}
		s.lines[l.ID] = of
	}
	if s.routes, err = qs.Store.Routes(ctx); err != nil {
		return nil, err
	}
	for _, r := range s.routes {
		if len(r.LiveDoc) == 0 {
			continue
		}
		doc, err := readRoute(r.LiveDoc)
		if err != nil {
			return nil, fmt.Errorf("route %s: %w", r.Name, err)
		}
		s.live[r.ID] = doc
	}
	rows, err := qs.Store.Queues(ctx)
	if err != nil {
		return nil, err
	}
	for _, r := range rows {
		q := &Queue{Queue: r}
		if err := json.Unmarshal(r.Settings, &q.rules); err != nil {
			return nil, fmt.Errorf("queue %s: %w", r.Name, err)
		}
		s.queues[r.ID] = q
		s.order = append(s.order, r.ID)
	}
	if s.concerned, err = qs.Store.Leaders(ctx); err != nil {
		return nil, err
	}
	members, err := qs.Store.QueueMembers(ctx)
	if err != nil {
		return nil, err
	}
	for _, m := range members {
		if q := s.queues[m.QueueID]; q != nil { // else it was added a moment ago
			q.Members = append(q.Members, m.UserID)
			if !slices.Contains(s.concerned, m.UserID) {
				s.concerned = append(s.concerned, m.UserID)
			}
		}
	}
	return s, nil
}

func readRoute(text []byte) (route.Route, error) {
	var r route.Route
	err := json.Unmarshal(text, &r)
	return r, err
}

// others gives a route by its id, as it was live when the set-up was read.
func (s *setUp) others(id string) (route.Route, bool) {
	to, err := uuid.Parse(id)
	r, live := s.live[to]
	return r, live && err == nil
}
