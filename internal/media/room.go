package media

import (
	"math/rand/v2"
	"slices"
	"sync"

	"trundo/internal/core/audio"
)

// Member is a rep in a room.
type Member struct {
	User  string
	Muted bool
}

// Arrangement says who is in a room. Everybody in it hears everybody else, but nobody hears who is muted. A rep is in
// one room at a time: the one into which they were put last.
type Arrangement struct {
	Members []Member
	Outside bool // the outside hears and is heard; else it hears only what is played to it
	// a machine of ours is the other side of the only member: it is what is played to "them", and records the member as
	// theirs
	Machine bool
}

// Room is the sound of one call.
type Room struct {
	mu       sync.Mutex
	outside  Voice // nil before it was answered, or where the carrier has no sound
	present  bool  // the outside is in
	machine  bool  // Arrangement.Machine
	members  []member
	forThem  Sound  // is played to the outside
	forUs    Sound  // is played to the reps
	themOver func() // when forThem is over
	recorder *Recorder
	listens  func(theirs []int16)
	levels   func(ours, theirs []byte)
	ours     audio.Trace
	theirs   audio.Trace
	answerer audio.Answerer
	gone     bool
	// Of a rep whose browser is cut off: how long nobody has been there, in frames, and what is said then.
	deserted int
	patience []byte
}

// Somebody whose rep is cut off hears soft noise, so that the line does not seem dead, and after 5 s, and each 20 s, a
// word of patience.
const (
	patienceAfter = 250
	patienceAgain = 1000
	comfortHeight = 24 // of samples: about -63 dBov
)

type member struct {
	Member
	seat *Seat
}

// hears tells whether a member is in this room now.
func (m *member) hears(r *Room) bool { return m.seat.room.Load() == r }

// levelsEvery is how many values of the voice trace are told at once: two, so 2.5 times a second.
const levelsEvery = 2

// SetOutside puts the outside's voice into the room.
func (r *Room) SetOutside(v Voice) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.outside = v
}

// Outside is the outside's voice; nil before it was answered, or where the carrier has no sound.
func (r *Room) Outside() Voice {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.outside
}

func (r *Room) arrange(members []member, a Arrangement) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.members, r.present, r.machine = members, a.Outside, a.Machine
	for _, m := range members {
		m.seat.room.Store(r)
	}
}

// PlayToThem plays to the outside, beside whatever else it hears, instead of what was played before. over is told from
// the pacer's goroutine when it has ended by itself; it may be nil, and must not wait. nil stops.
func (r *Room) PlayToThem(s Sound, over func()) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.forThem, r.themOver = s, over
}

// PlayToUs plays to the reps of the room, instead of what was played before; nil stops.
func (r *Room) PlayToUs(s Sound) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.forUs = s
}

// Listen hands every frame of the outside to f, from the pacer's goroutine; f must not wait. nil stops.
func (r *Room) Listen(f func(theirs []int16)) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.listens = f
}

// Record writes what is heard from now on; nil stops. It gives the recorder that was in place before.
func (r *Room) Record(rec *Recorder) *Recorder {
	r.mu.Lock()
	defer r.mu.Unlock()
	before := r.recorder
	r.recorder = rec
	return before
}

// Recorder is the one that writes; nil where none does.
func (r *Room) Recorder() *Recorder {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.recorder
}

// PersonHeard tells whether the outside sounds like a person, and not like a machine that greets; a hint.
func (r *Room) PersonHeard() bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.answerer.Person()
}

// Tick moves the room on by one frame, as the studio does every 20 ms; false: it is shut.
func (r *Room) Tick() bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.gone {
		return false
	}
	theirCodes, ourCodes := silent, silent
	heard := false
	if r.outside != nil {
		heard = r.outside.Read(&theirCodes)
	}
	if !heard || !r.present {
		theirCodes = silent // read all the same: what was said on hold is not heard later
	}
	switch {
	case r.machine && len(r.members) == 1:
		r.answering(&ourCodes, &theirCodes)
	case len(r.members) == 1 && r.forThem == nil && r.forUs == nil:
		r.pass(&ourCodes, &theirCodes)
	default:
		r.mix(&ourCodes, &theirCodes)
	}
	if r.listens != nil {
		var samples [audio.FrameSamples]int16
		audio.DecodeFrame(samples[:], theirCodes[:])
		r.listens(samples[:])
	}
	r.comfort(&ourCodes)
	if r.outside != nil {
		r.outside.Write(&ourCodes)
	}
	r.keep(&ourCodes, &theirCodes)
	return true
}

// comfort keeps the outside company while the sound of its only rep is cut off. A rep who never had sound is silent as
// always.
func (r *Room) comfort(ourCodes *Frame) {
	if len(r.members) != 1 || !r.present || !r.members[0].seat.cutOff() {
		r.deserted = 0
		return
	}
	r.deserted++
	var samples [audio.FrameSamples]int16
	for i := range samples {
		samples[i] = int16(rand.IntN(2*comfortHeight+1) - comfortHeight)
	}
	if since := r.deserted - patienceAfter; since >= 0 && len(r.patience) > 0 {
		var word [audio.FrameSamples]int16
		at := since % patienceAgain * FrameBytes
		audio.DecodeFrame(word[:], r.patience[min(at, len(r.patience)):])
		audio.Mix(samples[:], word[:])
	}
	audio.EncodeFrame(ourCodes[:], samples[:])
}

// pass is the common case, one rep and the outside: frames go through as they are.
func (r *Room) pass(ourCodes, theirCodes *Frame) {
	m := &r.members[0]
	if !m.hears(r) || !m.seat.Read(ourCodes) || m.Muted {
		*ourCodes = silent
	}
	if m.hears(r) {
		m.seat.Write(theirCodes)
	}
	if !r.present {
		*ourCodes = silent
	}
}

// answering is a rep before a machine of ours, a colleague's voicemail: what is played is our side, the rep is the
// other.
func (r *Room) answering(ourCodes, theirCodes *Frame) {
	m := &r.members[0]
	if !m.hears(r) || !m.seat.Read(theirCodes) || m.Muted {
		*theirCodes = silent
	}
	if r.forThem != nil {
		var played [audio.FrameSamples]int16
		r.play(&played)
		audio.EncodeFrame(ourCodes[:], played[:])
	}
	if m.hears(r) {
		m.seat.Write(ourCodes)
	}
}

// play adds the next frame of what is played to them, and tells when it is over.
func (r *Room) play(to *[audio.FrameSamples]int16) {
	var played [audio.FrameSamples]int16
	more := r.forThem.Next(&played)
	audio.Mix(to[:], played[:])
	if !more {
		over := r.themOver
		if r.forThem, r.themOver = nil, nil; over != nil {
			over()
		}
	}
}

// mix lets everybody hear everybody else, and what is played.
func (r *Room) mix(ourCodes, theirCodes *Frame) {
	var theirs, toThem, toUs [audio.FrameSamples]int16
	audio.DecodeFrame(theirs[:], theirCodes[:])
	if r.forUs != nil && !r.forUs.Next(&toUs) {
		r.forUs = nil
	}
	voices := make([][audio.FrameSamples]int16, len(r.members))
	var codes Frame
	for i := range r.members {
		if m := &r.members[i]; m.hears(r) && m.seat.Read(&codes) && !m.Muted {
			audio.DecodeFrame(voices[i][:], codes[:])
			if r.present {
				audio.Mix(toThem[:], voices[i][:])
			}
		}
	}
	for i := range r.members {
		if !r.members[i].hears(r) {
			continue
		}
		sound := toUs
		audio.Mix(sound[:], theirs[:])
		for j := range voices {
			if j != i {
				audio.Mix(sound[:], voices[j][:])
			}
		}
		audio.EncodeFrame(codes[:], sound[:])
		r.members[i].seat.Write(&codes)
	}
	if r.forThem != nil {
		r.play(&toThem)
	}
	audio.EncodeFrame(ourCodes[:], toThem[:])
}

// keep records a frame of both sides and tells their levels.
func (r *Room) keep(ourCodes, theirCodes *Frame) {
	if r.recorder == nil && r.levels == nil {
		return
	}
	ours, theirs := frameLevel(ourCodes), frameLevel(theirCodes)
	if r.recorder != nil {
		r.recorder.add(ourCodes, theirCodes, ours, theirs)
	}
	if r.levels == nil {
		return
	}
	if r.outside != nil {
		r.answerer.Add(ours, theirs)
	}
	r.ours.Add(ours)
	r.theirs.Add(theirs)
	if len(r.ours.Heights) == levelsEvery {
		r.levels(slices.Clone(r.ours.Heights), slices.Clone(r.theirs.Heights))
		r.ours.Heights, r.theirs.Heights = r.ours.Heights[:0], r.theirs.Heights[:0]
	}
}

func frameLevel(f *Frame) float64 {
	var samples [audio.FrameSamples]int16
	audio.DecodeFrame(samples[:], f[:])
	return audio.Level(samples[:])
}
