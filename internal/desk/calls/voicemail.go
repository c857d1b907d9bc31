package calls

import (
	"cmp"
	"context"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/audio"
	"trundo/internal/core/call"
	"trundo/internal/core/routing"
	"trundo/internal/desk/firm"
	"trundo/internal/media"
	"trundo/internal/optional"
	"trundo/internal/store/db"
)

const (
	// maxMessage is how long a message may be.
	maxMessage = 3 * time.Minute
	// The tone after which a message is left.
	beepHz   = 1000
	beepLong = 400 * time.Millisecond
	// usualGreeting is said where neither the line nor the rep has one.
	usualGreeting = "Nobody can take your call just now. Please leave a message after the tone and we will call you " +
		"back."
	// recordedGreeting stands in words for a greeting that is a sound.
	recordedGreeting = "a greeting that somebody recorded"
	// usualAnnouncement is said where nobody answers and the line takes no messages.
	usualAnnouncement = "Nobody can take your call just now. Please call again later."
)

// follow does what follows when a line has nobody left to ring.
func (ar *Arrivals) follow(ctx context.Context, id uuid.UUID, what routing.Follow, line db.LineByNumberRow,
	box *uuid.UUID, closed string) {
	switch what {
	case routing.Voicemail:
		if ar.board.Do(ctx, id, call.MachineTakes{Device: call.Voicemail, Box: optional.ID(box)}) == nil {
			ar.greet(ctx, id, box, line)
		}
	case routing.Announcement:
		says := line.ClosedText
		if hoursOf(line.Hours).Open(ar.Clock.Now().In(firm.ZoneNamed(line.Zone))) {
			says = usualAnnouncement
		} else if says == "" {
			says = closed
		}
		if ar.board.Do(ctx, id, call.MachineTakes{Device: call.Announcement}) == nil && ar.says(ctx, id, says) {
			_ = ar.board.Do(ctx, id, call.MachineEnds{})
		}
	default:
		_ = ar.board.Do(ctx, id, call.Miss{})
	}
}

// greetingOf is what is said before the beep, in words and as a sound if there is one: the rep's greeting, else the
// line's, else the usual one.
func (ar *Arrivals) greetingOf(ctx context.Context, box *uuid.UUID,
	line db.LineByNumberRow) (words string, sound *uuid.UUID) {
	if box != nil {
		if p, err := ar.Store.Preferences(ctx, *box); err == nil && (p.Greeting != "" || p.GreetingSound != nil) {
			return cmp.Or(p.Greeting, recordedGreeting), p.GreetingSound
		}
	}
	if line.GreetingSound != nil {
		return cmp.Or(line.Greeting, recordedGreeting), line.GreetingSound
	}
	return cmp.Or(line.Greeting, usualGreeting), nil
}

// greet greets, beeps, and lets a message be left.
func (ar *Arrivals) greet(ctx context.Context, id uuid.UUID, box *uuid.UUID, line db.LineByNumberRow) {
	greeting, sound := ar.greetingOf(ctx, box, line)
	if !ar.saysAs(ctx, id, greeting, sound) || ar.board.Do(ctx, id, call.Beep{}) != nil {
		return
	}
	ar.hears(id, "a tone; now a message is left")
	if room := ar.Studio.Room(id); room != nil {
		room.PlayToThem(media.Tone(audio.Once(beepHz, beepLong), int(beepLong/audio.FrameTime)), nil)
	}
	if ar.pause(ctx, id, maxMessage) {
		_ = ar.board.Do(ctx, id, call.MachineEnds{})
	}
}

// says lets a text be heard; false: the call is over.
func (ar *Arrivals) says(ctx context.Context, id uuid.UUID, text string) bool {
	return ar.saysAs(ctx, id, text, nil)
}

// saysAs lets a text be heard, or the sound in its place.
func (ar *Arrivals) saysAs(ctx context.Context, id uuid.UUID, text string, sound *uuid.UUID) bool {
	ar.hears(id, "“"+text+"”")
	long := routing.Speaking(text)
	if codes, err := ar.Voices.heardAs(ctx, text, sound); err != nil {
		ar.Log.Warn("a text could not be spoken", "error", err)
	} else if room := ar.Studio.Room(id); room != nil && len(codes) > 0 {
		long = time.Duration(len(codes)) * time.Second / audio.Rate
		room.PlayToThem(media.Codes(codes, false), nil)
	}
	return ar.pause(ctx, id, long)
}

// hears keeps what the outside hears, for whoever plays it.
func (ar *Arrivals) hears(id uuid.UUID, text string) {
	ar.registry.change(id, func(c *liveCall) { c.hears = text })
}

// pause waits for some time of a call; false: it has ended, or the desk closes.
func (ar *Arrivals) pause(ctx context.Context, id uuid.UUID, long time.Duration) bool {
	timer := ar.Clock.NewTimer(long)
	defer timer.Stop()
	changed := ar.changedOf(id)
	for {
		if s, there := ar.board.Snapshot(id); !there || s.Phase() == call.PhaseEnded {
			return false
		}
		select {
		case <-ctx.Done():
			return false
		case <-changed:
		case <-timer.Chan():
			return true
		}
	}
}
