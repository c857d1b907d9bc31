package media

import (
	"math/rand/v2"
	"slices"
	"sync"

	"trundo/internal/core/audio"
)

// Party is somebody in a room: a rep, somebody who only listens, or an outside party.
type Party struct {
	User     string // whose seat it is; "" of an outside party
	Leg      int    // of an outside party as in SetVoice; of anybody as in Levels
	Muted    bool   // nobody hears them
	Hears    []int  // whom they hear, by place in the arrangement
	Music    bool   // they wait, and hear music
	Ringback bool   // they wait for somebody who is rung, and hear that
	// They are only asked: what is said between them and whoever asks is a consultation, and in no recording of the call.
	Consulted bool
	// Of an outside party: the call is with them, so that they hear what is played to "them". Who is consulted is no
	// customer of the call.
	Customer bool
	Present  bool // of a customer: what they say is heard, and recorded as theirs
}

// Arrangement says who is in a room and who hears whom. A rep is in one room at a time: the one into which they were put
// last.
type Arrangement struct {
	Parties []Party
	// a machine of ours is the other side of the only rep: it is what is played to "them", and records the rep as theirs
	Machine bool
}

// Pair are a rep and one outside party, of leg 0, who hear each other.
func Pair(user string) Arrangement {
	return Arrangement{Parties: []Party{{User: user, Hears: []int{1}},
		{Customer: true, Present: true, Hears: []int{0}}}}
}

// Alone is one outside party, of leg 0, who hears what is played.
func Alone() Arrangement { return Arrangement{Parties: []Party{{Customer: true, Present: true}}} }

// Levels is told the heights of both sides' voice traces as they come, 0 to 100, and where more than two are in a room how
// loud each is, by leg; from the pacer's goroutine. It must not wait.
type Levels func(ours, theirs []byte, loud map[int]int)

// Room is the sound of one call.
type Room struct {
	mu       sync.Mutex
	voices   map[int]Voice // of the outside, by leg; none before it was answered, or where the carrier has no sound
	machine  bool          // Arrangement.Machine
	parties  []party
	pair     bool     // the common case: a rep and a customer who hear each other, and nobody else
	music    Sound    // for who waits; nil while nobody does
	ringback Sound    // for who waits for somebody who is rung
	forThem  Sound    // is played to the customers
	forUs    Sound    // is played to the reps
	themOver func()   // when forThem is over
	mixing   *mixture // what mixing needs, from its first time on
	recorder *Recorder
	aside    *Recorder // of a consultation
	listens  func(theirs []int16)
	levels   Levels
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
	musicHeight   = 0.25
)

type party struct {
	Party
	seat  *Seat       // of a rep
	trace audio.Trace // how loud they are, while more than two are in the room
	last  int
}

// hears tells whether a rep is in this room now.
func (p *party) hears(r *Room) bool { return p.seat != nil && p.seat.room.Load() == r }

// levelsEvery is how many values of the voice trace are told at once: two, so 2.5 times a second.
const levelsEvery = 2

// SetVoice puts the voice of an outside party into the room. Legs are numbered by whoever arranges the room.
func (r *Room) SetVoice(leg int, v Voice) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.voices == nil {
		r.voices = map[int]Voice{}
	}
	r.voices[leg] = v
}

// Voice is that of an outside party; nil before it was answered.
func (r *Room) Voice(leg int) Voice {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.voices[leg]
}

// Outside is the voice of the first outside party; nil before it was answered, or where the carrier has no sound.
func (r *Room) Outside() Voice {
	r.mu.Lock()
	defer r.mu.Unlock()
	for i := range r.parties {
		if p := &r.parties[i]; p.User == "" {
			return r.voices[p.Leg]
		}
	}
	for _, v := range r.voices {
		return v // before it was arranged
	}
	return nil
}

// loud is how loud each party is, 0 to 100, by leg; nil while only two are there, whose traces say so.
func (r *Room) loud() map[int]int {
	if r.pair {
		return nil
	}
	loud := make(map[int]int, len(r.parties))
	for i := range r.parties {
		loud[r.parties[i].Leg] = r.parties[i].last
	}
	return loud
}

// arrange puts parties into the room. Seats are looked up before the room is locked: the studio is locked for that, and it
// holds its own lock while it waits for a room to have ticked.
func (r *Room) arrange(a Arrangement, seat func(user string) *Seat) {
	parties, music, ringback := make([]party, len(a.Parties)), false, false
	for i, p := range a.Parties {
		parties[i].Party = p
		if p.User != "" {
			parties[i].seat = seat(p.User)
		}
		music, ringback = music || p.Music, ringback || p.Ringback
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	for i := range parties {
		if parties[i].seat != nil {
			parties[i].seat.room.Store(r)
		}
	}
	r.parties, r.machine = parties, a.Machine
	r.pair = len(parties) == 2 && parties[0].User != "" && parties[1].Customer && parties[1].Present &&
		mutual(a.Parties)
	r.music = goesOn(r.music, music, func() Sound { return Soft(Tone(audio.HoldMusic, 0), musicHeight) })
	r.ringback = goesOn(r.ringback, ringback, func() Sound { return Tone(audio.Ringback, 0) })
}

// mutual tells whether two parties hear each other.
func mutual(p []Party) bool {
	return slices.Equal(p[0].Hears, []int{1}) && slices.Equal(p[1].Hears, []int{0})
}

// goesOn is a sound that is wanted: the one that plays, or a new one.
func goesOn(now Sound, wanted bool, make func() Sound) Sound {
	switch {
	case !wanted:
		return nil
	case now != nil:
		return now
	}
	return make()
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

// RecordAside writes from now on what is said in a consultation, by who is asked and by who asks; nil stops. It gives the
// recorder that was in place before.
func (r *Room) RecordAside(rec *Recorder) *Recorder {
	r.mu.Lock()
	defer r.mu.Unlock()
	before := r.aside
	r.aside = rec
	return before
}

// Recorders are those that write now: of the call, and of a consultation.
func (r *Room) Recorders() []*Recorder {
	r.mu.Lock()
	defer r.mu.Unlock()
	var all []*Recorder
	for _, rec := range []*Recorder{r.recorder, r.aside} {
		if rec != nil {
			all = append(all, rec)
		}
	}
	return all
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
	asks, asked := silent, silent
	switch {
	case r.machine && len(r.parties) == 1 && r.parties[0].seat != nil:
		r.answering(&ourCodes, &theirCodes)
	case r.pair && r.forThem == nil && r.forUs == nil:
		r.pass(&ourCodes, &theirCodes)
	default:
		r.mix(&ourCodes, &theirCodes)
		r.consultation(&asks, &asked)
	}
	if r.aside != nil {
		r.aside.add(&asks, &asked, audio.CodesLevel(asks[:]), audio.CodesLevel(asked[:]))
	}
	if r.listens != nil {
		var heard samples
		audio.DecodeFrame(heard[:], theirCodes[:])
		r.listens(heard[:])
	}
	r.keep(&ourCodes, &theirCodes)
	return true
}

// comfort keeps a customer company while the sound of their only rep is cut off. A rep who never had sound is silent as
// always.
func (r *Room) comfort(ourCodes *Frame) {
	if !r.pair || !r.parties[0].seat.cutOff() {
		r.deserted = 0
		return
	}
	r.deserted++
	var noise samples
	for i := range noise {
		noise[i] = int16(rand.IntN(2*comfortHeight+1) - comfortHeight)
	}
	if since := r.deserted - patienceAfter; since >= 0 && len(r.patience) > 0 {
		var word samples
		at := since % patienceAgain * FrameBytes
		audio.DecodeFrame(word[:], r.patience[min(at, len(r.patience)):])
		audio.Mix(noise[:], word[:])
	}
	audio.EncodeFrame(ourCodes[:], noise[:])
}

// pass is the common case, one rep and one customer: frames go through as they are.
func (r *Room) pass(ourCodes, theirCodes *Frame) {
	m, out := &r.parties[0], r.voices[r.parties[1].Leg]
	if out == nil || !out.Read(theirCodes) {
		*theirCodes = silent
	}
	if !m.hears(r) || !m.seat.Read(ourCodes) || m.Muted {
		*ourCodes = silent
	}
	if m.hears(r) {
		m.seat.Write(theirCodes)
	}
	r.comfort(ourCodes)
	if out != nil {
		out.Write(ourCodes)
	}
}

// answering is a rep before a machine of ours, a colleague's voicemail: what is played is our side, the rep is the
// other.
func (r *Room) answering(ourCodes, theirCodes *Frame) {
	m := &r.parties[0]
	if !m.hears(r) || !m.seat.Read(theirCodes) || m.Muted {
		*theirCodes = silent
	}
	if r.forThem != nil {
		var played samples
		r.play(&played)
		audio.EncodeFrame(ourCodes[:], played[:])
	}
	if m.hears(r) {
		m.seat.Write(ourCodes)
	}
}

// play adds the next frame of what is played to them, and tells when it is over.
func (r *Room) play(to *samples) {
	var played samples
	more := r.forThem.Next(&played)
	audio.Mix(to[:], played[:])
	if !more {
		over := r.themOver
		if r.forThem, r.themOver = nil, nil; over != nil {
			over()
		}
	}
}

// keep records a frame of both sides and tells their levels.
func (r *Room) keep(ourCodes, theirCodes *Frame) {
	if r.recorder == nil && r.levels == nil {
		return
	}
	ours, theirs := audio.CodesLevel(ourCodes[:]), audio.CodesLevel(theirCodes[:])
	if r.recorder != nil {
		r.recorder.add(ourCodes, theirCodes, ours, theirs)
	}
	if r.levels == nil {
		return
	}
	if len(r.voices) > 0 {
		r.answerer.Add(ours, theirs)
	}
	r.ours.Add(ours)
	r.theirs.Add(theirs)
	if len(r.ours.Heights) == levelsEvery {
		r.levels(slices.Clone(r.ours.Heights), slices.Clone(r.theirs.Heights), r.loud())
		r.ours.Heights, r.theirs.Heights = r.ours.Heights[:0], r.theirs.Heights[:0]
	}
}
