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
	// usualAnnouncement is said where nobody answers and the line takes no messages.
	usualAnnouncement = "Nobody can take your call just now. Please call again later."
)

// follow does what follows when a line has nobody left to ring.
func (d *Desk) follow(ctx context.Context, id uuid.UUID, what routing.Follow, line db.LineByNumberRow, box *uuid.UUID, closed string) {
	switch what {
	case routing.Voicemail:
		if d.board.Do(ctx, id, call.MachineTakes{Device: call.Voicemail, Box: text(box)}) == nil {
			d.takeMessage(ctx, id, d.greetingOf(ctx, box, line.Greeting))
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

// greetingOf is what is said before the beep: the rep's greeting, else the line's, else the usual one.
func (d *Desk) greetingOf(ctx context.Context, box *uuid.UUID, line string) string {
	if box != nil {
		if p, err := d.Store.Preferences(ctx, *box); err == nil && p.Greeting != "" {
			return p.Greeting
		}
	}
	return cmp.Or(line, usualGreeting)
}

// takeMessage greets, beeps, and lets a message be left.
func (d *Desk) takeMessage(ctx context.Context, id uuid.UUID, greeting string) {
	if !d.says(ctx, id, greeting) || d.board.Do(ctx, id, call.Beep{}) != nil {
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
	d.hears(id, "“"+text+"”")
	long := routing.Speaking(text)
	if codes, err := d.spoken(ctx, text); err != nil {
		d.Log.Warn("a text could not be spoken", "error", err)
	} else if room := d.Studio.Room(id); room != nil && len(codes) > 0 {
		long = time.Duration(len(codes)) * time.Second / audio.Rate
		room.PlayToThem(media.Codes(codes, false), nil)
	}
	return d.pause(ctx, id, long)
}

// hears keeps what the outside hears, for whoever plays it.
func (d *Desk) hears(id uuid.UUID, text string) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if c := d.live[id]; c != nil {
		c.hears = text
	}
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
