package media

import (
	"slices"

	"trundo/internal/core/audio"
)

// samples is 20 ms of sound to be added up.
type samples = [audio.FrameSamples]int16

// mixture is the room for adding up that a mixed frame needs, kept from frame to frame.
type mixture struct {
	said  []samples
	spoke []bool // whether anything was said
}

// mix lets each party hear those whom they are to hear, and what is played to them. A frame is read from every voice,
// heard or not: what was said while somebody waited is not heard later.
func (r *Room) mix(ourCodes, theirCodes *Frame) {
	if r.mixing == nil {
		r.mixing = &mixture{}
	}
	m := r.mixing
	m.said = slices.Grow(m.said[:0], len(r.parties))[:len(r.parties)]
	m.spoke = slices.Grow(m.spoke[:0], len(r.parties))[:len(r.parties)]
	for i := range r.parties {
		m.spoke[i] = r.says(&r.parties[i], &m.said[i])
	}
	toThem, toUs, waiting, ringing := r.played()
	r.tell(toThem, toUs, waiting, ringing)
	r.sides(toThem, waiting, ourCodes, theirCodes)
}

// says reads what a party says; false: nothing.
func (r *Room) says(p *party, to *samples) bool {
	var codes Frame
	heard := false
	if p.seat != nil {
		heard = p.hears(r) && p.seat.Read(&codes) && !p.Muted
	} else if v := r.voices[p.Leg]; v != nil {
		heard = v.Read(&codes) && !p.Muted
	}
	level := audio.Quietest
	if heard {
		audio.DecodeFrame(to[:], codes[:])
		level = audio.Level(to[:])
	}
	p.trace.Add(level)
	if n := len(p.trace.Heights); n > 0 {
		p.last = int(p.trace.Heights[n-1])
		p.trace.Heights = p.trace.Heights[:0]
	}
	return heard
}

// played is the next frame of what is played: to the customers, to the reps, to who waits, to who waits for a ring; nil
// where nothing is.
func (r *Room) played() (toThem, toUs, waiting, ringing *samples) {
	if r.forThem != nil {
		toThem = &samples{}
		r.play(toThem)
	}
	if r.forUs != nil {
		toUs = &samples{}
		if !r.forUs.Next(toUs) {
			r.forUs = nil
		}
	}
	if r.music != nil {
		waiting = &samples{}
		r.music.Next(waiting)
	}
	if r.ringback != nil {
		ringing = &samples{}
		r.ringback.Next(ringing)
	}
	return toThem, toUs, waiting, ringing
}

// tell writes to each party what they hear.
func (r *Room) tell(toThem, toUs, waiting, ringing *samples) {
	for i := range r.parties {
		p := &r.parties[i]
		var sound samples
		for _, j := range p.Hears {
			if r.mixing.spoke[j] {
				audio.Mix(sound[:], r.mixing.said[j][:])
			}
		}
		add(&sound, toThem, p.Customer)
		add(&sound, toUs, p.User != "" || p.Consulted)
		add(&sound, waiting, p.Music)
		add(&sound, ringing, p.Ringback)
		var codes Frame
		audio.EncodeFrame(codes[:], sound[:])
		if p.seat != nil && p.hears(r) {
			p.seat.Write(&codes)
		} else if v := r.voices[p.Leg]; p.seat == nil && v != nil {
			v.Write(&codes)
		}
	}
}

func add(to, more *samples, wanted bool) {
	if more != nil && wanted {
		audio.Mix(to[:], more[:])
	}
}

// sides are both channels of a recording: what the first customer hears but for other outside parties, and what all
// customers who are present say. A consultation is in neither.
func (r *Room) sides(toThem, waiting *samples, ourCodes, theirCodes *Frame) {
	var ours, theirs samples
	first := true
	for i := range r.parties {
		p := &r.parties[i]
		if !p.Customer {
			continue
		}
		if p.Present && r.mixing.spoke[i] {
			audio.Mix(theirs[:], r.mixing.said[i][:])
		}
		if !first {
			continue
		}
		first = false
		for _, j := range p.Hears {
			if r.mixing.spoke[j] && r.parties[j].User != "" {
				audio.Mix(ours[:], r.mixing.said[j][:])
			}
		}
		add(&ours, waiting, p.Music)
	}
	add(&ours, toThem, true)
	audio.EncodeFrame(ourCodes[:], ours[:])
	audio.EncodeFrame(theirCodes[:], theirs[:])
}

// consultation is both channels of its recording: what who is asked hears, and what they say to somebody. While who asks
// is with the customer there is silence.
func (r *Room) consultation(asksCodes, askedCodes *Frame) {
	if r.aside == nil {
		return
	}
	var asks, asked samples
	var in uint64 // who is in by now: each once, however many hear them
	for i := range r.parties {
		for _, j := range r.parties[i].Hears {
			to := &asked
			if !r.parties[j].Consulted {
				to = &asks
			}
			if !r.mixing.spoke[j] || in>>j&1 != 0 || to == &asks && !r.parties[i].Consulted {
				continue
			}
			in |= 1 << j
			audio.Mix(to[:], r.mixing.said[j][:])
		}
	}
	audio.EncodeFrame(asksCodes[:], asks[:])
	audio.EncodeFrame(askedCodes[:], asked[:])
}
