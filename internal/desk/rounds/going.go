package rounds

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/core/callerid"
	"trundo/internal/core/round"
	"trundo/internal/core/slip"
	"trundo/internal/desk/calls"
	"trundo/internal/desk/filing"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

const (
	// callingHold is for how long somebody is kept whose attempt is not filed.
	callingHold = 24 * time.Hour
)

// Errors of a round.
var (
	ErrNobodyNow = errors.New("you are at nobody just now")
	ErrLetGo     = errors.New("somebody else is at this person now")
	ErrUnfiled   = errors.New("say first what came of the last attempt, or leave its slip for later")
)

// attempt is a call of a round that is about to be placed, or was.
type attempt struct {
	rs       *Rounds
	round    aRound
	position int
	number   uuid.UUID
	hour     int
}

// CallType implements Placement: it is that of the round.
func (x *attempt) CallType() *uuid.UUID { return x.round.settings.CallTypeID }

// Unrecorded implements Placement.
func (x *attempt) Unrecorded() string {
	if x.round.settings.Record == contract.RoundSettingsRecordNever {
		return "not in this round"
	}
	return ""
}

// Enter implements Placement: the person is held while the call goes on. Error: ErrLetGo.
func (x *attempt) Enter(ctx context.Context, q *db.Queries, a firm.Actor, call uuid.UUID, at time.Time) error {
	p, err := q.LockRoundPerson(ctx, db.LockRoundPersonParams{RoundID: x.round.ID, Position: x.position})
	if err != nil {
		return err
	}
	if p.State != "taken" || p.UserID == nil || *p.UserID != a.ID {
		return ErrLetGo
	}
	now, until := at, at.Add(callingHold)
	if n, err := q.HoldPerson(ctx,
		db.HoldPersonParams{RecordID: p.RecordID, RoundID: x.round.ID, UserID: a.ID, Until: until,
			Now: now}); err != nil || n == 0 {
		return errors.Join(err, ErrLetGo)
	}
	return q.InsertRoundCall(ctx, db.InsertRoundCallParams{CallID: call, RoundID: x.round.ID, Position: x.position,
		NumberID: &x.number, UserID: a.ID, At: at, Hour: x.hour})
}

// Shown implements Placement: the line by the rule of the round.
func (x *attempt) Shown(ctx context.Context, a firm.Actor, lines []callerid.Line, single callerid.Request,
	e164 string) (callerid.Choice, error) {
	d := x.rs
	s := x.round.settings
	r := callerid.ManyRequest{Request: single, Rule: callerid.Rule(s.Shown), E164: e164, Max: s.MaxShown}
	switch s.Shown {
	case contract.RoundSettingsShownLine:
		r.Named = optional.ID(s.LineID)
	case contract.RoundSettingsShownList:
		if x.round.ListID != nil {
			line, err := d.Store.LineOfList(ctx, *x.round.ListID)
			if err != nil && !store.NotFound(err) {
				return callerid.Choice{}, err
			}
			r.Named = optional.ID(line)
		}
	case contract.RoundSettingsShownKnown:
		line, err := d.Store.LineTheyKnow(ctx, e164)
		if err != nil && !store.NotFound(err) {
			return callerid.Choice{}, err
		}
		r.Known = optional.ID(line)
	}
	if s.MaxShown > 0 {
		rows, err := d.Store.ShownToday(ctx, firm.DayStart(d.Clock.Now(), a.Location()))
		if err != nil {
			return callerid.Choice{}, err
		}
		r.Shown = map[string]int{}
		for _, row := range rows {
			r.Shown[optional.ID(row.LineID)] = row.Times
		}
	}
	shown, err := callerid.ChooseMany(lines, r)
	if err != nil {
		err = firm.About("line_id", err)
	}
	return shown, err
}

// ActOnRound goes on with a round, pauses it, and what else its rep can do. Errors: *FieldError, ErrNotFound,
// ErrForbidden, ErrRoundOver, ErrNobodyNow, ErrUnfiled, those of PlaceCall.
func (rs *Rounds) ActOnRound(ctx context.Context, a firm.Actor, id uuid.UUID, key string,
	act contract.RoundAct) (contract.Round, error) {
	if rs.Journal.Away() {
		return contract.Round{}, firm.ErrAway
	}
	r, err := rs.round(ctx, a, id)
	if err != nil {
		return contract.Round{}, err
	}
	if r.EndedAt != nil {
		return contract.Round{}, ErrRoundOver
	}
	switch act.Act {
	case contract.RoundActActGo:
		err = rs.goOn(ctx, a, r, key, optional.Value(act.Anyway))
	case contract.RoundActActCall:
		err = rs.callHeld(ctx, a, r, key, act.NumberID)
	case contract.RoundActActNextNumber:
		err = rs.tryNext(ctx, a, r, key, act.NumberID)
	case contract.RoundActActSkip:
		err = rs.skip(ctx, a, r, key)
	case contract.RoundActActAside:
		err = rs.advance(ctx, a, r, key, advancing{aside: true})
	case contract.RoundActActBack:
		if act.Position == nil {
			return contract.Round{}, firm.Wrong("position", "say to whom")
		}
		err = rs.comeBack(ctx, a, r, *act.Position)
	case contract.RoundActActPause:
		err = rs.pauseRound(ctx, a, r, "")
	case contract.RoundActActStopAfter, contract.RoundActActGoOnAfter:
		err = rs.Store.SetStopAfter(ctx,
			db.SetStopAfterParams{RoundID: id, UserID: a.ID, Stop: act.Act == contract.RoundActActStopAfter})
	case contract.RoundActActHandOver:
		if act.RepID == nil {
			return contract.Round{}, firm.Wrong("rep_id", "say to whom")
		}
		err = rs.handRound(ctx, a, r, *act.RepID)
	case contract.RoundActActLeave:
		err = rs.leaveRound(ctx, a, r)
	case contract.RoundActActEnd:
		err = rs.endRound(ctx, a, r)
	}
	rs.PublishRound(id, a.ID)
	if err != nil {
		return contract.Round{}, err
	}
	return rs.Round(ctx, a, id)
}

// goOn makes a work on a round, and on no other, and takes the next person.
func (rs *Rounds) goOn(ctx context.Context, a firm.Actor, r aRound, key string, anyway bool) error {
	now := rs.Clock.Now()
	err := rs.Store.Tx(ctx, func(q *db.Queries) error {
		if _, err := q.LockRep(ctx, a.ID); err != nil {
			return err
		}
		other, err := q.GoingRound(ctx, a.ID)
		switch {
		case store.NotFound(err):
		case err != nil:
			return err
		case other == r.ID:
			return nil
		default:
			if err := q.ReleaseTaken(ctx, db.ReleaseTakenParams{RoundID: other, UserID: a.ID}); err != nil {
				return err
			}
			if err := q.PauseOtherRounds(ctx,
				db.PauseOtherRoundsParams{RoundID: r.ID, UserID: a.ID, Since: now}); err != nil {
				return err
			}
		}
		return q.PutRoundRep(ctx, db.PutRoundRepParams{RoundID: r.ID, UserID: a.ID, State: "going",
			TakesCalls: r.settings.TakesCalls, Since: now})
	})
	if err != nil {
		return err
	}
	rs.PublishLane(a.ID)
	return rs.advance(ctx, a, r, key, advancing{anyway: anyway})
}

// advancing is how a round goes on to the next person.
type advancing struct {
	anyway bool // though a promised call is due, or a call comes in
	aside  bool // though the last attempt is not filed
}

// waits says why a's round does not go on by itself; "" where it does.
func (rs *Rounds) roundWaits(ctx context.Context, a firm.Actor, r aRound) (string, error) {
	if len(rs.Calls.Arrivals.RingingFor(a.ID)) > 0 {
		return "a call comes in for you", nil
	}
	if !r.settings.Promises {
		return "", nil
	}
	now := rs.Clock.Now()
	due, err := rs.Store.PromisesDue(ctx, db.PromisesDueParams{OwnerID: a.ID, Now: &now, RoundID: r.ID})
	if err != nil || len(due) == 0 {
		return "", err
	}
	return fmt.Sprintf("you promised %s a call at %s", due[0].Name, rs.Dates().Time(due[0].DueAt.In(a.Location()))), nil
}

// passPromises remembers that a goes on though promised calls are due: the round asks once about each.
func (rs *Rounds) passPromises(ctx context.Context, a firm.Actor, r aRound) error {
	now := rs.Clock.Now()
	due, err := rs.Store.PromisesDue(ctx, db.PromisesDueParams{OwnerID: a.ID, Now: &now, RoundID: r.ID})
	if err != nil || len(due) == 0 {
		return err
	}
	ids := make([]uuid.UUID, len(due))
	for i, x := range due {
		ids[i] = x.ID
	}
	return rs.Store.PassPromises(ctx, db.PassPromisesParams{Ids: ids, RoundID: r.ID, UserID: a.ID})
}

// advance takes the next person and, where the round's pace says so, calls them.
func (rs *Rounds) advance(ctx context.Context, a firm.Actor, r aRound, key string, how advancing) error {
	rep, err := rs.Store.RoundRep(ctx, db.RoundRepParams{RoundID: r.ID, UserID: a.ID})
	if store.NotFound(err) || err == nil && rep.State != "going" {
		return nil
	} else if err != nil {
		return err
	}
	if rep.StopAfter {
		return rs.pauseRound(ctx, a, r, "")
	}
	if how.anyway {
		if err := rs.passPromises(ctx, a, r); err != nil {
			return err
		}
	} else {
		if why, err := rs.roundWaits(ctx, a, r); err != nil || why != "" {
			return err
		}
	}
	_, err = rs.takeNext(ctx, a, r, how.aside)
	if errors.Is(err, ErrUnfiled) {
		return nil // the slip that was left open comes to lie on the desk
	}
	if err != nil {
		return err
	}
	if r.rules.Pace != round.AtOnce {
		return nil
	}
	err = rs.callHeld(ctx, a, r, key, nil)
	if errors.Is(err, ErrNobodyNow) || errors.Is(err, calls.ErrTelephoneRings) {
		return nil
	}
	return err
}

// callHeld calls whom a has taken. Errors: ErrUnfiled, ErrNobodyNow, those of PlaceCall.
func (rs *Rounds) callHeld(ctx context.Context, a firm.Actor, r aRound, key string, number *uuid.UUID) error {
	h, err := rs.held(ctx, rs.Store.Queries, a, r.ID)
	switch {
	case err != nil:
		return err
	case h == nil:
		return ErrNobodyNow
	case h.State == "calling" && h.CallEnded == nil:
		return nil // the key came twice
	case h.State == "calling":
		return ErrUnfiled
	}
	if number == nil {
		number = h.NumberID
	}
	f, err := rs.Settings(ctx)
	if err != nil {
		return err
	}
	people, err := rs.roundPeople(ctx, rs.Store.Queries, a, f, []uuid.UUID{h.RecordID})
	if err != nil {
		return err
	}
	n := people[h.RecordID].number(number)
	if n == nil {
		return firm.Wrong("number_id", "this is not a number of theirs")
	}
	x := &attempt{rs: rs, round: r, position: h.Position, number: n.ID,
		hour: round.HourAt(rs.Clock.Now(), zonesOf(n), a.Location())}
	wish := contract.NewCall{NumberID: &n.ID}
	if about, err := rs.Store.RoundMatter(ctx, db.RoundMatterParams{RoundID: r.ID, RecordID: h.RecordID}); err == nil {
		wish.OpenRecordID = &about
	} else if !store.NotFound(err) {
		return err
	}
	_, err = rs.Calls.PlaceFor(ctx, a, key+"-call", wish, x)
	if errors.Is(err, callerid.ErrWornOut) {
		return rs.pauseRound(ctx, a, r, err.Error())
	}
	return err
}

// tryNext ends an attempt and calls the same person by another number. Without one named it is the next by number order
// that was not tried.
func (rs *Rounds) tryNext(ctx context.Context, a firm.Actor, r aRound, key string, number *uuid.UUID) error {
	h, err := rs.held(ctx, rs.Store.Queries, a, r.ID)
	if err != nil {
		return err
	}
	if h == nil {
		return ErrNobodyNow
	}
	f, err := rs.Settings(ctx)
	if err != nil {
		return err
	}
	people, err := rs.roundPeople(ctx, rs.Store.Queries, a, f, []uuid.UUID{h.RecordID})
	if err != nil {
		return err
	}
	x := people[h.RecordID]
	if number == nil {
		i, more := round.NextAt(x.person, firm.IDTexts(h.Tried), rs.Hours, rs.Clock.Now())
		if !more {
			return firm.Wrong("number_id", "there is no other number of theirs that may be called now")
		}
		number = &x.numbers[i].ID
	}
	if n := x.number(number); n == nil || n.E164 == "" {
		return firm.Wrong("number_id", "this is not a number of theirs")
	}
	if h.State == "calling" {
		if err := rs.endAttempt(ctx, a, h, key, filing.Ending{Next: number}); err != nil {
			return err
		}
	}
	return rs.callHeld(ctx, a, r, key, number)
}

// endAttempt ends an attempt without an outcome, by the rep's own decision: the call is hung up and its slip filed as
// it is.
func (rs *Rounds) endAttempt(ctx context.Context, a firm.Actor, h *db.HeldInRoundRow, key string,
	how filing.Ending) error {
	if h.CallEnded == nil {
		if err := rs.Calls.HangUp(ctx, a, *h.CallID); err != nil {
			return err
		}
	}
	if !h.SlipOpen {
		return nil
	}
	_, err := rs.Filing.FileOnce(ctx, a, h.SlipID, key+"-end", nil, &how)
	if errors.Is(err, slip.ErrAlreadyFiled) {
		return nil
	}
	return err
}

// skip leaves whom a is at out of the round, and goes on.
func (rs *Rounds) skip(ctx context.Context, a firm.Actor, r aRound, key string) error {
	h, err := rs.held(ctx, rs.Store.Queries, a, r.ID)
	switch {
	case err != nil:
		return err
	case h == nil:
		return ErrNobodyNow
	case h.State == "calling":
		err = rs.endAttempt(ctx, a, h, key, filing.Ending{Skipped: true})
	default:
		now := rs.Clock.Now()
		err = rs.Store.PutOff(ctx, db.PutOffParams{RoundID: r.ID, Position: h.Position, UserID: a.ID, State: "done",
			Bead: string(round.Skipped), SettledAt: &now})
	}
	if err != nil {
		return err
	}
	return rs.advance(ctx, a, r, key, advancing{})
}

// SettleInRound ends an attempt with its outcome, files it and goes on: one key's work. The same key does it once.
// Errors: slip.ErrStillInCall while somebody is spoken with and the outcome is that of a conversation, or none is
// named; those of File and of PlaceCall.
func (rs *Rounds) SettleInRound(ctx context.Context, a firm.Actor, id uuid.UUID, key string,
	s contract.RoundSettle) (contract.Round, error) {
	if rs.Journal.Away() {
		return contract.Round{}, firm.ErrAway
	}
	r, err := rs.round(ctx, a, id)
	if err != nil {
		return contract.Round{}, err
	}
	sheet, err := rs.Store.SlipBrief(ctx, s.SlipID)
	switch {
	case store.NotFound(err):
		return contract.Round{}, firm.About("slip_id", firm.ErrNotFound)
	case err != nil:
		return contract.Round{}, err
	case sheet.UserID != a.ID:
		return contract.Round{}, firm.ErrForbidden
	}
	if sheet.State != string(slip.Filed) {
		if err := rs.settleSlip(ctx, a, r, sheet, key, s); err != nil {
			return contract.Round{}, err
		}
	}
	if err := rs.advance(ctx, a, r, key, advancing{}); err != nil {
		rs.PublishRound(id, a.ID)
		return contract.Round{}, err
	}
	rs.PublishRound(id, a.ID)
	return rs.Round(ctx, a, id)
}

// settleSlip ends the call as far as a is in it, and files the slip with an outcome.
func (rs *Rounds) settleSlip(ctx context.Context, a firm.Actor, r aRound, sheet db.SlipBriefRow, key string,
	s contract.RoundSettle) error {
	outcome := s.OutcomeID
	if state, live := rs.Calls.State(sheet.CallID); live && !state.HasLeft(a.ID.String()) {
		if state.Phase() == call.PhaseSpeaking && !optional.Value(s.Leave) {
			// Who is spoken with is cut off only by an outcome that says that it is no conversation, never by filing.
			f, err := rs.Settings(ctx)
			if err != nil {
				return err
			}
			if outcome == nil {
				return slip.ErrStillInCall
			}
			if o, there := f.Outcome(*outcome); !there || o.Reached {
				return slip.ErrStillInCall
			}
		}
		if optional.Value(s.Leave) {
			message := s.MessageID
			if message == nil {
				message = r.settings.MessageID
			}
			if message == nil {
				fits, err := rs.Calls.Voices.PreparedFor(ctx, a, sheet.CallID)
				if err != nil {
					return err
				}
				if len(fits) == 0 {
					return firm.Wrong("message_id", "there is no prepared message to leave")
				}
				message = fits[0].ID
			}
			if _, err := rs.Calls.Voices.LeavePrepared(ctx, a, sheet.CallID, *message,
				optional.Value(s.ToPerson)); err != nil {
				return err
			}
		} else if err := rs.Calls.HangUp(ctx, a, sheet.CallID); err != nil {
			return err
		}
	}
	if outcome == nil && optional.Value(s.Leave) {
		outcome = r.settings.MessageOutcomeID
	}
	if outcome != nil && !optional.Same(outcome, sheet.OutcomeID) {
		if _, err := rs.Filing.ChangeSlip(ctx, a, sheet.ID,
			contract.SlipChange{OutcomeID: outcome, Version: sheet.Version}); err != nil {
			return err
		}
	}
	_, err := rs.Filing.File(ctx, a, sheet.ID, key, s.Items)
	return err
}
