package audio

import (
	"fmt"
	"time"
)

// Line is what was measured of a line: both ways of a browser's.
type Line struct {
	Delay    time.Duration // one way, mouth to ear, without the jitter
	Jitter   time.Duration // by how much packets waver (RFC 3550, 6.4.1)
	LossUp   float64       // part of what the rep says that was lost, 0 to 1
	LossDown float64       // part of what they say that was lost on the way to the rep
}

// Verdict is what a line is worth to those who speak by it.
type Verdict string

// The verdicts, by the borders of ITU-T G.107, annex B: from R 70 on some users are dissatisfied, from R 60 on many
// are.
const (
	Good Verdict = "good"
	Fair Verdict = "fair"
	Bad  Verdict = "bad"
)

// Rate is the mean opinion of a line, its verdict, and in words what is wrong with it; none where nothing is. The worse
// way counts: our server puts silence where a packet is lost, a browser conceals it.
func (l Line) Rate() (mos float64, v Verdict, wrong []string) {
	mouthToEar := l.Delay + 2*l.Jitter // a buffer that lets few come too late
	r := min(Rating(mouthToEar, l.LossUp, BplBare), Rating(mouthToEar, l.LossDown, BplConcealed))
	switch {
	case r >= 70:
		v = Good
	case r >= 60:
		v = Fair
	default:
		v = Bad
	}
	percent := func(share float64) string { return fmt.Sprintf("%.0f %%", 100*share) }
	if l.LossUp >= 0.02 {
		wrong = append(wrong, percent(l.LossUp)+" of what you say is lost on the way")
	}
	if l.LossDown >= 0.05 {
		wrong = append(wrong, percent(l.LossDown)+" of what they say is lost on the way to you")
	}
	if l.Jitter >= 40*time.Millisecond {
		wrong = append(wrong, fmt.Sprintf("sound comes unevenly, by %d ms", l.Jitter.Milliseconds()))
	}
	if mouthToEar >= 300*time.Millisecond {
		wrong = append(wrong, fmt.Sprintf("sound takes %d ms, so that you will talk over each other",
			mouthToEar.Milliseconds()))
	}
	return MOS(r), v, wrong
}
