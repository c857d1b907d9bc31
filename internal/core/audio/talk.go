package audio

import (
	"slices"
	"time"
)

// Figures are what two voices of a call say about it. Our voice is ours, the other side's is theirs.
type Figures struct {
	Total        time.Duration
	Ours, Theirs time.Duration // each speaking, alone or not
	Overlap      time.Duration // both at once
	Silence      time.Duration // neither
	// The longest time that one had the word: utterances with no word of the other between them, pauses included.
	LongestOurs, LongestTheirs time.Duration
	// How often one began while the other spoke, and the other fell silent first.
	InterruptedThem, InterruptedUs int
	// FirstAnswer is from the end of their first utterance to the beginning of ours that follows, however long; 0 where
	// we spoke first or never did.
	FirstAnswer time.Duration
}

// leastOverlap is how long two must speak at once for an interruption, 200 ms: shorter is "mhm".
const leastOverlap = 10

// OursShare is our part of all that was spoken, 0 to 1; 0 where nobody spoke.
func (f Figures) OursShare() float64 {
	if f.Ours+f.Theirs == 0 {
		return 0
	}
	return float64(f.Ours) / float64(f.Ours+f.Theirs)
}

// Measure computes the figures of two voices from their utterances, in order, within total frames. Gaps, in order, were
// left out: nothing is known of them, so that they are nobody's silence, and nobody's word goes on through one.
func Measure(ours, theirs []Span, total int, gaps ...Span) Figures {
	overlap := overlapOf(ours, theirs)
	o, t := sum(ours), sum(theirs)
	return Figures{Total: frames(total), Ours: frames(o), Theirs: frames(t), Overlap: frames(overlap),
		Silence:     frames(max(0, total-sum(gaps)-o-t+overlap)),
		LongestOurs: frames(longest(ours, theirs, gaps)), LongestTheirs: frames(longest(theirs, ours, gaps)),
		InterruptedThem: interruptions(ours, theirs), InterruptedUs: interruptions(theirs, ours),
		FirstAnswer: frames(firstAnswer(ours, theirs))}
}

func frames(n int) time.Duration { return time.Duration(n) * FrameTime }

func sum(spans []Span) (n int) {
	for _, s := range spans {
		n += s.Frames()
	}
	return n
}

func overlapOf(a, b []Span) (n int) {
	for i, j := 0, 0; i < len(a) && j < len(b); {
		n += max(0, min(a[i].To, b[j].To)-max(a[i].From, b[j].From))
		if a[i].To < b[j].To {
			i++
		} else {
			j++
		}
	}
	return n
}

// longest joins utterances of mine between which the other says nothing, and nothing was left out.
func longest(mine, others, gaps []Span) (most int) {
	between := func(from, to int) bool {
		return slices.ContainsFunc(gaps, func(g Span) bool { return g.From < to && g.To > from })
	}
	j := 0
	for i := 0; i < len(mine); {
		from, to := mine[i].From, mine[i].To
		for i++; i < len(mine); i++ {
			for j < len(others) && others[j].To <= to {
				j++
			}
			if j < len(others) && others[j].From < mine[i].From || between(to, mine[i].From) {
				break
			}
			to = mine[i].To
		}
		most = max(most, to-from)
	}
	return most
}

// interruptions counts how often one of mine begins within one of the others', and goes on when that has ended.
func interruptions(mine, others []Span) (n int) {
	for _, m := range mine {
		for _, o := range others {
			if m.From > o.From && m.From < o.To && m.To > o.To && o.To-m.From >= leastOverlap {
				n++
			}
		}
	}
	return n
}

func firstAnswer(ours, theirs []Span) int {
	if len(theirs) == 0 || len(ours) == 0 || ours[0].From < theirs[0].From {
		return 0
	}
	for _, o := range ours {
		if o.From >= theirs[0].To {
			return o.From - theirs[0].To
		}
	}
	return 0
}
