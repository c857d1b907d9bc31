package audio

// Answerer judges by the levels of both voices whether a person or a machine has answered a call. It is a hint for a
// question, never the ground of an act: a machine is only taken for one where it talks on as a greeting does. The zero
// value is ready.
type Answerer struct {
	theirs, ours Activity
	replied      bool // they spoke after we had spoken
}

// monologue is how long somebody talks who is a greeting, in frames: 4 s. Who picks up a telephone says a name and
// waits.
const monologue = 200

// Add takes the levels of the next frame of both voices, in dBov.
func (a *Answerer) Add(ours, theirs float64) {
	a.ours.Add(ours)
	a.theirs.Add(theirs)
	if a.theirs.Speaking() && len(a.ours.spans) > 0 {
		said := a.ours.spans[0]
		a.replied = a.replied || said.Frames() > blipFrames && a.theirs.spans[len(a.theirs.spans)-1].From >= said.To
	}
	a.theirs.forget()
	a.ours.forget()
}

// Person tells whether a person is heard: somebody has spoken, and not as a greeting does that talks on without waiting
// for us.
func (a *Answerer) Person() bool {
	spoke := false
	for _, s := range a.theirs.spans {
		if s.Frames() >= monologue && !a.replied {
			return false
		}
		spoke = spoke || s.Frames() > blipFrames
	}
	return spoke
}

// kept is how many utterances an Answerer looks at.
const kept = 16

// forget leaves out utterances in the middle of a long call, so that memory does not grow; the first one stays.
func (a *Activity) forget() {
	if len(a.spans) > kept {
		a.spans = append(a.spans[:1], a.spans[len(a.spans)-kept/2:]...)
	}
}
