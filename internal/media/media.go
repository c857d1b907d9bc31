// Package media is the voices of calls: the browser's leg by WebRTC, who hears whom, what is played, and recording of
// both sides.
//
// A Seat is where a rep's voice comes in and goes out, whatever call they are in; a Room is the sound of one call; a
// Studio holds both and moves all rooms on, a frame every 20 ms. The package must not know why somebody hears somebody:
// the switchboard arranges rooms by the state of calls. It knows no records, rights or database.
package media

import "trundo/internal/core/audio"

// FrameBytes is 20 ms of G.711.
const FrameBytes = audio.FrameSamples

// Frame is 20 ms of µ-law sound.
type Frame = [FrameBytes]byte

// Voice is a side of a call that can be heard and spoken to. Both are called every 20 ms from one goroutine and must
// not wait.
type Voice interface {
	// Read takes the next frame from there; false where none has come.
	Read(*Frame) bool
	// Write sends a frame there.
	Write(*Frame)
}

// silent is a frame of silence.
var silent = func() (f Frame) {
	for i := range f {
		f[i] = audio.Silence
	}
	return f
}()

// Sound is something that can be played.
type Sound interface {
	// Next makes the next frame of samples; false when it is over.
	Next(*[audio.FrameSamples]int16) bool
}

// Tone plays a tone; frames limits it, 0 is without end.
func Tone(t audio.Tone, frames int) Sound { return &toneSound{audio.Play(t), frames} }

type toneSound struct {
	player *audio.Player
	left   int
}

func (t *toneSound) Next(f *[audio.FrameSamples]int16) bool {
	t.player.Next(f[:])
	if t.left == 0 {
		return true
	}
	t.left--
	return t.left > 0
}

// Codes plays µ-law sound; loops tells whether it begins again.
func Codes(codes []byte, loops bool) Sound { return &codeSound{codes: codes, loops: loops} }

type codeSound struct {
	codes []byte
	at    int
	loops bool
}

func (c *codeSound) Next(f *[audio.FrameSamples]int16) bool {
	for i := range f {
		if c.at == len(c.codes) && c.loops {
			c.at = 0
		}
		if c.at == len(c.codes) {
			f[i] = 0
			continue
		}
		f[i] = audio.Decode(c.codes[c.at])
		c.at++
	}
	return c.loops && len(c.codes) > 0 || c.at < len(c.codes)
}

// Soft plays a sound at so many times its height.
func Soft(s Sound, times float64) Sound { return softSound{s, times} }

type softSound struct {
	Sound
	times float64
}

func (s softSound) Next(f *[audio.FrameSamples]int16) bool {
	more := s.Sound.Next(f)
	audio.Gain(f[:], s.times)
	return more
}
