package main

import (
	"context"
	"fmt"
	"math/rand/v2"
	"runtime"
	"strings"
	"time"

	"github.com/google/uuid"
	"golang.org/x/sync/errgroup"

	"trundo/internal/contract"
	"trundo/internal/core/rights"
	"trundo/internal/desk"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/pgcluster"
)

// What is counted.
const (
	figureReps    = 400
	figureDays    = 730
	figureAtOnce  = 50_000
	figuresMade   = 20_000 // of which it is measured how fast a server makes them
	figureAsked   = 60     // questions of each kind
	filedEvery    = 3 * time.Second
	wallPeople    = 200
	wallLooks     = 40
	wallPerMinute = 20 // a window looks every three seconds
)

// reportFigures are what reports over very many calls cost.
type reportFigures struct {
	calls        int
	made, loaded time.Duration
	memory       uint64
	facets, bare []float64 // ms: all facets and the first rows; counting by one index-only scan
	year, bareBy []float64 // ms: a report over a year; the same grouping by one index-only scan
	wall         []float64 // ms of a look at the wall
}

// reports measures finding and reporting over calls of two years, while others are filed.
func reports(ctx context.Context, cluster *pgcluster.Cluster, dir string, calls int) (f reportFigures, err error) {
	f.calls = calls
	s, d, _, err := freshDesk(ctx, cluster, "figures", dir)
	if err != nil {
		return f, err
	}
	defer s.Close()
	d.Close()
	if err := fillFigures(ctx, s, calls, &f); err != nil {
		return f, err
	}
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	if d, _, err = openDesk(ctx, s, "figures", dir); err != nil {
		return f, err
	}
	defer d.Close()
	all := firm.Actor{ID: store.NewID(), Role: firm.Admin, Rights: rights.Shipped(rights.RoleAdmin)}
	began := time.Now()
	for {
		found, err := d.Insight.Find(
			ctx,
			all,
			contract.CallsSought{Period: "800d", WithoutFacets: new(true), Count: new(1)},
		)
		if err != nil {
			return f, err
		}
		if found.Count >= calls {
			break
		}
	}
	f.loaded = time.Since(began)
	runtime.GC()
	runtime.ReadMemStats(&after)
	f.memory = after.HeapAlloc - before.HeapAlloc
	stop := fileOn(ctx, s)
	defer stop()
	if err := f.ask(ctx, s, d, all); err != nil {
		return f, err
	}
	return f, f.look(ctx, s, d)
}

// fillFigures makes calls with a slip each, and their figures.
func fillFigures(ctx context.Context, s *store.Store, calls int, f *reportFigures) error {
	for _, sql := range []string{
		`ALTER TABLE calls DISABLE TRIGGER USER`, `ALTER TABLE slips DISABLE TRIGGER USER`,
		fmt.Sprintf(`INSERT INTO users (id, login, name, role, team, password_hash, zone)
			SELECT gen_random_uuid(), 'rep' || n, 'Rep ' || n, 'rep', 'Team ' || n %% 20, '', 'America/New_York'
			FROM generate_series(1, %d) n`, figureReps),
		`INSERT INTO rep_state (user_id) SELECT id FROM users WHERE login LIKE 'rep%' ON CONFLICT DO NOTHING`,
		`DELETE FROM figures_due`,
	} {
		if _, err := s.Pool.Exec(ctx, sql); err != nil {
			return err
		}
	}
	var all [][]uuid.UUID
	for from := 0; from < calls; from += figureAtOnce {
		ids := make([]uuid.UUID, 0, figureAtOnce)
		for range min(figureAtOnce, calls-from) {
			ids = append(ids, store.NewID())
		}
		if _, err := s.Pool.Exec(ctx, `WITH reps AS (SELECT array_agg(id ORDER BY login) AS all FROM users WHERE login LIKE 'rep%'),
			lines AS (SELECT array_agg(id) AS all FROM lines), results AS (SELECT array_agg(id) AS all FROM outcomes WHERE active),
			one AS (SELECT i.id, $2 + i.n AS n, now() - interval '1 day' * ($3 * (1 - ($2 + i.n)::float / $4)) AS at,
				hashint8($2 + i.n) & 2147483647 AS r FROM unnest($1::uuid[]) WITH ORDINALITY i (id, n)),
			made AS (INSERT INTO calls (id, direction, line_id, remote_e164, remote_typed, remote_label, caller_id, device,
				owner_server, owner_epoch, state, started_at, answered_at, ended_at, end_reason, placed_by, ring_ms, talk_ms, spoke)
			SELECT o.id, CASE WHEN o.r % 3 = 0 THEN 'inbound' ELSE 'outbound' END, lines.all[1 + o.r % array_length(lines.all, 1)],
				'+1413' || lpad((o.r % 400000)::text, 7, '0'), '', 'mobile', '+14135550110', 'browser', 'gone', 0, 'ended', o.at,
				CASE WHEN o.r % 2 = 0 THEN o.at END, o.at + interval '3 minutes', 'ended_by_us', reps.all[1 + o.r % 400],
				o.r % 20000, CASE WHEN o.r % 2 = 0 THEN o.r % 600000 ELSE 0 END, o.r % 2 = 0 FROM one o, reps, lines)
			INSERT INTO slips (id, call_id, user_id, state, created_at, filed_at, outcome_id, team)
			SELECT gen_random_uuid(), o.id, reps.all[1 + o.r % 400], 'filed', o.at, o.at + interval '200 seconds',
				results.all[1 + o.r % array_length(results.all, 1)], 'Team ' || o.r % 20 FROM one o, reps, results`,
			ids, from, figureDays, calls); err != nil {
			return err
		}
		all = append(all, ids)
	}
	if _, err := s.Pool.Exec(ctx, `ANALYZE calls, slips`); err != nil {
		return err
	}
	// The first ones as a server makes them, which is what is measured; the others without looking for what hangs on
	// them.
	began := time.Now()
	if _, err := s.Pool.Exec(ctx, `SELECT refresh_figures($1, 60000)`, all[0][:min(figuresMade, len(all[0]))]); err != nil {
		return err
	}
	f.made = time.Since(began)
	if err := fillRows(ctx, s, all); err != nil {
		return err
	}
	for _, sql := range []string{
		`ALTER TABLE calls ENABLE TRIGGER USER`, `ALTER TABLE slips ENABLE TRIGGER USER`,
		`CREATE INDEX bench_bare ON call_figures (at) INCLUDE (user_id, flags)`, `VACUUM ANALYZE`,
	} {
		if _, err := s.Pool.Exec(ctx, sql); err != nil {
			return err
		}
	}
	return nil
}

// fillRows writes the figures of calls as the database makes them, by two at a time. The first calls have theirs.
func fillRows(ctx context.Context, s *store.Store, all [][]uuid.UUID) error {
	if _, err := s.Pool.Exec(ctx, `DO $$ DECLARE m date; BEGIN
		FOR m IN SELECT DISTINCT date_trunc('month', started_at AT TIME ZONE 'UTC')::date FROM calls LOOP
			IF to_regclass('call_figures_' || to_char(m, 'YYYY_MM')) IS NULL THEN
				EXECUTE format('CREATE TABLE %I PARTITION OF call_figures FOR VALUES FROM (%L) TO (%L)',
					'call_figures_' || to_char(m, 'YYYY_MM'), m || ' 00:00:00+00', (m + interval '1 month')::date || ' 00:00:00+00');
			END IF;
		END LOOP; END $$`); err != nil {
		return err
	}
	columns := strings.ReplaceAll(store.FigureColumns, "f.", "")
	work, ctx := errgroup.WithContext(ctx)
	work.SetLimit(2)
	for i, ids := range all {
		if i == 0 {
			ids = ids[min(figuresMade, len(ids)):]
		}
		work.Go(func() error {
			_, err := s.Pool.Exec(ctx, `INSERT INTO call_figures (`+columns+`, changed)
				SELECT x.*, nextval('call_figures_changes') FROM (SELECT `+store.FigureColumns+` FROM figures_of($1, 60000) f
				ORDER BY f.at, f.call_id, f.part) x`, ids)
			return err
		})
	}
	return work.Wait()
}

// fileOn changes twenty slips a minute until it is stopped.
func fileOn(ctx context.Context, s *store.Store) (stop func()) {
	ctx, cancel := context.WithCancel(ctx)
	done := make(chan struct{})
	go func() {
		defer close(done)
		tick := time.NewTicker(filedEvery)
		defer tick.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-tick.C:
				_, _ = s.Pool.Exec(ctx, `UPDATE slips SET version = version + 1 WHERE id IN (SELECT id FROM slips
					TABLESAMPLE SYSTEM (0.001) LIMIT 1)`)
			}
		}
	}()
	return func() { cancel(); <-done }
}

// ask asks questions drawn by chance, each beside a bare one.
func (f *reportFigures) ask(ctx context.Context, s *store.Store, d *desk.Desk, a firm.Actor) error {
	r := rand.New(rand.NewPCG(1, 2))
	var reps []uuid.UUID
	rows, err := s.Pool.Query(ctx, `SELECT id FROM users WHERE login LIKE 'rep%' ORDER BY login LIMIT 20`)
	if err != nil {
		return err
	}
	for rows.Next() {
		var id uuid.UUID
		if err := rows.Scan(&id); err != nil {
			return err
		}
		reps = append(reps, id)
	}
	periods := []string{"today", "7d", "30d", "30d", "90d", "365d", "800d"}
	days := map[string]int{"today": 1, "7d": 7, "30d": 30, "90d": 90, "365d": 365, "800d": 800}
	conditions := [][]contract.Condition{nil, {{Facet: "way", Values: []string{"inbound"}}},
		{{Facet: "has", Values: []string{"conversation"}}}, {{Facet: "length", Values: []string{"3", "4"}}},
		{{Facet: "rep", Values: []string{reps[0].String(), reps[7].String()}}},
		{{Facet: "weekday", Values: []string{"1"}}, {Facet: "has", Values: []string{"conversation"}, Not: new(true)}}}
	for range figureAsked {
		period, where := periods[r.IntN(len(periods))], conditions[r.IntN(len(conditions))]
		began := time.Now()
		if _, err := d.Insight.Find(ctx, a, contract.CallsSought{Period: period, Where: &where}); err != nil {
			return err
		}
		f.facets = append(f.facets, ms(began))
		began = time.Now()
		var n int
		if err := s.Pool.QueryRow(ctx, `SELECT count(*) FROM call_figures WHERE at >= now() - $1 * interval '1 day'`,
			days[period]).Scan(&n); err != nil {
			return err
		}
		f.bare = append(f.bare, ms(began))
	}
	for range figureAsked / 2 {
		by := []string{"rep", "day", "line", "hour", "outcome", "month"}[r.IntN(6)]
		began := time.Now()
		if _, err := d.Insight.Report(ctx, a, contract.ReportQuery{Period: "365d", By: by,
			Figures: []string{"conversations", "reached_share", "talk_average", "wrap_up"}}); err != nil {
			return err
		}
		f.year = append(f.year, ms(began))
		began = time.Now()
		if _, err := s.Pool.Exec(ctx, `SELECT user_id, count(*), count(*) FILTER (WHERE flags & 2 = 2) FROM call_figures
			WHERE at >= now() - interval '365 days' GROUP BY user_id`); err != nil {
			return err
		}
		f.bareBy = append(f.bareBy, ms(began))
	}
	return nil
}

// look looks at a wall of two hundred people.
func (f *reportFigures) look(ctx context.Context, s *store.Store, d *desk.Desk) error {
	if _, err := s.Pool.Exec(ctx, `UPDATE users SET active = false WHERE login LIKE 'rep%' AND substr(login, 4)::int > $1`,
		wallPeople); err != nil {
		return err
	}
	lead := firm.Actor{ID: store.NewID(), Role: firm.Admin, Rights: rights.Shipped(rights.RoleAdmin)}
	for range wallLooks {
		began := time.Now()
		w, err := d.Insight.Wall(ctx, lead)
		if err != nil {
			return err
		}
		if len(w.Rows) < wallPeople {
			return fmt.Errorf("there are %d on the wall", len(w.Rows))
		}
		f.wall = append(f.wall, ms(began))
	}
	return nil
}

func (f reportFigures) report(p func(string, ...any)) {
	if f.calls == 0 {
		return
	}
	p("## Figures\n")
	p(
		"| what, with %d calls of two years and %d reps, 20 changes a minute | ours | bare | ratio | goal |",
		f.calls,
		figureReps,
	)
	p("| --- | --- | --- | --- | --- |")
	row(p, "counts of all facets, and the first rows, p95", "ms", quantile(f.facets, 0.95), quantile(f.bare, 0.95),
		"under 200 ms")
	row(p, "the same, p50", "ms", quantile(f.facets, 0.5), quantile(f.bare, 0.5), "")
	row(
		p,
		"a report over a year, four figures, p95",
		"ms",
		quantile(f.year, 0.95),
		quantile(f.bareBy, 0.95),
		"under 500 ms",
	)
	row(p, "the same, p50", "ms", quantile(f.year, 0.5), quantile(f.bareBy, 0.5), "")
	p("| figures made of facts | %.0f calls a second | | | |", figuresMade/f.made.Seconds())
	p("| reading them into memory at a start | %.1f s, %.0f MB | | | |", f.loaded.Seconds(), float64(f.memory)/1e6)
	p(
		"| a look at a wall of %d people, p95; processor time a minute of one window | %.1f ms, %.0f ms | | | |",
		wallPeople,
		quantile(f.wall, 0.95),
		wallPerMinute*mean(f.wall),
	)
	p("\n- Bare: one index-only scan that counts the calls of the same time, or groups those of a year by rep. Ours " +
		"counts some twenty facets by any conditions, each call once, in memory.\n")
}

func mean(all []float64) (sum float64) {
	for _, v := range all {
		sum += v
	}
	return sum / float64(max(1, len(all)))
}
