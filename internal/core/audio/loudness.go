package audio

import "math"

// Loudness is evened to a level at which speech on a telephone is comfortable (ITU-T P.56 speaks of an active speech
// level of -26 dBov; a recording is heard beside music and films, so a little more).
const (
	targetLevel = -20.0 // dBov of the active frames
	mostGain    = 15.0  // dB
	leastGain   = -15.0 // dB
)

// Loudness gathers how loud somebody speaks: the mean power of the frames in which they do, pauses left out. This is
// the manner of the gate of EBU R 128, without its filter, which telephone sound hardly needs. The zero value is ready.
type Loudness struct {
	power float64
	count int
}

// Add takes the level of a frame of speech, dBov.
func (l *Loudness) Add(level float64) {
	l.power += math.Exp(level * (math.Ln10 / 10))
	l.count++
}

// Level is the active speech level, dBov; Quietest where nobody spoke.
func (l *Loudness) Level() float64 {
	if l.count == 0 {
		return Quietest
	}
	return 10 * math.Log10(l.power/float64(l.count))
}

// EvenGain is by how many dB a voice is made louder when it is played, so that both sides are alike; -15 to 15, 0 for
// nobody.
func (l *Loudness) EvenGain() float64 {
	if l.count == 0 {
		return 0
	}
	return max(leastGain, min(mostGain, targetLevel-l.Level()))
}
