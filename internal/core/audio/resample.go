package audio

import "math"

// taps is how many samples on each side of a new sample are weighed.
const taps = 16

// Resample gives sound of another rate at 8 kHz, low-passed below the new half (a sinc under a Hann window). Rates from 4 to 192 kHz.
func Resample(sound []int16, rate int) []int16 {
	if rate == Rate || len(sound) == 0 || rate <= 0 {
		return sound
	}
	ratio := float64(rate) / Rate
	cut := min(1, 1/ratio) * 0.95
	width := float64(taps) * max(1, ratio)
	out := make([]int16, int(float64(len(sound))/ratio))
	for i := range out {
		at := float64(i) * ratio
		value, weights := 0.0, 0.0
		for j := int(math.Ceil(at - width)); j <= int(at+width); j++ {
			if j < 0 || j >= len(sound) {
				continue
			}
			x := at - float64(j)
			w := 0.5 + 0.5*math.Cos(math.Pi*x/width)
			if x != 0 {
				w *= math.Sin(math.Pi*cut*x) / (math.Pi * cut * x)
			}
			value, weights = value+w*float64(sound[j]), weights+w
		}
		out[i] = clamp(int32(math.Round(value / weights)))
	}
	return out
}
