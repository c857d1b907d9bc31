package media

import (
	"errors"
	"fmt"
	"io"
	"os"
	"sync"
	"time"

	"trundo/internal/core/audio"
	"trundo/internal/formats"
)

// Gap is a part of a recording that was left out on purpose. Its sound is silence, so that times stay true.
type Gap struct {
	From   time.Duration `json:"from"`
	To     time.Duration `json:"to"`
	Reason string        `json:"reason"`
}

// Take is what a finished recording holds.
type Take struct {
	Figures      audio.Figures
	Ours, Theirs []byte // the voice trace, heights of 0 to 100, five a second
	// By how many dB each side is made louder so that both are even.
	GainOurs, GainTheirs float64
	Gaps                 []Gap
	// Trouble is why a part is missing that should be there; nil where none is.
	Trouble error
}

const (
	// chunk is how many frames are written at once: 200 ms, so that a crash loses no more.
	chunk = 10
	// patience is how many chunks may wait for a slow disk, 10 s; after that sound is left out, the call goes on.
	patience = 50
	// mostWaiting is how many bytes are held while the disk takes nothing: ten minutes.
	mostWaiting = 2 * FrameBytes * 50 * 600
)

// file is where a recording is written.
type file interface {
	io.WriteSeeker
	io.Closer
}

// Recorder writes a call as two channels of µ-law, ours left and theirs right, while it goes on (WAV; the header is
// completed at the end, and can be read without).
type Recorder struct {
	out     file
	jobs    chan []byte
	spare   chan []byte // what has been written, to be filled again
	done    chan struct{}
	written int // bytes of sound that are in the file; the writer's until done

	once sync.Once
	take Take

	mu      sync.Mutex
	buffer  []byte
	meter   meter
	gaps    []Gap
	paused  bool
	trouble error // for good
	full    error // while the disk takes nothing
	closed  bool
}

// meter computes what is known of a recording while its frames come.
type meter struct {
	ours, theirs           audio.Activity
	oursTrace, theirsTrace audio.Trace
	oursLoud, theirsLoud   audio.Loudness
}

func (m *meter) add(ours, theirs float64) {
	if m.ours.Add(ours) {
		m.oursLoud.Add(ours)
	}
	if m.theirs.Add(theirs) {
		m.theirsLoud.Add(theirs)
	}
	m.oursTrace.Add(ours)
	m.theirsTrace.Add(theirs)
}

func (m *meter) take(gaps ...Gap) Take {
	out := make([]audio.Span, len(gaps))
	for i, g := range gaps {
		out[i] = audio.Span{From: int(g.From / audio.FrameTime), To: int(g.To / audio.FrameTime)}
	}
	m.oursTrace.Close()
	m.theirsTrace.Close()
	return Take{Figures: audio.Measure(m.ours.Spans(), m.theirs.Spans(), m.ours.Frames(), out...),
		Ours: m.oursTrace.Heights, Theirs: m.theirsTrace.Heights,
		GainOurs: m.oursLoud.EvenGain(), GainTheirs: m.theirsLoud.EvenGain()}
}

// NewRecorder begins a recording in a new file.
func NewRecorder(path string) (*Recorder, error) {
	f, err := os.OpenFile(path, os.O_CREATE|os.O_EXCL|os.O_RDWR, 0o600)
	if err != nil {
		return nil, fmt.Errorf("beginning a recording: %w", err)
	}
	return newRecorder(f)
}

func newRecorder(f file) (*Recorder, error) {
	if _, err := f.Write(formats.WAVHeader(2, formats.Unfinished)); err != nil {
		_ = f.Close()
		return nil, fmt.Errorf("beginning a recording: %w", err)
	}
	r := &Recorder{out: f, jobs: make(chan []byte, patience), spare: make(chan []byte, 1), done: make(chan struct{})}
	go r.write()
	return r, nil
}

// add takes a frame of both sides, with their levels. It never waits.
func (r *Recorder) add(ours, theirs *Frame, oursLevel, theirsLevel float64) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.closed {
		return
	}
	if r.paused {
		ours, theirs, oursLevel, theirsLevel = &silent, &silent, audio.Quietest, audio.Quietest
	}
	r.meter.add(oursLevel, theirsLevel)
	if r.buffer == nil {
		r.buffer = r.empty()
	}
	at := len(r.buffer)
	r.buffer = r.buffer[:at+2*FrameBytes]
	both := r.buffer[at:]
	for i := range ours {
		both[2*i], both[2*i+1] = ours[i], theirs[i]
	}
	if len(r.buffer) == cap(r.buffer) {
		r.flush()
	}
}

// empty is room for a chunk: one that has been written, where there is any.
func (r *Recorder) empty() []byte {
	select {
	case b := <-r.spare:
		return b[:0]
	default:
		return make([]byte, 0, 2*FrameBytes*chunk)
	}
}

// flush hands what is gathered to the writer. A disk that is too slow loses it, and that is told.
func (r *Recorder) flush() {
	if len(r.buffer) == 0 {
		return
	}
	select {
	case r.jobs <- r.buffer:
	default:
		r.trouble = errors.Join(r.trouble, errors.New("the disk was too slow"))
	}
	r.buffer = nil
}

func (r *Recorder) write() {
	defer close(r.done)
	var waiting []byte // what the disk has not taken yet: it may be full for a moment
	for b := range r.jobs {
		next := b
		if len(waiting) > 0 {
			next = append(waiting, b...)
		}
		if waiting = next; len(waiting) > mostWaiting {
			continue // too much is missing by now; what is there is kept
		}
		n, err := r.out.Write(waiting)
		r.written += n
		if waiting = waiting[n:]; len(waiting) == 0 {
			waiting = nil
			select {
			case r.spare <- b:
			default:
			}
		}
		r.mu.Lock()
		switch {
		case err != nil:
			r.full = fmt.Errorf("the recording could not be written: %w", err)
		default:
			r.full = nil
		}
		r.mu.Unlock()
	}
}

// Trouble is why nothing is written any more; nil while it is.
func (r *Recorder) Trouble() error {
	r.mu.Lock()
	defer r.mu.Unlock()
	return errors.Join(r.trouble, r.full)
}

// At is how long the recording is by now.
func (r *Recorder) At() time.Duration {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.at()
}

func (r *Recorder) at() time.Duration { return time.Duration(r.meter.ours.Frames()) * audio.FrameTime }

// Pause leaves out what is said from now on; false where that is so already.
func (r *Recorder) Pause(reason string) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.paused || r.closed {
		return false
	}
	r.paused = true
	r.gaps = append(r.gaps, Gap{From: r.at(), Reason: reason})
	return true
}

// Resume ends a pause; false without one.
func (r *Recorder) Resume() bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	if !r.paused || r.closed {
		return false
	}
	r.paused = false
	r.gaps[len(r.gaps)-1].To = r.at()
	return true
}

// Paused tells whether it leaves out what is said.
func (r *Recorder) Paused() bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.paused
}

// Close completes the file and tells what it holds. It waits for the disk. A second time it tells the same.
func (r *Recorder) Close() Take {
	r.once.Do(func() { r.take = r.close() })
	return r.take
}

func (r *Recorder) close() Take {
	r.mu.Lock()
	r.closed = true
	if r.paused {
		r.gaps[len(r.gaps)-1].To = r.at()
	}
	r.flush()
	close(r.jobs)
	take := r.meter.take(r.gaps...)
	take.Gaps = r.gaps
	r.mu.Unlock()
	<-r.done
	take.Trouble = r.Trouble()
	if err := completeHeader(r.out, r.written); err != nil && take.Trouble == nil {
		take.Trouble = fmt.Errorf("completing a recording: %w", err)
	}
	return take
}

func completeHeader(f file, bytes int) error {
	_, err := f.Seek(0, io.SeekStart)
	if err == nil {
		_, err = f.Write(formats.WAVHeader(2, bytes))
	}
	return errors.Join(err, f.Close())
}

// Recover completes a recording that a crash has cut off, and computes what it holds, by its sound alone: gaps are not
// known.
func Recover(path string) (Take, error) {
	f, err := os.OpenFile(path, os.O_RDWR, 0)
	if err != nil {
		return Take{}, fmt.Errorf("reading a recording: %w", err)
	}
	if _, err := f.Seek(int64(len(formats.WAVHeader(2, 0))), io.SeekStart); err != nil {
		return Take{}, errors.Join(fmt.Errorf("reading a recording: %w", err), f.Close())
	}
	var m meter
	var ours, theirs Frame
	both := make([]byte, 2*FrameBytes)
	count := 0
	for {
		if _, err = io.ReadFull(f, both); err != nil {
			break
		}
		for i := range ours {
			ours[i], theirs[i] = both[2*i], both[2*i+1]
		}
		m.add(audio.CodesLevel(ours[:]), audio.CodesLevel(theirs[:]))
		count += len(both)
	}
	if !errors.Is(err, io.EOF) && !errors.Is(err, io.ErrUnexpectedEOF) {
		return Take{}, errors.Join(fmt.Errorf("reading a recording: %w", err), f.Close())
	}
	return m.take(), completeHeader(f, count)
}

// WriteTake writes a recording of two voices that are known already, as µ-law; the shorter one is silent at its end.
func WriteTake(path string, ours, theirs []byte) (Take, error) {
	rec, err := NewRecorder(path)
	if err != nil {
		return Take{}, err
	}
	var o, t Frame
	for at := 0; at < max(len(ours), len(theirs)); at += FrameBytes {
		o, t = silent, silent
		copy(o[:], ours[min(at, len(ours)):])
		copy(t[:], theirs[min(at, len(theirs)):])
		for len(rec.jobs) >= patience-1 { // nobody speaks live: the disk is waited for
			time.Sleep(time.Millisecond)
		}
		rec.add(&o, &t, audio.CodesLevel(o[:]), audio.CodesLevel(t[:]))
	}
	take := rec.Close()
	return take, take.Trouble
}
