package audio

import "math"

// power is how strong one frequency is in sound: the square of its amplitude (Goertzel's algorithm).
func power(sound []int16, hz float64) float64 {
	if len(sound) == 0 {
		return 0
	}
	c := 2 * math.Cos(2*math.Pi*hz/Rate)
	var s1, s2 float64
	for _, x := range sound {
		s1, s2 = float64(x)+c*s1-s2, s1
	}
	n := float64(len(sound))
	return 4 * (s1*s1 + s2*s2 - c*s1*s2) / (n * n)
}

// window is a Hann window of beepBlock samples.
var window = func() (w [beepBlock]float64) {
	for i := range w {
		w[i] = 0.5 - 0.5*math.Cos(2*math.Pi*float64(i)/beepBlock)
	}
	return w
}()

// spectrum is the power in each of the lower half of bins of a Hann-windowed block of beepBlock samples.
func spectrum(block []int16) []float64 {
	n := len(block)
	re, im := make([]float64, n), make([]float64, n)
	for i, s := range block {
		re[i] = float64(s) * window[i]
	}
	transform(re, im)
	p := make([]float64, n/2)
	for i := range p {
		p[i] = re[i]*re[i] + im[i]*im[i]
	}
	return p
}

// transform is the fast Fourier transform, in place (Cooley and Tukey, radix 2).
func transform(re, im []float64) {
	n := len(re)
	for i, j := 1, 0; i < n; i++ {
		bit := n >> 1
		for ; j&bit != 0; bit >>= 1 {
			j ^= bit
		}
		if j ^= bit; i < j {
			re[i], re[j], im[i], im[j] = re[j], re[i], im[j], im[i]
		}
	}
	for size := 2; size <= n; size <<= 1 {
		half, step := size/2, -2*math.Pi/float64(size)
		for k := range half {
			sin, cos := math.Sincos(step * float64(k))
			for i := k; i < n; i += size {
				j := i + half
				r, m := re[j]*cos-im[j]*sin, re[j]*sin+im[j]*cos
				re[j], im[j] = re[i]-r, im[i]-m
				re[i], im[i] = re[i]+r, im[i]+m
			}
		}
	}
}
