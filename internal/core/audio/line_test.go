package audio_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/audio"
)

func TestWhatALineIsWorth(t *testing.T) {
	t.Parallel()
	const ms = time.Millisecond
	for _, c := range []struct {
		name  string
		line  audio.Line
		mos   float64
		v     audio.Verdict
		wrong []string
	}{
		{name: "nothing is wrong", mos: 4.409, v: audio.Good},
		// R 85.903 at 200 ms
		{name: "a usual one", line: audio.Line{Delay: 150 * ms, Jitter: 25 * ms}, mos: 4.226, v: audio.Good},
		{name: "their side is lost at times", line: audio.Line{Delay: 250 * ms, LossDown: 0.03}, mos: 3.553,
			v: audio.Fair},
		// R 66.135
		{name: "they are lost", line: audio.Line{LossDown: 0.1}, mos: 3.411, v: audio.Fair,
			wrong: []string{"10 % of what they say is lost on the way to you"}},
		// R 47.417
		{name: "the rep is lost", line: audio.Line{LossUp: 0.04}, mos: 2.440, v: audio.Bad,
			wrong: []string{"4 % of what you say is lost on the way"}},
		// R 59.103
		{name: "late and uneven", line: audio.Line{Delay: 300 * ms, Jitter: 50 * ms}, mos: 3.053, v: audio.Bad,
			wrong: []string{"sound comes unevenly, by 50 ms",
				"sound takes 400 ms, so that you will talk over each other"}},
	} {
		mos, v, wrong := c.line.Rate()
		assert.InDelta(t, c.mos, mos, 0.002, c.name)
		assert.Equal(t, c.v, v, c.name)
		assert.Equal(t, c.wrong, wrong, c.name)
	}
}
