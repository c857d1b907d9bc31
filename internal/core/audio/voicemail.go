package audio

// Cue is the moment at which a voicemail lets somebody speak, or why it does not.
type Cue string

// The cues.
const (
	NoCue      Cue = ""
	CueBeep    Cue = "beep"    // its beep is over
	CueSilence Cue = "silence" // it is silent for long: its beep is over already, or there is none
	CueNever   Cue = "never"   // it does not let anybody speak: a tone of the network, or it talks on and on
)

const (
	// cueSilence is after how much silence one may speak, in frames: 3 s, longer than any pause in a greeting.
	cueSilence = 150
	// cueLimit is for how long a cue is waited for, in frames: 60 s, the longest greeting that is common.
	cueLimit = 3000
)

// Cues listens to a voicemail until it lets somebody speak. Call progress tones are decided before the beep, which they
// resemble. The zero value is ready.
type Cues struct {
	progress Progress
	beep     Beep
	voice    Activity
	frames   int
	told     bool
}

// Add takes the next frame of what it says; the cue is told once.
func (c *Cues) Add(frame []int16) Cue {
	if c.told {
		return NoCue
	}
	cue := c.listen(frame)
	c.told = cue != NoCue
	return cue
}

func (c *Cues) listen(frame []int16) Cue {
	c.frames++
	signal := c.progress.Add(frame)
	beeped := c.beep.Add(frame)
	c.voice.Add(Level(frame))
	switch {
	case signal == HeardBusy || signal == HeardReorder || signal == HeardOutOfService:
		return CueNever
	case beeped && !c.progress.InTone():
		return CueBeep
	case c.voice.Quiet() >= cueSilence:
		return CueSilence
	case c.frames >= cueLimit:
		return CueNever
	}
	return NoCue
}
