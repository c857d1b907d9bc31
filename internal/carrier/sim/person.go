package sim

import (
	"context"
	"math/rand/v2"
	"slices"
	"sync"
	"time"

	"trundo/internal/carrier"
	"trundo/internal/core/audio"
)

// Speaker makes µ-law sound out of a text. It may take a while.
type Speaker interface {
	Speak(ctx context.Context, voice, text string) ([]byte, error)
}

// Script is what somebody says in a call, and how.
type Script struct {
	Voice string // as the Speaker names them; "" is usualVoice
	Acts  []Act
	Noise float64 // how loud their line hums, as a height of samples
	Loss  float64 // the share of their frames that is lost
}

// Act is one thing that somebody does. Its parts follow each other as they stand here; those that are zero are left
// out.
type Act struct {
	Say    string
	Beep   float64          // Hz, of a tone of half a second
	Listen time.Duration    // until the other has spoken and paused, but no longer than this
	Keys   map[string][]Act // what follows each key that is pressed; others, and none, say it all again
	HangUp bool
}

const (
	usualVoice = "en-us+m3"
	// turn is how long the other must be quiet for it to be our turn, in frames: 700 ms.
	turn = 35
	// keysWithin is how long a menu waits for a key, in frames: 6 s.
	keysWithin = 300
	beepLong   = 500 * time.Millisecond
)

// Voices gives the people a voice. It must be called before the first Dial.
func (s *Sim) Voices(speaker Speaker) { s.speaker = speaker }

// prepare makes the person of a leg, and lets what they will say be spoken while it rings. Nil without sound.
func (s *Sim) prepare(ref carrier.Ref, script Script) *person {
	if s.speaker == nil {
		return nil
	}
	if script.Voice == "" {
		script.Voice = usualVoice
	}
	p := &person{script: script, acts: script.Acts, spoken: map[string][]byte{},
		hangUp:  func() { s.end(ref, carrier.HungUp) },
		speaker: s.speaker, now: time.Now}
	go func() {
		p.speak(script.Acts)
		p.ready(stillThere)
		p.ready(whoElse)
	}()
	return p
}

// person plays a script on an answered leg: carrier.Voice.
type person struct {
	script  Script
	speaker Speaker
	hangUp  func()

	mu     sync.Mutex
	spoken map[string][]byte // texts that are ready; nil for one that cannot be spoken
	acts   []Act             // what is still to be done
	step   int               // which part of the first of them
	sound  []byte            // what is being said
	extra  []string          // what somebody who plays them wants to be said
	heard  audio.Activity
	waits  int // frames that the part has lasted
	spoke  bool
	keys   string
	player *audio.Player // a tone
	left   int           // its frames
	gone   bool
	now    func() time.Time
	words  []carrier.Spoken
	music  audio.MusicEar
	joins  audio.JoinEar
	held   bool          // they wait with music, and do not go on
	live   carrier.Voice // of somebody who plays them; nil while nobody does
}

// Words implements carrier.Worded.
func (p *person) Words() []carrier.Spoken {
	p.mu.Lock()
	defer p.mu.Unlock()
	return slices.Clone(p.words)
}

// says begins to say a text.
func (p *person) says(text string, codes []byte) {
	p.sound = codes
	if len(codes) > 0 {
		p.words = append(p.words, carrier.Spoken{At: p.now(),
			Long: time.Duration(len(codes)) * time.Second / audio.Rate, Text: text})
	}
}

// stillThere is what somebody says to whom they speak with when the music has ended.
const stillThere = "Hello? Are you still there?"

// whoElse is what somebody says who hears that another has come to the conversation.
const whoElse = "Hello, who has joined us?"

func (p *person) speak(acts []Act) {
	for _, a := range acts {
		if a.Say != "" {
			p.ready(a.Say)
		}
		for _, more := range a.Keys {
			p.speak(more)
		}
	}
}

func (p *person) ready(text string) []byte {
	codes, err := p.speaker.Speak(context.Background(), p.script.Voice, text)
	if err != nil {
		codes = nil // they stay silent
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	p.spoken[text] = codes
	return codes
}

// say speaks a text that somebody typed.
func (p *person) say(text string) {
	go func() {
		p.ready(text)
		p.mu.Lock()
		defer p.mu.Unlock()
		p.extra = append(p.extra, text)
	}()
}

func (p *person) press(digits string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.keys += digits
}

// Write implements carrier.Voice: they hear us.
func (p *person) Write(f *[carrier.FrameBytes]byte) {
	var samples [audio.FrameSamples]int16
	audio.DecodeFrame(samples[:], f[:])
	p.mu.Lock()
	defer p.mu.Unlock()
	p.heard.Add(audio.Level(samples[:]))
	if p.joins.Add(samples[:]) && p.spoken[whoElse] != nil {
		p.extra = append(p.extra, whoElse)
	}
	p.music.Add(samples[:])
	if p.held = p.held || p.music.Playing(); !p.held {
		p.spoke = p.spoke || p.heard.Speaking()
	}
	if p.live != nil {
		p.live.Write(f)
	}
}

// Read implements carrier.Voice: what they say.
func (p *person) Read(f *[carrier.FrameBytes]byte) bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	var samples [audio.FrameSamples]int16
	var spoken [carrier.FrameBytes]byte
	switch {
	case p.live != nil && p.live.Read(&spoken):
		audio.DecodeFrame(samples[:], spoken[:])
	case p.next():
		audio.DecodeFrame(samples[:], p.sound)
		p.sound = p.sound[min(len(p.sound), audio.FrameSamples):]
	case p.player != nil:
		p.player.Next(samples[:])
		if p.left--; p.left <= 0 {
			p.player = nil
		}
	}
	if p.script.Noise > 0 {
		for i := range samples {
			samples[i] += int16(p.script.Noise * (2*rand.Float64() - 1))
		}
	}
	audio.EncodeFrame(f[:], samples[:])
	return p.script.Loss == 0 || rand.Float64() >= p.script.Loss
}

// next goes on in the script until there is something to be said; false: nothing is, for now.
func (p *person) next() bool {
	for {
		switch {
		case len(p.sound) > 0:
			return true
		case p.player != nil:
			return false
		case len(p.extra) > 0:
			p.says(p.extra[0], p.spoken[p.extra[0]])
			p.extra = p.extra[1:]
			continue
		case p.gone || p.music.Playing():
			return false
		case p.held:
			p.held, p.waits, p.spoke = false, 0, false
			p.says(stillThere, p.spoken[stillThere])
			continue
		case len(p.acts) == 0:
			return false
		}
		if !p.part(p.acts[0]) {
			return false
		}
	}
}

// part does the next part of an act; false: it goes on.
func (p *person) part(a Act) bool {
	p.waits++
	switch p.step {
	case 0:
		if a.Say != "" {
			codes, ready := p.spoken[a.Say]
			if !ready {
				return false
			}
			p.says(a.Say, codes)
		}
	case 1:
		if a.Beep > 0 {
			p.player, p.left = audio.Play(audio.Once(a.Beep, beepLong)), int(beepLong/audio.FrameTime)
		}
	case 2:
		if a.Listen > 0 && time.Duration(p.waits)*audio.FrameTime < a.Listen && !(p.spoke && p.heard.Quiet() >= turn) {
			return false
		}
	case 3:
		if a.Keys == nil {
			break
		}
		if p.keys == "" && p.waits < keysWithin {
			return false
		}
		if more, ok := a.Keys[firstOf(p.keys)]; ok {
			p.acts = append(append([]Act{{}}, more...), p.acts[1:]...)
		} else {
			p.acts = append([]Act{{}}, p.acts...) // all again
		}
		p.keys = ""
	default:
		if a.HangUp {
			p.gone = true
			go p.hangUp()
		}
		p.acts, p.step, p.waits, p.spoke = p.acts[1:], 0, 0, false
		return true
	}
	p.step, p.waits = p.step+1, 0
	return true
}

func firstOf(keys string) string {
	if keys == "" {
		return ""
	}
	return keys[:1]
}

// OutsideSpeaks lets somebody hear and speak on an answered leg in the place of its person, whose script waits while
// they speak. False: it is not there, or there is no sound.
func (s *Sim) OutsideSpeaks(ref string, v carrier.Voice) bool {
	s.mu.Lock()
	l := s.legs[carrier.Ref(ref)]
	can := l != nil && l.answered && l.person != nil
	s.mu.Unlock()
	if can {
		l.person.mu.Lock()
		l.person.live = v
		l.person.mu.Unlock()
	}
	return can
}
