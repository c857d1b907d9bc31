package audio_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/audio"
)

func TestMuLawIsThatOfG711(t *testing.T) {
	// Values of ITU-T G.711, table 2a, in 16-bit samples: the ends of the segments and what lies about zero.
	for code, sample := range map[byte]int16{0x80: 32124, 0x00: -32124, 0x8F: 16764, 0x90: 15996, 0x9F: 8316,
		0xA0: 7932, 0xBF: 1980, 0xCF: 924, 0xDF: 396,
		0xEF: 132, 0xF0: 120, 0xFE: 8, 0xFF: 0, 0x7F: 0, 0x7E: -8, 0x70: -120} {
		assert.Equal(t, sample, audio.Decode(code), "code %02X", code)
	}
	for code := range 256 {
		c := byte(code)
		if c == 0x7F {
			c = audio.Silence // minus zero is zero
		}
		assert.Equal(t, c, audio.Encode(audio.Decode(byte(code))))
	}
	for sample, code := range map[int16]byte{32767: 0x80, -32768: 0x00, 1: 0xFF, 3: 0xFF, 4: 0xFE, -1: 0x7F, -5: 0x7E} {
		assert.Equal(t, code, audio.Encode(sample), "sample %d", sample)
	}
}

func TestNoSampleIsFurtherFromItsCodeThanHalfAStep(t *testing.T) {
	for s := -32124; s <= 32124; s++ {
		got := int(audio.Decode(audio.Encode(int16(s))))
		step := 8
		for limit := 124; limit <= max(s, -s); limit = limit*2 + 132 {
			step *= 2
		}
		if d := got - s; d > step/2+4 || d < -step/2-4 {
			t.Fatalf("%d became %d", s, got)
		}
	}
}

func TestFramesAreCodedMixedAndMadeLouder(t *testing.T) {
	samples := []int16{0, 1000, -1000, 30000}
	codes := make([]byte, 4)
	audio.EncodeFrame(codes, samples)
	back := make([]int16, 3)
	audio.DecodeFrame(back, codes)
	assert.Equal(t, []int16{0, 988, -988}, back)
	audio.Mix(samples, []int16{5, 5, 5, 30000})
	assert.Equal(t, []int16{5, 1005, -995, 32767}, samples)
	audio.Gain(samples, -2)
	assert.Equal(t, []int16{-10, -2010, 1990, -32768}, samples)
}

func TestSoundOfAnotherRateKeepsItsTone(t *testing.T) {
	for _, rate := range []int{8000, 16000, 22050, 44100, 48000} {
		sound := sine(rate, 1000, 0.5, rate)
		got := audio.Resample(sound, rate)
		assert.InDelta(t, 8000, len(got), 2, "a second stays a second")
		assert.InDelta(t, audio.Level(sine(8000, 1000, 0.5, 8000)), audio.Level(got), 0.2)
		// What an 8 kHz stream cannot carry must be gone, not folded back.
		if rate > 16000 {
			assert.Less(t, audio.Level(audio.Resample(sine(rate, 6000, 0.5, rate), rate)), -45.0)
		}
	}
}

func TestSoundOfAnotherRateHasNoEdges(t *testing.T) {
	// What does not change at the old rate does not change at the new one, from the first sample to the last, also
	// where the rates have hardly a common divisor.
	for _, rate := range []int{4000, 7999, 11025, 44099, 192000} {
		for _, length := range []int{1, 2, 30, 1000} {
			sound := make([]int16, length)
			for i := range sound {
				sound[i] = 1234
			}
			got := audio.Resample(sound, rate)
			assert.Len(t, got, length*8000/rate, "%d of %d Hz", length, rate)
			for _, x := range got {
				assert.Equal(t, int16(1234), x, "%d of %d Hz", length, rate)
			}
		}
	}
}
