package book

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"trundo/internal/contract"
	"trundo/internal/core/fields"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// maxOnLane is how many records can be put on somebody's lane at once: more than anybody can work off.
const maxOnLane = 500

// bulkPart is how many records are changed in one transaction: it must not hold rows for long that others wait for.
const bulkPart = 2_000

// bulkPatience is for how long a request waits for its change of many records; it goes on behind it then.
const bulkPatience = 3 * time.Second

// BulkAct changes many records at once, so that it can be undone. What takes longer goes on behind the request:
// BulkProgress tells how far it is, and CancelBulk stops it. The same key does it once. Errors: *FieldError,
// ErrForbidden, ErrNotFound, ErrKeyReused.
func (bk *Book) BulkAct(ctx context.Context, a firm.Actor, key string,
	b contract.BulkAct) (contract.BulkResult, error) {
	f, err := bk.Settings(ctx)
	if err != nil {
		return contract.BulkResult{}, err
	}
	value := ""
	if b.Value != nil {
		value = firm.CleanText(*b.Value)
	}
	sel, err := bk.Selection(a, f, b.Selection)
	if err != nil {
		return contract.BulkResult{}, err
	}
	what, kinds, err := bk.bulkValue(ctx, a, string(b.Action), &value)
	if err != nil {
		return contract.BulkResult{}, err
	}
	hash := firm.HashRequest(b)
	p := db.InsertBulkChangeParams{ID: store.NewID(), UserID: a.ID, At: bk.Clock.Now(), Action: string(b.Action),
		Value: value, State: "running", Kinds: kinds, What: what, Server: bk.Server}
	if b.Action == contract.BulkActActionToLane {
		p.State = "done"
	}
	err = bk.Store.TxBoth(ctx, func(q *db.Queries, tx pgx.Tx) error {
		if err := bk.Remember(ctx, q, a, key, "bulk", hash, p.ID); err != nil {
			return err
		}
		if b.Action == contract.BulkActActionToLane {
			return bk.manyToLane(ctx, q, tx, a, p, b, sel)
		}
		change := store.NewID()
		p.ChangeID = &change
		if err := bk.AuditedAs(ctx, q, a, change, p.At, "bulk", p.ID, "changed", map[string]string{},
			map[string]string{bulkWords[p.Action]: what}); err != nil {
			return err
		}
		if err := q.InsertBulkChange(ctx, p); err != nil {
			return err
		}
		picked, err := store.Pick(ctx, tx, p.ID, sel)
		if err != nil {
			return err
		}
		if p.Action == "delete" && picked > 0 && a.Rights[rights.DeleteRecords] != rights.All {
			if picked, err = bk.narrow(ctx, q, a, p.ID); err != nil {
				return err
			}
		}
		return q.SetBulkSelected(ctx, db.SetBulkSelectedParams{ID: p.ID, Selected: picked})
	})
	if store.Duplicate(err) {
		earlier, found, again := bk.EarlierAnswer(ctx, a, key, "bulk", hash)
		if again != nil || !found {
			return contract.BulkResult{}, firm.ErrKeyReused
		}
		return bk.BulkProgress(ctx, a, earlier)
	}
	if err != nil {
		return contract.BulkResult{}, err
	}
	if p.State == "done" {
		bk.PublishLane(a.ID)
		bk.publishMany()
		return bk.BulkProgress(ctx, a, p.ID)
	}
	done := make(chan struct{})
	bk.InBackground(func(ctx context.Context) {
		defer close(done)
		bk.runBulk(ctx, p.ID)
	})
	select {
	case <-done:
	case <-time.After(bulkPatience):
	case <-ctx.Done():
		return contract.BulkResult{}, ctx.Err()
	}
	return bk.BulkProgress(ctx, a, p.ID)
}

// narrow leaves of what was picked to be deleted what a's right reaches, and tells how many that are. Error:
// ErrForbidden where that is nothing.
func (bk *Book) narrow(ctx context.Context, q *db.Queries, a firm.Actor, id uuid.UUID) (int, error) {
	p := db.NarrowBulkParams{BulkID: id, Me: &a.ID, Teams: []string{}}
	if a.Rights[rights.DeleteRecords] == rights.Team {
		p.Teams, p.Nobodys = a.Teams, true
	}
	left, err := q.NarrowBulk(ctx, p)
	if err == nil && left == 0 {
		err = firm.ErrForbidden
	}
	return left, err
}

// runBulk works off what was picked for a change, part by part, until it is done or cancelled.
func (bk *Book) runBulk(ctx context.Context, id uuid.UUID) {
	for {
		more := false
		err := bk.Store.TxBoth(ctx, func(q *db.Queries, tx pgx.Tx) error {
			b, err := q.LockBulkChange(ctx, id)
			if err != nil || b.State != "running" {
				return err
			}
			looked, changed, err := store.BulkActions[b.Action].Do(ctx, tx, id, b.Value, b.Kinds, bulkPart)
			if err != nil {
				return err
			}
			if more = looked > 0; !more {
				return q.EndBulk(ctx, db.EndBulkParams{ID: id, State: "done"})
			}
			if err := historyOfMany(ctx, tx, changed, b.At, *b.ChangeID); err != nil {
				return err
			}
			return q.AdvanceBulk(ctx, db.AdvanceBulkParams{ID: id, Changed: len(changed), Looked: looked})
		})
		switch {
		case ctx.Err() != nil:
			return // the next start goes on with it
		case store.Away(err):
			if !bk.Pause(ctx, time.Second) {
				return
			}
			continue
		case err != nil:
			bk.Log.Error("a change of many records", "bulk", id, "error", err)
			if err := bk.Store.EndBulk(ctx, db.EndBulkParams{ID: id, State: "failed"}); err != nil {
				bk.Log.Error("a change of many records does not end", "bulk", id, "error", err)
			}
		}
		if !more || err != nil {
			break
		}
	}
	if err := bk.Store.ForgetBulkPending(ctx, id); err != nil {
		bk.Log.Error("what was left of a change of many records", "bulk", id, "error", err)
	}
	bk.publishMany()
}

// resumeBulks goes on with what an earlier run of this server was changing.
func (bk *Book) resumeBulks(ctx context.Context) {
	ids, err := bk.Store.RunningBulks(ctx, bk.Server)
	if err != nil {
		bk.Log.Error("which changes of many records go on", "error", err)
	}
	for _, id := range ids {
		bk.runBulk(ctx, id)
	}
}

// BulkProgress tells how far a change of many records is. Errors: ErrNotFound, ErrForbidden.
func (bk *Book) BulkProgress(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.BulkResult, error) {
	b, err := bk.Store.ReadBulkChange(ctx, id)
	switch {
	case store.NotFound(err):
		return contract.BulkResult{}, firm.ErrNotFound
	case err != nil:
		return contract.BulkResult{}, err
	case !bk.MayOf(ctx, a, rights.UndoChanges, &b.UserID):
		return contract.BulkResult{}, firm.ErrForbidden
	}
	return contract.BulkResult{ID: id, Count: b.Count, Selected: b.Selected, LookedAt: b.LookedAt,
		State: contract.BulkResultState(b.State)}, nil
}

// CancelBulk stops a change of many records; what is changed stays, and can be undone. Errors: ErrNotFound,
// ErrForbidden.
func (bk *Book) CancelBulk(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.BulkResult, error) {
	if _, err := bk.BulkProgress(ctx, a, id); err != nil {
		return contract.BulkResult{}, err
	}
	if err := bk.Store.EndBulk(ctx, db.EndBulkParams{ID: id, State: "cancelled"}); err != nil {
		return contract.BulkResult{}, err
	}
	return bk.BulkProgress(ctx, a, id)
}

// bulkWords say what a bulk action changed, in the history.
var bulkWords = map[string]string{"set_owner": "owner", "set_stage": "stage", "add_tag": "tag added",
	"take_tag": "tag taken off", "delete": "deleted",
	"add_to_list": "put on list", "take_from_list": "taken off list"}

// bulkValue checks a bulk action's value and gives it in words, and the kinds of record that it fits.
func (bk *Book) bulkValue(ctx context.Context, a firm.Actor, action string,
	value *string) (what string, kinds []string, err error) {
	for _, k := range fields.Kinds {
		kinds = append(kinds, string(k))
	}
	switch action {
	case "set_owner":
		if *value == "me" {
			*value = a.ID.String()
		}
		what, err = bk.named(ctx, bk.Store.Queries, uuid.New(), fields.Field{Type: fields.User}, *value)
	case "add_to_list", "take_from_list":
		id, parseErr := uuid.Parse(*value)
		if parseErr != nil {
			return "", nil, firm.Wrong("value", "say which list")
		}
		l, err := bk.List(ctx, a, id)
		if err != nil {
			return "", nil, firm.About("value", err)
		}
		if l.Type != contract.RecordListTypeHand {
			return "", nil, firm.Wrong("value", "a view finds its records by itself: choose a hand-made list")
		}
		kinds = nil
		for _, k := range KindsOf(l.Kind) {
			kinds = append(kinds, string(k))
		}
		return l.Name, kinds, nil
	case "add_tag", "take_tag":
		*value, err = fields.Field{Type: fields.Tags, Required: true}.Parse(*value, fields.Home{})
		if err == nil && strings.Contains(*value, ",") {
			err = fmt.Errorf("one tag at a time")
		}
		what = *value
	case "set_stage":
		var fit []string
		for _, k := range kinds {
			stage, _ := fields.Find(fields.BuiltIn(fields.Kind(k)), "stage")
			if canonical, err := stage.Parse(*value, fields.Home{}); err == nil && canonical != "" {
				fit = append(fit, k)
				*value = canonical
			}
		}
		if kinds, what = fit, *value; len(fit) == 0 {
			err = fmt.Errorf("there is no stage “%s”", *value)
		}
	case "delete":
		if !a.MayDo(rights.DeleteRecords) {
			return "", nil, firm.ErrForbidden
		}
		*value, what = "", "yes"
	case "to_lane":
		if *value == "" {
			*value = "Call"
		}
	}
	if err != nil {
		return "", nil, firm.About("value", err)
	}
	return what, kinds, nil
}

// historyOfMany shows one entry of the trail in the history of each record.
func historyOfMany(ctx context.Context, tx pgx.Tx, records []uuid.UUID, at time.Time, change uuid.UUID) error {
	_, err := tx.Exec(
		ctx,
		`INSERT INTO history (record_id, at, kind, ref_id) SELECT unnest($1::uuid[]), $2, 'change', $3`,
		records,
		at,
		change,
	)
	return err
}

// publishMany tells everybody that many records have changed.
func (bk *Book) publishMany() { bk.PublishRecord() }

// manyToLane makes a follow-up of a's for each selected record.
func (bk *Book) manyToLane(ctx context.Context, q *db.Queries, tx pgx.Tx, a firm.Actor, p db.InsertBulkChangeParams,
	b contract.BulkAct, sel store.Selection) error {
	text, args := sel.SelectedIDs()
	rows, err := tx.Query(ctx, text+fmt.Sprintf(" ORDER BY lower(r.name), r.id LIMIT %d", maxOnLane+1), args...)
	if err != nil {
		return err
	}
	ids, err := pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
	if err != nil {
		return err
	}
	if len(ids) > maxOnLane {
		return firm.Wrong("selection",
			fmt.Sprintf("a lane takes at most %d at once: make a list of them instead", maxOnLane))
	}
	if err := q.InsertBulkChange(ctx, p); err != nil {
		return err
	}
	for _, id := range ids {
		f := store.NewID()
		if err := q.InsertFollowUp(ctx,
			db.InsertFollowUpParams{ID: f, RecordID: id, OwnerID: a.ID, Kind: "call", Text: p.Value, DueAt: b.DueAt,
				DayOnly: b.DueAt != nil, DueZone: a.Location().String(),
				CreatedBy: &a.ID, CreatedAt: p.At}); err != nil {
			return err
		}
		if err := q.AddHistory(ctx, db.AddHistoryParams{RecordID: id, At: p.At, Kind: "follow_up",
			RefID: f}); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `INSERT INTO bulk_change_rows (bulk_id, record_id, before) VALUES ($1, $2, jsonb_build_object('follow_up', $3::uuid))`, p.ID, id, f); err != nil {
			return err
		}
	}
	return q.SetBulkCount(ctx, db.SetBulkCountParams{ID: p.ID, Count: len(ids)})
}

// UndoBulk takes a bulk action back, as far as what it did still stands. Undoing twice is no mistake. Errors:
// ErrNotFound, ErrForbidden.
func (bk *Book) UndoBulk(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.BulkResult, error) {
	var result contract.BulkResult
	err := bk.Store.TxBoth(ctx, func(q *db.Queries, tx pgx.Tx) error {
		b, err := q.LockBulkChange(ctx, id)
		switch {
		case store.NotFound(err):
			return firm.ErrNotFound
		case err != nil:
			return err
		case !bk.MayOf(ctx, a, rights.UndoChanges, &b.UserID):
			return firm.ErrForbidden
		}
		result = contract.BulkResult{ID: id, Count: b.Count, Selected: b.Selected, LookedAt: b.LookedAt,
			State: contract.BulkResultState(b.State)}
		switch {
		case b.UndoneAt != nil:
			return nil
		case b.State == "running":
			return firm.Wrong("id", "it still goes on: cancel it first")
		}
		now := bk.Clock.Now()
		if err := q.SetBulkUndone(ctx, db.SetBulkUndoneParams{ID: id, At: &now}); err != nil {
			return err
		}
		if b.Action == "to_lane" {
			_, err := tx.Exec(
				ctx,
				`UPDATE follow_ups f SET state = 'cancelled', done_at = $2, version = version + 1 FROM bulk_change_rows b
				WHERE b.bulk_id = $1 AND f.id = (b.before ->> 'follow_up')::uuid AND f.state = 'open'`,
				id,
				now,
			)
			return err
		}
		if err := store.BulkActions[b.Action].Undo(ctx, tx, id, b.Value); err != nil {
			return err
		}
		change := store.NewID()
		if err := bk.AuditedAs(ctx, q, a, change, now, "bulk", id, "changed", map[string]string{},
			map[string]string{"undone": bulkWords[b.Action]}); err != nil {
			return err
		}
		_, err = tx.Exec(
			ctx,
			`INSERT INTO history (record_id, at, kind, ref_id) SELECT record_id, $2, 'change', $3 FROM bulk_change_rows WHERE bulk_id = $1`,
			id,
			now,
			change,
		)
		return err
	})
	if err != nil {
		return contract.BulkResult{}, err
	}
	bk.PublishLane(a.ID)
	bk.publishMany()
	return result, nil
}
