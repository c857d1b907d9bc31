package audio_test

import (
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/audio"
)

// sine is a tone of so many samples at a rate; height 1 is full scale.
func sine(rate int, hz, height float64, samples int) []int16 {
	s := make([]int16, samples)
	for i := range s {
		s[i] = int16(height * 32767 * math.Sin(2*math.Pi*hz*float64(i)/float64(rate)))
	}
	return s
}

// hand makes a side of a call: noise at -65 dBov, and where it speaks, in seconds, syllables: noise of 180 ms with 60
// ms between them.
func hand(seconds float64, speaks ...[2]float64) []int16 {
	r := rand.New(rand.NewPCG(1, 2))
	s := make([]int16, int(seconds*audio.Rate))
	for i := range s {
		height := 32.0
		for _, span := range speaks {
			if at := float64(i)/audio.Rate - span[0]; at >= 0 && float64(i)/audio.Rate < span[1] &&
				math.Mod(at, 0.24) < 0.18 {
				height = 4000
			}
		}
		s[i] = int16(height * (2*r.Float64() - 1))
	}
	return s
}

func spans(sound []int16) ([]audio.Span, int) {
	var a audio.Activity
	for i := 0; i+audio.FrameSamples <= len(sound); i += audio.FrameSamples {
		a.Add(audio.Level(sound[i : i+audio.FrameSamples]))
	}
	return a.Spans(), a.Frames()
}

func TestLevels(t *testing.T) {
	assert.InDelta(t, -3.01, audio.Level(sine(8000, 1000, 1, 8000)), 0.01, "a full-scale sine")
	assert.InDelta(t, -23.01, audio.Level(sine(8000, 1000, 0.1, 8000)), 0.01)
	assert.Equal(t, audio.Quietest, audio.Level(make([]int16, 160)))
	assert.Equal(t, audio.Quietest, audio.Level(nil))
	for _, loud := range []float64{0, 0.001, 0.1, 1} {
		codes, decoded := make([]byte, 160), make([]int16, 160)
		audio.EncodeFrame(codes, sine(160, 440, loud, 8000))
		audio.DecodeFrame(decoded, codes)
		assert.Equal(t, audio.Level(decoded), audio.CodesLevel(codes), "without decoding, %v", loud)
	}
	assert.Equal(t, audio.Quietest, audio.CodesLevel(nil))
	assert.Equal(t, []byte{0, 50, 100}, []byte{audio.Height(-60), audio.Height(-32), audio.Height(-3)})
	var trace audio.Trace
	for range audio.TraceFrames {
		trace.Add(-60)
	}
	trace.Add(-10)
	trace.Close()
	trace.Close()
	assert.Equal(t, []byte{0, 100}, trace.Heights)
}

func TestSharesOfHandMadeVoices(t *testing.T) {
	// Ours speaks 6 + 4 s, theirs 5 + 8 s of 30; both at once from 20 to 21.5 s.
	ours, total := spans(hand(30, [2]float64{2, 8}, [2]float64{17.5, 21.5}))
	theirs, _ := spans(hand(30, [2]float64{9, 14}, [2]float64{20, 28}))
	f := audio.Measure(ours, theirs, total)
	near := func(want float64, got time.Duration, within float64, what string) {
		t.Helper()
		assert.InDelta(t, want, got.Seconds(), within, what)
	}
	near(30, f.Total, 0.001, "total")
	near(10, f.Ours, 0.6, "ours, within 2 % of the call")
	near(13, f.Theirs, 0.6, "theirs")
	assert.InDelta(t, 10.0/23, f.OursShare(), 0.02)
	near(1.5, f.Overlap, 0.1, "overlap")
	near(30-10-13+1.5, f.Silence, 0.6, "silence")
	near(6, f.LongestOurs, 0.12, "longest of ours")
	near(8, f.LongestTheirs, 0.12, "longest of theirs")
	assert.Equal(t, []int{0, 1}, []int{f.InterruptedThem, f.InterruptedUs})
}

func TestFiguresOfSpans(t *testing.T) {
	type s = audio.Span
	const f = audio.FrameTime
	for name, tt := range map[string]struct {
		ours, theirs []s
		want         audio.Figures
	}{
		"nobody": {nil, nil, audio.Figures{Total: 100 * f, Silence: 100 * f}},
		"they greet, we answer": {[]s{{30, 50}}, []s{{0, 20}},
			audio.Figures{Total: 100 * f, Ours: 20 * f, Theirs: 20 * f, Silence: 60 * f, LongestOurs: 20 * f,
				LongestTheirs: 20 * f, FirstAnswer: 10 * f}},
		"we begin": {[]s{{0, 20}}, []s{{30, 50}},
			audio.Figures{Total: 100 * f, Ours: 20 * f, Theirs: 20 * f, Silence: 60 * f, LongestOurs: 20 * f,
				LongestTheirs: 20 * f}},
		"a monologue with pauses": {[]s{{0, 20}, {40, 60}}, []s{{70, 80}},
			audio.Figures{Total: 100 * f, Ours: 40 * f, Theirs: 10 * f, Silence: 50 * f, LongestOurs: 60 * f,
				LongestTheirs: 10 * f}},
		"broken by a word of theirs": {[]s{{0, 20}, {40, 60}}, []s{{30, 35}},
			audio.Figures{Total: 100 * f, Ours: 40 * f, Theirs: 5 * f, Silence: 55 * f, LongestOurs: 20 * f,
				LongestTheirs: 5 * f}},
		"we interrupt": {[]s{{30, 60}}, []s{{0, 45}},
			audio.Figures{Total: 100 * f, Ours: 30 * f, Theirs: 45 * f, Overlap: 15 * f, Silence: 40 * f,
				LongestOurs: 30 * f, LongestTheirs: 45 * f, InterruptedThem: 1}},
		"a mhm is no interruption": {[]s{{20, 29}}, []s{{0, 45}},
			audio.Figures{Total: 100 * f, Ours: 9 * f, Theirs: 45 * f, Overlap: 9 * f, Silence: 55 * f,
				LongestOurs: 9 * f, LongestTheirs: 45 * f}},
	} {
		t.Run(name, func(t *testing.T) { assert.Equal(t, tt.want, audio.Measure(tt.ours, tt.theirs, 100)) })
	}
}

func TestActivityTellsTurns(t *testing.T) {
	var a audio.Activity
	add := func(level float64, n int) {
		for range n {
			a.Add(level)
		}
	}
	add(-70, 50)
	assert.False(t, a.Speaking())
	add(-25, 2)
	add(-70, 20)
	assert.False(t, a.Speaking(), "a click")
	assert.Equal(t, 72, a.Quiet())
	add(-25, 10)
	assert.True(t, a.Speaking())
	add(-70, 10)
	assert.True(t, a.Speaking(), "a pause within a phrase")
	add(-70, 6)
	assert.False(t, a.Speaking())
	assert.Equal(t, 16, a.Quiet())
	assert.Equal(t, []audio.Span{{72, 82}}, a.Spans())
	// Whoever talks on and on does not become background, and a loud background is no speech.
	var on, noise audio.Activity
	for i := range 3000 {
		on.Add(-20)
		noise.Add(-44 + float64(i%3))
	}
	require.Len(t, on.Spans(), 1)
	assert.Equal(t, 3000, on.Spans()[0].Frames())
	assert.Empty(t, noise.Spans())
}

func TestLoudnessEvensBothSides(t *testing.T) {
	var soft, loud, none audio.Loudness
	for range 100 {
		soft.Add(-32)
		loud.Add(-8)
	}
	assert.InDelta(t, 12, soft.EvenGain(), 0.01)
	assert.InDelta(t, -12, loud.EvenGain(), 0.01)
	assert.Zero(t, none.EvenGain())
	soft = audio.Loudness{}
	soft.Add(-60)
	assert.InDelta(t, 15, soft.EvenGain(), 0.01, "at most")
}

func TestQualityIsThatOfTheEModel(t *testing.T) {
	for _, tt := range []struct {
		delay        time.Duration
		loss, bpl    float64
		rating, mean float64
	}{
		{0, 0, audio.BplConcealed, 93.2, 4.409},
		{200 * time.Millisecond, 0, audio.BplConcealed, 85.903, 4.226},
		{250 * time.Millisecond, 0.03, audio.BplConcealed, 69.061, 3.553},
	} {
		r := audio.Rating(tt.delay, tt.loss, tt.bpl)
		assert.InDelta(t, tt.rating, r, 0.0005)
		assert.InDelta(t, tt.mean, audio.MOS(r), 0.0005)
	}
	assert.Equal(t, []float64{1, 4.5}, []float64{audio.MOS(-3), audio.MOS(120)})
	assert.Less(t, audio.Rating(0, 0.03, audio.BplBare), audio.Rating(0, 0.03, audio.BplConcealed))
}
