package audio_test

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/audio"
)

// line sends sound through a line: noise of a height, a delay of some samples, and G.711.
func line(sound []int16, noise float64, late int, seed uint64) []int16 {
	r := rand.New(rand.NewPCG(seed, 7))
	out := make([]int16, 0, len(sound)+late)
	for range late {
		out = append(out, 0)
	}
	for _, s := range sound {
		out = append(out, audio.Decode(audio.Encode(int16(float64(s)*0.8+noise*(2*r.Float64()-1)))))
	}
	return out
}

func play(tone audio.Tone, long time.Duration) []int16 {
	sound := make([]int16, int(long*audio.Rate/time.Second))
	audio.Play(tone).Next(sound)
	return sound
}

// frames hands sound over in pieces of 20 ms.
func frames(sound []int16, take func([]int16)) {
	for ; len(sound) >= audio.FrameSamples; sound = sound[audio.FrameSamples:] {
		take(sound[:audio.FrameSamples])
	}
}

func TestEveryProgressToneIsHeard(t *testing.T) {
	for _, tt := range []struct {
		tone audio.Tone
		want audio.Signal
	}{{audio.Dial, audio.HeardDial}, {audio.Ringback, audio.HeardRingback}, {audio.RingbackITU,
		audio.HeardRingback}, {audio.Busy, audio.HeardBusy},
		{audio.BusyITU, audio.HeardBusy}, {audio.Reorder, audio.HeardReorder},
		{audio.OutOfService, audio.HeardOutOfService}} {
		for i := range 20 {
			noise := float64(i%4) * 60
			t.Run(fmt.Sprintf("%s %s %d", tt.tone.Name, tt.want, i), func(t *testing.T) {
				var p audio.Progress
				heard := map[audio.Signal]bool{}
				frames(line(play(tt.tone, 6*time.Second), noise, 17*i, uint64(i)), func(f []int16) {
					if s := p.Add(f); s != audio.NoSignal {
						heard[s] = true
					}
				})
				assert.Equal(t, map[audio.Signal]bool{tt.want: true}, heard)
			})
		}
	}
}

func TestVoicesAreNoProgressTone(t *testing.T) {
	var p audio.Progress
	var b audio.Beep
	frames(hand(60, [2]float64{1, 20}, [2]float64{25, 55}), func(f []int16) {
		assert.Equal(t, audio.NoSignal, p.Add(f))
		assert.False(t, p.InTone())
		assert.False(t, b.Add(f))
	})
}

func TestEveryBeepIsFoundRightAfterItsEnd(t *testing.T) {
	for _, hz := range []float64{440, 1000, 1400} {
		for i := range 20 {
			long := time.Duration(180+i*40) * time.Millisecond
			sound := append(hand(2, [2]float64{0.2, 1.6}), play(audio.Once(hz, long), long+time.Second)...)
			over := 2*time.Second + long
			var b audio.Beep
			at, found := time.Duration(0), []time.Duration{}
			frames(line(sound, float64(i%4)*60, 0, uint64(i)), func(f []int16) {
				if at += audio.FrameTime; b.Add(f) {
					found = append(found, at)
				}
			})
			if assert.Len(t, found, 1, "%v Hz, %v", hz, long) {
				assert.InDelta(t, hz, b.Hz, 10)
				assert.LessOrEqual(t, found[0]-over, 60*time.Millisecond, "30 ms after its end, in frames of 20")
				assert.GreaterOrEqual(t, found[0], over)
			}
		}
	}
}

func TestWhatIsNoBeep(t *testing.T) {
	for name, sound := range map[string][]int16{
		"too short":   play(audio.Once(1000, 90*time.Millisecond), time.Second),
		"too high":    play(audio.Once(3000, 400*time.Millisecond), time.Second),
		"two tones":   play(audio.Keys("159"), time.Second),
		"glides":      glide(),
		"silence":     make([]int16, 8000),
		"still lasts": play(audio.Once(1000, time.Second), time.Second),
	} {
		t.Run(name, func(t *testing.T) {
			var b audio.Beep
			frames(sound, func(f []int16) { assert.False(t, b.Add(f)) })
		})
	}
}

// glide rises from 500 to 1500 Hz within a second.
func glide() []int16 {
	var sound []int16
	for hz := 500.0; hz < 1500; hz += 10 {
		sound = append(sound, sine(8000, hz, 0.3, 80)...)
	}
	return sound
}

func ExamplePlay() {
	sound := make([]int16, 4)
	audio.Play(audio.Tone{Name: "test", Beats: []audio.Beat{{Hz: []float64{2000}, Long: time.Second}}}).Next(sound)
	fmt.Println(sound)
	// Output: [0 7183 0 -7183]
}
