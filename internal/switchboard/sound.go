package switchboard

import (
	"context"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/audio"
	"trundo/internal/core/call"
	"trundo/internal/media"
)

// toneFrames is how long the tone of a call that was not to be is heard: 3 s.
const toneFrames = 150

// opens makes the room of a call and puts into it who is in the call by now.
func (s *Switchboard) opens(a *active) {
	id := a.id
	s.studio.Open(id, func(ours, theirs []byte, loud map[int]int) { s.listener.Voices(id, ours, theirs, loud) })
	s.arrange(a)
}

// arrange lets those hear each other who are in the call, and lets them hear how it stands.
func (s *Switchboard) arrange(a *active) {
	room := s.studio.Room(a.id)
	if room == nil {
		return
	}
	st := &a.state
	s.studio.Arrange(a.id, arrangement(st))
	now := soundOf(st)
	if now == a.sounds {
		return
	}
	a.sounds = now
	switch now {
	case soundAttended:
	case soundRinging:
		room.PlayToUs(media.Tone(audio.Ringback, 0))
	case soundBusy:
		room.PlayToUs(media.Tone(audio.Busy, toneFrames))
	case soundReorder:
		room.PlayToUs(media.Tone(audio.Reorder, toneFrames))
	case soundOutOfService:
		room.PlayToUs(media.Tone(audio.OutOfService, toneFrames))
	default:
		room.PlayToUs(nil)
		if st.Machine() == nil {
			room.PlayToThem(nil, nil)
		}
	}
}

// comesInHeight is how loud it is told that somebody has come in.
const comesInHeight = 0.4

// comesIn lets everybody in a conversation hear that somebody has come to it.
func (s *Switchboard) comesIn(a *active, facts []call.Fact) {
	room := s.studio.Room(a.id)
	if room == nil || !call.CameBeside(facts, &a.state) {
		return
	}
	tone := func() media.Sound {
		return media.Soft(media.Tone(audio.ComesIn, int(audio.ComesInLong/audio.FrameTime)), comesInHeight)
	}
	room.PlayToThem(tone(), nil)
	room.PlayToUs(tone())
}

// shut ends the room of a call, after the tone that tells why it was not to be.
func (s *Switchboard) shut(a *active) {
	switch a.sounds {
	case soundBusy, soundReorder, soundOutOfService:
		time.AfterFunc(toneFrames*audio.FrameTime, func() { s.studio.Shut(a.id) })
	default:
		s.studio.Shut(a.id)
	}
}

// sound is what is played in a call besides its voices.
type sound int

const (
	soundNone     sound = iota
	soundAttended       // the attendant speaks; what is heard is up to who takes the caller through it
	soundRinging
	soundBusy
	soundReorder
	soundOutOfService
)

func soundOf(s *call.State) sound {
	if s.Attended() {
		return soundAttended
	}
	switch s.Phase() {
	case call.PhaseRinging:
		if !s.Inbound {
			return soundRinging
		}
	case call.PhaseEnded:
		switch {
		case s.Inbound || !s.Answered().IsZero():
		case s.Reason == call.Busy || s.Reason == call.Declined:
			return soundBusy
		case s.Reason == call.Refused || s.Reason == call.CutOff:
			return soundReorder
		case s.Reason == call.OutOfService:
			return soundOutOfService
		}
	}
	return soundNone
}

// arrangement says who is in the room of a call and hears whom, as the call's state has it: of a call that has just
// failed who placed it is there for the tone. A rep who is on hold by themselves is elsewhere.
func arrangement(s *call.State) media.Arrangement {
	a := media.Arrangement{}
	failed := soundOf(s) >= soundBusy
	place := map[call.LegNo]int{}
	for i := range s.Legs {
		l := &s.Legs[i]
		switch {
		case l.Party == call.Rep && failed && l.User == s.By:
		case l.State != call.Up:
			continue
		case l.Party == call.Machine:
			a.Machine = a.Machine || s.Internal
			continue
		case l.Party == call.Rep && s.Waits(l) && l.As != call.Consulted && s.Asking(l.User) == nil:
			continue
		}
		place[l.No] = len(a.Parties)
		a.Parties = append(a.Parties, partyOf(s, l))
	}
	for i := range s.Legs {
		listener := &s.Legs[i]
		at, there := place[listener.No]
		if !there {
			continue
		}
		for j := range s.Legs {
			if speaker, in := place[s.Legs[j].No]; in && s.Hears(listener.No, s.Legs[j].No) {
				a.Parties[at].Hears = append(a.Parties[at].Hears, speaker)
			}
		}
	}
	return a
}

// partyOf is a leg as it is in its call's room. Who waits hears music, but for who waits for somebody whom they ring.
func partyOf(s *call.State, l *call.Leg) media.Party {
	p := media.Party{User: l.User, Leg: int(l.No), Muted: l.Muted, Consulted: l.As == call.Consulted}
	if l.Party == call.Outside {
		p.Customer = l.As != call.Consulted
		p.Present = p.Customer && (l.Bridge() != 0 || s.Phase() == call.PhaseMessage)
		p.Music = s.Waits(l)
		return p
	}
	asked := s.Asking(l.User)
	p.Music = l.As == call.Consulted && s.Waits(l)
	p.Ringback = asked != nil && asked.State != call.Up && s.Waits(l)
	return p
}

// paused tells whether the recording of a call is paused, so that keys are not kept either.
func (s *Switchboard) paused(id uuid.UUID) bool {
	room := s.studio.Room(id)
	if room == nil {
		return false
	}
	rec := room.Recorder()
	return rec != nil && rec.Paused()
}

// Press sends keypad tones of user. Errors: as of Do.
func (s *Switchboard) Press(ctx context.Context, id uuid.UUID, user, digits string, hidden bool) error {
	err := s.do(ctx, id, call.Press{By: user, Digits: digits, Hidden: hidden || s.paused(id)})
	if err == nil {
		s.keysSound(id, digits)
	}
	return err
}

// keysSound lets the reps of a call hear keys that were pressed, by them or by the outside.
func (s *Switchboard) keysSound(id uuid.UUID, digits string) {
	if room := s.studio.Room(id); room != nil {
		room.PlayToUs(media.Tone(audio.Keys(digits), keyFrames*len(digits)))
	}
}

// keyFrames is how long a key sounds, with its pause: 200 ms.
const keyFrames = 10
