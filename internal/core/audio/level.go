package audio

import "math"

// Quietest is the level of perfect silence, dBov.
const Quietest = -90.0

// Level is the loudness of sound, in dB below a full-scale square wave (dBov, RFC 6464): 0 at most, Quietest at least.
func Level(sound []int16) float64 {
	if len(sound) == 0 {
		return Quietest
	}
	sum := int64(0)
	for _, s := range sound {
		sum += int64(s) * int64(s)
	}
	return levelOf(sum, len(sound))
}

// CodesLevel is Level of µ-law sound, without decoding it.
func CodesLevel(codes []byte) float64 {
	if len(codes) == 0 {
		return Quietest
	}
	sum := int64(0)
	for _, c := range codes {
		sum += muLawSquare[c]
	}
	return levelOf(sum, len(codes))
}

// levelOf is the level of n samples, more than none, by the sum of their squares.
func levelOf(sum int64, n int) float64 {
	if sum == 0 {
		return Quietest
	}
	return max(Quietest, 10*math.Log10(float64(sum)/float64(n)/(32768*32768)))
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
	loudest float64 // level of the loudest frame, above Quietest
}

// Add takes the level of the next frame.
func (t *Trace) Add(level float64) {
	t.loudest = max(t.loudest, level-Quietest)
	if t.frames++; t.frames == TraceFrames {
		t.end()
	}
}

func (t *Trace) end() {
	t.Heights = append(t.Heights, Height(Quietest+t.loudest))
	t.frames, t.loudest = 0, 0
}

// Close adds what is left of the last fifth of a second.
func (t *Trace) Close() {
	if t.frames > 0 {
		t.end()
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
