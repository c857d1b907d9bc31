// Package audio is what can be known and made of telephone sound: G.711, levels and the voice trace, voice activity and
// who talked how much, call progress tones, the beep of a voicemail, loudness, line quality.
//
// Sound is mono at 8 kHz, as 16-bit samples, in frames of 20 ms. The package must not know calls, networks, files,
// clocks or goroutines: time is counted in samples that came in.
package audio

import "time"

// The form of telephone sound.
const (
	Rate         = 8000 // samples a second
	FrameSamples = 160  // samples in a frame
	FrameTime    = 20 * time.Millisecond
)

// Silence is the µ-law code of a sample of 0.
const Silence = 0xFF

// The bias and the clip of µ-law (ITU-T G.711, table 2a, in 16-bit samples).
const (
	bias = 0x84
	clip = 32635
)

var (
	muLawToLinear = decodeTable()
	linearToMuLaw = encodeTable()
	muLawSquare   = squareTable() // of the sample of a code
)

// Decode gives the sample of a µ-law code, -32124 to 32124 (ITU-T G.711).
func Decode(code byte) int16 { return muLawToLinear[code] }

// Encode gives the µ-law code of a sample (ITU-T G.711).
func Encode(sample int16) byte { return linearToMuLaw[uint16(sample)>>2] }

// DecodeFrame fills samples with those of codes; the shorter of the two decides how many.
func DecodeFrame(samples []int16, codes []byte) {
	for i := range min(len(samples), len(codes)) {
		samples[i] = muLawToLinear[codes[i]]
	}
}

// EncodeFrame fills codes with those of samples; the shorter of the two decides how many.
func EncodeFrame(codes []byte, samples []int16) {
	for i := range min(len(samples), len(codes)) {
		codes[i] = linearToMuLaw[uint16(samples[i])>>2]
	}
}

func decodeTable() (t [256]int16) {
	for i := range t {
		code := ^byte(i)
		value := (int(code&0x0F)<<3 + bias) << (code >> 4 & 7)
		if value -= bias; code&0x80 != 0 {
			value = -value
		}
		t[i] = int16(value)
	}
	return t
}

func squareTable() (t [256]int64) {
	for i, s := range decodeTable() {
		t[i] = int64(s) * int64(s)
	}
	return t
}

// encodeTable is by the upper 14 bits of a sample: µ-law knows no finer ones.
func encodeTable() (t [1 << 14]byte) {
	for i := range t {
		sample := int(int16(uint16(i) << 2))
		sign := byte(0)
		if sample < 0 {
			// The two lowest bits are gone: -1 to -4 all came as -4.
			sample, sign = -sample-1, 0x80
		}
		sample = min(sample, clip) + bias
		segment := byte(7)
		for mask := 0x4000; segment > 0 && sample&mask == 0; mask >>= 1 {
			segment--
		}
		t[i] = ^(sign | segment<<4 | byte(sample>>(segment+3))&0x0F)
	}
	return t
}

// Mix adds sound to sound, sample by sample, and clips what is too loud.
func Mix(into, sound []int16) {
	for i := range min(len(into), len(sound)) {
		into[i] = clamp(int32(into[i]) + int32(sound[i]))
	}
}

// Gain makes sound louder or softer by so many times, and clips what is too loud.
func Gain(sound []int16, times float64) {
	for i, s := range sound {
		sound[i] = clamp(int32(float64(s) * times))
	}
}

func clamp(s int32) int16 { return int16(max(-32768, min(32767, s))) }
