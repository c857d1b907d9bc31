// Command bench measures the desk beside a bare reference, both in one run, by turns, on a durable private database,
// and writes the ratios. It must not be part of any test: machines differ, ratios less so.
package main

import (
	"bytes"
	"context"
	"flag"
	"fmt"
	"io"
	"log"
	"os"
	"path/filepath"
	"sort"
	"strings"
	"time"
	"unicode/utf8"

	"trundo/internal/demo"
	"trundo/internal/store"
	"trundo/internal/store/pgcluster"
)

func main() {
	out := flag.String("out", "", "file for the figures; empty: only print them")
	clicks := flag.Int("clicks", 400, "clicks of each kind")
	seconds := flag.Float64("seconds", 3, "length of a throughput run")
	runs := flag.Int("runs", 5, "throughput runs of each kind")
	people := flag.Int("people", 1_000_000, "people in the large book, and rows of the larger import")
	only := flag.String("only", "", "calls, voices, rounds, book, rings, imports, queues, running or figures: only that part")
	counted := flag.Int("counted", 5_000_000, "calls of which figures are made")
	loaded := flag.Duration("loaded", 30*time.Second, "for how long a hundred recorded calls go on")
	flag.Parse()
	log.SetFlags(0)
	if err := run(context.Background(), *out, *only, *clicks, *runs, *people,
		time.Duration(*seconds*float64(time.Second)), *loaded, *counted); err != nil {
		log.Fatal("bench: ", err)
	}
}

func run(ctx context.Context, out, only string, clicks, runs, people int, length, loadedFor time.Duration,
	counted int) error {
	// Beside the project, as the demo's database is: where every program makes its small files a new one can take a
	// millisecond of the file system.
	here, err := filepath.Abs(".")
	if err != nil {
		return err
	}
	dir, err := os.MkdirTemp(here, ".bench-*")
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
	var all results
	if only == "" || only == "voices" {
		if all.voices, err = voices(ctx, filepath.Join(dir, "voices"), loadedFor); err != nil {
			return fmt.Errorf("voices: %w", err)
		}
	}
	if only == "" || only == "calls" {
		if all.calls, err = calls(ctx, cluster, dir, clicks, runs, length); err != nil {
			return err
		}
	}
	if only == "" || only == "rounds" {
		if all.rounds, err = rounds(ctx, cluster, dir, clicks, min(runs, 3)); err != nil {
			return fmt.Errorf("rounds: %w", err)
		}
	}
	if only == "" || only == "book" || only == "rings" {
		if all.book, err = million(ctx, cluster, dir, people, only != "rings"); err != nil {
			return fmt.Errorf("the book: %w", err)
		}
	}
	if only == "" || only == "imports" {
		if all.imports, err = imports(ctx, cluster, dir, people/10, people); err != nil {
			return fmt.Errorf("imports: %w", err)
		}
	}
	if only == "" || only == "queues" {
		all.queues.assigned = assignments()
		all.queues.late, all.queues.cores = listened()
	}
	if only == "" || only == "running" {
		if all.running, err = running(ctx, cluster, dir); err != nil {
			return fmt.Errorf("running it: %w", err)
		}
	}
	if only == "" || only == "figures" {
		if all.reports, err = reports(ctx, cluster, dir, counted); err != nil {
			return fmt.Errorf("figures: %w", err)
		}
	}
	report(os.Stdout, all)
	if out == "" {
		return nil
	}
	f, err := os.Create(out)
	if err != nil {
		return err
	}
	defer f.Close()
	var text bytes.Buffer
	report(&text, all)
	_, err = f.WriteString(folded(text.String()))
	return err
}

// folded breaks lines of prose at 118 columns; tables stay as they are.
func folded(text string) string {
	var out strings.Builder
	for line := range strings.Lines(text) {
		width, indent := 0, ""
		if strings.HasPrefix(line, "- ") {
			indent = "  "
		}
		if strings.HasPrefix(line, "|") || len(line) <= 120 {
			out.WriteString(line)
			continue
		}
		for _, word := range strings.Fields(line) {
			switch n := utf8.RuneCountInString(word); {
			case width == 0:
				width = n
			case width+1+n > 118:
				out.WriteString("\n" + indent)
				width = len(indent) + n
			default:
				out.WriteString(" ")
				width += 1 + n
			}
			out.WriteString(word)
		}
		out.WriteString("\n")
	}
	return out.String()
}

// results are all that was measured.
type results struct {
	calls   callFigures
	voices  voiceFigures
	rounds  roundFigures
	book    figures
	running runningFigures
	reports reportFigures
	imports []importFigures
	queues  queueFigures
}

type callFigures struct {
	click, through, effects pair
	bytes, runs             int
}

// calls measures the way from a click to a filed slip, in a small firm.
func calls(ctx context.Context, cluster *pgcluster.Cluster, dir string, clicks, runs int,
	length time.Duration) (callFigures, error) {
	f := callFigures{runs: runs}
	s, err := store.Open(ctx, cluster.URL("postgres"), 32)
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
	w, err := newWorkshop(ctx, s, dir)
	if err != nil {
		return f, err
	}
	defer w.close()
	if f.click, err = w.clicks(ctx, clicks); err != nil {
		return f, fmt.Errorf("clicks: %w", err)
	}
	// What autovacuum does within a minute in a database that goes on: with the statistics of empty tables, plans are
	// made that read them whole.
	if _, err := s.Pool.Exec(ctx, "ANALYZE"); err != nil {
		return f, err
	}
	if f.through, err = w.throughput(ctx, runs, length); err != nil {
		return f, fmt.Errorf("throughput: %w", err)
	}
	if f.effects, err = w.effects(ctx, clicks/2); err != nil {
		return f, fmt.Errorf("effects: %w", err)
	}
	f.bytes, err = firstLoad()
	return f, err
}

// pair is one quantity of ours and of the bare reference.
type pair struct{ ours, bare []float64 }

// quantile of unsorted values, q from 0 to 1.
func quantile(values []float64, q float64) float64 {
	sorted := append([]float64(nil), values...)
	sort.Float64s(sorted)
	return sorted[min(len(sorted)-1, int(q*float64(len(sorted))))]
}

func report(w io.Writer, all results) {
	p := func(format string, args ...any) { fmt.Fprintf(w, format+"\n", args...) }
	p("# Benchmarks\n")
	p("Made by `make bench` on %s, on two shared cores, with a durable database (fsync on). Each quantity is "+
		"measured beside a bare", time.Now().UTC().Format("2 January 2006"))
	p("reference where there is one, by turns, in one run; the ratio is what counts.\n")
	if all.calls.click.ours != nil {
		all.calls.report(p)
	}
	if all.voices.calls > 0 {
		all.voices.report(p)
	}
	if len(all.queues.assigned) > 0 {
		all.queues.report(p)
	}
	if len(all.rounds.next) > 0 {
		all.rounds.report(p)
	}
	if all.book.people > 0 {
		all.book.report(p)
	}
	if len(all.imports) > 0 {
		reportImports(p, all.imports)
	}
	all.running.report(p)
	all.reports.report(p)
}

func row(p func(string, ...any), what, unit string, ours, bare float64, goal string) {
	p("| %s | %.2f %s | %.2f %s | %.2f | %s |", what, ours, unit, bare, unit, ours/bare, goal)
}

func (c callFigures) report(p func(string, ...any)) {
	p("## Calls\n")
	p("| what | ours | bare | ratio | goal |")
	p("| --- | --- | --- | --- | --- |")
	row(p, "click to dial, p50", "ms", quantile(c.click.ours, 0.5), quantile(c.click.bare, 0.5), "at most 2")
	row(p, "click to dial, p99", "ms", quantile(c.click.ours, 0.99), quantile(c.click.bare, 0.99), "at most 3")
	row(p, fmt.Sprintf("calls filed a second, 8 clients, median of %d", c.runs), "", quantile(c.through.ours, 0.5),
		quantile(c.through.bare, 0.5), "at least 0.50")
	row(p, "filing with five effects, p50", "ms", quantile(c.effects.ours, 0.5), quantile(c.effects.bare, 0.5), "")
	row(p, "filing with five effects, p95", "ms", quantile(c.effects.ours, 0.95), quantile(c.effects.bare, 0.95),
		"p95 under 50 ms")
	p("| JavaScript at first load, gzip | %d kB | | | at most 225 kB |", c.bytes/1000)
	p(`
- **Click to dial**: from the HTTP request of a click, over loopback, until the carrier is asked to dial (%d clicks). Ours finds who is
  signed in, looks the number up, applies do-not-call and caller ID, locks the rep, commits, and dials. Bare: a Gin handler that commits the
  same rows in one pgx transaction, sent as one batch.
- **Calls filed a second**: placed, answered, given an outcome, ended and filed through desk, by 8 reps at once, each step awaited. Bare: pgx
  commits the same rows, in one transaction for each step. Runs: ours %s; bare %s.
- **Filing with five effects**: a follow-up, a list, a tag, a stage of the deal and a new case (%d filings), planned, checked, done in one transaction with the filing, and the call as it is then
  read. Bare: pgx commits the same rows in one batch.
- **JavaScript**: what index.html loads; `+"`make test`"+` fails above the budget.
`, len(c.click.ours), list(c.through.ours), list(c.through.bare), len(c.effects.ours))
}

func (f figures) report(p func(string, ...any)) {
	p("## The book, with %d people and %d numbers\n", f.people, f.numbers)
	p("| what | ours | bare | ratio | goal |")
	p("| --- | --- | --- | --- | --- |")
	if len(f.candidates.ours) == 0 { // only rings were asked for
		f.rings.report(p)
		return
	}
	row(p, "candidates of a number, p50", "ms", quantile(f.candidates.ours, 0.5), quantile(f.candidates.bare, 0.5),
		"at most 1.5")
	row(p, "candidates of a number, p95", "ms", quantile(f.candidates.ours, 0.95), quantile(f.candidates.bare, 0.95),
		"at most 1.5")
	one := func(what string, values []float64, goal string) {
		p("| %s | %.1f ms (p50 %.1f) | | | %s |", what, quantile(values, 0.95), quantile(values, 0.5), goal)
	}
	one("find by the beginning of a name, p95", f.prefix, "under 60 ms")
	one("find by digits, p95", f.digits, "under 60 ms")
	one("find a misspelt name, p95", f.misspelt, "under 150 ms")
	one("a list with three filters opens, p95", f.list, "within 150 ms")
	one("100 rows anywhere in the first 100,000 of a list, p95", f.scroll, "scrolls")
	one("100 rows after a row that is known, anywhere there, p95", f.goOn, "")
	f.rings.report(p)
	p(`
- **Candidates**: who has a number, with what decides whether it may be called; bare: pgx reads one indexed row. By turns, %d each.
- **Find**: the whole answer of the top field through desk, with numbers and calls of the eight found. **Lists** likewise, 100 rows.
`, len(f.candidates.ours))
}

func reportImports(p func(string, ...any), imports []importFigures) {
	p("## Imports\n")
	p("| rows | checked and staged (10,000 rows/s) | in the book with all indexes (4,000 rows/s) | heap in use at " +
		"most (the same for both) |")
	p("| --- | --- | --- | --- |")
	for _, i := range imports {
		p("| %d | %.0f rows/s | %.0f rows/s | %.0f MB |", i.rows, i.staged, i.loaded, i.heap)
	}
	p(`
A CSV file with two numbers in three rows of five, through desk: read, every cell checked, numbers reduced to their normal form, staged; then taken up with all
indexes in place, into a book that is empty before the first file. Heap of this process, sampled ten times a second.
`)
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
