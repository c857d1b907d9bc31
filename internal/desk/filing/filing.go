package filing

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/outcome"
	"trundo/internal/core/slip"
	"trundo/internal/desk/firm"
	"trundo/internal/journal"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// UndoPatience is for how long after its filing a slip can be opened again with what it did taken back.
const UndoPatience = 10 * time.Minute

// ErrTooLate is told who wants to undo a filing that lies back.
var ErrTooLate = errors.New("this was filed more than ten minutes ago: what it did can be changed where it stands")

// ErrNothingToUndo is told who wants to undo a filing that is not there.
var ErrNothingToUndo = errors.New("this slip is not filed")

// filing carries out the plan of a slip that is being filed, in its transaction.
type filing struct {
	fg    *Filing
	q     *db.Queries
	a     firm.Actor
	f     *firm.Settings
	slip  db.LockSlipRow
	id    uuid.UUID
	at    time.Time
	rows  []db.InsertFilingEffectsParams
	lanes []uuid.UUID // whose lane has changed
	where []uuid.UUID // records that have changed
	wrote bool        // something waits to be sent
	round *uuid.UUID  // whose attempt it was
}

// carryOut does what a plan says and keeps what was there before.
func (x *filing) carryOut(ctx context.Context, items []outcome.Item) error {
	if err := x.q.InsertFiling(ctx,
		db.InsertFilingParams{ID: x.id, SlipID: x.slip.ID, UserID: x.slip.UserID, OutcomeID: x.slip.OutcomeID, At: x.at,
			Asked: x.slip.AsksWho}); err != nil {
		return err
	}
	for i, it := range items {
		effect, known := effects[it.Kind]
		if !known {
			return firm.About("items", outcome.ErrNotPlanned)
		}
		item, err := json.Marshal(it)
		if err != nil {
			return err
		}
		row := db.InsertFilingEffectsParams{FilingID: x.id, Position: i, Item: item, Before: json.RawMessage(`{}`)}
		before, err := effect.do(ctx, x, it, &row)
		if err != nil {
			return err
		}
		if before != nil {
			if row.Before, err = json.Marshal(before); err != nil {
				return err
			}
		}
		x.rows = append(x.rows, row)
	}
	return firm.Every(x.q.InsertFilingEffects(ctx, x.rows).Exec)
}

// correct follows a filed slip's new outcome: what the former one did is taken back, and what the new one does is done,
// as far as the rep says so.
func (x *filing) correct(ctx context.Context, c contract.SlipChange) error {
	if optional.Value(c.TakeBack) {
		filings, err := x.q.Filings(ctx, x.slip.ID)
		if err != nil {
			return err
		}
		for _, f := range filings {
			if f.UndoneAt != nil {
				continue
			}
			records, err := x.fg.takeBack(ctx, x.q, x.a, x.slip, f.ID, everyItem, "")
			if err != nil {
				return err
			}
			x.where = append(x.where, records...)
			if err := x.q.SetFilingUndone(ctx, db.SetFilingUndoneParams{ID: f.ID, At: &x.at}); err != nil {
				return err
			}
		}
	}
	if _, err := x.fg.Calls.Weigh(ctx, x.q, x.slip.CallID); err != nil {
		return err
	}
	if x.slip.OutcomeID == nil {
		return nil
	}
	o, _ := x.f.Outcome(*x.slip.OutcomeID)
	var plan []outcome.Item
	if c.Items != nil {
		var err error
		if plan, err = x.fg.settled(ctx, x.q, x.a, x.f, x.slip.ID, o, c.Items); err != nil {
			return err
		}
	}
	if len(plan) > 0 {
		if err := x.carryOut(ctx, plan); err != nil {
			return err
		}
	}
	if x.slip.InRound {
		return x.settleAttempt(ctx, plan, o.Reached, nil)
	}
	return nil
}

// take is an effect that is taken back: what was done, and what is there now.
type take struct {
	fg   *Filing
	q    *db.Queries
	a    firm.Actor
	slip db.LockSlipRow
	item outcome.Item
	row  db.FilingEffectsRow
}

// changedSince is why something stays that somebody has changed.
const changedSince = "it has been changed since"

// UndoFiling opens a slip again and takes back what its filing did. What has been changed since stays, and is said.
// Undoing twice is no mistake. Errors: ErrNotFound, ErrForbidden, ErrNothingToUndo, ErrTooLate.
func (fg *Filing) UndoFiling(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.Filing, error) {
	var s db.LockSlipRow
	var view contract.Filing
	var where []uuid.UUID
	var round *uuid.UUID
	err := fg.Store.Tx(ctx, func(q *db.Queries) error {
		var err error
		if s, err = firm.LockSlip(ctx, q, a, id); err != nil {
			return err
		}
		filings, err := q.Filings(ctx, id)
		if err != nil {
			return err
		}
		if s.State != string(slip.Filed) {
			if len(filings) == 0 || filings[0].UndoneAt == nil {
				return ErrNothingToUndo
			}
			view, err = fg.filingView(ctx, q, filings[0])
			return err
		}
		if s.FiledAt == nil || fg.Clock.Since(*s.FiledAt) > UndoPatience {
			return ErrTooLate
		}
		asks := false
		view = contract.Filing{SlipID: id, At: *s.FiledAt, UndoUntil: s.FiledAt.Add(UndoPatience), Undone: true,
			Effects: []contract.FilingEffect{}}
		for _, f := range filings { // one, and one for each correction
			if f.UndoneAt != nil {
				continue
			}
			records, err := fg.takeBack(ctx, q, a, s, f.ID, everyItem, "")
			if err != nil {
				return err
			}
			where, asks = append(where, records...), f.Asked
			now := fg.Clock.Now()
			if err := q.SetFilingUndone(ctx, db.SetFilingUndoneParams{ID: f.ID, At: &now}); err != nil {
				return err
			}
			f.UndoneAt = &now
			did, err := fg.filingView(ctx, q, f)
			if err != nil {
				return err
			}
			did.Effects = append(did.Effects, view.Effects...)
			view = did
		}
		if err := q.ReopenSlip(ctx, db.ReopenSlipParams{ID: id, AsksWho: asks}); err != nil {
			return err
		}
		if _, err := fg.Calls.Weigh(ctx, q, s.CallID); err != nil {
			return err
		}
		if err := q.UnsettlePromises(ctx,
			db.UnsettlePromisesParams{OwnerID: s.UserID, At: s.FiledAt, CallID: s.CallID}); err != nil {
			return err
		}
		if s.InRound {
			if round, err = fg.attempts.UnsettleAttempt(ctx, q, s); err != nil {
				return err
			}
		}
		return fg.Audited(ctx, q, a, "slip", id, "opened again", map[string]string{}, map[string]string{})
	})
	if err != nil {
		return contract.Filing{}, err
	}
	fg.Calls.SlipOpened(id, s.UserID, s.CallID)
	fg.Calls.PublishSlip(s.UserID, s.CallID, "")
	fg.PublishLane(s.UserID)
	if len(where) > 0 {
		fg.PublishRecord(where...)
	}
	if round != nil {
		fg.attempts.PublishRound(*round, s.UserID)
	}
	_, err = fg.Calls.TellAndView(ctx, a, s.CallID)
	return view, err
}

func everyItem(outcome.Item) bool { return true }

// takeBack takes those effects of a filing back that are asked for, the last one first, says why, and tells which
// records have changed.
func (fg *Filing) takeBack(ctx context.Context, q *db.Queries, a firm.Actor, s db.LockSlipRow, filing uuid.UUID,
	asked func(outcome.Item) bool,
	because string) ([]uuid.UUID, error) {
	rows, err := q.FilingEffects(ctx, filing)
	if err != nil {
		return nil, err
	}
	var where []uuid.UUID
	for i := len(rows) - 1; i >= 0; i-- {
		row := rows[i]
		if row.State != "done" {
			continue
		}
		t := take{fg: fg, q: q, a: a, slip: s, row: row}
		if err := json.Unmarshal(row.Item, &t.item); err != nil {
			return nil, err
		}
		if !asked(t.item) {
			continue
		}
		why, err := effects[t.item.Kind].undo(ctx, t)
		if err != nil {
			return nil, err
		}
		state := "undone"
		if why != "" {
			state = "stays"
		} else if why = because; row.ChangeID != nil {
			if err := q.DropHistory(ctx, db.DropHistoryParams{RefID: *row.ChangeID, Kind: "change"}); err != nil {
				return nil, err
			}
		}
		if err := q.SetFilingEffect(ctx,
			db.SetFilingEffectParams{FilingID: filing, Position: row.Position, State: state, Why: why}); err != nil {
			return nil, err
		}
		if record, err := uuid.Parse(t.item.Record); err == nil {
			where = append(where, record)
		}
	}
	return where, nil
}

func (fg *Filing) filingView(ctx context.Context, q *db.Queries, f db.Filing) (contract.Filing, error) {
	view := contract.Filing{ID: f.ID, SlipID: f.SlipID, At: f.At, UndoUntil: f.At.Add(UndoPatience),
		Undone: f.UndoneAt != nil, Effects: []contract.FilingEffect{}}
	rows, err := q.FilingEffects(ctx, f.ID)
	for _, r := range rows {
		var it outcome.Item
		if err := json.Unmarshal(r.Item, &it); err != nil {
			return view, err
		}
		words := it.Words
		if it.Kind == outcome.FollowUp && it.Text != "" || it.Kind == outcome.NewCase {
			words += ": " + it.Text
		}
		view.Effects = append(view.Effects,
			contract.FilingEffect{Words: words, DueAt: it.Due, DayOnly: it.DayOnly,
				State: contract.FilingEffectState(r.State), Why: r.Why})
	}
	return view, err
}

// LastFiling is what the last filing of a slip did; nil where none did anything.
func (fg *Filing) LastFiling(ctx context.Context, id uuid.UUID) (*contract.Filing, error) {
	filings, err := fg.Store.Filings(ctx, id)
	if err != nil || len(filings) == 0 {
		return nil, err
	}
	view, err := fg.filingView(ctx, fg.Store.Queries, filings[0])
	return &view, err
}

// hasFollowUp tells whether something is to be done next: by the plan, or noted since the call began.
func (fg *Filing) hasFollowUp(ctx context.Context, q *db.Queries, call uuid.UUID, plan []outcome.Item) (bool, error) {
	if slices.ContainsFunc(plan, func(it outcome.Item) bool {
		return it.Kind == outcome.FollowUp ||
			it.Kind == outcome.Retry
	}) {
		return true, nil
	}
	return q.HasFollowUpSince(ctx, call)
}

// tellOfFiling tells everybody what a filing has changed.
func (fg *Filing) tellOfFiling(x filing) {
	if len(x.where) > 0 {
		fg.PublishRecord(x.where...)
	}
	if x.wrote {
		fg.Outreach.Posted(nil)
	}
	if x.round != nil {
		fg.attempts.PublishRound(*x.round, x.slip.UserID)
	}
}

// File finishes a slip, and in the same transaction does what its outcome does, as it was shown (nil: as it is planned
// now). Everything that happened in the call is committed before. The same key gets the same answer. Errors: those of
// slip.CanFile, *FieldError, ErrNotFound, ErrForbidden, ErrAway, ErrKeyReused.
func (fg *Filing) File(ctx context.Context, a firm.Actor, id uuid.UUID, key string,
	shown *[]contract.PlanItem) (contract.Call, error) {
	callID, err := fg.FileOnce(ctx, a, id, key, shown, nil)
	if err != nil {
		return contract.Call{}, err
	}
	return fg.Calls.TellAndView(ctx, a, callID)
}

// FileOnce files a slip, as one of an attempt without an outcome where how says so; the same key gets the same call.
func (fg *Filing) FileOnce(ctx context.Context, a firm.Actor, id uuid.UUID, key string, shown *[]contract.PlanItem,
	how *Ending) (uuid.UUID, error) {
	hash := firm.HashRequest([]any{id, shown, how.parts()})
	callID, err := fg.file(ctx, a, id, key, hash, shown, how)
	if err != nil {
		if earlier, found, again := fg.EarlierAnswer(ctx, a, key, "file_slip", hash); again != nil {
			return uuid.Nil, again
		} else if found {
			return earlier, nil
		}
	}
	return callID, err
}

// promiseNear is how much before its time a promised call may be made and still keeps the promise.
const promiseNear = 10 * time.Minute

func (fg *Filing) file(ctx context.Context, a firm.Actor, id uuid.UUID, key string, hash []byte,
	shown *[]contract.PlanItem, how *Ending) (uuid.UUID, error) {
	f, err := fg.Settings(ctx)
	if err != nil {
		return uuid.Nil, err
	}
	if err := fg.Journal.Flush(ctx); err != nil {
		if errors.Is(err, journal.ErrAway) {
			return uuid.Nil, firm.ErrAway
		}
		return uuid.Nil, err
	}
	var s db.LockSlipRow
	var doing filing
	err = fg.Store.TxPiped(ctx, func(q *db.Queries) error {
		if s, err = firm.LockSlip(ctx, q, a, id); err != nil {
			return err
		}
		state, err := fg.Calls.StateOfSlip(ctx, q, s)
		if err != nil {
			return err
		}
		look := slip.Slip{State: slip.State(s.State), User: s.UserID.String(), HasOutcome: s.OutcomeID != nil,
			HasType: s.CallTypeID != nil, Notes: s.NotesBody}
		var plan []outcome.Item
		reached := false
		if s.OutcomeID != nil && how == nil {
			o, _ := f.Outcome(*s.OutcomeID)
			reached = o.Reached
			look.NotesNeeded, look.OutcomeLabel = o.NeedsNotes, o.Label
			if plan, err = fg.settled(ctx, q, a, f, id, o, shown); err != nil {
				return err
			}
			if o.NeedsFollowUp {
				look.FollowUpNeeded = true
				if look.HasFollowUp, err = fg.hasFollowUp(ctx, q, s.CallID, plan); err != nil {
					return err
				}
			}
		}
		rules := f.Rules
		if s.Internal || how != nil {
			rules = slip.Rules{} // among colleagues, and of a number that was left for another, nothing is compulsory
		}
		if err := slip.CanFile(look, &state, rules); err != nil {
			return err
		}
		now := fg.Clock.Now()
		if err := q.FileSlip(ctx, db.FileSlipParams{ID: id, At: &now}); err != nil {
			return err
		}
		worth, err := fg.Calls.Weigh(ctx, q, s.CallID)
		if err != nil {
			return err
		}
		if worth.Conversation() {
			until := now.Add(promiseNear)
			if err := q.SettlePromises(ctx,
				db.SettlePromisesParams{At: &now, Until: &until, OwnerID: s.UserID, CallID: s.CallID}); err != nil {
				return err
			}
		}
		if worth.Conversation() && reached {
			if err := fg.Outreach.Spoke(ctx, q, s.CallID); err != nil {
				return err
			}
		}
		if doing = (filing{fg: fg, q: q, a: a, f: f, slip: s, id: store.NewID(), at: now}); len(plan) > 0 {
			if err := doing.carryOut(ctx, plan); err != nil {
				return err
			}
		}
		if s.InRound {
			if err := doing.settleAttempt(ctx, plan, reached, how); err != nil {
				return err
			}
		}
		if err := fg.Outreach.EmitFiled(ctx, q, id); err != nil {
			return err
		}
		return fg.Remember(ctx, q, a, key, "file_slip", hash, s.CallID)
	})
	if err != nil {
		if store.Duplicate(err) {
			return uuid.Nil, firm.ErrKeyReused
		}
		return uuid.Nil, err
	}
	fg.Calls.SlipFiled(id)
	fg.Calls.PublishSlip(s.UserID, s.CallID, "")
	fg.PublishLane(s.UserID)
	fg.tellOfFiling(doing)
	return s.CallID, nil
}
