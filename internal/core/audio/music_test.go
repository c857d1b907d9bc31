package audio_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/audio"
)

// hears gives an ear so many frames of a sound, and tells after how many it heard music first; -1: never.
func hears(ear *audio.MusicEar, frames int, next func([]int16)) int {
	first := -1
	for i := range frames {
		sound := make([]int16, audio.FrameSamples)
		next(sound)
		var codes [audio.FrameSamples]byte // as it comes over a line
		audio.EncodeFrame(codes[:], sound)
		audio.DecodeFrame(sound, codes[:])
		if ear.Add(sound); ear.Playing() && first < 0 {
			first = i
		}
	}
	return first
}

func TestHoldMusicIsHeardAsMusicAndNothingElseIs(t *testing.T) {
	t.Parallel()
	music := audio.Play(audio.HoldMusic)
	soft := func(sound []int16) { // as who waits hears it
		music.Next(sound)
		for i := range sound {
			sound[i] /= 4
		}
	}
	var ear audio.MusicEar
	first := hears(&ear, 100, soft)
	assert.Greater(t, first, 30, "not at the first note")
	assert.Less(t, first, 75, "within a second and a half")
	assert.NotEqual(t, -1, hears(&ear, 200, soft), "it goes on, through its pauses")
	assert.True(t, ear.Playing())
	silence := func([]int16) {}
	hears(&ear, 15, silence)
	assert.True(t, ear.Playing(), "a pause")
	hears(&ear, 12, silence)
	assert.False(t, ear.Playing(), "an end")

	others(func(what string, next func([]int16)) {
		var ear audio.MusicEar
		assert.Equal(t, -1, hears(&ear, 500, next), what)
	})
}

func TestItIsHeardThatSomebodyComesIn(t *testing.T) {
	t.Parallel()
	times := func(frames int, next func([]int16)) (n int) {
		var ear audio.JoinEar
		for range frames {
			sound := make([]int16, audio.FrameSamples)
			if next(sound); ear.Add(sound) {
				n++
			}
		}
		return n
	}
	tone := audio.Play(audio.ComesIn)
	assert.Equal(t, 1, times(100, func(sound []int16) {
		tone.Next(sound)
		for i, s := range sine(audio.Rate, 210, 0.05, len(sound)) { // somebody hums
			sound[i] = sound[i]/2 + s
		}
	}))
	assert.Zero(t, times(400, audio.Play(audio.HoldMusic).Next), "music")
	others(func(what string, next func([]int16)) { assert.Zero(t, times(500, next), what) })
}

// others gives what is neither music nor a tone of ours.
func others(each func(what string, next func([]int16))) {
	r := rand.New(rand.NewPCG(1, 2))
	pitch := 0.0
	for what, next := range map[string]func([]int16){
		"dial tone": audio.Play(audio.Dial).Next, "ringback": audio.Play(audio.Ringback).Next,
		"busy": audio.Play(audio.Busy).Next, "keys": audio.Play(audio.Keys("0123456789")).Next,
		"noise": func(sound []int16) {
			for i := range sound {
				sound[i] = int16(r.IntN(8000) - 4000)
			}
		},
		"a voice": func(sound []int16) { // a pitch that moves, with its harmonics
			pitch += r.Float64()*20 - 10
			for h := 1; h <= 8; h++ {
				for i, s := range sine(audio.Rate, (180+pitch)*float64(h), 0.2/float64(h), audio.FrameSamples) {
					sound[i] += s
				}
			}
		},
	} {
		each(what, next)
	}
}
