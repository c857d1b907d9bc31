package calls

import (
	"context"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/audio"
	"trundo/internal/core/call"
	"trundo/internal/core/presence"
	"trundo/internal/core/routing"
	"trundo/internal/media"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// Router takes callers of lines that have a route through it, and those who wait in a queue to whoever is free. Its
// methods must not block, but for Receive.
type Router interface {
	// Receive takes a call that came in on a line until somebody has it or it is over; false: the line has no route.
	Receive(ctx context.Context, id, line uuid.UUID) bool
	// Changed is told of every change of every call.
	Changed(id uuid.UUID, s *call.State)
	// Keyed is told of keys that the outside has pressed.
	Keyed(id uuid.UUID, digits string)
	// MayBeFree is told when somebody may be free who was not.
	MayBeFree()
	// Waits is told that what waits and is kept may have changed.
	Waits()
	// Asks tells whether the customer of a call is to be asked about it once its rep hangs up.
	Asks(id uuid.UUID) bool
	// RoutesToGive are the routes to which a call can be given, by name.
	RoutesToGive(ctx context.Context) ([]contract.AskableRoute, error)
	// Give lets a call that was left to others wait in a queue, and Through lets a route take it on. Error: *firm.FieldError
	// where it does not take it.
	Give(ctx context.Context, queue uuid.UUID) (func(ctx context.Context, id uuid.UUID), error)
	Through(ctx context.Context, route uuid.UUID) (func(ctx context.Context, id uuid.UUID), error)
}

func (cs *Calls) mayBeFree() {
	if cs.router != nil {
		cs.router.MayBeFree()
	}
}

// musicHeight is how loud music is for who waits, as a share of its full height.
const musicHeight = 0.25

// Attend lets the attendant take a call that came in or was left to others. Errors: those of call.Decide.
func (ar *Arrivals) Attend(ctx context.Context, id uuid.UUID) error {
	return ar.board.Do(ctx, id, call.Attend{})
}

// Speak lets an attended caller hear a text in a voice, or a sound in its place, and tells how long it lasts.
func (ar *Arrivals) Speak(ctx context.Context, id uuid.UUID, voice, text string, sound *uuid.UUID) time.Duration {
	if sound != nil && text == "" {
		text = recordedGreeting
	}
	ar.hears(id, "“"+text+"”")
	codes, err := ar.Voices.heardIn(ctx, voice, text, sound)
	if err != nil {
		ar.Log.Warn("a text could not be spoken", "error", err)
	}
	room := ar.Studio.Room(id)
	if room == nil || len(codes) == 0 {
		return routing.Speaking(text)
	}
	room.PlayToThem(media.Codes(codes, false), nil)
	return time.Duration(len(codes)) * time.Second / audio.Rate
}

// Hush stops what an attended caller hears.
func (ar *Arrivals) Hush(id uuid.UUID) {
	ar.hears(id, "")
	if room := ar.Studio.Room(id); room != nil {
		room.PlayToThem(nil, nil)
	}
}

// Music lets an attended caller hear music, or that it rings for somebody.
func (ar *Arrivals) Music(id uuid.UUID, rings bool) {
	sound, text := media.Soft(media.Tone(audio.HoldMusic, 0), musicHeight), "music"
	if rings {
		sound, text = media.Tone(audio.Ringback, 0), "it rings"
	}
	ar.hears(id, text)
	if room := ar.Studio.Room(id); room != nil {
		room.PlayToThem(sound, nil)
	}
}

// RingFor rings some for an attended call, and says why. Errors: those of call.Decide.
func (ar *Arrivals) RingFor(ctx context.Context, id uuid.UUID, users []string, why string) error {
	if err := ar.board.Do(ctx, id, call.Offer{To: users, Device: "browser", Word: why}); err != nil {
		return err
	}
	ar.Telephones.ringTelephones(ctx, id, why, users)
	return nil
}

// RingNoMore ends the rings of an attended call.
func (ar *Arrivals) RingNoMore(ctx context.Context, id uuid.UUID, users ...string) {
	for _, user := range users {
		_ = ar.board.Do(ctx, id, call.Withdraw{From: user})
	}
}

// RingUnreached ends the rings of a call for those who are no longer reached.
func (ar *Arrivals) RingUnreached(ctx context.Context, id uuid.UUID, s *call.State) {
	ar.withdrawUnreached(ctx, id, s)
}

// TakeMessage lets a message be left on a line: for somebody, or for all whom it concerns, and says why nobody answered.
func (ar *Arrivals) TakeMessage(ctx context.Context, id uuid.UUID, box *uuid.UUID, why string) {
	ar.missed(ctx, id, box, why)
	if ar.board.Do(ctx, id, call.MachineTakes{Device: call.Voicemail, Box: optional.ID(box)}) != nil {
		return
	}
	var line db.LineByNumberRow
	if c, err := ar.Store.CallByID(ctx, db.CallByIDParams{ID: id}); err == nil && c.LineID != nil {
		if line, err = ar.Store.LineByNumber(ctx, c.CallerID); err != nil && !store.NotFound(err) {
			ar.Log.Warn("the line of a message", "call", id, "error", err)
		}
	}
	ar.greet(ctx, id, box, line)
}

func (ar *Arrivals) missed(ctx context.Context, id uuid.UUID, box *uuid.UUID, why string) {
	if err := ar.Store.SetMissedWhy(ctx, db.SetMissedWhyParams{ID: id, Why: why, BoxUserID: box}); err != nil {
		ar.Log.Warn("why a call was missed", "call", id, "error", err)
	}
}

// Conclude ends a call that nobody has answered, and says why. Errors: those of call.Decide.
func (ar *Arrivals) Conclude(ctx context.Context, id uuid.UUID, reason call.Reason, why string) error {
	ar.missed(ctx, id, nil, why)
	if s, there := ar.board.Snapshot(id); there && !s.Attended() {
		return ar.board.Do(ctx, id, call.Miss{})
	}
	return ar.board.Do(ctx, id, call.Conclude{Reason: reason})
}

// SurveyOver ends a call whose customer has been asked about it.
func (ar *Arrivals) SurveyOver(ctx context.Context, id uuid.UUID) {
	_ = ar.board.Do(ctx, id, call.Conclude{Reason: call.EndedByUs})
}

// Unattend lets a call that a rep gave away wait for them again. Errors: those of call.Decide.
func (ar *Arrivals) Unattend(ctx context.Context, id uuid.UUID) error {
	return ar.board.Do(ctx, id, call.Unattend{})
}

// Rung are the users for whom anything rings on this server.
func (ar *Arrivals) Rung() map[string]bool {
	rung := map[string]bool{}
	ar.registry.where(func(c *liveCall) bool {
		for _, user := range c.state.RungNow() {
			rung[user] = true
		}
		return false
	})
	return rung
}

// Serve notes that an attended caller was told what they called for.
func (ar *Arrivals) Serve(ctx context.Context, id uuid.UUID) { _ = ar.board.Do(ctx, id, call.Serve{}) }

// Forward rings an outside number for an attended caller. Errors: those of call.Decide.
func (ar *Arrivals) Forward(ctx context.Context, id uuid.UUID, address, shown string) error {
	return ar.board.Do(ctx, id, call.Forward{Address: address, CallerID: shown})
}

// Unforward gives up an outside number that has not answered.
func (ar *Arrivals) Unforward(ctx context.Context, id uuid.UUID) {
	_ = ar.board.Do(ctx, id, call.Unforward{})
}

// Tone lets an attended caller hear the tone after which they speak.
func (ar *Arrivals) Tone(id uuid.UUID) {
	ar.hears(id, "a tone; now a remark can be spoken")
	if room := ar.Studio.Room(id); room != nil {
		room.PlayToThem(media.Tone(audio.Once(beepHz, beepLong), int(beepLong/audio.FrameTime)), nil)
	}
}

// RemarkAt is where in the recording of a call one is now; it is recorded from now on, if it was not. False: there is no
// sound.
func (rc *Recordings) RemarkAt(id uuid.UUID) (time.Duration, bool) {
	room := rc.Studio.Room(id)
	if room == nil {
		return 0, false
	}
	if room.Recorder() == nil {
		rc.begin(id, contract.CallRecordingKindCall, "a remark of theirs after the call")
	}
	rec := room.Recorder()
	if rec == nil {
		return 0, false
	}
	rec.Resume()
	return rec.At(), true
}

// Everybody tells everybody of a call that came in, once whoever it rings has been told.
func (ar *Arrivals) Everybody(id uuid.UUID) {
	var records []uuid.UUID
	if c := ar.registry.call(id); c != nil {
		records = c.records
	}
	ar.onceTold(func() { ar.PublishHistory(&id, records...) })
}

// Records are those that a call in progress stands on.
func (cs *Calls) Records(id uuid.UUID) []uuid.UUID {
	if c := cs.registry.call(id); c != nil {
		return c.records
	}
	return nil
}

// LineOf is the line over which a call in progress goes; false: none.
func (cs *Calls) LineOf(id uuid.UUID) (uuid.UUID, bool) {
	c := cs.registry.call(id)
	if c == nil || c.line == uuid.Nil {
		return uuid.Nil, false
	}
	return c.line, true
}

// Presence is what some are doing, or everybody of the firm.
func (tm *Team) Presence(ctx context.Context, among ...uuid.UUID) (map[uuid.UUID]presence.Rep, error) {
	_, doing, err := tm.presence(ctx, among...)
	return doing, err
}

// Absent gives for each of some who stands in for them now, themselves where they are there.
func (tm *Team) Absent(ctx context.Context, ids []uuid.UUID) ([]uuid.UUID, error) {
	f, err := tm.Settings(ctx)
	if err != nil {
		return nil, err
	}
	return present(ids, f.Away(tm.Clock.Now())), nil
}

// Skills are what everybody of the firm knows, with their levels.
func (tm *Team) Skills(ctx context.Context) (map[uuid.UUID]map[string]int, error) {
	known, err := tm.Parties.skills(ctx)
	if err != nil {
		return nil, err
	}
	all := make(map[uuid.UUID]map[string]int, len(known))
	for id, k := range known {
		all[id] = k.skills
	}
	return all, nil
}

// SoundCheck tells whether a sound that somebody names is there. Error: *firm.FieldError.
func (vs *Voices) SoundCheck(ctx context.Context, field string, id *uuid.UUID) error {
	return vs.soundCheck(ctx, field, id)
}

// heardIn is what is heard for a text in a voice, or for the sound in its place.
func (vs *Voices) heardIn(ctx context.Context, voice, text string, sound *uuid.UUID) ([]byte, error) {
	if sound != nil || voice == "" || vs.Speech == nil {
		return vs.heardAs(ctx, text, sound)
	}
	return vs.Speech.Speak(ctx, voice, text)
}
