package calls

import (
	"context"
	"errors"
	"time"

	"github.com/google/uuid"

	"trundo/internal/carrier"
	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/desk/firm"
	"trundo/internal/media"
)

// FirmVoice is the voice in which greetings and announcements of the firm are spoken.
const FirmVoice = "en-us+f2"

// voices are those that speak a language (ISO 639-1), as espeak-ng calls them.
var voices = map[string]string{"en": FirmVoice, "fr": "fr+f2", "de": "de+f2", "es": "es+f2"}

// VoiceOf is the voice that speaks a language; the firm's for one that none speaks.
func VoiceOf(language string) string {
	if v, speaks := voices[language]; speaks {
		return v
	}
	return FirmVoice
}

// ErrNoBrowsers is told where this server takes no sound of browsers.
var ErrNoBrowsers = errors.New("this server takes no sound of browsers")

// ConnectSound connects a browser of a's to hear and speak; another one of a's is left. Errors: *FieldError.
func (vs *Voices) ConnectSound(ctx context.Context, a firm.Actor, offer string) (answer string, err error) {
	if vs.Browsers == nil {
		return "", firm.About("offer", ErrNoBrowsers)
	}
	answer, err = vs.Browsers.Connect(ctx, a.ID.String(), offer)
	if err != nil && ctx.Err() == nil {
		return "", firm.About("offer", err)
	}
	return answer, err
}

// ConnectOutside connects a browser to hear and speak on a leg of the simulated network, and gives the voice that it is
// there. Errors: *FieldError.
func (vs *Voices) ConnectOutside(ctx context.Context, ref, offer string) (carrier.Voice, string, error) {
	if vs.Browsers == nil {
		return nil, "", firm.About("offer", ErrNoBrowsers)
	}
	user := "outside:" + ref
	answer, err := vs.Browsers.Connect(ctx, user, offer)
	if err != nil && ctx.Err() == nil {
		err = firm.About("offer", err)
	}
	return vs.Studio.Seat(user), answer, err
}

// Sound tells whether a browser of a's is connected.
func (vs *Voices) Sound(a firm.Actor) contract.Sound {
	connected, speaks := vs.Studio.Seat(a.ID.String()).State()
	return contract.Sound{Connected: connected, Speaks: speaks, Telephone: vs.Telephones.telephoneView(a.ID)}
}

// seatChanged tells a rep's windows that a browser has come or gone.
func (vs *Voices) seatChanged(user string) {
	id, err := uuid.Parse(user)
	if err != nil {
		return
	}
	vs.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindSound}, id)
	if connected, _ := vs.Studio.Seat(user).State(); !connected && len(vs.registry.of(id)) > 0 {
		vs.InBackground(func(ctx context.Context) { vs.ringCutOff(ctx, id) })
	}
}

// cutOffFor is how long a rep's browser may be cut off in a call before their own telephone is rung.
const cutOffFor = 5 * time.Second

// ringCutOff rings the telephone of a rep who has lost their sound in a call, so that they can go on speaking by it.
func (vs *Voices) ringCutOff(ctx context.Context, user uuid.UUID) {
	row, err := vs.Telephones.verifiedTelephone(ctx, user)
	if err != nil {
		return // there is none
	}
	select {
	case <-ctx.Done():
		return
	case <-vs.Clock.After(cutOffFor):
	}
	if connected, _ := vs.Studio.Seat(user.String()).State(); connected || len(vs.registry.of(user)) == 0 ||
		vs.Telephones.telephoneOf(user) != nil {
		return
	}
	if err := vs.Telephones.ringTelephone(ctx, &telephoneLeg{user: user, forWhat: "your call, which goes on"}, row.E164,
		row.PressOne); err != nil {
		vs.Log.Warn("a rep's telephone", "user", user, "error", err)
	}
}

// trace lets the windows of those in the call draw the voice trace as it grows.
func (vs *Voices) trace(id uuid.UUID, ours, theirs []byte, loud map[int]int) {
	c := vs.registry.call(id)
	if c == nil || c.state.Answered().IsZero() {
		return
	}
	vs.registry.change(id, func(c *liveCall) { c.hear(ours, theirs) })
	var there []uuid.UUID
	for rep := range c.parts {
		if c.in(rep) {
			there = append(there, rep)
		}
	}
	for _, l := range c.state.Legs { // who listens sees what they hear
		if l.Party == call.Observer && l.State == call.Up {
			if user, err := uuid.Parse(l.User); err == nil {
				there = append(there, user)
			}
		}
	}
	if len(there) == 0 {
		return // nobody is in it, and an event to nobody is one to everybody
	}
	trace := traceOf(ours, theirs)
	e := contract.LiveEvent{Kind: contract.LiveEventKindVoices, CallID: &id, Trace: &trace}
	if len(loud) > 0 {
		legs := make([]contract.LoudLeg, 0, len(loud))
		for leg, height := range loud {
			legs = append(legs, contract.LoudLeg{Leg: leg, Height: height})
		}
		e.Loud = &legs
	}
	vs.Hub.Mention(e, there...)
}

// spoken is a text in the firm's voice; nothing where there is no speech.
func (vs *Voices) spoken(ctx context.Context, text string) ([]byte, error) {
	if vs.Speech == nil {
		return nil, nil
	}
	return vs.Speech.Speak(ctx, FirmVoice, text)
}

var _ firm.Speech = (*media.Speech)(nil)
