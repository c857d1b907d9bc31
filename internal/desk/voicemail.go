package desk

import (
	"cmp"
	"context"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/audio"
	"trundo/internal/core/call"
	"trundo/internal/core/routing"
	"trundo/internal/media"
	"trundo/internal/store/db"
)

const (
	// maxMessage is how long a message may be.
	maxMessage = 3 * time.Minute
	// The tone after which a message is left.
	beepHz   = 1000
	beepLong = 400 * time.Millisecond
	// usualGreeting is said where neither the line nor the rep has one.
	usualGreeting = "Nobody can take your call just now. Please leave a message after the tone and we will call you back."
	// recordedGreeting stands in words for a greeting that is a sound.
	recordedGreeting = "a greeting that somebody recorded"
	// usualAnnouncement is said where nobody answers and the line takes no messages.
	usualAnnouncement = "Nobody can take your call just now. Please call again later."
)

// follow does what follows when a line has nobody left to ring.
func (d *Desk) follow(ctx context.Context, id uuid.UUID, what routing.Follow, line db.LineByNumberRow, box *uuid.UUID, closed string) {
	switch what {
	case routing.Voicemail:
		if d.board.Do(ctx, id, call.MachineTakes{Device: call.Voicemail, Box: text(box)}) == nil {
			d.greet(ctx, id, box, line)
		}
	case routing.Announcement:
		says := line.ClosedText
		if hoursOf(line.Hours).Open(d.Clock.Now().In(zoneNamed(line.Zone))) {
			says = usualAnnouncement
		} else if says == "" {
			says = closed
		}
		if d.board.Do(ctx, id, call.MachineTakes{Device: call.Announcement}) == nil && d.says(ctx, id, says) {
			_ = d.board.Do(ctx, id, call.MachineEnds{})
		}
	default:
		_ = d.board.Do(ctx, id, call.Miss{})
	}
}

// greetingOf is what is said before the beep, in words and as a sound if there is one: the rep's greeting, else the line's, else the usual one.
func (d *Desk) greetingOf(ctx context.Context, box *uuid.UUID, line db.LineByNumberRow) (words string, sound *uuid.UUID) {
	if box != nil {
		if p, err := d.Store.Preferences(ctx, *box); err == nil && (p.Greeting != "" || p.GreetingSound != nil) {
			return cmp.Or(p.Greeting, recordedGreeting), p.GreetingSound
		}
	}
	if line.GreetingSound != nil {
		return cmp.Or(line.Greeting, recordedGreeting), line.GreetingSound
	}
	return cmp.Or(line.Greeting, usualGreeting), nil
}

// greet greets, beeps, and lets a message be left.
func (d *Desk) greet(ctx context.Context, id uuid.UUID, box *uuid.UUID, line db.LineByNumberRow) {
	greeting, sound := d.greetingOf(ctx, box, line)
	if !d.saysAs(ctx, id, greeting, sound) || d.board.Do(ctx, id, call.Beep{}) != nil {
		return
	}
	d.hears(id, "a tone; now a message is left")
	if room := d.Studio.Room(id); room != nil {
		room.PlayToThem(media.Tone(audio.Once(beepHz, beepLong), int(beepLong/audio.FrameTime)), nil)
	}
	if d.pause(ctx, id, maxMessage) {
		_ = d.board.Do(ctx, id, call.MachineEnds{})
	}
}

// says lets a text be heard; false: the call is over.
func (d *Desk) says(ctx context.Context, id uuid.UUID, text string) bool {
	return d.saysAs(ctx, id, text, nil)
}

// saysAs lets a text be heard, or the sound in its place.
func (d *Desk) saysAs(ctx context.Context, id uuid.UUID, text string, sound *uuid.UUID) bool {
	d.hears(id, "“"+text+"”")
	long := routing.Speaking(text)
	if codes, err := d.heardAs(ctx, text, sound); err != nil {
		d.Log.Warn("a text could not be spoken", "error", err)
	} else if room := d.Studio.Room(id); room != nil && len(codes) > 0 {
		long = time.Duration(len(codes)) * time.Second / audio.Rate
		room.PlayToThem(media.Codes(codes, false), nil)
	}
	return d.pause(ctx, id, long)
}

// hears keeps what the outside hears, for whoever plays it.
func (d *Desk) hears(id uuid.UUID, text string) {
	d.calls.change(id, func(c *liveCall) { c.hears = text })
}

// pause waits for some time of a call; false: it has ended, or the desk closes.
func (d *Desk) pause(ctx context.Context, id uuid.UUID, long time.Duration) bool {
	timer := d.Clock.NewTimer(long)
	defer timer.Stop()
	changed := d.changedOf(id)
	for {
		if s, there := d.board.Snapshot(id); !there || s.Phase() == call.PhaseEnded {
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
