package media

import "trundo/internal/core/audio"

// echoFrames is by how much later a rep hears themselves: a second.
const echoFrames = int(1e9 / audio.FrameTime)

// Echo is an outside that says after a second what it heard: with it a rep tries microphone and loudspeaker.
type Echo struct {
	frames [echoFrames]Frame
	next   int
	full   bool
}

// Read implements Voice.
func (e *Echo) Read(f *Frame) bool {
	if e.full {
		*f = e.frames[e.next]
	}
	return e.full
}

// Write implements Voice.
func (e *Echo) Write(f *Frame) {
	e.frames[e.next] = *f
	if e.next++; e.next == echoFrames {
		e.next, e.full = 0, true
	}
}
