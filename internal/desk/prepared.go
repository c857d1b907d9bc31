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
	"trundo/internal/core/routing"
	"trundo/internal/media"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// cuePatience is how long a cue is waited for where nothing can be heard: as long as audio.Cues would.
const cuePatience = time.Minute

// PreparedMessages are what can be left after a beep, in their order; who sets up sees also those that are not offered.
func (d *Desk) PreparedMessages(ctx context.Context, a Actor) ([]contract.PreparedMessage, error) {
	rows, err := d.Store.PreparedMessages(ctx)
	messages := []contract.PreparedMessage{}
	for _, r := range rows {
		if r.Active || a.mayDo(SetUp) {
			messages = append(messages, contract.PreparedMessage{ID: &r.ID, Name: r.Name, Text: r.Text, Active: r.Active})
		}
	}
	return messages, err
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
		case m.Text == "":
			return nil, wrong("messages", "“"+m.Name+"” says nothing")
		case m.Active && names[key]:
			return nil, wrong("messages", "there are two messages “"+m.Name+"”")
		}
		names[key] = names[key] || m.Active
		if m.ID == nil {
			id := store.NewID()
			m.ID = &id
		}
	}
	if err := d.Store.Tx(ctx, func(q *db.Queries) error {
		for i, m := range p.Messages {
			if err := q.PutPreparedMessage(ctx, db.PutPreparedMessageParams{ID: *m.ID, Name: m.Name, Text: m.Text, Position: i, Active: m.Active}); err != nil {
				return err
			}
		}
		return nil
	}); err != nil {
		return nil, err
	}
	return d.PreparedMessages(ctx, a)
}

// LeavePrepared releases a from a call at once, and leaves a prepared message when the voicemail there lets one speak. Errors: *FieldError,
// those of call.Decide.
func (d *Desk) LeavePrepared(ctx context.Context, a Actor, id, message uuid.UUID) (contract.Call, error) {
	m, err := d.Store.PreparedMessage(ctx, message)
	if store.NotFound(err) {
		return contract.Call{}, &FieldError{"message_id", ErrNotFound}
	} else if err != nil {
		return contract.Call{}, err
	}
	if err := d.board.Do(ctx, id, call.LeavePrepared{By: a.ID.String(), Name: m.Name}); err != nil {
		return contract.Call{}, err
	}
	d.inBackground(func(ctx context.Context) { d.leave(ctx, id, m.Text) })
	d.publishSlip(a.ID, id, "")
	return d.callView(ctx, a, id)
}

// leave waits for the moment, says a text, and ends the call.
func (d *Desk) leave(ctx context.Context, id uuid.UUID, text string) {
	codes, err := d.spoken(ctx, text)
	if err != nil {
		d.Log.Error("a prepared message could not be spoken", "call", id, "error", err)
	}
	cue := d.awaitCue(ctx, id)
	if cue == audio.CueBeep || cue == audio.CueSilence {
		if d.board.Do(ctx, id, call.Beep{}) != nil {
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
	}
	if err := d.board.Do(ctx, id, call.PreparedEnds{}); err != nil && !errors.Is(err, call.ErrOver) {
		d.Log.Warn("a call in which a message was left does not end", "call", id, "error", err)
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
