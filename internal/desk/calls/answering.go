package calls

import (
	"context"
	"errors"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/core/slip"
	"trundo/internal/desk/book"
	"trundo/internal/desk/firm"
	"trundo/internal/media"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// AnswerCall gives a the call that rings for them, with a slip. A call that a is in is held first; one that only rings
// on the other side is given up. Errors: call.ErrTaken, call.ErrNoRing, call.ErrOver, *InCallError, ErrNotFound.
func (ar *Arrivals) AnswerCall(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.Call, error) {
	return ar.enter(ctx, a, id, call.Answer{By: a.ID.String()})
}

// entrance is how somebody comes to a call: with the slip that they have in it, a new one unless they were in it before.
type entrance struct {
	sheet   db.InsertAnswerersSlipParams
	again   bool        // they have a slip in it already
	shared  bool        // others could come to it instead of them
	callers []slip.Link // who is meant, where that is clear to them only
	links   []uuid.UUID
	line    *uuid.UUID
	before  *uuid.UUID // the call that they are in so far
	claimed bool
}

// enter lets a come to a call by an input, which is an Answer, a Take or a StepIn. Errors: as AnswerCall, and those of the
// input.
func (ar *Arrivals) enter(ctx context.Context, a firm.Actor, id uuid.UUID, in call.Input) (contract.Call, error) {
	if err := ar.mayBegin(); err != nil {
		return contract.Call{}, err
	}
	ctx, cancel := firm.CarriedOut(ctx) // who has answered speaks, whether or not the window is still there
	defer cancel()
	e, err := ar.entranceOf(ctx, a, id, in)
	if err != nil {
		return contract.Call{}, err
	}
	defer ar.registry.came(id, a.ID)
	err = ar.Store.Tx(ctx, func(q *db.Queries) error { return ar.commitEntrance(ctx, q, a, e) })
	if err != nil && e.claimed {
		ar.goBack(a, e) // the commit may have been made, and only its answer lost
	}
	var at *firm.InCallError
	switch {
	case store.Duplicate(err): // a has taken it before, and it is over
		return contract.Call{}, call.ErrOver
	case errors.As(err, &at) && at.Call == id: // from another window of the same rep, a moment ago
		return ar.CallView(ctx, a, id)
	case err != nil:
		return contract.Call{}, err
	}
	if err := ar.comeTo(ctx, a, id, in); err != nil { // over meanwhile
		ar.goBack(a, e)
		return contract.Call{}, err
	}
	if len(e.callers) > 0 {
		ar.registry.change(id, func(c *liveCall) { c.records = e.links })
	}
	if _, answers := in.(call.Answer); answers {
		ar.whisper(ctx, a, id, e.line)
	}
	ar.PublishSlip(a.ID, id, "")
	ar.PublishHistory(&id, e.links...)
	ar.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindTeam})
	return ar.CallView(ctx, a, id)
}

// entranceOf finds out with which slip a comes to a call, and whether others could. Errors: ErrNotFound,
// call.ErrNotInbound.
func (ar *Arrivals) entranceOf(ctx context.Context, a firm.Actor, id uuid.UUID, in call.Input) (*entrance, error) {
	row, err := ar.Store.CallByID(ctx, db.CallByIDParams{Me: a.ID, ID: id})
	if store.NotFound(err) {
		return nil, firm.ErrNotFound
	} else if err != nil {
		return nil, err
	}
	e := &entrance{line: row.LineID}
	if s, live := ar.board.Snapshot(id); live {
		asked := s.Asked(a.ID.String())
		_, answers := in.(call.Answer)
		if answers && !asked && !s.Left() && row.Direction == string(contract.CallDirectionOutbound) {
			return nil, call.ErrNotInbound
		}
		_, stepsIn := in.(call.StepIn)
		e.shared = !asked && !stepsIn
	} else if row.Direction == string(contract.CallDirectionOutbound) {
		return nil, call.ErrNotInbound
	}
	if e.links, err = ar.Store.LinkedRecords(ctx, id); err != nil {
		return nil, err
	}
	e.sheet = db.InsertAnswerersSlipParams{ID: store.NewID(), CallID: id, UserID: a.ID, AsksWho: len(e.links) == 0 &&
		row.RemoteE164 != "", At: ar.Clock.Now()}
	if c := ar.registry.call(id); c != nil && c.parts[a.ID] != uuid.Nil && !c.in(a.ID) {
		e.sheet.ID, e.again, e.sheet.AsksWho = c.parts[a.ID], true, false
	}
	if e.sheet.AsksWho {
		// Who is meant may be clear to this rep, whose own customer calls, where it was not to everybody.
		matches, rows, err := ar.Book.WhoseNumber(ctx, a, row.RemoteE164, row.RemoteExt)
		if err != nil {
			return nil, err
		}
		e.callers, _ = book.CallerLinks(matches, rows)
		e.sheet.AsksWho = len(e.callers) == 0
	}
	return e, nil
}

// commitEntrance writes down that a is in a call, while a's row is locked, and claims it.
func (ar *Arrivals) commitEntrance(ctx context.Context, q *db.Queries, a firm.Actor, e *entrance) error {
	id := e.sheet.CallID
	if _, err := ar.freeRep(ctx, q, a, nil); err != nil {
		var in *firm.InCallError
		if !errors.As(err, &in) || in.Call == id || ar.registry.call(in.Call) == nil {
			return err
		}
		e.before = &in.Call
	}
	// The slip is written in the same transaction as the rep's row, before anybody can think that they are free.
	if e.again {
		if err := q.SetForeground(ctx, db.SetForegroundParams{CallID: &id, UserID: a.ID}); err != nil {
			return err
		}
	} else if err := q.InsertAnswerersSlip(ctx, e.sheet); err != nil {
		return err
	}
	for _, l := range e.callers {
		record := uuid.MustParse(l.Record)
		if _, err := q.AddLink(ctx, db.AddLinkParams{CallID: id, RecordID: record, SlipID: &e.sheet.ID,
			Role: string(l.Role), Reason: l.Reason, At: e.sheet.At}); err != nil {
			return err
		}
		e.links = append(e.links, record)
	}
	ar.registry.named(a.ID.String(), a.Name)
	if !e.shared {
		ar.registry.enter(id, a.ID, e.sheet.ID)
		e.claimed = true
		return nil
	}
	if e.claimed = ar.registry.claim(id, a.ID, e.sheet.ID); !e.claimed {
		return call.ErrTaken
	}
	return nil
}

// goBack takes back that a came to a call: it was over, or somebody else's.
func (ar *Arrivals) goBack(a firm.Actor, e *entrance) {
	if e.again {
		ar.registry.unclaimed(e.sheet.CallID, e.sheet.ID)
		return // the slip is of what they did in it before
	}
	ar.registry.unclaim(e.sheet.CallID, a.ID, e.sheet.ID)
	ar.dropSlip(e.sheet, e.before)
}

// comeTo lets a speak in a call, once it is committed that a does: what a is in so far is held.
func (ar *Arrivals) comeTo(ctx context.Context, a firm.Actor, id uuid.UUID, in call.Input) error {
	held := ar.stepOut(ctx, a, id)
	err := ar.board.Do(ctx, id, in)
	if err != nil {
		for _, h := range held {
			_ = ar.board.Do(ctx, h, call.Resume{By: a.ID.String()})
		}
	}
	return err
}

// whisper says to a rep who wants that on which line a call came in; the caller does not hear it.
func (ar *Arrivals) whisper(ctx context.Context, a firm.Actor, id uuid.UUID, line *uuid.UUID) {
	room := ar.Studio.Room(id)
	if !a.Whisper || line == nil || room == nil {
		return
	}
	f, err := ar.Settings(ctx)
	if err != nil {
		return
	}
	if codes, err := ar.Voices.spoken(ctx, f.LineLabels[*line]); err == nil && len(codes) > 0 {
		room.PlayToUs(media.Codes(codes, false))
	}
}

// stepOut holds the calls that a is in, but for one, and gives up those that nobody has answered. It gives those that
// it has put on hold.
func (ar *Arrivals) stepOut(ctx context.Context, a firm.Actor, except uuid.UUID) (held []uuid.UUID) {
	for _, id := range ar.registry.of(a.ID) {
		if id == except {
			continue
		}
		switch err := ar.board.Do(ctx, id, call.Hold{By: a.ID.String()}); {
		case err == nil:
			held = append(held, id)
		case errors.Is(err, call.ErrNoSpeech):
			_ = ar.board.HangUp(ctx, id, a.ID.String())
		}
	}
	return held
}

// dropSlip takes back the slip of a rep who did not get the call that they wanted to answer, as soon as the database
// takes that.
func (ar *Arrivals) dropSlip(sheet db.InsertAnswerersSlipParams, before *uuid.UUID) {
	ar.InBackground(func(ctx context.Context) {
		for {
			err := ar.Store.DropAnswerersSlip(ctx,
				db.DropAnswerersSlipParams{ID: sheet.ID, UserID: sheet.UserID, CallID: &sheet.CallID, Before: before})
			switch {
			case err == nil:
				ar.PublishSlip(sheet.UserID, sheet.CallID, "")
				return
			case ctx.Err() != nil:
				ar.Log.Error("the slip of a call that was not answered was not taken back", "call", sheet.CallID,
					"user", sheet.UserID)
				return
			}
			select {
			case <-ctx.Done():
			case <-time.After(400 * time.Millisecond):
			}
		}
	})
}

// DeclineCall takes a out of those who are rung; a colleague who asks is told a word. Errors: call.ErrTaken, call.ErrOver.
func (ar *Arrivals) DeclineCall(ctx context.Context, a firm.Actor, id uuid.UUID, word string) error {
	if word = firm.CleanText(word); word != "" {
		if err := ar.board.Do(ctx, id, call.Say{By: a.ID.String(), Word: word}); err != nil &&
			!errors.Is(err, call.ErrNoRing) {
			return err
		}
	}
	return ar.board.Do(ctx, id, call.Decline{By: a.ID.String()})
}

// HoldCall holds a call that a is in, or goes on with it; another that a speaks in is held then. Errors: those of
// call.Decide.
func (ar *Arrivals) HoldCall(ctx context.Context, a firm.Actor, id uuid.UUID, on bool) error {
	if on {
		return ar.board.Do(ctx, id, call.Hold{By: a.ID.String()})
	}
	held := ar.stepOut(ctx, a, id)
	if err := ar.board.Do(ctx, id, call.Resume{By: a.ID.String()}); err != nil {
		for _, h := range held {
			_ = ar.board.Do(ctx, h, call.Resume{By: a.ID.String()})
		}
		return err
	}
	if err := ar.Store.SetForeground(ctx, db.SetForegroundParams{CallID: &id, UserID: a.ID}); err != nil &&
		!store.Away(err) {
		return err
	}
	return nil
}

// MuteCall lets the other side not hear a, or hear a again. Errors: those of call.Decide.
func (ar *Arrivals) MuteCall(ctx context.Context, a firm.Actor, id uuid.UUID, on bool) error {
	return ar.board.Do(ctx, id, call.Mute{By: a.ID.String(), On: on})
}

// keyed sends a digit that came with a rep's voice to the call in which they speak.
func (ar *Arrivals) keyed(user, digit string) {
	rep, err := uuid.Parse(user)
	if err != nil {
		return // of somebody who plays the outside
	}
	for _, id := range ar.registry.of(rep) {
		if s, there := ar.board.Snapshot(id); there && s.Speaks(user) {
			if err := ar.board.Press(ar.Background(), id, user, digit, false); err != nil {
				ar.Log.Debug("a key went nowhere", "call", id, "error", err)
			}
			return
		}
	}
}

// PressKeys sends keypad tones from a to the other side. Errors: those of call.Decide, *FieldError about "digits".
func (ar *Arrivals) PressKeys(ctx context.Context, a firm.Actor, id uuid.UUID, digits string, hidden bool) error {
	err := ar.board.Press(ctx, id, a.ID.String(), digits, hidden)
	if errors.Is(err, call.ErrDigits) {
		return firm.About("digits", err)
	}
	return err
}
