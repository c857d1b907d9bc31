package audio

import "math"

// Quietest is the level of perfect silence, dBov.
const Quietest = -90.0

// Level is the loudness of sound, in dB below a full-scale square wave (dBov, RFC 6464): 0 at most, Quietest at least.
func Level(sound []int16) float64 {
	if len(sound) == 0 {
		return Quietest
	}
	sum := 0.0
	for _, s := range sound {
		sum += float64(s) * float64(s)
	}
	if sum == 0 {
		return Quietest
	}
	return max(Quietest, 10*math.Log10(sum/float64(len(sound))/(32768*32768)))
}

// The voice trace shows levels from floor to ceiling.
const (
	traceFloor   = -54.0
	traceCeiling = -10.0
)

// TraceFrames is how many frames make one value of a voice trace: five values a second.
const TraceFrames = 10

// Height is how high a voice trace stands at a level, 0 to 100.
func Height(level float64) byte {
	return byte(math.Round(100 * max(0, min(1, (level-traceFloor)/(traceCeiling-traceFloor)))))
}

// Trace gathers a voice trace of one side while its frames come: the loudest frame of each fifth of a second, 0 to 100.
// The zero value is ready.
type Trace struct {
	Heights []byte
	frames  int
	loudest byte
}

// Add takes the level of the next frame.
func (t *Trace) Add(level float64) {
	t.loudest = max(t.loudest, Height(level))
	if t.frames++; t.frames == TraceFrames {
		t.Heights = append(t.Heights, t.loudest)
		t.frames, t.loudest = 0, 0
	}
}

// Close adds what is left of the last fifth of a second.
func (t *Trace) Close() {
	if t.frames > 0 {
		t.Heights = append(t.Heights, t.loudest)
		t.frames, t.loudest = 0, 0
	}
}

// Thin gives heights in at most n values, each the highest of its part.
func Thin(heights []byte, n int) []byte {
	if len(heights) <= n || n < 1 {
		return heights
	}
	thin := make([]byte, n)
	for i, h := range heights {
		at := i * n / len(heights)
		thin[at] = max(thin[at], h)
	}
	return thin
}
