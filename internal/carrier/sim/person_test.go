package sim_test

import (
	"bytes"
	"context"
	"errors"
	"testing"
	"time"

	"github.com/jonboulle/clockwork"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/carrier"
	"trundo/internal/carrier/carriertest"
	"trundo/internal/carrier/sim"
	"trundo/internal/core/audio"
)

// fakeSpeech speaks a text as so many frames of its first letter as it has letters.
type fakeSpeech struct{}

func (fakeSpeech) Speak(_ context.Context, _, text string) ([]byte, error) {
	if text == "unspeakable" {
		return nil, errors.New("no such voice")
	}
	return bytes.Repeat([]byte{audio.Encode(int16(text[0]) * 50)}, len(text)*audio.FrameSamples), nil
}

// called answers a call to somebody with a script, and gives their voice.
func called(t *testing.T, script sim.Script) (*sim.Sim, carrier.Voice, chan carrier.Event) {
	t.Helper()
	s := sim.New(clockwork.NewRealClock(), "US",
		func(string) sim.Behaviour { return sim.Behaviour{Script: script, Calls: script} })
	s.Voices(fakeSpeech{})
	events := make(chan carrier.Event, 10)
	s.Handle(func(e carrier.Event) { events <- e })
	require.NoError(t, s.Dial(carrier.Dialing{Ref: "a", To: carriertest.Answers}))
	require.Equal(t, carrier.Ringing, (<-events).Kind)
	answered := <-events
	require.Equal(t, carrier.Answered, answered.Kind)
	require.NotNil(t, answered.Voice)
	return s, answered.Voice, events
}

// until reads, and says level's sound, until a frame fits or n have come; it gives how many came.
func until(v carrier.Voice, says int16, n int, fits func(sample int16) bool) int {
	var f [carrier.FrameBytes]byte
	for i := range n {
		v.Read(&f)
		if fits(audio.Decode(f[0])) {
			return i
		}
		for j := range f {
			f[j] = audio.Encode(says * int16(1-2*(j%2)))
		}
		v.Write(&f)
	}
	return n
}

func says(letter byte) func(int16) bool {
	return func(s int16) bool { return s == audio.Decode(audio.Encode(int16(letter)*50)) }
}

func TestPeopleSayTheirPartsInTurn(t *testing.T) {
	_, v, events := called(t, sim.Script{Acts: []sim.Act{{Say: "unspeakable"}, {Say: "aaa", Listen: 10 * time.Second},
		{Say: "bb", Beep: 1000}, {HangUp: true}}})
	require.Eventually(t, func() bool { return until(v, 0, 1, says('a')) == 0 }, 5*time.Second, time.Millisecond,
		"as soon as it is spoken")
	assert.Equal(t, 2, until(v, 0, 100, func(s int16) bool { return s == 0 }), "three frames, the first has been heard")
	assert.Equal(t, 100, until(v, 3000, 100, says('b')), "they wait while we speak")
	assert.InDelta(t, 35, until(v, 0, 100, says('b')), 3, "and for 700 ms of silence")
	var beep audio.Beep
	heard := false
	for range 60 {
		var f [carrier.FrameBytes]byte
		var samples [carrier.FrameBytes]int16
		v.Read(&f)
		audio.DecodeFrame(samples[:], f[:])
		heard = heard || beep.Add(samples[:])
	}
	assert.True(t, heard, "the beep")
	e := <-events
	assert.Equal(t, []any{carrier.Ended, carrier.HungUp}, []any{e.Kind, e.Reason})
}

func TestTheyWaitForNobodyForEver(t *testing.T) {
	_, v, _ := called(t, sim.Script{Acts: []sim.Act{{Listen: time.Second}, {Say: "b"}}})
	n := 0
	require.Eventually(t, func() bool { n += until(v, 0, 1, says('b')); return until(v, 0, 1, says('b')) == 0 },
		5*time.Second, time.Millisecond)
}

func TestAMenuWantsKeys(t *testing.T) {
	s, v, _ := called(t, sim.Script{Acts: []sim.Act{{Say: "menu",
		Keys: map[string][]sim.Act{"1": {{Say: "shop"}}, "2": {{Say: "works"}}}}, {Say: "zzz"}}})
	require.Eventually(t, func() bool { return until(v, 0, 1, says('m')) == 0 }, 5*time.Second, time.Millisecond)
	s.SendDigits("a", "7")
	assert.Less(t, until(v, 0, 400, func(s int16) bool { return s == 0 }), 400)
	assert.Less(t, until(v, 0, 400, says('m')), 400, "a key that leads nowhere: all again")
	s.SendDigits("a", "2")
	assert.Less(t, until(v, 0, 400, says('w')), 400)
	assert.Less(t, until(v, 0, 400, says('z')), 400, "then it goes on")
}

func TestWhatIsTypedIsSpokenAndABadLineLosesFrames(t *testing.T) {
	s, v, _ := called(t, sim.Script{Loss: 0.5, Noise: 100})
	require.True(t, s.OutsideSays("a", "hello"))
	require.False(t, s.OutsideSays("b", "hello"))
	require.Eventually(t, func() bool { return until(v, 0, 1, func(s int16) bool { return s > 5000 }) == 0 },
		5*time.Second, time.Millisecond)
	lost := 0
	for range 2000 {
		var f [carrier.FrameBytes]byte
		if !v.Read(&f) {
			lost++
		}
	}
	assert.InDelta(t, 1000, lost, 150)
}

func TestSomebodyWaitsWhileMusicPlaysAndAsksWhenItEnds(t *testing.T) {
	t.Parallel()
	_, v, _ := called(t, sim.Script{Acts: []sim.Act{{Listen: time.Minute}, {Say: "after"}}})
	var f [carrier.FrameBytes]byte
	music, said := audio.Play(audio.HoldMusic), ""
	hear := func(frames int, next func([]int16)) {
		for range frames {
			v.Read(&f)
			if sample := audio.Decode(f[0]); sample != 0 {
				letter := "?"
				if sample == audio.Decode(audio.Encode('H'*50)) {
					letter = "H"
				}
				if said == "" || said[len(said)-1:] != letter {
					said += letter
				}
			}
			var sound [audio.FrameSamples]int16
			next(sound[:])
			audio.EncodeFrame(f[:], sound[:])
			v.Write(&f)
		}
	}
	hear(200, func(sound []int16) { music.Next(sound) })
	require.Empty(t, said, "they wait")
	require.Eventually(t, func() bool {
		hear(30, func([]int16) {})
		return said != ""
	}, 5*time.Second, time.Millisecond)
	assert.Equal(t, "H", said, "they ask whether somebody is there")
}
