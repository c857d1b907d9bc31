package audio

import "math"

// The beep of a voicemail is one steady tone: nearly all power in one peak, at one frequency, for long enough.
const (
	beepBlock  = 256                       // samples of a block, Hann-windowed
	beepHop    = 80                        // samples from block to block: 10 ms
	beepPurity = 0.80                      // least share of the power in the peak and two bins on both sides
	beepDrift  = 6.0                       // Hz that the frequency may wander
	beepLeast  = 12                        // blocks that a beep lasts at least: 120 ms
	beepLowest = 350.0                     // Hz
	beepTop    = 2200.0                    // Hz
	beepSoft   = -45.0                     // dBov: softer is none
	binWidth   = float64(Rate) / beepBlock // Hz
)

// Beep finds the beep of a voicemail. It also fires on single call progress tones: decide those first (Progress). The
// zero value is ready.
type Beep struct {
	held  []int16
	first float64 // frequency of the tone that goes on, 0: none
	long  int     // blocks that it has lasted
	Hz    float64 // frequency of the beep that was found
}

// Add takes sound and tells whether a beep has just ended in it.
func (b *Beep) Add(sound []int16) bool {
	ended := false
	b.held = append(b.held, sound...)
	for len(b.held) >= beepBlock {
		ended = b.block(b.held[:beepBlock]) || ended
		b.held = append(b.held[:0], b.held[beepHop:]...)
	}
	return ended
}

func (b *Beep) block(block []int16) bool {
	hz := steady(block)
	if hz > 0 && b.first > 0 && math.Abs(hz-b.first) <= beepDrift {
		b.long++
		return false
	}
	found := b.long >= beepLeast
	if found {
		b.Hz = b.first
	}
	b.first, b.long = hz, min(1, int(hz))
	return found
}

// steady is the frequency of a block that is one tone; 0 of any other.
func steady(block []int16) float64 {
	if Level(block) < beepSoft {
		return 0
	}
	p := spectrum(block)
	peak, total := 1, 0.0
	for i := 1; i < len(p); i++ {
		if total += p[i]; p[i] > p[peak] {
			peak = i
		}
	}
	if peak < 3 || peak > len(p)-4 {
		return 0
	}
	near := 0.0
	for i := peak - 2; i <= peak+2; i++ {
		near += p[i]
	}
	if near < beepPurity*total {
		return 0
	}
	// A parabola through the logarithms gives the frequency between the bins.
	l, m, r := math.Log(p[peak-1]+1e-9), math.Log(p[peak]+1e-9), math.Log(p[peak+1]+1e-9)
	hz := (float64(peak) + 0.5*(l-r)/(l-2*m+r)) * binWidth
	if hz < beepLowest || hz > beepTop {
		return 0
	}
	return hz
}
