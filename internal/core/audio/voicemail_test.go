package audio_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/audio"
)

func TestWhenAVoicemailLetsOneSpeak(t *testing.T) {
	greeting := hand(4, [2]float64{0.2, 3.6})
	beep := play(audio.Once(1000, 400*time.Millisecond), 5*time.Second)
	for name, tt := range map[string]struct {
		sound    []int16
		want     audio.Cue
		from, to time.Duration // when it is told
	}{
		"after the beep": {append(append([]int16{}, greeting...), beep...), audio.CueBeep,
			4400 * time.Millisecond, 4500 * time.Millisecond},
		"without a beep": {append(append([]int16{}, greeting...), hand(5)...), audio.CueSilence,
			6400 * time.Millisecond, 6800 * time.Millisecond},
		"its beep was before": {hand(5), audio.CueSilence, 2900 * time.Millisecond, 3100 * time.Millisecond},
		"it talks on and on":  {hand(70, [2]float64{0, 70}), audio.CueNever, 59 * time.Second, 61 * time.Second},
		"the line is dead":    {play(audio.Reorder, 5*time.Second), audio.CueNever, 0, 2 * time.Second},
		"a pause is no silence": {append(hand(6, [2]float64{0, 1}, [2]float64{3, 6}), beep...), audio.CueBeep,
			6400 * time.Millisecond, 6500 * time.Millisecond},
	} {
		t.Run(name, func(t *testing.T) {
			var c audio.Cues
			at := time.Duration(0)
			told, when := audio.NoCue, time.Duration(0)
			frames(tt.sound, func(f []int16) {
				at += audio.FrameTime
				if cue := c.Add(f); cue != audio.NoCue {
					assert.Equal(t, audio.NoCue, told, "once only")
					told, when = cue, at
				}
			})
			assert.Equal(t, tt.want, told)
			assert.GreaterOrEqual(t, when, tt.from)
			assert.LessOrEqual(t, when, tt.to)
		})
	}
}
