package filing

import (
	"context"
	"encoding/json"
	"slices"

	"github.com/google/uuid"

	"trundo/internal/core/outcome"
	"trundo/internal/core/slip"
	"trundo/internal/store/db"
)

// Why an effect was taken back when its call was put on somebody else: until it is known on whom, and then.
const (
	wasSomebodyElse = "the call is not on this record any more"
	doneForAnother  = "the call was put on somebody else, and this with it"
)

// unsettle opens the promises again that a filed slip had kept, before its call's links change; follow settles those of
// who is on it then.
func (x *filing) unsettle(ctx context.Context) error {
	if x.slip.FiledAt == nil {
		return nil
	}
	return x.q.UnsettlePromises(ctx,
		db.UnsettlePromisesParams{OwnerID: x.slip.UserID, At: x.slip.FiledAt, CallID: x.slip.CallID})
}

// follow moves what a slip did along with its call, once it is not on the records gone any more: what its outcome did
// there is taken back, and done for whom the call is on now, with the texts and times that the rep had chosen; messages
// are not sent a second time. Follow-ups noted by hand go over as they are. Where nobody is on the call yet, that
// happens when somebody is put on it.
func (x *filing) follow(ctx context.Context, gone []uuid.UUID) error {
	redo, err := x.leave(ctx, gone)
	if err != nil {
		return err
	}
	row, err := x.q.PlanOf(ctx, x.slip.ID)
	if err != nil || row.PersonID == uuid.Nil {
		return err
	}
	owners, err := x.q.MoveFollowUps(ctx,
		db.MoveFollowUpsParams{RecordID: row.PersonID, SlipID: &x.slip.ID, CallID: x.slip.CallID})
	if err != nil {
		return err
	}
	x.lanes = append(x.lanes, owners...)
	if x.slip.State != string(slip.Filed) {
		return nil
	}
	if err := x.settleFor(ctx); err != nil || len(redo) == 0 || x.slip.OutcomeID == nil {
		return err
	}
	o, there := x.f.Outcome(*x.slip.OutcomeID)
	if !there {
		return nil
	}
	fresh, _, err := x.fg.plan(ctx, x.q, x.a, x.f, x.slip.ID, o)
	if err != nil {
		return err
	}
	var items []outcome.Item
	for _, it := range fresh {
		at := slices.IndexFunc(redo, func(r undoneEffect) bool {
			return r.item.Effect == it.Effect &&
				r.item.Kind == it.Kind
		})
		if at < 0 || !outcome.Moves(it) {
			continue
		}
		was := redo[at]
		it.Text, it.Due, it.DayOnly = was.item.Text, was.item.Due, was.item.DayOnly
		items = append(items, it)
		if err := x.q.SetFilingEffect(ctx,
			db.SetFilingEffectParams{FilingID: was.filing, Position: was.position, State: "undone",
				Why: doneForAnother}); err != nil {
			return err
		}
	}
	if len(items) == 0 {
		return nil
	}
	return x.carryOut(ctx, items)
}

// undoneEffect is one that was taken back because its call was on the wrong record.
type undoneEffect struct {
	filing   uuid.UUID
	position int
	item     outcome.Item
}

// leave takes back what was done on records on which the call is not any more, and gives all of that which is to be
// done elsewhere.
func (x *filing) leave(ctx context.Context, gone []uuid.UUID) ([]undoneEffect, error) {
	theirs, err := x.q.RecordsOf(ctx, gone)
	if err != nil {
		return nil, err
	}
	filings, err := x.q.Filings(ctx, x.slip.ID)
	if err != nil {
		return nil, err
	}
	var redo []undoneEffect
	for _, f := range filings {
		if f.UndoneAt != nil {
			continue
		}
		there := func(it outcome.Item) bool {
			id, err := uuid.Parse(it.Record)
			return err == nil && (slices.Contains(gone, id) || slices.Contains(theirs, id))
		}
		where, err := x.fg.takeBack(ctx, x.q, x.a, x.slip, f.ID, there, wasSomebodyElse)
		if err != nil {
			return nil, err
		}
		if x.where = append(x.where, where...); len(where) > 0 {
			x.lanes = append(x.lanes, x.slip.UserID)
		}
		rows, err := x.q.FilingEffects(ctx, f.ID)
		if err != nil {
			return nil, err
		}
		for _, r := range rows {
			if r.State == "undone" && r.Why == wasSomebodyElse {
				u := undoneEffect{filing: f.ID, position: r.Position}
				if err := json.Unmarshal(r.Item, &u.item); err != nil {
					return nil, err
				}
				redo = append(redo, u)
			}
		}
	}
	return redo, nil
}

// settleFor keeps the promises that were due to whom the call is on now, if it was a conversation.
func (x *filing) settleFor(ctx context.Context) error {
	worth, err := x.fg.Calls.Weigh(ctx, x.q, x.slip.CallID)
	if err != nil || !worth.Conversation() || x.slip.FiledAt == nil {
		return err
	}
	until := x.slip.FiledAt.Add(promiseNear)
	err = x.q.SettlePromises(ctx,
		db.SettlePromisesParams{At: x.slip.FiledAt, Until: &until, OwnerID: x.slip.UserID, CallID: x.slip.CallID})
	return err
}
