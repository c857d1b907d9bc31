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

// holdHeight is how soft the music on hold is.
const holdHeight = 0.25

// opens makes the room of a call and puts into it who is in the call by now.
func (s *Switchboard) opens(a *active) {
	id := a.id
	s.studio.Open(id, func(ours, theirs []byte) { s.listener.Voices(id, ours, theirs) })
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
	switch now, was := soundOf(st), a.sounds; {
	case now == was:
		return
	default:
		a.sounds = now
	}
	switch a.sounds {
	case soundRinging:
		room.PlayToUs(media.Tone(audio.Ringback, 0))
	case soundHold:
		room.PlayToThem(media.Soft(media.Tone(audio.HoldMusic, 0), holdHeight), nil)
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
	soundNone sound = iota
	soundRinging
	soundHold
	soundBusy
	soundReorder
	soundOutOfService
)

func soundOf(s *call.State) sound {
	switch s.Phase() {
	case call.PhaseRinging:
		if !s.Inbound {
			return soundRinging
		}
	case call.PhaseSpeaking:
		if s.OnHold {
			return soundHold
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

// arrangement says who is in the room of a call: reps whose legs are up, unless the call is on hold; of one that has
// just failed, who placed it, for the tone.
func arrangement(s *call.State) media.Arrangement {
	a := media.Arrangement{}
	if s.OnHold {
		return a
	}
	failed := soundOf(s) >= soundBusy
	for i := range s.Legs {
		l := &s.Legs[i]
		switch {
		case l.Party == call.Rep && (l.State == call.Up || failed && l.User == s.By):
			a.Members = append(a.Members, media.Member{User: l.User, Muted: l.Muted})
		case l.Party == call.Outside && l.State == call.Up:
			a.Outside = true
		case l.Party == call.Machine && l.State == call.Up && s.Internal:
			a.Machine = true
		}
	}
	return a
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
