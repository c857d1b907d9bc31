package audio

// Voice activity by energy: speech stands out of a background that is followed slowly. Values tried on telephone
// speech.
const (
	margin       = 9.0   // dB above the background that make speech
	softest      = -48.0 // dBov: below this nothing is speech
	loudestFloor = -40.0 // dBov: no background is thought louder, so that nobody who talks on and on becomes background
	floorRise    = 0.02  // dB a frame by which the background may rise: 1 dB a second
	// pauseFrames is the longest pause within an utterance, 300 ms, about what separates phrases; blipFrames is the
	// longest noise that is no utterance, 60 ms, a click.
	pauseFrames = 15
	blipFrames  = 3
)

// Span is a time during which somebody spoke, in frames of 20 ms from the beginning: From is in it, To is not.
type Span struct{ From, To int }

// Frames is how long a span is, in frames.
func (s Span) Frames() int { return s.To - s.From }

// Activity finds when somebody speaks, frame by frame. The zero value is ready.
type Activity struct {
	spans  []Span
	floor  float64
	began  bool
	frames int
}

// Add takes the level of the next frame, in dBov, and tells whether it is speech by itself.
func (a *Activity) Add(level float64) bool {
	if !a.began {
		a.floor, a.began = min(level, loudestFloor), true
	}
	speech := level > max(softest, a.floor+margin)
	if a.floor = min(a.floor+floorRise, loudestFloor); level < a.floor {
		a.floor = level
	}
	at := a.frames
	if a.frames++; !speech {
		return false
	}
	n := len(a.spans)
	switch {
	case n > 0 && at-a.spans[n-1].To < pauseFrames:
		a.spans[n-1].To = at + 1
	case n > 0 && a.spans[n-1].Frames() <= blipFrames:
		a.spans[n-1] = Span{at, at + 1} // what came before was a click
	default:
		a.spans = append(a.spans, Span{at, at + 1})
	}
	return true
}

// Speaking tells whether an utterance goes on: one that has begun, is more than a click, and has paused for less than a
// phrase does.
func (a *Activity) Speaking() bool {
	n := len(a.spans)
	return n > 0 && a.spans[n-1].Frames() > blipFrames && a.frames-a.spans[n-1].To < pauseFrames
}

// Quiet is for how many frames nobody has spoken, up to now.
func (a *Activity) Quiet() int {
	for i := len(a.spans) - 1; i >= 0; i-- {
		if a.spans[i].Frames() > blipFrames {
			return a.frames - a.spans[i].To
		}
	}
	return a.frames
}

// Frames is how many frames have come.
func (a *Activity) Frames() int { return a.frames }

// Spans are the utterances so far, without clicks.
func (a *Activity) Spans() []Span {
	spans := make([]Span, 0, len(a.spans))
	for _, s := range a.spans {
		if s.Frames() > blipFrames {
			spans = append(spans, s)
		}
	}
	return spans
}
