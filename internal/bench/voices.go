package main

import (
	"context"
	"os"
	"path/filepath"
	"runtime"
	"sync"
	"sync/atomic"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/audio"
	"trundo/internal/media"
)

// voiceFigures are about the sound of calls, in process: no network is between.
type voiceFigures struct {
	loadedFor time.Duration
	udp       udpFigures
	// µs of one core that a frame of a bridged and recorded call takes; bare: the same coded by the tables of G.711
	frame     pair
	eight     []float64 // µs of one core that a frame of a recorded conference of eight takes
	leg       float64   // kB of memory for each leg of it
	calls     int       // bridged and recorded at once on one core, by that
	delay     []float64 // ms from a rep's frame to the outside, with loaded calls
	late      int64     // frames that were left out meanwhile
	kilobytes float64   // of memory for a call
	growth    float64   // of the heap in percent, from a third of the run to its end
	first     []float64 // ms from the outside's answer to its first frame at the rep
}

const (
	benchRooms = 200
	benchTicks = 250 // 5 s of sound
	loaded     = 100
	answers    = 200
)

// talker is an outside that speaks without a pause, and tells the time at which it hears a frame that is marked.
type talker struct {
	sound media.Frame
	heard func(*media.Frame)
}

func (t *talker) Read(f *media.Frame) bool { *f = t.sound; return true }
func (t *talker) Write(f *media.Frame) {
	if t.heard != nil {
		t.heard(f)
	}
}

// ear is a rep's way that hears into nothing, or tells of each frame.
type ear struct{ heard func(*media.Frame) }

func (e *ear) Send(f *media.Frame) {
	if e.heard != nil {
		e.heard(f)
	}
}
func (e *ear) Close() {}

// speech is a frame of something like it.
func speech() (f media.Frame) {
	samples := make([]int16, audio.FrameSamples)
	audio.Play(audio.Dial).Next(samples)
	audio.EncodeFrame(f[:], samples)
	return f
}

func voices(ctx context.Context, dir string, loadedFor time.Duration) (voiceFigures, error) {
	v := voiceFigures{loadedFor: loadedFor, delay: make([]float64, 0, int(loadedFor/time.Second+1)*loaded*3)}
	for range 5 {
		ours, err := bridged(dir)
		if err != nil {
			return v, err
		}
		v.frame.ours = append(v.frame.ours, ours)
		v.frame.bare = append(v.frame.bare, coded())
		eight, leg, err := conference(dir)
		if err != nil {
			return v, err
		}
		v.eight, v.leg = append(v.eight, eight), leg
	}
	v.calls = int(20_000 / quantile(v.frame.ours, 0.5))
	v.first = answered()
	if err := v.underLoad(ctx, dir); err != nil {
		return v, err
	}
	var err error
	v.udp, err = overUDP(ctx, filepath.Join(dir, "udp"))
	return v, err
}

// bridged gives the µs a frame of a call takes: read on both sides, handed over, recorded to the disk, measured.
func bridged(dir string) (float64, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return 0, err
	}
	s := media.NewStudio()
	s.Close() // this goroutine paces
	var err error
	rooms, seats := make([]*media.Room, benchRooms), make([]*media.Seat, benchRooms)
	var recorders []*media.Recorder
	for i := range rooms {
		id := uuid.New()
		rooms[i] = s.Open(id, nil)
		rooms[i].SetVoice(0, &talker{sound: speech()})
		seats[i] = s.Seat(id.String())
		seats[i].Sit(&ear{}, true)
		s.Arrange(id, media.Pair(id.String()))
		rec, failed := media.NewRecorder(filepath.Join(dir, id.String()+".wav"))
		if failed != nil {
			return 0, failed
		}
		rooms[i].Record(rec)
		recorders = append(recorders, rec)
	}
	said := speech()
	began := time.Now()
	cores := used(func() {
		for t := range benchTicks {
			for i, r := range rooms {
				seats[i].Hear(uint32(t)*media.FrameBytes, said[:])
				r.Tick()
			}
		}
		for _, rec := range recorders { // writing to the disk belongs to it
			if take := rec.Close(); take.Trouble != nil {
				err = take.Trouble
			}
		}
	})
	took := time.Since(began)
	if err != nil {
		return 0, err
	}
	return cores * float64(took.Nanoseconds()) / 1000 / benchRooms / benchTicks, os.RemoveAll(dir)
}

// conference gives the µs a frame of a recorded conference takes of three reps and five outside parties, all of whom
// speak, and the kB of memory that each leg of it takes.
func conference(dir string) (frame, leg float64, err error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return 0, 0, err
	}
	const rooms, reps, all = 20, 3, 8
	s := media.NewStudio()
	s.Close() // this goroutine paces
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	var opened []*media.Room
	var seats []*media.Seat
	var recorders []*media.Recorder
	for range rooms {
		id := uuid.New()
		room := s.Open(id, nil)
		var a media.Arrangement
		for i := range all {
			p := media.Party{Leg: i}
			if i < reps {
				p.User = uuid.NewString()
				seat := s.Seat(p.User)
				seat.Sit(&ear{}, true)
				seats = append(seats, seat)
			} else {
				p.Customer, p.Present = true, true
				room.SetVoice(i, &talker{sound: speech()})
			}
			for j := range all {
				if j != i {
					p.Hears = append(p.Hears, j)
				}
			}
			a.Parties = append(a.Parties, p)
		}
		s.Arrange(id, a)
		rec, err := media.NewRecorder(filepath.Join(dir, id.String()+".wav"))
		if err != nil {
			return 0, 0, err
		}
		room.Record(rec)
		opened, recorders = append(opened, room), append(recorders, rec)
	}
	said := speech()
	tick := func(t int) {
		for _, seat := range seats {
			seat.Hear(uint32(t)*media.FrameBytes, said[:])
		}
		for _, r := range opened {
			r.Tick()
		}
	}
	for t := range 50 {
		tick(t)
	}
	runtime.GC()
	runtime.ReadMemStats(&after)
	leg = (float64(after.HeapAlloc) - float64(before.HeapAlloc)) / 1024 / rooms / all
	began := time.Now()
	for t := range benchTicks {
		tick(50 + t)
	}
	frame = float64(time.Since(began).Nanoseconds()) / 1000 / rooms / benchTicks
	for _, rec := range recorders {
		rec.Close()
	}
	return frame, leg, os.RemoveAll(dir)
}

// coded is the bare reference: a frame each way decoded and encoded by table, as nobody can do without.
func coded() float64 {
	a, b := speech(), speech()
	var samples [audio.FrameSamples]int16
	const rounds = benchRooms * benchTicks
	began := time.Now()
	for range rounds {
		for _, f := range []*media.Frame{&a, &b} {
			audio.DecodeFrame(samples[:], f[:])
			audio.EncodeFrame(f[:], samples[:])
		}
	}
	return float64(time.Since(began).Nanoseconds()) / 1000 / rounds
}

// answered measures from the outside's voice being there to its first frame at the rep, by the studio's own pace.
func answered() []float64 {
	s := media.NewStudio()
	defer s.Close()
	var took []float64
	for range answers {
		id := uuid.New()
		arrived := make(chan time.Time, 1)
		s.Seat(id.String()).Sit(&ear{heard: func(f *media.Frame) {
			if f[5] != audio.Silence {
				select {
				case arrived <- time.Now():
				default:
				}
			}
		}}, true)
		room := s.Open(id, nil)
		s.Arrange(id, media.Arrangement{Parties: []media.Party{{User: id.String()}}})
		time.Sleep(7 * time.Millisecond) // the answer comes at no time in particular
		began := time.Now()
		room.SetVoice(0, &talker{sound: speech()})
		s.Arrange(id, media.Pair(id.String()))
		took = append(took, float64((<-arrived).Sub(began).Microseconds())/1000)
		s.Shut(id)
	}
	return took
}

// underLoad keeps a hundred recorded calls going by the studio's own pace, and marks a frame now and then.
func (v *voiceFigures) underLoad(ctx context.Context, dir string) error {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return err
	}
	s := media.NewStudio()
	defer s.Close()
	var before runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	var mu sync.Mutex
	var group sync.WaitGroup
	ctx, stop := context.WithTimeout(ctx, v.loadedFor)
	defer stop()
	for range loaded {
		id := uuid.New()
		room := s.Open(id, nil)
		var marked atomic.Int64 // when the frame that is on its way was said
		room.SetVoice(0, &talker{sound: speech(), heard: func(f *media.Frame) {
			if f[3] != 0x11 {
				return
			}
			if at := marked.Swap(0); at != 0 {
				mu.Lock()
				v.delay = append(v.delay, float64(time.Now().UnixMicro()-at)/1000)
				mu.Unlock()
			}
		}})
		seat := s.Seat(id.String())
		seat.Sit(&ear{}, true)
		s.Arrange(id, media.Pair(id.String()))
		rec, err := media.NewRecorder(filepath.Join(dir, id.String()+".wav"))
		if err != nil {
			return err
		}
		room.Record(rec)
		group.Go(func() {
			tick := time.NewTicker(audio.FrameTime)
			defer tick.Stop()
			for n := uint32(0); ; n++ {
				select {
				case <-ctx.Done():
					s.Shut(id)[0].Close()
					return
				case <-tick.C:
				}
				f := speech0
				if n%25 == 24 {
					f[3] = 0x11
					marked.Store(time.Now().UnixMicro())
				}
				seat.Hear(n*media.FrameBytes, f[:])
			}
		})
	}
	heap := func() float64 {
		var m runtime.MemStats
		runtime.GC()
		runtime.ReadMemStats(&m)
		return float64(m.HeapAlloc)
	}
	select {
	case <-time.After(v.loadedFor / 3):
	case <-ctx.Done():
	}
	early := heap()
	v.kilobytes = (early - float64(before.HeapAlloc)) / 1024 / loaded
	select {
	case <-time.After(v.loadedFor/3*2 - 2*time.Second):
	case <-ctx.Done():
	}
	v.growth = 100 * (heap() - early) / early
	group.Wait()
	v.late = s.LateFrames()
	return os.RemoveAll(dir)
}

// speech0 is what the reps of the load say: a frame without the mark.
var speech0 = func() media.Frame {
	f := speech()
	for i := range f {
		if f[i] == 0x11 {
			f[i] = 0x12
		}
	}
	return f
}()

func (v voiceFigures) report(p func(string, ...any)) {
	frame, bare := quantile(v.frame.ours, 0.5), quantile(v.frame.bare, 0.5)
	p(`## Voices, in process

| what | ours | bare | ratio | goal |
| --- | --- | --- | --- | --- |
| a frame of a bridged and recorded call, of one core | %.2f µs | %.2f µs | %.2f | |
| calls bridged and recorded on one core, by that | %d | | | at least 5,000 |
| a frame of a recorded conference of eight | %.1f µs | | | |
| memory of each of its legs | %.0f kB | | | |
| from the outside's answer to its first frame at the rep, p95 of %d | %.1f ms (p50 %.1f) | | | under 60 ms |
| from a rep's frame to the outside within the server, %d calls, p99 | %.1f ms (p50 %.1f) | | | under 45 ms |
| frames left out in %.0f s of %d calls | %d | | | none |
| memory of a call | %.0f kB, grown by %.1f %% within the run | | | does not grow |
| processor time of a call over UDP and a second, %d calls, the browser's side by pion included | %.1f ms | %.1f ms | %.2f | |
| calls over UDP on one core, by that, the browser's half of bare taken off | %.0f | %.0f | | aim at 150 |
| frames that came back to the browsers | %.1f %% | | | |

- **A frame**: read from both sides, handed over, written into the recording on the disk, levels, voice activity and trace; bare: the two frames decoded and
  encoded by the tables of G.711. Medians of 5 runs of %d calls by turns, on one goroutine without a pace.
- **Over UDP**: browsers of pion's speak a frame each 20 ms and hear one; ours bridges, mixes, measures and records, bare sends each packet back as it came. Both sides run in
  one process, and all of its processor time is counted.
- **Memory**: of a call in progress; what grows is its voice trace, 10 bytes a second.
- **Delay**: at the studio's own pace, with the 40 ms that the jitter buffer gathers; no browser, no network.
`, frame, bare, frame/bare, v.calls, quantile(v.eight, 0.5), v.leg, answers, quantile(v.first, 0.95), quantile(v.first, 0.5), loaded, quantile(v.delay, 0.99), quantile(v.delay, 0.5),
		v.loadedFor.Seconds(), loaded, v.late, v.kilobytes, v.growth, udpCalls, v.udp.ours, v.udp.bare,
		v.udp.ours/v.udp.bare, 1000/(v.udp.ours-v.udp.bare/2), 2000/v.udp.bare, 100*v.udp.heard, benchRooms)
}
