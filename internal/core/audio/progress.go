package audio

import "slices"

// Signal is a call progress tone that was heard.
type Signal string

// The signals. Heard is decided once each: from the tones alone where they are unique, else from their rhythm.
const (
	NoSignal          Signal = ""
	HeardDial         Signal = "dial"
	HeardRingback     Signal = "ringback"
	HeardBusy         Signal = "busy"
	HeardReorder      Signal = "reorder"
	HeardOutOfService Signal = "out of service"
	progressBlock            = Rate / 20 // 50 ms
	progressPurity           = 0.75      // least share of a block's power in its tones
	progressSoft             = -45.0     // dBov
	blocksOfASecond          = 20
	rhythmPause              = 4 // blocks of the second pause, after which the rhythm is decided
	leastOutOfService        = 3 // blocks of each of the three tones: 150 of 274 ms
)

// What a block can sound like.
type sounding int

const (
	soundsQuiet sounding = iota
	soundsOther
	soundsDial     // 350 + 440
	soundsRingback // 440 + 480
	soundsBusy     // 480 + 620
	soundsITU      // 425
	soundsLow      // the first tone of out of service
	soundsMiddle
	soundsHigh
)

// Progress hears call progress tones. The zero value is ready.
type Progress struct {
	held []int16
	runs []run // the newest last
}

type run struct {
	what sounding
	long int // blocks
}

// Add takes sound and tells which signal it has completed, if any.
func (p *Progress) Add(sound []int16) Signal {
	heard := NoSignal
	p.held = append(p.held, sound...)
	for len(p.held) >= progressBlock {
		if s := p.block(classify(p.held[:progressBlock])); s != NoSignal {
			heard = s
		}
		p.held = append(p.held[:0], p.held[progressBlock:]...)
	}
	return heard
}

// InTone tells whether the sound is, for now, one of the tones.
func (p *Progress) InTone() bool {
	return len(p.runs) > 0 && p.runs[len(p.runs)-1].what > soundsOther
}

func (p *Progress) block(what sounding) Signal {
	n := len(p.runs)
	if n > 0 && p.runs[n-1].what == what {
		p.runs[n-1].long++
	} else {
		// A block on the border of tone and pause is like neither: it belongs to what follows.
		if n > 0 && p.runs[n-1].what == soundsOther && p.runs[n-1].long == 1 {
			p.runs = p.runs[:n-1]
		}
		if n = len(p.runs); n > 0 && p.runs[n-1].what == what {
			p.runs[n-1].long += 2
		} else {
			p.runs = append(p.runs, run{what, 1})
		}
		if len(p.runs) > 8 {
			p.runs = slices.Delete(p.runs, 0, 1)
		}
	}
	return p.decide()
}

// decide looks at the runs so far; each signal is told at one moment only.
func (p *Progress) decide() Signal {
	last := p.runs[len(p.runs)-1]
	switch {
	case last.what == soundsDial && last.long == 2*blocksOfASecond:
		return HeardDial
	case last.what == soundsRingback && last.long == blocksOfASecond*3/2:
		return HeardRingback
	case last.what == soundsITU && last.long == blocksOfASecond*4/5:
		return HeardRingback
	case last.what == soundsHigh && last.long == leastOutOfService && p.before(2, soundsMiddle) &&
		p.before(3, soundsLow):
		return HeardOutOfService
	case last.what == soundsQuiet && last.long == rhythmPause && len(p.runs) >= 4:
		return p.rhythm()
	}
	return NoSignal
}

// before tells whether the n-th run from the end has a sound, and lasted.
func (p *Progress) before(n int, what sounding) bool {
	at := len(p.runs) - n
	return at >= 0 && p.runs[at].what == what && p.runs[at].long >= leastOutOfService
}

// rhythm tells busy from reorder by the length of two tones and the pause between them.
func (p *Progress) rhythm() Signal {
	r := p.runs[len(p.runs)-4:]
	tone, pause, again := r[0], r[1], r[2]
	if tone.what != again.what || pause.what != soundsQuiet || tone.what != soundsBusy && tone.what != soundsITU {
		return NoSignal
	}
	switch long := again.long; {
	case long >= 3 && long <= 6 && pause.long >= 3 && pause.long <= 7:
		return HeardReorder
	case long >= 8 && long <= 11 && pause.long >= 8 && pause.long <= 12:
		return HeardBusy
	}
	return NoSignal
}

func classify(block []int16) sounding {
	level := Level(block)
	if level < progressSoft {
		return soundsQuiet
	}
	total := 0.0
	for _, s := range block {
		total += float64(s) * float64(s)
	}
	total = 2 * total / float64(len(block)) // as the sum of squares of amplitudes
	best, most := soundsOther, progressPurity
	for _, c := range []struct {
		what sounding
		hz   []float64
	}{{soundsDial, []float64{350, 440}}, {soundsRingback, []float64{440, 480}}, {soundsBusy,
		[]float64{480, 620}}, {soundsITU, []float64{425}},
		{soundsLow, []float64{913.8}}, {soundsLow, []float64{985.2}}, {soundsMiddle, []float64{1370.6}},
		{soundsMiddle, []float64{1428.5}}, {soundsHigh, []float64{1776.7}}} {
		share, least := 0.0, total
		for _, hz := range c.hz {
			pw := power(block, hz)
			share, least = share+pw/total, min(least, pw/total)
		}
		// Of a pair both must be there.
		if share > most && (len(c.hz) == 1 || least > 0.2) {
			best, most = c.what, share
		}
	}
	return best
}
