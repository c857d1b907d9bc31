package calls

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
	"trundo/internal/core/rights"
	"trundo/internal/core/routing"
	"trundo/internal/desk/firm"
	"trundo/internal/media"
	"trundo/internal/optional"
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
func (vs *Voices) PreparedMessages(ctx context.Context, a firm.Actor) ([]contract.PreparedMessage, error) {
	rows, err := vs.Store.PreparedMessages(ctx)
	messages := []contract.PreparedMessage{}
	for _, r := range rows {
		if r.Active || a.MayDo(rights.Telephony) {
			messages = append(messages, contract.PreparedMessage{ID: &r.ID, Name: r.Name, Text: r.Text,
				Active: r.Active, SoundID: r.Sound,
				Weekdays: &r.Weekdays, ListID: r.ListID, OutcomeID: r.OutcomeID})
		}
	}
	return messages, err
}

// PreparedFor are the messages that can be left in a call, the one that fits best first.
func (vs *Voices) PreparedFor(ctx context.Context, a firm.Actor, id uuid.UUID) ([]contract.PreparedMessage, error) {
	all, err := vs.PreparedMessages(ctx, a)
	if err != nil {
		return nil, err
	}
	s := prepared.Situation{At: vs.Clock.Now().In(a.Location())}
	row, err := vs.Store.PreparedSituation(ctx, id)
	switch {
	case err == nil:
		if row.Zone != "" {
			s.At = vs.Clock.Now().In(firm.ZoneNamed(row.Zone))
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
		messages = append(messages, prepared.Message{ID: m.ID.String(), Weekdays: *m.Weekdays,
			List: optional.ID(m.ListID), Outcome: optional.ID(m.OutcomeID)})
	}
	ordered := []contract.PreparedMessage{}
	for _, m := range prepared.Order(messages, s) {
		ordered = append(ordered, byID[m.ID])
	}
	return ordered, nil
}

// SetMessageConsent keeps that somebody agrees to recorded messages, or no longer. Error: ErrNotFound.
func (vs *Voices) SetMessageConsent(ctx context.Context, a firm.Actor, id uuid.UUID, on bool) (contract.Record, error) {
	var at *time.Time
	what := "agrees no more to recorded messages"
	if on {
		at, what = optional.Time(vs.Clock.Now()), "agreed to recorded messages"
	}
	if err := vs.Store.Tx(ctx, func(q *db.Queries) error {
		n, err := q.SetMessageConsent(ctx, db.SetMessageConsentParams{ID: id, At: at})
		if err != nil || n == 0 {
			return errors.Join(err, firm.ErrNotFound)
		}
		return vs.Audited(ctx, q, a, "record", id, what, map[string]string{}, map[string]string{})
	}); err != nil {
		return contract.Record{}, err
	}
	vs.PublishHistory(nil, id)
	return vs.Book.Record(ctx, a, id)
}

// SetPreparedMessages sets them, in their order. Errors: ErrForbidden, *FieldError.
func (vs *Voices) SetPreparedMessages(ctx context.Context, a firm.Actor,
	p contract.PreparedMessages) ([]contract.PreparedMessage, error) {
	if !a.MayDo(rights.Telephony) {
		return nil, firm.ErrForbidden
	}
	names := map[string]bool{}
	for i := range p.Messages {
		m := &p.Messages[i]
		m.Name, m.Text = firm.CleanText(m.Name), firm.CleanText(m.Text)
		key := strings.ToLower(m.Name)
		switch {
		case m.Name == "":
			return nil, firm.Wrong("messages", "a message needs a name")
		case m.Text == "" && m.SoundID == nil:
			return nil, firm.Wrong("messages", "“"+m.Name+"” says nothing")
		case m.Active && names[key]:
			return nil, firm.Wrong("messages", "there are two messages “"+m.Name+"”")
		}
		names[key] = names[key] || m.Active
		if err := vs.soundCheck(ctx, "messages", m.SoundID); err != nil {
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
	if err := vs.Store.Tx(ctx, func(q *db.Queries) error {
		for i, m := range p.Messages {
			if err := q.PutPreparedMessage(ctx,
				db.PutPreparedMessageParams{ID: *m.ID, Name: m.Name, Text: m.Text, Position: i, Active: m.Active,
					Sound: m.SoundID, Weekdays: *m.Weekdays, ListID: m.ListID, OutcomeID: m.OutcomeID}); err != nil {
				return err
			}
		}
		return nil
	}); err != nil {
		return nil, err
	}
	return vs.PreparedMessages(ctx, a)
}

// LeavePrepared releases a from a call at once, and leaves a prepared message when the voicemail there lets one speak.
// Where a person is heard that has to be wished for (toPerson). Errors: *FieldError, ErrPersonHeard, those of
// call.Decide.
func (vs *Voices) LeavePrepared(ctx context.Context, a firm.Actor, id, message uuid.UUID,
	toPerson bool) (contract.Call, error) {
	m, err := vs.Store.PreparedMessage(ctx, message)
	if store.NotFound(err) {
		return contract.Call{}, firm.About("message_id", firm.ErrNotFound)
	} else if err != nil {
		return contract.Call{}, err
	}
	f, err := vs.Settings(ctx)
	if err != nil {
		return contract.Call{}, err
	}
	if f.Keeping.PreparedConsent {
		row, err := vs.Store.PreparedSituation(ctx, id)
		if err != nil && !store.NotFound(err) {
			return contract.Call{}, err
		}
		if row.MessageConsentAt == nil {
			return contract.Call{}, firm.About("message_id", ErrNoConsent)
		}
	}
	if room := vs.Studio.Room(id); room != nil && !toPerson && room.PersonHeard() {
		return contract.Call{}, ErrPersonHeard
	}
	if err := vs.board.Do(ctx, id, call.LeavePrepared{By: a.ID.String(), Name: m.Name}); err != nil {
		return contract.Call{}, err
	}
	vs.InBackground(func(ctx context.Context) { vs.leave(ctx, id, m.Text, m.Sound) })
	vs.PublishSlip(a.ID, id, "")
	return vs.CallView(ctx, a, id)
}

// leave waits for the moment, says a text, and ends the call.
func (vs *Voices) leave(ctx context.Context, id uuid.UUID, text string, sound *uuid.UUID) {
	codes, err := vs.heardAs(ctx, text, sound)
	if err != nil {
		vs.Log.Error("a prepared message could not be spoken", "call", id, "error", err)
	}
	cue := vs.awaitCue(ctx, id)
	result := "no_beep"
	if cue == audio.NoCue {
		result = "cut_off" // they hung up before it
	}
	defer func() { vs.leftSaid(ctx, id, result) }()
	if cue == audio.CueBeep || cue == audio.CueSilence {
		if result = "cut_off"; vs.board.Do(ctx, id, call.Beep{}) != nil {
			return
		}
		vs.Arrivals.hears(id, "“"+text+"”")
		long := routing.Speaking(text)
		if room := vs.Studio.Room(id); room != nil && len(codes) > 0 {
			long = time.Duration(len(codes)) * time.Second / audio.Rate
			room.PlayToThem(media.Codes(codes, false), nil)
		}
		if !vs.Arrivals.pause(ctx, id, long) {
			return // they hung up, or it was cut off
		}
		result = "left"
	}
	if err := vs.board.Do(ctx, id, call.PreparedEnds{}); err != nil && !errors.Is(err, call.ErrOver) {
		vs.Log.Warn("a call in which a message was left does not end", "call", id, "error", err)
	}
}

// leftSaid says at a call what became of the message that was left by itself.
func (vs *Voices) leftSaid(ctx context.Context, id uuid.UUID, result string) {
	if err := vs.Store.SetDropResult(ctx, db.SetDropResultParams{ID: id, Result: result}); err != nil {
		if ctx.Err() == nil {
			vs.Log.Error("what became of a message", "call", id, "error", err)
		}
		return
	}
	links, err := vs.Store.LinkedRecords(ctx, id)
	if err == nil {
		vs.PublishHistory(&id, links...)
	}
	for _, l := range vs.listeners {
		l.MessageLeft(ctx, id)
	}
}

// awaitCue listens until the voicemail lets one speak; NoCue: the call is over.
func (vs *Voices) awaitCue(ctx context.Context, id uuid.UUID) audio.Cue {
	room := vs.Studio.Room(id)
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
	vs.InBackground(func(context.Context) { over <- vs.Arrivals.pause(waiting, id, cuePatience+time.Second) })
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
