package switchboard

import (
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/audio"
	"trundo/internal/core/call"
	"trundo/internal/media"
)

// hums is a voice that hums one tone without end, and keeps the last frame that it hears.
type hums struct {
	hz          float64
	says, heard media.Frame
}

const humHeight = 2_500

// newHums hums at a multiple of 50 Hz, so that each frame is the same: a whole number of periods.
func newHums(hz float64) *hums {
	h := &hums{hz: hz}
	for i := range h.says {
		h.says[i] = audio.Encode(int16(humHeight * math.Sin(2*math.Pi*hz*float64(i)/audio.Rate)))
	}
	return h
}

func (h *hums) Read(f *media.Frame) bool {
	*f = h.says
	return true
}

func (h *hums) Write(f *media.Frame) { h.heard = *f }

// wave is a frame as numbers. It is a value, which the race detector has nothing to ask about.
type wave [media.FrameBytes]float64

func waveOf(f media.Frame) (w wave) {
	for i, c := range f {
		w[i] = float64(audio.Decode(c))
	}
	return w
}

// height is how high a tone is in a frame (Goertzel's algorithm).
func height(w wave, hz float64) float64 {
	k := 2 * math.Cos(2*math.Pi*hz/audio.Rate)
	var s1, s2 float64
	for _, x := range w {
		s1, s2 = x+k*s1-s2, s1
	}
	return 2 * math.Sqrt(s1*s1+s2*s2-k*s1*s2) / float64(len(w))
}

// walk is a call on a random way, with everybody's voice.
type walk struct {
	state  call.State
	voices map[string]*hums // by user, or by leg where it is outside
	studio *media.Studio
	room   *media.Room
	id     uuid.UUID
}

func (w *walk) voice(l *call.Leg) *hums {
	name := l.User
	if l.Party == call.Outside {
		name = fmt.Sprint(l.No)
	}
	v := w.voices[name]
	if v == nil {
		// Above music and ringback, and far from each other: 50 Hz is one period in a frame.
		v = newHums(1400 + 200*float64(len(w.voices)))
		w.voices[name] = v
		if l.Party == call.Outside {
			w.room.SetVoice(int(l.No), v)
		} else {
			w.studio.Seat(l.User).Phone(v)
		}
	}
	return v
}

// mostVoices is how many tones there is room for below 3.8 kHz.
const mostVoices = 12

// step does something at random; false: it cannot be done.
func (w *walk) step(r *rand.Rand, at time.Time) bool {
	users := []string{"ines", "tomas", "odile"}
	by, to := users[r.IntN(3)], users[r.IntN(3)]
	leg := call.LegNo(1 + r.IntN(len(w.state.Legs)))
	ask := call.Ask{By: by, To: to, As: []call.Role{call.Consulted, call.Consulted, call.Handed}[r.IntN(3)]}
	if r.IntN(2) == 0 {
		ask.To, ask.Address = "", fmt.Sprintf("+141355501%02d", r.IntN(100))
	}
	ins := []call.Input{ask, ask, call.Answer{By: by}, call.Answer{By: to}, call.CarrierAnswered{Leg: leg},
		call.CarrierAnswered{Leg: leg}, call.Swap{By: by}, call.Join{By: by}, call.Join{By: to}, call.HandOver{By: by},
		call.Drop{By: by, Leg: leg}, call.Hold{By: by}, call.Resume{By: by}, call.Mute{By: by, On: r.IntN(2) == 0},
		call.Park{By: by, Place: "1"}, call.Take{By: by},
		call.Listen{
			By: "lene",
			To: by,
			As: []call.Role{call.Listening, call.Whispering}[r.IntN(2)],
		}, call.StepIn{By: "lene"},
		call.Offer{To: users, As: call.Returned}, call.Decline{By: by}}
	if r.IntN(12) == 0 {
		ins = []call.Input{
			call.HangUp{By: by},
			call.HangUp{By: "lene"},
			call.CarrierEnded{Leg: leg, Reason: call.EndedByThem},
		}
	}
	return w.do(ins[r.IntN(len(ins))], at)
}

func (w *walk) do(in call.Input, at time.Time) bool {
	facts, _, err := call.Decide(w.state, in, at)
	for _, f := range facts {
		w.state = call.Evolve(w.state, f)
	}
	return err == nil && len(facts) > 0
}

// listen checks each ear of a state for each voice, frame by frame, and what a recording is given.
func (w *walk) listen(t *testing.T, frames int) {
	for i := range w.state.Legs {
		if l := &w.state.Legs[i]; l.Party != call.Machine {
			w.voice(l)
		}
	}
	w.studio.Arrange(w.id, arrangement(&w.state))
	for range frames {
		w.room.Tick()
		for i := range w.state.Legs {
			listener := &w.state.Legs[i]
			if listener.State != call.Up || w.elsewhere(listener) {
				continue
			}
			ear := waveOf(w.voice(listener).heard)
			for j := range w.state.Legs {
				speaker := &w.state.Legs[j]
				if speaker.State != call.Up || i == j || w.elsewhere(speaker) {
					continue
				}
				got, want := height(ear, w.voice(speaker).hz), 0.0
				if w.state.Hears(listener.No, speaker.No) {
					want = humHeight
				}
				require.InDelta(
					t,
					want,
					got,
					humHeight/5,
					"leg %d hears leg %d\n%+v",
					listener.No,
					speaker.No,
					w.state.Legs,
				)
			}
		}
	}
}

// elsewhere tells whether a rep is not in the room: on hold by themselves, they may be in another call.
func (w *walk) elsewhere(l *call.Leg) bool {
	return l.Party == call.Rep && w.state.Waits(l) && l.As != call.Consulted && w.state.Asking(l.User) == nil
}

// kept checks the channels of a recording for a state: ours has the reps whom the first customer hears, theirs the
// customers who are with somebody; nobody else is in either.
func (w *walk) kept(t *testing.T, s *call.State, left, right wave) {
	var first *call.Leg
	for i := range s.Legs {
		if l := &s.Legs[i]; l.Party == call.Outside && l.State == call.Up && l.As != call.Consulted && first == nil {
			first = l
		}
	}
	for i := range s.Legs {
		l := &s.Legs[i]
		if l.State != call.Up {
			continue
		}
		var ours, theirs float64
		switch {
		case l.Party == call.Outside && l.As != call.Consulted && l.Bridge() != 0:
			theirs = humHeight
		case l.Party == call.Rep && first != nil && s.Hears(first.No, l.No):
			ours = humHeight
		}
		require.InDelta(t, ours, height(left, w.voice(l).hz), humHeight/5, "leg %d on our side\n%+v", l.No, s.Legs)
		require.InDelta(t, theirs, height(right, w.voice(l).hz), humHeight/5, "leg %d on theirs\n%+v", l.No, s.Legs)
	}
}

// keptAside checks the channels of a consultation's recording for a state: who is heard by somebody who is asked, and who
// is asked and heard by somebody; nobody else is in either.
func (w *walk) keptAside(t *testing.T, s *call.State, left, right wave) {
	for i := range s.Legs {
		l := &s.Legs[i]
		if l.State != call.Up || w.elsewhere(l) {
			continue
		}
		var asks, asked float64
		for j := range s.Legs {
			switch other := &s.Legs[j]; {
			case other.State != call.Up || !s.Hears(other.No, l.No):
			case l.As == call.Consulted:
				asked = humHeight
			case other.As == call.Consulted:
				asks = humHeight
			}
		}
		require.InDelta(t, asks, height(left, w.voice(l).hz), humHeight/5, "leg %d asks\n%+v", l.No, s.Legs)
		require.InDelta(t, asked, height(right, w.voice(l).hz), humHeight/5, "leg %d is asked\n%+v", l.No, s.Legs)
	}
}

// writes records what is heard in n frames at the end of a file, once the returned function is called.
func writes(t *testing.T, path string, put func(*media.Recorder) *media.Recorder) (end func(n int) []byte) {
	t.Helper()
	rec, err := media.NewRecorder(path)
	require.NoError(t, err)
	put(rec)
	return func(n int) []byte {
		rec.Close()
		sound, err := os.ReadFile(path)
		require.NoError(t, err)
		require.NoError(t, os.Remove(path))
		return sound[len(sound)-n*2*media.FrameBytes:]
	}
}

// channels are both sides of a frame of a recording.
func channels(sound []byte, frame int) (left, right wave) {
	for k := range media.FrameBytes {
		at := (frame*media.FrameBytes + k) * 2
		left[k], right[k] = float64(audio.Decode(sound[at])), float64(audio.Decode(sound[at+1]))
	}
	return left, right
}

// Each of 500 calls goes a way of its own, and after each step every ear is listened at for every voice, and both
// channels of the recordings are: what is heard is what the state says, to the frame.
func TestEverybodyHearsWhomTheStateSaysAndNobodyElse(t *testing.T) {
	const frames = 2
	dir := t.TempDir()
	studio := media.NewStudio()
	studio.Close() // rooms are ticked by hand
	states := 0
	for n := range 500 {
		r := rand.New(rand.NewPCG(7, uint64(n)))
		at := time.Date(2026, 3, 2, 15, 0, 0, 0, time.UTC)
		w := &walk{voices: map[string]*hums{}, studio: studio, id: uuid.New()}
		w.room = studio.Open(w.id, nil)
		w.do(call.Place{By: "ines", Address: "+14135550142"}, at)
		w.do(call.CarrierAnswered{Leg: 2}, at)
		whole := writes(t, filepath.Join(dir, fmt.Sprint(n)), w.room.Record)
		aside := writes(t, filepath.Join(dir, fmt.Sprint(n, "aside")), w.room.RecordAside)
		var passed []call.State
		for step := 0; step < 200 && w.state.Ended.IsZero() && len(w.voices) < mostVoices; step++ {
			if at = at.Add(time.Second); step > 0 && !w.step(r, at) || !w.state.Ended.IsZero() {
				continue
			}
			w.listen(t, frames)
			passed = append(passed, w.state)
		}
		sound, said := whole(len(passed)*frames), aside(len(passed)*frames)
		for i := range passed {
			for f := range frames {
				left, right := channels(sound, i*frames+f)
				w.kept(t, &passed[i], left, right)
				left, right = channels(said, i*frames+f)
				w.keptAside(t, &passed[i], left, right)
			}
		}
		studio.Shut(w.id)
		states += len(passed)
	}
	require.Greater(t, states, 3_000, "the ways lead somewhere")
}
