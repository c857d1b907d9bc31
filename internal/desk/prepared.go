package desk

import (
	"context"
	"errors"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/audio"
	"trundo/internal/core/call"
	"trundo/internal/core/prepared"
	"trundo/internal/core/routing"
	"trundo/internal/media"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// ErrNoConsent is told where a message may be left only for who agreed to it.
var ErrNoConsent = errors.New("they have not agreed to recorded messages: say it yourself, or ask them the next time")

// ErrPersonHeard is told where a message would be left on somebody who sounds like a person.
var ErrPersonHeard = errors.New("somebody is on the line: they would hear a recorded message. Leave it anyway?")

// cuePatience is how long a cue is waited for where nothing can be heard: as long as audio.Cues would.
const cuePatience = time.Minute

// PreparedMessages are what can be left after a beep, in their order; who sets up sees also those that are not offered.
func (d *Desk) PreparedMessages(ctx context.Context, a Actor) ([]contract.PreparedMessage, error) {
	rows, err := d.Store.PreparedMessages(ctx)
	messages := []contract.PreparedMessage{}
	for _, r := range rows {
		if r.Active || a.mayDo(SetUp) {
			messages = append(messages, contract.PreparedMessage{ID: &r.ID, Name: r.Name, Text: r.Text, Active: r.Active, SoundID: r.Sound,
				Weekdays: &r.Weekdays, ListID: r.ListID, OutcomeID: r.OutcomeID})
		}
	}
	return messages, err
}

// PreparedFor are the messages that can be left in a call, the one that fits best first.
func (d *Desk) PreparedFor(ctx context.Context, a Actor, id uuid.UUID) ([]contract.PreparedMessage, error) {
	all, err := d.PreparedMessages(ctx, a)
	if err != nil {
		return nil, err
	}
	s := prepared.Situation{At: d.Clock.Now().In(a.zone())}
	row, err := d.Store.PreparedSituation(ctx, id)
	switch {
	case err == nil:
		if row.Zone != "" {
			s.At = d.Clock.Now().In(zoneNamed(row.Zone))
		}
		if row.OutcomeID != uuid.Nil {
			s.Outcome = row.OutcomeID.String()
		}
		for _, l := range row.Lists {
			s.Lists = append(s.Lists, l.String())
		}
	case !store.NotFound(err):
		return nil, err
	}
	byID := map[string]contract.PreparedMessage{}
	var messages []prepared.Message
	for _, m := range all {
		if !m.Active {
			continue
		}
		byID[m.ID.String()] = m
		messages = append(messages, prepared.Message{ID: m.ID.String(), Weekdays: *m.Weekdays, List: text(m.ListID), Outcome: text(m.OutcomeID)})
	}
	ordered := []contract.PreparedMessage{}
	for _, m := range prepared.Order(messages, s) {
		ordered = append(ordered, byID[m.ID])
	}
	return ordered, nil
}

// SetMessageConsent keeps that somebody agrees to recorded messages, or no longer. Error: ErrNotFound.
func (d *Desk) SetMessageConsent(ctx context.Context, a Actor, id uuid.UUID, on bool) (contract.Record, error) {
	var at *time.Time
	what := "agrees no more to recorded messages"
	if on {
		at, what = set(d.Clock.Now()), "agreed to recorded messages"
	}
	if err := d.Store.Tx(ctx, func(q *db.Queries) error {
		n, err := q.SetMessageConsent(ctx, db.SetMessageConsentParams{ID: id, At: at})
		if err != nil || n == 0 {
			return errors.Join(err, ErrNotFound)
		}
		return d.audited(ctx, q, a, "record", id, what, map[string]string{}, map[string]string{})
	}); err != nil {
		return contract.Record{}, err
	}
	d.publishHistory(nil, id)
	return d.Record(ctx, a, id)
}

// SetPreparedMessages sets them, in their order. Errors: ErrForbidden, *FieldError.
func (d *Desk) SetPreparedMessages(ctx context.Context, a Actor, p contract.PreparedMessages) ([]contract.PreparedMessage, error) {
	if !a.mayDo(SetUp) {
		return nil, ErrForbidden
	}
	names := map[string]bool{}
	for i := range p.Messages {
		m := &p.Messages[i]
		m.Name, m.Text = cleanText(m.Name), cleanText(m.Text)
		key := strings.ToLower(m.Name)
		switch {
		case m.Name == "":
			return nil, wrong("messages", "a message needs a name")
		case m.Text == "" && m.SoundID == nil:
			return nil, wrong("messages", "“"+m.Name+"” says nothing")
		case m.Active && names[key]:
			return nil, wrong("messages", "there are two messages “"+m.Name+"”")
		}
		names[key] = names[key] || m.Active
		if err := d.soundCheck(ctx, "messages", m.SoundID); err != nil {
			return nil, err
		}
		if m.Weekdays == nil {
			m.Weekdays = &[]int{}
		}
		if m.ID == nil {
			id := store.NewID()
			m.ID = &id
		}
	}
	if err := d.Store.Tx(ctx, func(q *db.Queries) error {
		for i, m := range p.Messages {
			if err := q.PutPreparedMessage(ctx, db.PutPreparedMessageParams{ID: *m.ID, Name: m.Name, Text: m.Text, Position: i, Active: m.Active,
				Sound: m.SoundID, Weekdays: *m.Weekdays, ListID: m.ListID, OutcomeID: m.OutcomeID}); err != nil {
				return err
			}
		}
		return nil
	}); err != nil {
		return nil, err
	}
	return d.PreparedMessages(ctx, a)
}

// LeavePrepared releases a from a call at once, and leaves a prepared message when the voicemail there lets one speak.
// Where a person is heard that has to be wished for (toPerson). Errors: *FieldError, ErrPersonHeard, those of call.Decide.
func (d *Desk) LeavePrepared(ctx context.Context, a Actor, id, message uuid.UUID, toPerson bool) (contract.Call, error) {
	m, err := d.Store.PreparedMessage(ctx, message)
	if store.NotFound(err) {
		return contract.Call{}, &FieldError{"message_id", ErrNotFound}
	} else if err != nil {
		return contract.Call{}, err
	}
	f, err := d.firm(ctx)
	if err != nil {
		return contract.Call{}, err
	}
	if f.keeping.PreparedConsent {
		row, err := d.Store.PreparedSituation(ctx, id)
		if err != nil && !store.NotFound(err) {
			return contract.Call{}, err
		}
		if row.MessageConsentAt == nil {
			return contract.Call{}, &FieldError{"message_id", ErrNoConsent}
		}
	}
	if room := d.Studio.Room(id); room != nil && !toPerson && room.PersonHeard() {
		return contract.Call{}, ErrPersonHeard
	}
	if err := d.board.Do(ctx, id, call.LeavePrepared{By: a.ID.String(), Name: m.Name}); err != nil {
		return contract.Call{}, err
	}
	d.inBackground(func(ctx context.Context) { d.leave(ctx, id, m.Text, m.Sound) })
	d.publishSlip(a.ID, id, "")
	return d.callView(ctx, a, id)
}

// leave waits for the moment, says a text, and ends the call.
func (d *Desk) leave(ctx context.Context, id uuid.UUID, text string, sound *uuid.UUID) {
	codes, err := d.heardAs(ctx, text, sound)
	if err != nil {
		d.Log.Error("a prepared message could not be spoken", "call", id, "error", err)
	}
	cue := d.awaitCue(ctx, id)
	result := "no_beep"
	if cue == audio.NoCue {
		result = "cut_off" // they hung up before it
	}
	defer func() { d.leftSaid(ctx, id, result) }()
	if cue == audio.CueBeep || cue == audio.CueSilence {
		if result = "cut_off"; d.board.Do(ctx, id, call.Beep{}) != nil {
			return
		}
		d.hears(id, "“"+text+"”")
		long := routing.Speaking(text)
		if room := d.Studio.Room(id); room != nil && len(codes) > 0 {
			long = time.Duration(len(codes)) * time.Second / audio.Rate
			room.PlayToThem(media.Codes(codes, false), nil)
		}
		if !d.pause(ctx, id, long) {
			return // they hung up, or it was cut off
		}
		result = "left"
	}
	if err := d.board.Do(ctx, id, call.PreparedEnds{}); err != nil && !errors.Is(err, call.ErrOver) {
		d.Log.Warn("a call in which a message was left does not end", "call", id, "error", err)
	}
}

// leftSaid says at a call what became of the message that was left by itself.
func (d *Desk) leftSaid(ctx context.Context, id uuid.UUID, result string) {
	if err := d.Store.SetDropResult(ctx, db.SetDropResultParams{ID: id, Result: result}); err != nil {
		if ctx.Err() == nil {
			d.Log.Error("what became of a message", "call", id, "error", err)
		}
		return
	}
	links, err := d.Store.LinkedRecords(ctx, id)
	if err == nil {
		d.publishHistory(&id, links...)
	}
	for _, l := range d.listeners {
		l.MessageLeft(ctx, id)
	}
}

// awaitCue listens until the voicemail lets one speak; NoCue: the call is over.
func (d *Desk) awaitCue(ctx context.Context, id uuid.UUID) audio.Cue {
	room := d.Studio.Room(id)
	if room == nil {
		return audio.NoCue
	}
	heard := make(chan audio.Cue, 1)
	var cues audio.Cues
	room.Listen(func(theirs []int16) {
		if cue := cues.Add(theirs); cue != audio.NoCue {
			heard <- cue // it is told once
		}
	})
	defer room.Listen(nil)
	over := make(chan bool, 1)
	waiting, stop := context.WithCancel(ctx)
	defer stop()
	d.inBackground(func(context.Context) { over <- d.pause(waiting, id, cuePatience+time.Second) })
	select {
	case cue := <-heard:
		return cue
	case timeout := <-over:
		if timeout {
			return audio.CueNever
		}
		return audio.NoCue
	}
}
