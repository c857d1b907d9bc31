package desk

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
	"trundo/internal/store/db"
)

// undoPatience is for how long after its filing a slip can be opened again with what it did taken back.
const undoPatience = 10 * time.Minute

// ErrTooLate is told who wants to undo a filing that lies back.
var ErrTooLate = errors.New("this was filed more than ten minutes ago: what it did can be changed where it stands")

// ErrNothingToUndo is told who wants to undo a filing that is not there.
var ErrNothingToUndo = errors.New("this slip is not filed")

// filing carries out the plan of a slip that is being filed, in its transaction.
type filing struct {
	desk  *Desk
	q     *db.Queries
	a     Actor
	f     *firm
	slip  db.LockSlipRow
	id    uuid.UUID
	at    time.Time
	rows  []db.InsertFilingEffectsParams
	lanes []uuid.UUID // whose lane has changed
	where []uuid.UUID // records that have changed
	wrote bool        // something waits to be sent
	round *uuid.UUID  // whose attempt it was
}

// Ending is how an attempt of a round ends without an outcome, so that nothing is compulsory on its slip.
type Ending struct {
	Next    *uuid.UUID // another number of the same person is called instead
	Skipped bool       // the person is left out
	Refused bool       // the carrier refused the call: it was none
}

// parts are what an ending is made of, for the hash of a request.
func (e *Ending) parts() any {
	if e == nil {
		return nil
	}
	return []any{e.Next, e.Skipped, e.Refused}
}

// FiledAttempt is a slip of a round that is being filed, in the transaction Q.
type FiledAttempt struct {
	Q       *db.Queries
	Actor   Actor
	SetUp   *firm
	Slip    db.LockSlipRow
	At      time.Time
	Plan    []outcome.Item
	Reached bool    // by its outcome
	How     *Ending // nil: with an outcome
}

// Attempts say what becomes of the people of rounds when slips are filed and opened again.
type Attempts interface {
	// SettleAttempt says what follows, and of which round it was.
	SettleAttempt(ctx context.Context, x FiledAttempt) (round uuid.UUID, err error)
	// UnsettleAttempt takes that back, as far as nobody is at the person since; nil where nothing is to be told.
	UnsettleAttempt(ctx context.Context, q *db.Queries, s db.LockSlipRow) (round *uuid.UUID, err error)
	// PublishRound tells the windows of a rep at once that a round has changed, and those of its other reps soon.
	PublishRound(round, rep uuid.UUID)
}

// settleAttempt lets the round of a slip go on with its person.
func (x *filing) settleAttempt(ctx context.Context, plan []outcome.Item, reached bool, how *Ending) error {
	round, err := x.desk.attempts.SettleAttempt(ctx, FiledAttempt{Q: x.q, Actor: x.a, SetUp: x.f, Slip: x.slip, At: x.at, Plan: plan, Reached: reached, How: how})
	x.round = &round
	return err
}

// carryOut does what a plan says and keeps what was there before.
func (x *filing) carryOut(ctx context.Context, items []outcome.Item) error {
	if err := x.q.InsertFiling(ctx, db.InsertFilingParams{ID: x.id, SlipID: x.slip.ID, UserID: x.slip.UserID, OutcomeID: x.slip.OutcomeID, At: x.at, Asked: x.slip.AsksWho}); err != nil {
		return err
	}
	for i, it := range items {
		effect, known := effects[it.Kind]
		if !known {
			return &FieldError{"items", outcome.ErrNotPlanned}
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
	return every(x.q.InsertFilingEffects(ctx, x.rows).Exec)
}

// correct follows a filed slip's new outcome: what the former one did is taken back, and what the new one does is done, as far as the rep says so.
func (x *filing) correct(ctx context.Context, c contract.SlipChange) error {
	if value(c.TakeBack) {
		filings, err := x.q.Filings(ctx, x.slip.ID)
		if err != nil {
			return err
		}
		for _, f := range filings {
			if f.UndoneAt != nil {
				continue
			}
			records, err := x.desk.takeBack(ctx, x.q, x.a, x.slip, f.ID, everyItem, "")
			if err != nil {
				return err
			}
			x.where = append(x.where, records...)
			if err := x.q.SetFilingUndone(ctx, db.SetFilingUndoneParams{ID: f.ID, At: &x.at}); err != nil {
				return err
			}
		}
	}
	if _, err := x.desk.weigh(ctx, x.q, x.slip.CallID); err != nil {
		return err
	}
	if x.slip.OutcomeID == nil {
		return nil
	}
	o, _ := x.f.outcome(*x.slip.OutcomeID)
	var plan []outcome.Item
	if c.Items != nil {
		var err error
		if plan, err = x.desk.settled(ctx, x.q, x.a, x.f, x.slip.ID, o, c.Items); err != nil {
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

func sameID(x, y *uuid.UUID) bool { return x == y || x != nil && y != nil && *x == *y }

// take is an effect that is taken back: what was done, and what is there now.
type take struct {
	desk *Desk
	q    *db.Queries
	a    Actor
	slip db.LockSlipRow
	item outcome.Item
	row  db.FilingEffectsRow
}

// changedSince is why something stays that somebody has changed.
const changedSince = "it has been changed since"

// UndoFiling opens a slip again and takes back what its filing did. What has been changed since stays, and is said. Undoing twice is no mistake.
// Errors: ErrNotFound, ErrForbidden, ErrNothingToUndo, ErrTooLate.
func (d *Desk) UndoFiling(ctx context.Context, a Actor, id uuid.UUID) (contract.Filing, error) {
	var s db.LockSlipRow
	var view contract.Filing
	var where []uuid.UUID
	var round *uuid.UUID
	err := d.Store.Tx(ctx, func(q *db.Queries) error {
		var err error
		if s, err = lockSlip(ctx, q, a, id); err != nil {
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
			view, err = d.filingView(ctx, q, filings[0])
			return err
		}
		if s.FiledAt == nil || d.Clock.Since(*s.FiledAt) > undoPatience {
			return ErrTooLate
		}
		asks := false
		view = contract.Filing{SlipID: id, At: *s.FiledAt, UndoUntil: s.FiledAt.Add(undoPatience), Undone: true, Effects: []contract.FilingEffect{}}
		for _, f := range filings { // one, and one for each correction
			if f.UndoneAt != nil {
				continue
			}
			records, err := d.takeBack(ctx, q, a, s, f.ID, everyItem, "")
			if err != nil {
				return err
			}
			where, asks = append(where, records...), f.Asked
			now := d.Clock.Now()
			if err := q.SetFilingUndone(ctx, db.SetFilingUndoneParams{ID: f.ID, At: &now}); err != nil {
				return err
			}
			f.UndoneAt = &now
			did, err := d.filingView(ctx, q, f)
			if err != nil {
				return err
			}
			did.Effects = append(did.Effects, view.Effects...)
			view = did
		}
		if err := q.ReopenSlip(ctx, db.ReopenSlipParams{ID: id, AsksWho: asks}); err != nil {
			return err
		}
		if _, err := d.weigh(ctx, q, s.CallID); err != nil {
			return err
		}
		if err := q.UnsettlePromises(ctx, db.UnsettlePromisesParams{OwnerID: s.UserID, At: s.FiledAt, CallID: s.CallID}); err != nil {
			return err
		}
		if s.InRound {
			if round, err = d.attempts.UnsettleAttempt(ctx, q, s); err != nil {
				return err
			}
		}
		return d.audited(ctx, q, a, "slip", id, "opened again", map[string]string{}, map[string]string{})
	})
	if err != nil {
		return contract.Filing{}, err
	}
	d.SlipOpened(id, s.UserID, s.CallID)
	d.publishSlip(s.UserID, s.CallID, "")
	d.publishLane(s.UserID)
	if len(where) > 0 {
		d.publishRecord(where...)
	}
	if round != nil {
		d.attempts.PublishRound(*round, s.UserID)
	}
	_, err = d.tellAndView(ctx, a, s.CallID)
	return view, err
}

func everyItem(outcome.Item) bool { return true }

// takeBack takes those effects of a filing back that are asked for, the last one first, says why, and tells which records have changed.
func (d *Desk) takeBack(ctx context.Context, q *db.Queries, a Actor, s db.LockSlipRow, filing uuid.UUID, asked func(outcome.Item) bool,
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
		t := take{desk: d, q: q, a: a, slip: s, row: row}
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
		if err := q.SetFilingEffect(ctx, db.SetFilingEffectParams{FilingID: filing, Position: row.Position, State: state, Why: why}); err != nil {
			return nil, err
		}
		if record, err := uuid.Parse(t.item.Record); err == nil {
			where = append(where, record)
		}
	}
	return where, nil
}

func (d *Desk) filingView(ctx context.Context, q *db.Queries, f db.Filing) (contract.Filing, error) {
	view := contract.Filing{ID: f.ID, SlipID: f.SlipID, At: f.At, UndoUntil: f.At.Add(undoPatience), Undone: f.UndoneAt != nil, Effects: []contract.FilingEffect{}}
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
		view.Effects = append(view.Effects, contract.FilingEffect{Words: words, DueAt: it.Due, DayOnly: it.DayOnly, State: contract.FilingEffectState(r.State), Why: r.Why})
	}
	return view, err
}

// lastFiling is what the last filing of a slip did; nil where none did anything.
func (d *Desk) lastFiling(ctx context.Context, id uuid.UUID) (*contract.Filing, error) {
	filings, err := d.Store.Filings(ctx, id)
	if err != nil || len(filings) == 0 {
		return nil, err
	}
	view, err := d.filingView(ctx, d.Store.Queries, filings[0])
	return &view, err
}

// hasFollowUp tells whether something is to be done next: by the plan, or noted since the call began.
func (d *Desk) hasFollowUp(ctx context.Context, q *db.Queries, call uuid.UUID, plan []outcome.Item) (bool, error) {
	if slices.ContainsFunc(plan, func(it outcome.Item) bool { return it.Kind == outcome.FollowUp || it.Kind == outcome.Retry }) {
		return true, nil
	}
	return q.HasFollowUpSince(ctx, call)
}

// tellOfFiling tells everybody what a filing has changed.
func (d *Desk) tellOfFiling(x filing) {
	if len(x.where) > 0 {
		d.publishRecord(x.where...)
	}
	if x.wrote {
		d.posted(nil)
	}
	if x.round != nil {
		d.attempts.PublishRound(*x.round, x.slip.UserID)
	}
}
