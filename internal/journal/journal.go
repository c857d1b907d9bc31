// Package journal saves what must not be lost behind the backs of those who may not wait: it commits entries
// in order, in small batches, and while the database is away keeps them in an fsynced file beside the
// server, from which they are written back when it returns, also after a kill.
//
// It must not know what an entry means; a Sink does.
package journal

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"sync"
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
var ErrAway = errors.New("the database is away: what was written is kept beside the server and not yet saved")

const (
	maxBatch = 256             // entries in a transaction
	patience = 2 * time.Second // for a commit, before the entries go to the file
	retry    = 400 * time.Millisecond
)

// Writer is the one that writes. Its methods may be called from any goroutine.
type Writer struct {
	sink    Sink
	path    string
	log     *slog.Logger
	onState func(away bool)

	mu     sync.Mutex
	queue  []item
	away   bool
	closed bool
	wake   chan struct{}
	done   chan struct{}
}

// item is an entry, or a barrier where entry.Kind is empty. kept is told when the entry is in the
// database or fsynced, saved when it is in the database.
type item struct {
	entry Entry
	kept  chan error
	saved chan error
}

// line is an entry in the file.
type line struct {
	Kind  string          `json:"kind"`
	Value json.RawMessage `json:"value"`
}

// Open starts a writer whose file is at path. What an earlier run left there is written first. onState is
// told whenever the database goes away or returns; it must not block.
func Open(path string, sink Sink, onState func(away bool), log *slog.Logger) (*Writer, error) {
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return nil, fmt.Errorf("the journal's folder: %w", err)
	}
	w := &Writer{sink: sink, path: path, log: log, onState: onState, wake: make(chan struct{}, 1), done: make(chan struct{})}
	if info, err := os.Stat(path); err == nil && info.Size() > 0 {
		w.away = true // until the file has been written back
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
	return w.sink.Save(ctx, entries)
}

func (w *Writer) oneByOne(entries []Entry) {
	for _, e := range entries {
		err := w.commit([]Entry{e})
		switch {
		case err == nil:
		case w.sink.Away(err):
			w.setAway(true)
			if err := w.write(w.path, []Entry{e}); err != nil {
				w.log.Error("journal", "error", err)
			}
		default:
			w.reject(e, err)
		}
	}
}

// reject puts aside what can never be saved, so that somebody can look at it and nothing waits for it.
func (w *Writer) reject(e Entry, why error) {
	w.log.Error("an entry cannot be saved and was put aside", "kind", e.Kind, "error", why, "file", w.path+".rejected")
	if err := w.write(w.path+".rejected", []Entry{e}); err != nil {
		w.log.Error("journal", "error", err)
	}
}

// keep puts a batch into the file.
func (w *Writer) keep(batch []item) {
	err := w.write(w.path, entriesOf(batch))
	if err != nil {
		w.log.Error("journal", "error", err)
	}
	answer(batch, err, ErrAway)
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

func (w *Writer) write(path string, entries []Entry) error {
	if len(entries) == 0 {
		return nil
	}
	f, err := os.OpenFile(path, os.O_CREATE|os.O_WRONLY|os.O_APPEND, 0o600)
	if err != nil {
		return err
	}
	defer f.Close()
	var text []byte
	for _, e := range entries {
		value, err := json.Marshal(e.Value)
		if err != nil {
			return fmt.Errorf("%s: %w", e.Kind, err)
		}
		l, err := json.Marshal(line{e.Kind, value})
		if err != nil {
			return err
		}
		text = append(append(text, l...), '\n')
	}
	if _, err := f.Write(text); err != nil {
		return err
	}
	return f.Sync()
}

// replay writes the file back; true when all of it is in the database and the file is empty.
func (w *Writer) replay() bool {
	f, err := os.Open(w.path)
	if errors.Is(err, os.ErrNotExist) {
		w.setAway(false)
		return true
	}
	if err != nil {
		w.log.Error("journal", "error", err)
		return false
	}
	defer f.Close()
	in := bufio.NewReader(f)
	saved := 0
	for end := false; !end; {
		var batch []Entry
		for len(batch) < maxBatch && !end {
			text, err := in.ReadBytes('\n')
			end = err != nil
			if err != nil && !errors.Is(err, io.EOF) {
				w.log.Error("journal", "error", err)
				return false
			}
			if e, ok := w.decode(text); ok {
				batch = append(batch, e)
			}
		}
		err := w.commit(batch)
		switch {
		case err == nil:
		case w.sink.Away(err):
			return false
		default:
			for _, e := range batch {
				if err := w.commit([]Entry{e}); err != nil {
					if w.sink.Away(err) {
						return false
					}
					w.reject(e, err)
				}
			}
		}
		saved += len(batch)
	}
	if err := os.Truncate(w.path, 0); err != nil {
		w.log.Error("journal", "error", err)
		return false
	}
	if saved > 0 {
		w.log.Info("the journal was written back", "entries", saved)
	}
	w.setAway(false)
	return true
}

// decode reads one line. A torn last line, from a kill in the middle of writing, was never promised to
// anybody and is put aside as it is.
func (w *Writer) decode(text []byte) (Entry, bool) {
	if len(text) <= 1 {
		return Entry{}, false
	}
	var l line
	if err := json.Unmarshal(text, &l); err != nil {
		w.reject(Entry{"torn", string(text)}, err)
		return Entry{}, false
	}
	value, err := w.sink.Decode(l.Kind, l.Value)
	if err != nil {
		w.reject(Entry{l.Kind, l.Value}, err)
		return Entry{}, false
	}
	return Entry{l.Kind, value}, true
}
