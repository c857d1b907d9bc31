package audio

import "math"

// taps is how many samples on each side of a new sample are weighed.
const taps = 16

// Resample gives sound of another rate at 8 kHz, low-passed below the new half (a sinc under a Hann window). Rates from
// 4 to 192 kHz.
func Resample(sound []int16, rate int) []int16 {
	if rate == Rate || len(sound) == 0 || rate <= 0 {
		return sound
	}
	k := newKernel(rate)
	out := make([]int16, len(sound)*k.down/k.up)
	for i := range out {
		first, weights := k.at(i)
		value, sum := 0.0, 0.0
		for j, w := range weights[max(0, -first):min(len(weights), len(sound)-first)] {
			value, sum = value+w*float64(sound[max(0, first)+j]), sum+w
		}
		out[i] = clamp(int32(math.Round(value / sum)))
	}
	return out
}

// kernel is the weights of old samples for a new one. Every new sample lies up/down old ones behind the last, so that
// after down of them the weights come again: they are computed once.
type kernel struct {
	up, down int // the old rate to the new one, without a common divisor
	width    float64
	phases   [][]float64
}

func newKernel(rate int) *kernel {
	divisor := rate
	for rest := Rate; rest != 0; {
		divisor, rest = rest, divisor%rest
	}
	k := &kernel{up: rate / divisor, down: Rate / divisor, width: taps * max(1, float64(rate)/Rate)}
	k.phases = make([][]float64, k.down)
	return k
}

// at gives the place of the first old sample that counts for new sample i, and the weights from there on.
func (k *kernel) at(i int) (first int, weights []float64) {
	phase := i * k.up % k.down
	from := float64(phase) / float64(k.down) // behind the old sample before it
	lowest := int(math.Ceil(from - k.width))
	if k.phases[phase] == nil {
		cut := min(1, float64(k.down)/float64(k.up)) * 0.95
		for j := lowest; j <= int(from+k.width); j++ {
			x := from - float64(j)
			w := 0.5 + 0.5*math.Cos(math.Pi*x/k.width)
			if x != 0 {
				w *= math.Sin(math.Pi*cut*x) / (math.Pi * cut * x)
			}
			k.phases[phase] = append(k.phases[phase], w)
		}
	}
	return i*k.up/k.down + lowest, k.phases[phase]
}
