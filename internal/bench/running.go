package main

import (
	"context"
	"crypto/rand"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"sync/atomic"
	"time"

	"github.com/google/uuid"

	"trundo/internal/backup"
	"trundo/internal/core/rights"
	"trundo/internal/desk"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/pgcluster"
)

// What is backed up.
const (
	backedCalls = 200_000
	backedFiles = 20_000
	backedFile  = 100 << 10 // bytes of a recording: some 2 GB in all
	pages       = 2_000
	rightsAsked = 30 // of a page: whether each of its acts is shown
)

// runningFigures are what an admin's work costs.
type runningFigures struct {
	page                   []float64 // ms of a page's rights: who asks, and thirty rights, with whose each thing is
	write, copied, read    time.Duration
	size                   int64
	writePeak, restorePeak uint64 // bytes of the heap at most
}

// running measures a page's rights, and backup and restore beside a plain copy of the same bytes.
func running(ctx context.Context, cluster *pgcluster.Cluster, dir string) (f runningFigures, err error) {
	s, d, _, err := freshDesk(ctx, cluster, "running", dir)
	if err != nil {
		return f, err
	}
	defer s.Close()
	defer d.Close()
	if f.page, err = pageRights(ctx, s, d); err != nil {
		return f, err
	}
	place := backup.Place{Store: s, Dir: filepath.Join(dir, "backed")}
	if err := fillBacked(ctx, s, place.Dir); err != nil {
		return f, err
	}
	archive := filepath.Join(dir, "archive.tar")
	out, err := os.Create(archive)
	if err != nil {
		return f, err
	}
	defer out.Close()
	began := time.Now()
	f.writePeak, err = heapPeak(func() error {
		sum, err := backup.Write(ctx, out, place, time.Now())
		f.size = sum.Bytes
		return err
	})
	if err == nil {
		err = out.Sync()
	}
	if f.write = time.Since(began); err != nil {
		return f, err
	}
	if f.copied, err = plainCopy(archive, filepath.Join(dir, "copied.tar")); err != nil {
		return f, err
	}
	return f, f.restore(ctx, cluster, archive, filepath.Join(dir, "restored"))
}

// restore measures restoring an archive into an empty database and folder.
func (f *runningFigures) restore(ctx context.Context, cluster *pgcluster.Cluster, archive, dir string) error {
	admin, err := store.Open(ctx, cluster.URL("postgres"), 1)
	if err != nil {
		return err
	}
	defer admin.Close()
	if _, err := admin.Pool.Exec(ctx, "CREATE DATABASE restored"); err != nil {
		return err
	}
	s, err := store.Open(ctx, cluster.URL("restored"), 4)
	if err != nil {
		return err
	}
	defer s.Close()
	in, err := os.Open(archive)
	if err != nil {
		return err
	}
	defer in.Close()
	began := time.Now()
	f.restorePeak, err = heapPeak(func() error {
		_, err := backup.Restore(ctx, in, backup.Place{Store: s, Dir: dir})
		return err
	})
	f.read = time.Since(began)
	return err
}

// pageRights measures what a page's rights cost, of a supervisor, whose reach has to be looked up.
func pageRights(ctx context.Context, s *store.Store, d *desk.Desk) ([]float64, error) {
	var odile, ines uuid.UUID
	for login, to := range map[string]*uuid.UUID{"odile": &odile, "ines": &ines} {
		if err := s.Pool.QueryRow(ctx, `SELECT id FROM users WHERE login = $1`, login).Scan(to); err != nil {
			return nil, err
		}
	}
	var all []float64
	for range pages {
		began := time.Now()
		a, err := d.Actor(ctx, odile)
		if err != nil {
			return nil, err
		}
		for range rightsAsked {
			if !d.MayOf(ctx, a, rights.ChangeFollowUps, &ines) {
				return nil, fmt.Errorf("a supervisor may not change a follow-up of her team: %w", firm.ErrForbidden)
			}
		}
		all = append(all, ms(began))
	}
	return all, nil
}

// fillBacked makes many calls, each with what is usually written of one, and recordings as files.
func fillBacked(ctx context.Context, s *store.Store, dir string) error {
	if _, err := s.Pool.Exec(ctx, `WITH made AS (
			INSERT INTO calls (id, direction, line_id, remote_e164, remote_typed, remote_label, caller_id, device, owner_server,
				owner_epoch, state, started_at, answered_at, ended_at, placed_by, talk_ms)
			SELECT gen_random_uuid(), 'outbound', (SELECT id FROM lines LIMIT 1), '+1413555' || lpad((n % 10000)::text, 4, '0'), '',
				'mobile', '', 'browser', 'gone', 0, 'ended', now() - n * interval '5 minutes', now() - n * interval '5 minutes',
				now() - n * interval '5 minutes' + interval '3 minutes', (SELECT id FROM users LIMIT 1), 180000
			FROM generate_series(1, $1::int) n RETURNING id, placed_by, started_at)
		INSERT INTO call_facts (call_id, seq, at, kind, schema, data)
		SELECT id, f, started_at, 'leg_added', 1, '{"leg": 2, "party": "outside", "device": "carrier"}' FROM made,
			generate_series(1, 8) f`, backedCalls); err != nil {
		return err
	}
	folder := filepath.Join(dir, "recordings")
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return err
	}
	sound := make([]byte, backedFile)
	for i := range backedFiles {
		_, _ = rand.Read(sound[:512])
		if err := os.WriteFile(filepath.Join(folder, fmt.Sprintf("%05d.trk", i)), sound, 0o600); err != nil {
			return err
		}
	}
	return nil
}

// plainCopy copies a file as it is, to the disk.
func plainCopy(from, to string) (time.Duration, error) {
	in, err := os.Open(from)
	if err != nil {
		return 0, err
	}
	defer in.Close()
	out, err := os.Create(to)
	if err != nil {
		return 0, err
	}
	defer os.Remove(to)
	defer out.Close()
	began := time.Now()
	// not by the kernel alone: a backup passes through the program
	if _, err := io.Copy(struct{ io.Writer }{out}, struct{ io.Reader }{in}); err != nil {
		return 0, err
	}
	err = out.Sync()
	return time.Since(began), err
}

// heapPeak tells how large the heap was at most while something was done, looked at every few milliseconds.
func heapPeak(do func() error) (uint64, error) {
	runtime.GC()
	var before runtime.MemStats
	runtime.ReadMemStats(&before)
	var peak atomic.Uint64
	done := make(chan struct{})
	looked := make(chan struct{})
	go func() {
		defer close(looked)
		tick := time.NewTicker(20 * time.Millisecond)
		defer tick.Stop()
		for {
			select {
			case <-done:
				return
			case <-tick.C:
				var now runtime.MemStats
				runtime.ReadMemStats(&now)
				peak.Store(max(peak.Load(), now.HeapAlloc))
			}
		}
	}()
	err := do()
	close(done)
	<-looked
	return max(peak.Load(), before.HeapAlloc) - before.HeapAlloc, err
}

func (f runningFigures) report(p func(string, ...any)) {
	if f.write == 0 {
		return
	}
	p("## Running it: rights, backup, restore\n")
	p("| what | ours | bare | ratio | goal |")
	p("| --- | --- | --- | --- | --- |")
	p("| a page's rights: who asks, and %d questions with whose a thing is, p95 of %d | %.4f ms | | | under 0.2 ms |",
		rightsAsked, pages, quantile(f.page, 0.95))
	gb := float64(f.size) / 1e9
	p("| backup of %d calls and %d recordings, %.1f GB | %.1f s | %.1f s | %.2f | |", backedCalls, backedFiles, gb,
		f.write.Seconds(), f.copied.Seconds(), f.write.Seconds()/f.copied.Seconds())
	p("| restore of it | %.1f s | %.1f s | %.2f | |", f.read.Seconds(), f.copied.Seconds(),
		f.read.Seconds()/f.copied.Seconds())
	p("| memory of the heap at most, more than before: backup, restore | %.0f MB, %.0f MB | | | |",
		float64(f.writePeak)/1e6, float64(f.restorePeak)/1e6)
	p(
		"\n- Bare: a copy of the archive to the same disk, through a program, with fsync. Backup reads the tables at one " +
			"moment and each file, and sums both; restore checks all sums first, then loads, and makes the indexes anew.\n",
	)
}
