package audio

import "time"

// Bpl of G.711: how well it bears lost packets, with and without concealment (ITU-T G.113, appendix I).
const (
	BplConcealed = 25.1
	BplBare      = 4.3
)

// Rating is the R of the simplified E-model for G.711 (ITU-T G.107): 93.2 at best. delay is one-way, mouth to ear; loss
// is a share, 0 to 1.
func Rating(delay time.Duration, loss, bpl float64) float64 {
	d := float64(delay) / float64(time.Millisecond)
	id := 0.024 * d
	if d > 177.3 {
		id += 0.11 * (d - 177.3)
	}
	ppl := 100 * loss
	return 93.2 - id - 95*ppl/(ppl+bpl)
}

// MOS is the mean opinion that follows from an R, 1 to 4.5 (ITU-T G.107, annex B).
func MOS(r float64) float64 {
	switch {
	case r <= 0:
		return 1
	case r >= 100:
		return 4.5
	}
	return 1 + 0.035*r + r*(r-60)*(100-r)*7e-6
}
