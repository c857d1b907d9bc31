package main

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"path/filepath"
	"sync"
	"sync/atomic"
	"time"

	"trundo/internal/desk/firm"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"trundo/internal/contract"
	"trundo/internal/demo"
	"trundo/internal/store"
	"trundo/internal/store/db"
	"trundo/internal/store/pgcluster"
)

// The list of a round, and how many reps work on it together.
const (
	peopleOnList = 100_000
	repsOnList   = 500
	takesEach    = 8
)

type roundFigures struct {
	first    []float64 // ms, from the wish to start a round until its first call is dialed
	prepared []float64 // s, until everybody is on it
	next     []float64 // ms, from the outcome's key to the next number on the wire
	takes    pair      // a second, by repsOnList reps at once
	doubles  int       // people who were got by two
}

// rounds measures a round of a hundred thousand people, and five hundred reps on one list.
func rounds(ctx context.Context, cluster *pgcluster.Cluster, dir string, settles,
	runs int) (f roundFigures, err error) {
	admin, err := store.Open(ctx, cluster.URL("postgres"), 1)
	if err != nil {
		return f, err
	}
	defer admin.Close()
	if _, err := admin.Pool.Exec(ctx, "CREATE DATABASE rounds"); err != nil {
		return f, err
	}
	s, err := store.Open(ctx, cluster.URL("rounds"), 32)
	if err != nil {
		return f, err
	}
	defer s.Close()
	if err := s.Migrate(ctx); err != nil {
		return f, err
	}
	if err := demo.Fill(ctx, s, demo.First, time.Now()); err != nil {
		return f, err
	}
	list := store.NewID()
	for _, x := range []struct {
		sql  string
		args []any
	}{
		{`INSERT INTO records (id, kind, name) SELECT gen_random_uuid(), 'contact', 'Round ' || lpad(n::text, 6, '0') FROM generate_series(1, $1) n`, []any{peopleOnList}},
		{`INSERT INTO phone_numbers (id, record_id, label, typed, e164, region) SELECT gen_random_uuid(), id, 'mobile', '', '+999' || right(name, 6), '' FROM records WHERE name LIKE 'Round %'`, nil},
		{`INSERT INTO lists (id, name, type, record_kind, owner_id, created_at) SELECT $1, 'A hundred thousand', 'hand', 'people', id, now() FROM users WHERE login = 'ines'`, []any{list}},
		{`INSERT INTO list_members (list_id, record_id, at) SELECT $1, id, now() FROM records WHERE name LIKE 'Round %'`, []any{list}},
		{`DELETE FROM follow_ups`, nil}, // nothing is promised that a round would wait for
		{"ANALYZE", nil},
	} {
		if _, err := s.Pool.Exec(ctx, x.sql, x.args...); err != nil {
			return f, fmt.Errorf("%s: %w", x.sql, err)
		}
	}
	w, err := newWorkshop(ctx, s, filepath.Join(dir, "rounds"))
	if err != nil {
		return f, err
	}
	defer w.close()
	client := &http.Client{}
	cookie, err := w.signIn(client)
	if err != nil {
		return f, err
	}
	if err := w.startsRounds(ctx, client, cookie, list, settles, &f); err != nil {
		return f, err
	}
	f.takes, f.doubles, err = w.takeTogether(ctx, list, runs)
	return f, err
}

// startsRounds starts a round five times and works through a part of the last one.
func (w *workshop) startsRounds(ctx context.Context, client *http.Client, cookie *http.Cookie, list uuid.UUID,
	settles int, f *roundFigures) error {
	var noAnswer uuid.UUID
	if err := w.store.Pool.QueryRow(ctx,
		`SELECT id FROM outcomes WHERE label = 'No answer'`).Scan(&noAnswer); err != nil {
		return err
	}
	var ines uuid.UUID
	if err := w.store.Pool.QueryRow(ctx, `SELECT id FROM users WHERE login = 'ines'`).Scan(&ines); err != nil {
		return err
	}
	a, err := w.desk.Actor(ctx, ines)
	if err != nil {
		return err
	}
	settings, err := w.desk.Rounds.RoundDefaults(ctx, a)
	if err != nil {
		return err
	}
	settings.SkipCalledToday = false
	w.timing.Store(true)
	defer w.timing.Store(false)
	send := func(path string, body any) (r contract.Round, err error) {
		text, err := json.Marshal(body)
		if err != nil {
			return r, err
		}
		answer, err := post(ctx, client, w.ours, path, string(text), cookie)
		if err != nil {
			return r, err
		}
		return r, json.Unmarshal(answer, &r)
	}
	var r contract.Round
	for n := range 5 {
		began := time.Now()
		if r, err = send("/api/rounds", contract.RoundStart{ListID: &list, Settings: settings}); err != nil {
			return fmt.Errorf("starting a round: %w", err)
		}
		if r, err = send("/api/rounds/"+r.ID.String()+"/acts",
			contract.RoundAct{Act: contract.RoundActActGo}); err != nil {
			return err
		}
		f.first = append(f.first, (<-w.dialed).Sub(began).Seconds()*1000)
		for r.Preparing {
			time.Sleep(20 * time.Millisecond)
			if r, err = w.desk.Rounds.Round(ctx, a, r.ID); err != nil {
				return err
			}
		}
		f.prepared = append(f.prepared, time.Since(began).Seconds())
		if r.Total != peopleOnList {
			return fmt.Errorf("a round of %d, not of %d people", r.Total, peopleOnList)
		}
		if n < 4 { // the next one begins afresh
			if _, err := send("/api/rounds/"+r.ID.String()+"/acts",
				contract.RoundAct{Act: contract.RoundActActSkip}); err != nil {
				return err
			}
			<-w.dialed
			if err := w.desk.Calls.HangUp(ctx, a, mustCall(w.desk.Rounds.Round(ctx, a, r.ID))); err != nil {
				return err
			}
			if _, err := send("/api/rounds/"+r.ID.String()+"/acts",
				contract.RoundAct{Act: contract.RoundActActEnd}); err != nil {
				return err
			}
		}
	}
	for n := range settles + 20 {
		if r.Current == nil || r.Current.Call == nil {
			return fmt.Errorf("the round is at nobody: %s", r.Waits)
		}
		began := time.Now()
		if r, err = send("/api/rounds/"+r.ID.String()+"/settle",
			contract.RoundSettle{SlipID: r.Current.Call.Slip.ID, OutcomeID: &noAnswer}); err != nil {
			return fmt.Errorf("settling: %w", err)
		}
		if took := (<-w.dialed).Sub(began); n >= 20 {
			f.next = append(f.next, took.Seconds()*1000)
		}
	}
	if err := w.desk.Calls.HangUp(ctx, a, r.Current.Call.ID); err != nil {
		return err
	}
	_, err = send("/api/rounds/"+r.ID.String()+"/acts", contract.RoundAct{Act: contract.RoundActActEnd})
	return err
}

func mustCall(r contract.Round, err error) uuid.UUID {
	if err != nil || r.Current == nil || r.Current.Call == nil {
		return uuid.Nil
	}
	return r.Current.Call.ID
}

// takeTogether lets many reps take people of one round at once, and pgx alone rows of a table of the same shape, by
// turns.
func (w *workshop) takeTogether(ctx context.Context, list uuid.UUID, runs int) (p pair, doubles int, err error) {
	var reps []firm.Actor
	for i := range repsOnList {
		id := store.NewID()
		if _, err := w.store.Pool.Exec(ctx,
			`INSERT INTO users (id, login, name, role, password_hash, zone) VALUES ($1, $2, $2, 'rep', '', 'America/New_York')`, id, fmt.Sprintf("rep%03d", i)); err != nil {
			return p, 0, err
		}
		if err := w.store.InsertRepState(ctx, db.InsertRepStateParams{UserID: id, At: time.Now()}); err != nil {
			return p, 0, err
		}
		a, err := w.desk.Actor(ctx, id)
		if err != nil {
			return p, 0, err
		}
		reps = append(reps, a)
	}
	settings, err := w.desk.Rounds.RoundDefaults(ctx, reps[0])
	if err != nil {
		return p, 0, err
	}
	settings.Pace, settings.SkipCalledToday = contract.RoundSettingsPaceByKey, false
	for range runs {
		r, err := w.desk.Rounds.StartRound(ctx, reps[0], uuid.NewString(),
			contract.RoundStart{ListID: &list, Settings: settings})
		if err != nil {
			return p, 0, err
		}
		for r.Preparing {
			time.Sleep(50 * time.Millisecond)
			if r, err = w.desk.Rounds.Round(ctx, reps[0], r.ID); err != nil {
				return p, 0, err
			}
		}
		var mu sync.Mutex
		got := map[int]uuid.UUID{}
		rate, err := together(func(i int) error {
			a := reps[i]
			v, err := w.desk.Rounds.ActOnRound(ctx, a, r.ID, uuid.NewString(),
				contract.RoundAct{Act: contract.RoundActActGo})
			for n := 0; ; n++ {
				if err != nil {
					return err
				}
				if v.Current == nil {
					return fmt.Errorf("rep %d got nobody", i)
				}
				mu.Lock()
				if other, there := got[v.Current.Position]; there && other != a.ID {
					doubles++
				}
				got[v.Current.Position] = a.ID
				mu.Unlock()
				if n == takesEach-1 {
					return nil
				}
				v, err = w.desk.Rounds.ActOnRound(ctx, a, r.ID, uuid.NewString(),
					contract.RoundAct{Act: contract.RoundActActSkip})
			}
		})
		if err != nil {
			return p, doubles, fmt.Errorf("taking: %w", err)
		}
		p.ours = append(p.ours, rate)
		if _, err := w.desk.Rounds.ActOnRound(ctx, reps[0], r.ID, uuid.NewString(),
			contract.RoundAct{Act: contract.RoundActActEnd}); err != nil {
			return p, doubles, err
		}
		if rate, err = w.bareTakes(ctx, r.ID); err != nil {
			return p, doubles, fmt.Errorf("taking, bare: %w", err)
		}
		p.bare = append(p.bare, rate)
	}
	return p, doubles, nil
}

// together lets each rep work at once, and tells how many takes a second that were.
func together(one func(i int) error) (float64, error) {
	var group sync.WaitGroup
	var failed atomic.Pointer[error]
	began := time.Now()
	for i := range repsOnList {
		group.Go(func() {
			if err := one(i); err != nil {
				failed.Store(&err)
			}
		})
	}
	group.Wait()
	if err := failed.Load(); err != nil {
		return 0, *err
	}
	return repsOnList * takesEach / time.Since(began).Seconds(), nil
}

// bareTakes takes rows of a copy of a round's people, each in a transaction of its own: the next one that nobody has
// locked.
func (w *workshop) bareTakes(ctx context.Context, round uuid.UUID) (float64, error) {
	for _, sql := range []string{`DROP TABLE IF EXISTS bare_people`,
		fmt.Sprintf(`CREATE TABLE bare_people AS SELECT * FROM round_people WHERE round_id = '%s'`, round),
		`UPDATE bare_people SET state = 'waiting'`,
		`ALTER TABLE bare_people ADD PRIMARY KEY (round_id, position)`,
		`CREATE INDEX bare_next ON bare_people (round_id, rank, position) WHERE state = 'waiting'`,
		`ANALYZE bare_people`} {
		if _, err := w.store.Pool.Exec(ctx, sql); err != nil {
			return 0, err
		}
	}
	return together(func(int) error {
		for range takesEach {
			if err := pgx.BeginFunc(ctx, w.store.Pool, func(tx pgx.Tx) error {
				var position int
				if err := tx.QueryRow(ctx, `SELECT position FROM bare_people WHERE round_id = $1 AND state = 'waiting' ORDER BY rank, position LIMIT 1 FOR UPDATE SKIP LOCKED`, round).Scan(&position); err != nil {
					return err
				}
				_, err := tx.Exec(ctx, `UPDATE bare_people SET state = 'done' WHERE round_id = $1 AND position = $2`,
					round, position)
				return err
			}); err != nil {
				return err
			}
		}
		return nil
	})
}

func (f roundFigures) report(p func(string, ...any)) {
	p("## Rounds, of %d people\n", peopleOnList)
	p("| what | ours | bare | ratio | goal |")
	p("| --- | --- | --- | --- | --- |")
	p("| from the outcome's key to the next number on the wire, p95 of %d | %.1f ms (p50 %.1f) | | | under 100 ms |",
		len(f.next), quantile(f.next, 0.95), quantile(f.next, 0.5))
	p("| from the wish to start until the first call is dialed, the slowest of %d | %.0f ms (median %.0f) | | | "+
		"under 1,000 ms |", len(f.first), quantile(f.first, 1), quantile(f.first, 0.5))
	p("| until everybody is on it, median | %.1f s | | | behind |", quantile(f.prepared, 0.5))
	row(p, fmt.Sprintf("people taken a second, %d reps at once, median of %d", repsOnList, len(f.takes.ours)), "",
		quantile(f.takes.ours, 0.5), quantile(f.takes.bare, 0.5), "")
	p("| people whom two reps got | %d | | | none |", f.doubles)
	p(`
- **Outcome's key**: from the HTTP request that ends an attempt with "No answer" (which tries again later), files it and goes on, until the carrier is asked to dial the next person.
- **The first call**: a hand-made list of that size, started over HTTP and gone on with; the rest is put on it behind.
- **Taken**: each rep takes %d people one after the other through desk, leaving each out: the round as the rep sees it is read each time, and whether the person may be called. Bare: pgx
  takes a row with FOR UPDATE SKIP LOCKED and marks it, a transaction each. Runs: ours %s; bare %s.
`, takesEach, list(f.takes.ours), list(f.takes.bare))
}
