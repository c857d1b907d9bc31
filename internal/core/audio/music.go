package audio

import "math"

// What MusicEar goes by: frames of notes that make music, up to how many it remembers, how much a frame of something
// else takes away, and after how much silence nothing is left; how much of a frame's energy its note has.
const (
	musicBegins  = 40
	musicMost    = 60
	musicLoses   = 3
	musicSilence = 25
	musicShare   = 0.75
	musicSoftest = -60.0 // dBov; softer is silence
)

// MusicEar hears whether hold music is played: notes of HoldMusic, one after the other, and nothing else. The zero value
// is ready.
type MusicEar struct {
	notes, quiet int
	playing      bool
}

// Add takes the next frame.
func (m *MusicEar) Add(frame []int16) {
	switch {
	case Level(frame) < musicSoftest:
		if m.quiet++; m.quiet >= musicSilence {
			m.notes = 0
		}
	case note(frame):
		m.notes, m.quiet = min(m.notes+1, musicMost), 0
	default:
		m.notes, m.quiet = max(m.notes-musicLoses, 0), 0
	}
	m.playing = m.notes >= musicBegins || m.playing && m.notes > 0
}

// Playing tells whether music is heard now.
func (m *MusicEar) Playing() bool { return m.playing }

// note tells whether a frame is one of HoldMusic's notes and hardly anything else.
func note(frame []int16) bool {
	all := 0.0
	for _, s := range frame {
		all += float64(s) * float64(s)
	}
	for _, beat := range HoldMusic.Beats {
		part := 0.0
		for _, hz := range beat.Hz {
			part += strength(frame, hz)
		}
		if part > musicShare*all {
			return true
		}
	}
	return false
}

// strength is how much of a frame's energy a frequency has (Goertzel's algorithm).
func strength(frame []int16, hz float64) float64 {
	k := 2 * math.Cos(2*math.Pi*hz/Rate)
	var s1, s2 float64
	for _, x := range frame {
		s1, s2 = float64(x)+k*s1-s2, s1
	}
	return 2 * (s1*s1 + s2*s2 - k*s1*s2) / float64(len(frame))
}

// What JoinEar goes by: frames of a note that are enough, how soon the second follows the first, in frames, and how much
// of a frame's energy it has though somebody speaks.
const (
	joinNote  = 4
	joinSoon  = 15
	joinShare = 0.4
)

// JoinEar hears that somebody has come to a conversation: the notes of ComesIn, one after the other. The zero value is
// ready.
type JoinEar struct{ first, second, since int }

// Add takes the next frame, and tells whether the second note has just been heard.
func (j *JoinEar) Add(frame []int16) bool {
	all := 0.0
	for _, s := range frame {
		all += float64(s) * float64(s)
	}
	is := func(beat int) bool { return all > 0 && strength(frame, ComesIn.Beats[beat].Hz[0]) > joinShare*all }
	if j.since++; j.since > joinSoon {
		j.first, j.second = 0, 0
	}
	switch {
	case is(0):
		j.first, j.second, j.since = j.first+1, 0, 0
	case is(1) && j.first >= joinNote:
		if j.second++; j.second == joinNote {
			*j = JoinEar{}
			return true
		}
	}
	return false
}
