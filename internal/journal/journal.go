// Package journal saves what must not be lost behind the backs of those who may not wait: it commits entries
// in order, in small batches, and while the database is away keeps them in an fsynced file beside the
// server, from which they are written back when it returns, also after a kill.
//
// It must not know what an entry means; a Sink does.
package journal

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"sync"
	"sync/atomic"
	"time"
)

// Entry is one thing to be saved. Value must survive a round through JSON.
type Entry struct {
	Kind  string
	Value any
}

// Sink saves entries.
type Sink interface {
	// Save commits all entries in one transaction, or none. Saving an entry again must change nothing,
	// since a commit's answer can be lost on the way. It obeys ctx's deadline.
	Save(ctx context.Context, entries []Entry) error
	// Decode gives back an entry's value from what json.Marshal made of it.
	Decode(kind string, data []byte) (any, error)
	// Away tells whether an error of Save means that the database is not there, so that it is worth
	// trying again; any other error means that these entries can never be saved.
	Away(err error) bool
}

// ErrAway is Flush's answer while entries wait in the file.
var ErrAway = errors.New("the database is unavailable: what was written is kept beside the server and not yet saved")

// ErrCannotKeep is Keep's answer, and Trouble's, while entries can be kept neither in the database nor in the file:
// they are held in memory.
var ErrCannotKeep = errors.New("neither the database nor the disk beside the server takes anything: what is written " +
	"now is lost if the server stops")

const (
	maxBatch = 256             // entries in a transaction
	patience = 2 * time.Second // for a commit, before the entries go to the file
	retry    = 400 * time.Millisecond
	// for a commit while somebody waits for Keep, unless the database has just taken something
	hurried = 150 * time.Millisecond
)

// Writer is the one that writes. Its methods may be called from any goroutine.
type Writer struct {
	sink    Sink
	path    string
	log     *slog.Logger
	onState func(away bool)

	mu       sync.Mutex
	queue    []item
	away     bool
	trouble  bool       // the file cannot be written
	rejected int        // entries that were put aside
	aside    sync.Mutex // held while what was put aside is written anew
	closed   bool
	wake     chan struct{}
	done     chan struct{}

	waiting atomic.Int32 // callers of Keep
	alive   bool         // the database has taken an entry since it was asked whether it is back; only run touches it

	held []Entry // what the file does not take, in order; only run touches it
	size int64   // of the file up to the end of its last whole line; only run touches it
}

// mostHeld is how many entries are held in memory while the file cannot be written: hours of a firm's facts and notes.
const mostHeld = 50_000

// item is an entry, or a barrier where entry.Kind is empty. kept is told when the entry is in the
// database or fsynced, saved when it is in the database.
type item struct {
	entry Entry
	kept  chan error
	saved chan error
}

// Open starts a writer whose file is at path. What an earlier run left there is written first. onState is
// told whenever the database goes away or returns; it must not block.
func Open(path string, sink Sink, onState func(away bool), log *slog.Logger) (*Writer, error) {
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return nil, fmt.Errorf("the journal's folder: %w", err)
	}
	w := &Writer{sink: sink, path: path, log: log, onState: onState, wake: make(chan struct{}, 1),
		done: make(chan struct{})}
	if err := w.mend(); err != nil {
		return nil, fmt.Errorf("the journal %s: %w", path, err)
	}
	w.away = w.size > 0 // until the file has been written back
	if set, err := readRejected(path); err == nil {
		w.rejected = len(set)
	}
	go w.run()
	w.poke()
	return w, nil
}

// Add hands e over. It never waits, neither for the database nor for the disk.
func (w *Writer) Add(e Entry) { w.add(item{entry: e}) }

// Keep hands e over and waits until it is in the database or on the disk.
func (w *Writer) Keep(ctx context.Context, e Entry) error {
	it := item{entry: e, kept: make(chan error, 1)}
	w.waiting.Add(1)
	defer w.waiting.Add(-1)
	w.add(it)
	return wait(ctx, it.kept)
}

// Flush waits until all that was added before is in the database. ErrAway: it is kept in the file.
func (w *Writer) Flush(ctx context.Context) error {
	it := item{saved: make(chan error, 1)}
	w.add(it)
	return wait(ctx, it.saved)
}

// Away tells whether entries wait in the file.
func (w *Writer) Away() bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.away
}

// Trouble is ErrCannotKeep while the file cannot be written though the database is away, else nil.
func (w *Writer) Trouble() error {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.trouble {
		return ErrCannotKeep
	}
	return nil
}

func (w *Writer) setTrouble(why error) {
	w.mu.Lock()
	changed := w.trouble != (why != nil)
	w.trouble = why != nil
	away := w.away
	w.mu.Unlock()
	if !changed {
		return
	}
	if why != nil {
		w.log.Error("ALARM: the journal cannot be written; entries are held in memory", "file", w.path, "error", why)
	} else {
		w.log.Warn("the journal can be written again", "file", w.path)
	}
	w.onState(away)
}

// Close saves what is left, in the file if need be, and ends the writer.
func (w *Writer) Close() {
	w.mu.Lock()
	w.closed = true
	w.mu.Unlock()
	w.poke()
	<-w.done
}

func wait(ctx context.Context, answer chan error) error {
	select {
	case err := <-answer:
		return err
	case <-ctx.Done():
		return ctx.Err()
	}
}

func (w *Writer) add(it item) {
	w.mu.Lock()
	w.queue = append(w.queue, it)
	w.mu.Unlock()
	w.poke()
}

func (w *Writer) poke() {
	select {
	case w.wake <- struct{}{}:
	default:
	}
}

func (w *Writer) take() (batch []item, away, closed bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	n := min(len(w.queue), maxBatch)
	batch, w.queue = w.queue[:n:n], w.queue[n:]
	return batch, w.away, w.closed
}

func (w *Writer) setAway(away bool) {
	w.mu.Lock()
	changed := w.away != away
	w.away = away
	w.mu.Unlock()
	if changed {
		w.log.Warn("database", "away", away)
		w.onState(away)
	}
}

func (w *Writer) run() {
	defer close(w.done)
	ticker := time.NewTicker(retry)
	defer ticker.Stop()
	for {
		batch, away, closed := w.take()
		switch {
		case len(batch) > 0 && !away:
			w.save(batch)
		case len(batch) > 0:
			w.keep(batch)
		case away && !closed:
			if w.replay() {
				continue
			}
		}
		if len(batch) > 0 {
			continue
		}
		if closed {
			return
		}
		select {
		case <-w.wake:
		case <-ticker.C:
		}
	}
}

// save commits a batch; if the database is away it goes to the file.
func (w *Writer) save(batch []item) {
	entries := entriesOf(batch)
	w.alive = false
	err := w.commit(entries)
	switch {
	case err == nil:
		answer(batch, nil, nil)
	case w.sink.Away(err):
		w.setAway(true)
		w.keep(batch)
	default:
		// One of them cannot be saved; the others must not suffer for it.
		w.oneByOne(entries)
		answer(batch, nil, nil)
	}
}

func (w *Writer) commit(entries []Entry) error {
	if len(entries) == 0 {
		return nil
	}
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	if !w.alive {
		go w.hurry(ctx, cancel)
	}
	err := w.sink.Save(ctx, entries)
	w.alive = err == nil
	if errors.Is(err, context.Canceled) { // by hurry: it took too long, and that is no fault of an entry
		return context.DeadlineExceeded
	}
	return err
}

// hurry cuts a commit short where somebody waits for Keep meanwhile: a database that stands still must not hold whoever
// types.
func (w *Writer) hurry(ctx context.Context, cut context.CancelFunc) {
	look := time.NewTicker(hurried / 6)
	defer look.Stop()
	var since time.Time
	for {
		select {
		case <-ctx.Done():
			return
		case now := <-look.C:
			switch {
			case w.waiting.Load() == 0:
				since = time.Time{}
			case since.IsZero():
				since = now
			case now.Sub(since) >= hurried:
				cut()
				return
			}
		}
	}
}

func (w *Writer) oneByOne(entries []Entry) {
	for _, e := range entries {
		err := w.commit([]Entry{e})
		switch {
		case err == nil:
		case w.sink.Away(err):
			w.setAway(true)
			_ = w.put([]Entry{e})
		default:
			w.reject(e, err)
		}
	}
}

// reject puts aside what can never be saved, so that somebody can look at it and nothing waits for it.
func (w *Writer) reject(e Entry, why error) {
	w.log.Error("ALARM: an entry cannot be saved and was put aside", "kind", e.Kind, "error", why, "file",
		rejectedFile(w.path))
	w.aside.Lock()
	err := appendRejected(w.path, e, why)
	w.aside.Unlock()
	if err != nil {
		w.log.Error("journal", "error", err)
	}
	w.mu.Lock()
	w.rejected++
	w.mu.Unlock()
}

// keep puts a batch into the file.
func (w *Writer) keep(batch []item) {
	answer(batch, w.put(entriesOf(batch)), ErrAway)
}

// put writes entries into the file behind what it holds. What it does not take is held in memory, in order, up to a
// bound. Error: ErrCannotKeep.
func (w *Writer) put(entries []Entry) error {
	w.held = append(w.held, entries...)
	if err := w.spill(); err != nil {
		w.setTrouble(err)
		if over := len(w.held) - mostHeld; over > 0 {
			w.log.Error("ALARM: entries are lost: the journal cannot be written, and memory is full of them", "entries",
				over)
			w.held = w.held[over:]
		}
		return ErrCannotKeep
	}
	w.setTrouble(nil)
	return nil
}

// spill writes what is held into the file.
func (w *Writer) spill() error {
	if len(w.held) == 0 {
		return nil
	}
	size, err := appendLines(w.path, w.size, w.held)
	if err != nil {
		return err
	}
	w.size, w.held = size, nil
	return nil
}

func answer(batch []item, kept, saved error) {
	for _, it := range batch {
		if it.kept != nil {
			it.kept <- kept
		}
		if it.saved != nil {
			it.saved <- saved
		}
	}
}

func entriesOf(batch []item) []Entry {
	entries := make([]Entry, 0, len(batch))
	for _, it := range batch {
		if it.entry.Kind != "" {
			entries = append(entries, it.entry)
		}
	}
	return entries
}

// replay writes the file back, and what is held behind it; true when all of it is in the database and the file is
// empty.
func (w *Writer) replay() bool {
	if err := w.spill(); err != nil {
		w.setTrouble(err)
	} else {
		w.setTrouble(nil)
	}
	saved, ok := w.replayFile()
	if !ok {
		return false
	}
	for len(w.held) > 0 {
		n := min(len(w.held), maxBatch)
		if !w.saveAll(w.held[:n]) {
			return false
		}
		w.held = w.held[n:]
		saved += n
	}
	if saved > 0 {
		w.log.Info("the journal was written back", "entries", saved)
	}
	w.setTrouble(nil)
	w.setAway(false)
	return true
}

// replayFile writes back what the file holds.
func (w *Writer) replayFile() (saved int, ok bool) {
	f, err := os.Open(w.path)
	if errors.Is(err, os.ErrNotExist) {
		w.size = 0
		return 0, true
	}
	if err != nil {
		w.log.Error("journal", "error", err)
		return 0, false
	}
	defer f.Close()
	in := bufio.NewReader(io.LimitReader(f, w.size))
	w.alive = false
	for end := false; !end; {
		var batch []Entry
		most := maxBatch
		if !w.alive {
			most = 1 // it shows whether the database is there
		}
		for len(batch) < most && !end {
			text, err := in.ReadBytes('\n')
			end = err != nil
			if err != nil && !errors.Is(err, io.EOF) {
				w.log.Error("journal", "error", err)
				return 0, false
			}
			if e, ok := w.decode(text); ok {
				batch = append(batch, e)
			}
		}
		if !w.saveAll(batch) {
			return 0, false
		}
		saved += len(batch)
	}
	if err := os.Truncate(w.path, 0); err != nil {
		w.log.Error("journal", "error", err)
		return 0, false
	}
	w.size = 0
	return saved, true
}

// saveAll commits entries, together or else each by itself; false: the database is away.
func (w *Writer) saveAll(entries []Entry) bool {
	err := w.commit(entries)
	if err == nil {
		return true
	}
	if w.sink.Away(err) {
		return false
	}
	for _, e := range entries {
		if err := w.commit([]Entry{e}); err != nil {
			if w.sink.Away(err) {
				return false
			}
			w.reject(e, err)
		}
	}
	return true
}

// decode reads one line of the file.
func (w *Writer) decode(text []byte) (Entry, bool) {
	if len(text) <= 1 {
		return Entry{}, false
	}
	kind, value, err := readLine(text)
	if err != nil {
		w.reject(Entry{"torn", string(text)}, err)
		return Entry{}, false
	}
	decoded, err := w.sink.Decode(kind, value)
	if err != nil {
		w.reject(Entry{kind, value}, err)
		return Entry{}, false
	}
	return Entry{kind, decoded}, true
}
