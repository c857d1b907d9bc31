package audio

import (
	"math"
	"time"
)

// Tone is sound made of sines, on and off in turn.
type Tone struct {
	Name  string
	Beats []Beat // repeated without end; nil is silence
}

// Beat is a part of a tone. One without frequencies is a pause.
type Beat struct {
	Hz   []float64
	Long time.Duration
}

// The call progress tones of North America (precise tone plan), and those of ITU-T E.180 with 425 Hz.
var (
	Dial     = Tone{"dial", []Beat{{[]float64{350, 440}, time.Second}}}
	Ringback = Tone{"ringback", []Beat{{[]float64{440, 480}, 2 * time.Second}, {nil, 4 * time.Second}}}
	Busy     = Tone{"busy", []Beat{{[]float64{480, 620}, 500 * time.Millisecond}, {nil, 500 * time.Millisecond}}}
	Reorder  = Tone{"reorder", []Beat{{[]float64{480, 620}, 250 * time.Millisecond}, {nil, 250 * time.Millisecond}}}
	// OutOfService is the special information tone of a vacant code (ITU-T E.180).
	OutOfService = Tone{"out of service",
		[]Beat{{[]float64{985.2}, 380 * time.Millisecond}, {[]float64{1370.6}, 274 * time.Millisecond},
			{[]float64{1776.7}, 380 * time.Millisecond}, {nil, 1500 * time.Millisecond}}}
	RingbackITU = Tone{"ringback", []Beat{{[]float64{425}, time.Second}, {nil, 4 * time.Second}}}
	BusyITU     = Tone{"busy", []Beat{{[]float64{425}, 500 * time.Millisecond}, {nil, 500 * time.Millisecond}}}
)

// HoldMusic is what somebody on hold hears: a slow broken chord, ours.
var HoldMusic = Tone{"hold music",
	chord(261.63, 329.63, 392, 523.25, 392, 329.63, 220, 261.63, 329.63, 440, 329.63, 261.63)}

// ComesIn tells everybody in a conversation that somebody has come to it: two notes, the second above the first; ours.
var ComesIn = Tone{"comes in", []Beat{{[]float64{784}, 140 * time.Millisecond}, {[]float64{1046.5},
	200 * time.Millisecond}, {nil, math.MaxInt64}}}

// ComesInLong is how long it is heard.
const ComesInLong = 340 * time.Millisecond

// chord gives notes one after the other, each with a fifth below it and a breath behind it.
func chord(hz ...float64) (beats []Beat) {
	for _, f := range hz {
		beats = append(beats, Beat{[]float64{f, f * 2 / 3}, 380 * time.Millisecond}, Beat{nil, 120 * time.Millisecond})
	}
	return beats
}

// toneLevel is the height of each sine: about -13 dBov for one.
const toneLevel = 0.31 * 32767 / math.Sqrt2

// Once is a tone of one frequency, followed by silence without end.
func Once(hz float64, long time.Duration) Tone {
	return Tone{"beep", []Beat{{[]float64{hz}, long}, {nil, math.MaxInt64}}}
}

// Player makes the sound of a tone, from its beginning on.
type Player struct {
	tone Tone
	beat int
	in   int // samples of this beat that were made
	at   int // samples that were made, for the phase
}

// Play begins a tone.
func Play(t Tone) *Player { return &Player{tone: t} }

// Next makes the next samples.
func (p *Player) Next(sound []int16) {
	for i := range sound {
		if len(p.tone.Beats) == 0 {
			sound[i] = 0
			continue
		}
		b := p.tone.Beats[p.beat]
		value := 0.0
		for _, hz := range b.Hz {
			value += toneLevel * math.Sin(2*math.Pi*hz*float64(p.at)/Rate)
		}
		sound[i] = int16(math.Round(value))
		p.at++
		if p.in++; p.in >= samplesIn(b.Long) {
			p.beat, p.in = (p.beat+1)%len(p.tone.Beats), 0
		}
	}
}

// samplesIn is how many samples last for d.
func samplesIn(d time.Duration) int {
	if d > time.Hour {
		return math.MaxInt
	}
	return int(d * Rate / time.Second)
}

// keypad has the two frequencies of each key (ITU-T Q.23).
var keypad = map[byte][]float64{
	'1': {697, 1209}, '2': {697, 1336}, '3': {697, 1477}, 'A': {697, 1633}, '4': {770, 1209}, '5': {770,
		1336}, '6': {770, 1477}, 'B': {770, 1633},
	'7': {852, 1209}, '8': {852, 1336}, '9': {852, 1477}, 'C': {852, 1633}, '*': {941, 1209}, '0': {941, 1336},
	'#': {941, 1477}, 'D': {941, 1633},
}

// Keys is the sound of keypad digits, one after the other, 100 ms each with as long a pause (ITU-T Q.24 asks for 40 ms
// at least).
func Keys(digits string) Tone {
	const each = 100 * time.Millisecond
	t := Tone{Name: "keys"}
	for i := range len(digits) {
		if hz, ok := keypad[digits[i]]; ok {
			t.Beats = append(t.Beats, Beat{hz, each}, Beat{nil, each})
		}
	}
	t.Beats = append(t.Beats, Beat{nil, math.MaxInt64})
	return t
}
