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
	if err := ar.mayBegin(); err != nil {
		return contract.Call{}, err
	}
	ctx, cancel := firm.CarriedOut(ctx) // who has answered speaks, whether or not the window is still there
	defer cancel()
	row, err := ar.Store.CallByID(ctx, db.CallByIDParams{Me: a.ID, ID: id})
	if store.NotFound(err) {
		return contract.Call{}, firm.ErrNotFound
	} else if err != nil {
		return contract.Call{}, err
	}
	if row.Direction == string(contract.CallDirectionOutbound) {
		return contract.Call{}, call.ErrNotInbound
	}
	links, err := ar.Store.LinkedRecords(ctx, id)
	if err != nil {
		return contract.Call{}, err
	}
	sheet := db.InsertAnswerersSlipParams{ID: store.NewID(), CallID: id, UserID: a.ID, AsksWho: len(links) == 0 &&
		row.RemoteE164 != "", At: ar.Clock.Now()}
	var callers []slip.Link
	if sheet.AsksWho {
		// Who is meant may be clear to this rep, whose own customer calls, where it was not to everybody.
		matches, rows, err := ar.Book.WhoseNumber(ctx, a, row.RemoteE164, row.RemoteExt)
		if err != nil {
			return contract.Call{}, err
		}
		callers, _ = book.CallerLinks(matches, rows)
		sheet.AsksWho = len(callers) == 0
	}
	claimed := false
	var before *uuid.UUID // the call that a is in so far
	err = ar.Store.Tx(ctx, func(q *db.Queries) error {
		if _, err := ar.freeRep(ctx, q, a, nil); err != nil {
			var in *firm.InCallError
			if !errors.As(err, &in) || in.Call == id || ar.registry.call(in.Call) == nil {
				return err
			}
			before = &in.Call
		}
		// The slip is written in the same transaction as the rep's row, before anybody can think that they are free.
		if err := q.InsertAnswerersSlip(ctx, sheet); err != nil {
			return err
		}
		for _, l := range callers {
			record := uuid.MustParse(l.Record)
			if _, err := q.AddLink(ctx, db.AddLinkParams{CallID: id, RecordID: record, SlipID: &sheet.ID,
				Role: string(l.Role), Reason: l.Reason, At: sheet.At}); err != nil {
				return err
			}
			links = append(links, record)
		}
		if claimed = ar.registry.claim(id, a.ID, sheet.ID); !claimed {
			return call.ErrTaken
		}
		return nil
	})
	if err != nil && claimed {
		ar.registry.unclaim(id, a.ID, sheet.ID)
		ar.dropSlip(sheet, before) // the commit may have been made, and only its answer lost
	}
	var in *firm.InCallError
	switch {
	case store.Duplicate(err): // a has taken it before, and it is over
		return contract.Call{}, call.ErrOver
	case errors.As(err, &in) && in.Call == id: // from another window of the same rep, a moment ago
		return ar.CallView(ctx, a, id)
	case err != nil:
		return contract.Call{}, err
	}
	if err := ar.answer(ctx, a, id); err != nil { // over meanwhile
		ar.registry.unclaim(id, a.ID, sheet.ID)
		ar.dropSlip(sheet, before)
		return contract.Call{}, err
	}
	if len(callers) > 0 {
		ar.registry.change(id, func(c *liveCall) {
			c.records = links
		})
	}
	ar.whisper(ctx, a, id, row.LineID)
	ar.PublishSlip(a.ID, id, "")
	ar.PublishHistory(&id, links...)
	ar.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindTeam})
	return ar.CallView(ctx, a, id)
}

// answer lets a speak with who calls, once it is committed that a does: what a is in so far is held.
func (ar *Arrivals) answer(ctx context.Context, a firm.Actor, id uuid.UUID) error {
	held := ar.stepOut(ctx, a, id)
	err := ar.board.Do(ctx, id, call.Answer{By: a.ID.String()})
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

// DeclineCall takes a out of those who are rung. Errors: call.ErrTaken, call.ErrOver.
func (ar *Arrivals) DeclineCall(ctx context.Context, a firm.Actor, id uuid.UUID) error {
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
		if s, there := ar.board.Snapshot(id); there && s.Phase() == call.PhaseSpeaking && !s.OnHold {
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
