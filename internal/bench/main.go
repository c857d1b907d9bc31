// Command bench measures the desk beside a bare reference, both in one run, by turns, on a durable private database, and
// writes the ratios. It must not be part of any test: machines differ, ratios less so.
package main

import (
	"context"
	"flag"
	"fmt"
	"io"
	"log"
	"os"
	"path/filepath"
	"sort"
	"time"

	"trundo/internal/demo"
	"trundo/internal/store"
	"trundo/internal/store/pgcluster"
)

func main() {
	out := flag.String("out", "", "file for the figures; empty: only print them")
	clicks := flag.Int("clicks", 400, "clicks of each kind")
	seconds := flag.Float64("seconds", 3, "length of a throughput run")
	runs := flag.Int("runs", 5, "throughput runs of each kind")
	flag.Parse()
	log.SetFlags(0)
	if err := run(context.Background(), *out, *clicks, *runs, time.Duration(*seconds*float64(time.Second))); err != nil {
		log.Fatal("bench: ", err)
	}
}

func run(ctx context.Context, out string, clicks, runs int, length time.Duration) error {
	dir, err := os.MkdirTemp("", "trundo-bench-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	if err := os.Chmod(dir, 0o755); err != nil {
		return err
	}
	cluster, err := pgcluster.Start(ctx, pgcluster.Options{Dir: filepath.Join(dir, "pg")})
	if err != nil {
		return err
	}
	defer func() { _ = cluster.Stop() }()
	s, err := store.Open(ctx, cluster.URL("postgres"), 32)
	if err != nil {
		return err
	}
	defer s.Close()
	if err := s.Migrate(ctx); err != nil {
		return err
	}
	if err := demo.Fill(ctx, s, demo.First, time.Now()); err != nil {
		return err
	}
	w, err := newWorkshop(ctx, s, dir)
	if err != nil {
		return err
	}
	defer w.close()
	click, err := w.clicks(ctx, clicks)
	if err != nil {
		return fmt.Errorf("clicks: %w", err)
	}
	through, err := w.throughput(ctx, runs, length)
	if err != nil {
		return fmt.Errorf("throughput: %w", err)
	}
	bytes, err := firstLoad()
	if err != nil {
		return err
	}
	report(os.Stdout, click, through, bytes, runs)
	if out == "" {
		return nil
	}
	f, err := os.Create(out)
	if err != nil {
		return err
	}
	defer f.Close()
	report(f, click, through, bytes, runs)
	return nil
}

// pair is one quantity of ours and of the bare reference.
type pair struct{ ours, bare []float64 }

// quantile of unsorted values, q from 0 to 1.
func quantile(values []float64, q float64) float64 {
	sorted := append([]float64(nil), values...)
	sort.Float64s(sorted)
	return sorted[min(len(sorted)-1, int(q*float64(len(sorted))))]
}

func report(w io.Writer, click, through pair, bytes, runs int) {
	p := func(format string, args ...any) { fmt.Fprintf(w, format+"\n", args...) }
	p("# Benchmarks\n")
	p("Made by `make bench` on %s, on two shared cores, with a durable database (fsync on). Each quantity is measured beside a bare", time.Now().UTC().Format("2 January 2006"))
	p("reference, by turns, in one run; the ratio is what counts.\n")
	p("| what | ours | bare | ratio | goal |")
	p("| --- | --- | --- | --- | --- |")
	row := func(what, unit string, ours, bare float64, goal string) {
		p("| %s | %.2f %s | %.2f %s | %.2f | %s |", what, ours, unit, bare, unit, ours/bare, goal)
	}
	row("click to dial, p50", "ms", quantile(click.ours, 0.5), quantile(click.bare, 0.5), "at most 2")
	row("click to dial, p99", "ms", quantile(click.ours, 0.99), quantile(click.bare, 0.99), "at most 3")
	row(fmt.Sprintf("calls filed a second, 8 clients, median of %d", runs), "", quantile(through.ours, 0.5), quantile(through.bare, 0.5), "at least 0.50")
	p("| JavaScript at first load, gzip | %d kB | | | at most 250 kB |", bytes/1000)
	p(`
- **Click to dial**: from the HTTP request of a click, over loopback, until the carrier is asked to dial (%d clicks). Ours finds who is
  signed in, looks the number up, applies do-not-call and caller ID, locks the rep, commits, and dials. Bare: a Gin handler that commits the
  same rows in one pgx transaction, sent as one batch.
- **Calls filed a second**: placed, answered, given an outcome, ended and filed through desk, by 8 reps at once, each step awaited. Bare: pgx
  commits the same rows, in one transaction for each step. Runs: ours %s; bare %s.
- **JavaScript**: what index.html loads; `+"`make test`"+` fails above the budget.`, len(click.ours), list(through.ours), list(through.bare))
}

func list(values []float64) string {
	text := ""
	for i, v := range values {
		if i > 0 {
			text += ", "
		}
		text += fmt.Sprintf("%.0f", v)
	}
	return text
}
