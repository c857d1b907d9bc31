package main

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/audio"
	"trundo/internal/core/call"
	"trundo/internal/core/queue"
	"trundo/internal/core/route"
	"trundo/internal/demo"
	"trundo/internal/desk/firm"
	"trundo/internal/media"
	"trundo/internal/store"
)

const (
	waitingMany = 1000 // who waits in the assignment that is measured
	peopleMany  = 300
	listeners   = 500 // callers in music and announcements
	listenedFor = 15 * time.Second
)

// queueFigures are of who waits; how soon it rings for who is free stands with the rings.
type queueFigures struct {
	assigned    []float64 // ms
	late, cores float64   // share of frames, cores
}

func (f queueFigures) report(p func(string, ...any)) {
	p("## Queues\n")
	p("| what | ours | goal |")
	p("| --- | --- | --- |")
	p(
		"| %d waiting, each with a skill, given to %d people, p95 of %d | %.2f ms (p50 %.2f) | p95 under 5 ms |",
		waitingMany,
		peopleMany,
		len(f.assigned),
		quantile(f.assigned, 0.95),
		quantile(f.assigned, 0.5),
	)
	p("| %d callers in music and announcements, frames left out | %.3f %% | under 1 %% |", listeners, 100*f.late)
	p("| the same, processor | %.2f cores | one core |", f.cores)
	p(`
- **Music**: %v of a studio with %d rooms, a tenth of which hear announcements one after the other, the others music, each with a caller's
  voice that is read. The studio leaves frames out where it is late by more than one.
`, listenedFor, listeners)
}

// assignments gives the milliseconds of giving what waits to who is free, each time with another thousand callers of
// different skills and places.
func assignments() []float64 {
	rnd := rand.New(rand.NewPCG(1, 2))
	now := time.Now()
	var all []float64
	for range 200 {
		var waiting []queue.Work
		for i := range waitingMany {
			waiting = append(waiting, queue.Work{ID: fmt.Sprint(i), Queue: "q", Voice: true,
				Since: now.Add(-time.Duration(rnd.IntN(600)) * time.Second), Priority: rnd.IntN(7) - 3,
				Needs: map[string]int{"pumps": 1 + rnd.IntN(5)}})
		}
		var people []queue.Person
		for i := range peopleMany {
			people = append(people, queue.Person{ID: fmt.Sprint(i), Queues: []string{"q"}, Free: true, There: true,
				IdleSince: now.Add(
					-time.Duration(rnd.IntN(600)) * time.Second,
				), Skills: map[string]int{"pumps": rnd.IntN(6)}})
		}
		began := time.Now()
		queue.Assign(waiting, people, nil, now)
		all = append(all, float64(time.Since(began).Microseconds())/1000)
	}
	return all
}

// listened lets callers hear music, each second tenth an announcement, for a while, and gives the share of frames that
// were left out and how much of a core it took.
func listened() (late, cores float64) {
	s := media.NewStudio()
	defer s.Close()
	spoken := make([]byte, 5*audio.Rate)
	for i := range spoken {
		spoken[i] = byte(rand.IntN(256))
	}
	for i := range listeners {
		id := uuid.New()
		r := s.Open(id, nil)
		r.SetVoice(0, &talker{sound: speech()})
		s.Arrange(id, media.Alone())
		if i%10 == 0 {
			var again func()
			again = func() { go r.PlayToThem(media.Codes(spoken, false), again) }
			again()
		} else {
			r.PlayToThem(media.Soft(media.Tone(audio.HoldMusic, 0), 0.25), nil)
		}
	}
	cores = used(func() { time.Sleep(listenedFor) })
	frames := float64(listeners) * float64(listenedFor/audio.FrameTime)
	return float64(s.LateFrames()) / frames, cores
}

// freed measures from somebody's saying that they are available to the ring of a caller who waited, drawn in Chromium,
// with two hundred members of the queue connected.
func (w *ringer) freed(ctx context.Context, s *store.Store, reps []signed) ([]float64, error) {
	var ines, away, available uuid.UUID
	for query, to := range map[string]*uuid.UUID{`SELECT id FROM users WHERE login = 'ines'`: &ines,
		`SELECT id FROM availability_states WHERE NOT takes_calls ORDER BY position LIMIT 1`: &away,
		`SELECT id FROM availability_states WHERE takes_calls ORDER BY position LIMIT 1`:     &available} {
		if err := s.Pool.QueryRow(ctx, query).Scan(to); err != nil {
			return nil, err
		}
	}
	id, routeID := uuid.New(), uuid.New()
	doc, err := json.Marshal(route.Route{Languages: []string{"en"}, Steps: []route.Step{
		{ID: "q", Do: route.Queue, Queue: id.String()}, {ID: "v", Do: route.Voicemail}}})
	if err != nil {
		return nil, err
	}
	users := []uuid.UUID{ines}
	for _, r := range reps {
		users = append(users, r.id)
	}
	for _, x := range []struct {
		sql  string
		args []any
	}{
		{`INSERT INTO queues (id, name, settings) VALUES ($1, 'Measured', '{"needs":{},"rings":1,"ring_seconds":60,"target_seconds":20,
			"hours":{"spans":[],"off":[]},"zone":"America/New_York","every_seconds":600}')`, []any{id}},
		{`INSERT INTO queue_members (queue_id, user_id, position) SELECT $1, u, 1 FROM unnest($2::uuid[]) u`, []any{id, users}},
		{`INSERT INTO routes (id, name, draft, live) VALUES ($1, 'Measured', $2, 1)`, []any{routeID, doc}},
		{`INSERT INTO route_versions (route_id, no, doc, at, user_id) VALUES ($1, 1, $2, now(), $3)`, []any{routeID, doc, ines}},
		{`UPDATE lines SET route_id = $1 WHERE e164 = $2`, []any{routeID, showNumber}},
		// All are there, and none is free: an unfiled slip does not end within the measurement, speaking would need a call.
		{`UPDATE rep_state SET state_id = $1 WHERE user_id = ANY ($2)`, []any{away, users[1:]}},
	} {
		if _, err := s.Pool.Exec(ctx, x.sql, x.args...); err != nil {
			return nil, err
		}
	}
	time.Sleep(7 * time.Second) // the set-up is read anew
	a, err := w.desk.Actor(ctx, ines)
	if err != nil {
		return nil, err
	}
	var outcome uuid.UUID
	if err := s.Pool.QueryRow(ctx, `SELECT id FROM outcomes WHERE label = 'Not now'`).Scan(&outcome); err != nil {
		return nil, err
	}
	var all []float64
	for i := range drawings {
		took, err := w.freedOnce(ctx, a, outcome, fmt.Sprintf("+1212555%04d", 100+i))
		if err != nil {
			return nil, err
		}
		all = append(all, took)
	}
	_, err = s.Pool.Exec(ctx, `UPDATE lines SET route_id = NULL WHERE e164 = $1`, showNumber)
	time.Sleep(7 * time.Second)
	return all, err
}

// freedOnce lets a speak while somebody waits, and measures from when that call is filed to the ring.
func (w *ringer) freedOnce(ctx context.Context, a firm.Actor, outcome uuid.UUID, from string) (float64, error) {
	typed := demo.AnswersSoon
	c, err := w.desk.Calls.PlaceCall(ctx, a, uuid.NewString(), contract.NewCall{Typed: &typed})
	if err != nil {
		return 0, err
	}
	for w.desk.Calls.PhaseOf(c.ID) != call.PhaseSpeaking {
		w.network.TheyAnswer(demo.AnswersSoon)
		time.Sleep(10 * time.Millisecond)
	}
	ref, err := w.network.CallIn(from, showNumber)
	if err != nil {
		return 0, err
	}
	defer w.network.OutsideHangsUp(ref)
	for waits, deadline := 0, time.Now().Add(10*time.Second); waits == 0; time.Sleep(10 * time.Millisecond) {
		list, err := w.desk.Queues.Waiting(ctx, a)
		if err != nil || time.Now().After(deadline) {
			return 0, fmt.Errorf("the caller does not wait: %w", err)
		}
		waits = len(list)
	}
	if err := w.desk.Calls.HangUp(ctx, a, c.ID); err != nil {
		return 0, err
	}
	if _, err := w.desk.Filing.ChangeSlip(ctx, a, c.Slip.ID, contract.SlipChange{Version: c.Slip.Version,
		OutcomeID: &outcome}); err != nil {
		return 0, err
	}
	// Nobody files before they see what they chose.
	if err := until(w.ours, `[...document.querySelectorAll('[data-testid=slip] [aria-checked=true]')].length > 0`); err != nil {
		return 0, err
	}
	var filing time.Duration // they are free once that is committed
	took, err := measure(w.ours, "[data-testid=ring]", func() error {
		began := time.Now()
		_, err := w.desk.Filing.File(ctx, a, c.Slip.ID, uuid.NewString(), nil)
		filing = time.Since(began)
		return err
	})
	if err != nil {
		return 0, err
	}
	took -= float64(filing.Microseconds()) / 1000
	w.network.OutsideHangsUp(ref)
	return took, until(w.ours, `!document.querySelector('[data-testid=ring]')`)
}
