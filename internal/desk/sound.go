package desk

import (
	"context"
	"errors"
	"maps"
	"slices"
	"time"

	"github.com/google/uuid"

	"trundo/internal/carrier"
	"trundo/internal/contract"
	"trundo/internal/media"
)

// FirmVoice is the voice in which greetings and announcements of the firm are spoken.
const FirmVoice = "en-us+f2"

// ErrNoBrowsers is told where this server takes no sound of browsers.
var ErrNoBrowsers = errors.New("this server takes no sound of browsers")

// ConnectSound connects a browser of a's to hear and speak; another one of a's is left. Errors: *FieldError.
func (d *Desk) ConnectSound(ctx context.Context, a Actor, offer string) (answer string, err error) {
	if d.Browsers == nil {
		return "", &FieldError{"offer", ErrNoBrowsers}
	}
	answer, err = d.Browsers.Connect(ctx, a.ID.String(), offer)
	if err != nil && ctx.Err() == nil {
		return "", &FieldError{"offer", err}
	}
	return answer, err
}

// ConnectOutside connects a browser to hear and speak on a leg of the simulated network, and gives the voice that it is there. Errors: *FieldError.
func (d *Desk) ConnectOutside(ctx context.Context, ref, offer string) (carrier.Voice, string, error) {
	if d.Browsers == nil {
		return nil, "", &FieldError{"offer", ErrNoBrowsers}
	}
	user := "outside:" + ref
	answer, err := d.Browsers.Connect(ctx, user, offer)
	if err != nil && ctx.Err() == nil {
		err = &FieldError{"offer", err}
	}
	return d.Studio.Seat(user), answer, err
}

// Sound tells whether a browser of a's is connected.
func (d *Desk) Sound(a Actor) contract.Sound {
	connected, speaks := d.Studio.Seat(a.ID.String()).State()
	return contract.Sound{Connected: connected, Speaks: speaks, Telephone: d.telephoneView(a.ID)}
}

// seatChanged tells a rep's windows that a browser has come or gone.
func (d *Desk) seatChanged(user string) {
	id, err := uuid.Parse(user)
	if err != nil {
		return
	}
	d.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindSound}, id)
	if connected, _ := d.Studio.Seat(user).State(); !connected && len(d.calls.of(id)) > 0 {
		d.inBackground(func(ctx context.Context) { d.ringCutOff(ctx, id) })
	}
}

// cutOffFor is how long a rep's browser may be cut off in a call before their own telephone is rung.
const cutOffFor = 5 * time.Second

// ringCutOff rings the telephone of a rep who has lost their sound in a call, so that they can go on speaking by it.
func (d *Desk) ringCutOff(ctx context.Context, user uuid.UUID) {
	row, err := d.verifiedTelephone(ctx, user)
	if err != nil {
		return // there is none
	}
	select {
	case <-ctx.Done():
		return
	case <-d.Clock.After(cutOffFor):
	}
	if connected, _ := d.Studio.Seat(user.String()).State(); connected || len(d.calls.of(user)) == 0 || d.telephoneOf(user) != nil {
		return
	}
	if err := d.ringTelephone(ctx, &telephoneLeg{user: user, forWhat: "your call, which goes on"}, row.E164, row.PressOne); err != nil {
		d.Log.Warn("a rep's telephone", "user", user, "error", err)
	}
}

// Voices implements switchboard.Listener: the windows of those in the call draw the voice trace as it grows.
func (d *Desk) Voices(id uuid.UUID, ours, theirs []byte) {
	c := d.calls.call(id)
	if c == nil || c.state.Answered().IsZero() {
		return
	}
	if len(c.parts) == 0 {
		return // nobody is in it yet, and an event to nobody is one to everybody
	}
	trace := traceOf(ours, theirs)
	d.Hub.Mention(contract.LiveEvent{Kind: contract.LiveEventKindVoices, CallID: &id, Trace: &trace}, slices.Collect(maps.Keys(c.parts))...)
}

// spoken is a text in the firm's voice; nothing where there is no speech.
func (d *Desk) spoken(ctx context.Context, text string) ([]byte, error) {
	if d.Speech == nil {
		return nil, nil
	}
	return d.Speech.Speak(ctx, FirmVoice, text)
}

// Speech makes sound of texts.
type Speech interface {
	Speak(ctx context.Context, voice, text string) ([]byte, error)
}

var _ Speech = (*media.Speech)(nil)
