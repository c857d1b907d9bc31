package desk

import (
	"context"
	"fmt"
	"strings"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"trundo/internal/contract"
	"trundo/internal/core/fields"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// maxOnLane is how many records can be put on somebody's lane at once: more than anybody can work off.
const maxOnLane = 500

// BulkAct changes many records at once, in one transaction, so that it can be undone. The same key does it once.
// Errors: *FieldError, ErrForbidden, ErrNotFound, ErrKeyReused.
func (d *Desk) BulkAct(ctx context.Context, a Actor, key string, b contract.BulkAct) (contract.BulkResult, error) {
	f, err := d.firm(ctx)
	if err != nil {
		return contract.BulkResult{}, err
	}
	value := ""
	if b.Value != nil {
		value = strings.TrimSpace(strings.ReplaceAll(*b.Value, "\x00", ""))
	}
	sel, err := d.selection(a, f, b.Selection)
	if err != nil {
		return contract.BulkResult{}, err
	}
	what, kinds, err := d.bulkValue(ctx, a, string(b.Action), &value)
	if err != nil {
		return contract.BulkResult{}, err
	}
	if b.Action == contract.BulkActActionToLane {
		return d.manyToLane(ctx, a, value, b, sel)
	}
	hash := hashRequest(b)
	result := contract.BulkResult{ID: store.NewID()}
	err = d.Store.TxBoth(ctx, func(q *db.Queries, tx pgx.Tx) error {
		if err := q.InsertCommand(ctx, db.InsertCommandParams{UserID: a.ID, Key: key, Action: "bulk", RequestHash: hash,
			Response: fmt.Appendf(nil, `{"id":%q}`, result.ID), At: d.Clock.Now()}); err != nil {
			return err
		}
		if err := q.InsertBulkChange(ctx, db.InsertBulkChangeParams{ID: result.ID, UserID: a.ID, At: d.Clock.Now(), Action: string(b.Action), Value: value}); err != nil {
			return err
		}
		if result.Count, err = store.BulkActions[string(b.Action)].Do(ctx, tx, result.ID, value, sel, kinds); err != nil {
			return err
		}
		if err := q.SetBulkCount(ctx, db.SetBulkCountParams{ID: result.ID, Count: result.Count}); err != nil {
			return err
		}
		return d.bulkHistory(ctx, q, tx, a, result.ID, map[string]string{}, map[string]string{bulkWords[string(b.Action)]: what})
	})
	if store.Duplicate(err) {
		earlier, found, again := d.earlierAnswer(ctx, a, key, "bulk", hash)
		if again != nil || !found {
			return contract.BulkResult{}, ErrKeyReused
		}
		done, err := d.Store.LockBulkChange(ctx, earlier)
		return contract.BulkResult{ID: earlier, Count: done.Count}, err
	}
	if err != nil {
		return contract.BulkResult{}, err
	}
	d.publishMany()
	return result, nil
}

// bulkWords say what a bulk action changed, in the history.
var bulkWords = map[string]string{"set_owner": "owner", "set_stage": "stage", "add_tag": "tag added", "take_tag": "tag taken off", "delete": "deleted",
	"add_to_list": "put on list", "take_from_list": "taken off list"}

// bulkValue checks a bulk action's value and gives it in words, and the kinds of record that it fits.
func (d *Desk) bulkValue(ctx context.Context, a Actor, action string, value *string) (what string, kinds []string, err error) {
	for _, k := range fields.Kinds {
		kinds = append(kinds, string(k))
	}
	switch action {
	case "set_owner":
		if *value == "me" {
			*value = a.ID.String()
		}
		what, err = d.named(ctx, d.Store.Queries, uuid.New(), fields.Field{Type: fields.User}, *value)
	case "add_to_list", "take_from_list":
		id, parseErr := uuid.Parse(*value)
		if parseErr != nil {
			return "", nil, wrong("value", "say which list")
		}
		l, err := d.list(ctx, a, id)
		if err != nil {
			return "", nil, &FieldError{"value", err}
		}
		if l.Type != contract.RecordListTypeHand {
			return "", nil, wrong("value", "a view finds its records by itself: choose a hand-made list")
		}
		kinds = nil
		for _, k := range kindsOf(l.Kind) {
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
		*value, what = "", "yes"
	case "to_lane":
		if *value == "" {
			*value = "Call"
		}
	}
	if err != nil {
		return "", nil, &FieldError{"value", err}
	}
	return what, kinds, nil
}

// bulkHistory keeps one entry of the trail for a bulk action, and shows it in the history of each record.
func (d *Desk) bulkHistory(ctx context.Context, q *db.Queries, tx pgx.Tx, a Actor, bulk uuid.UUID, before, after map[string]string) error {
	change, at := store.NewID(), d.Clock.Now()
	if err := d.auditedAs(ctx, q, a, change, at, "bulk", bulk, "changed", before, after); err != nil {
		return err
	}
	_, err := tx.Exec(ctx, `INSERT INTO history (record_id, at, kind, ref_id) SELECT record_id, $2, 'change', $3 FROM bulk_change_rows WHERE bulk_id = $1`, bulk, at, change)
	return err
}

// publishMany tells everybody that many records have changed.
func (d *Desk) publishMany() { d.publishRecord() }

// manyToLane makes a follow-up of a's for each selected record.
func (d *Desk) manyToLane(ctx context.Context, a Actor, what string, b contract.BulkAct, sel store.Selection) (contract.BulkResult, error) {
	text, args := sel.SelectedIDs()
	rows, err := d.Store.Pool.Query(ctx, text+fmt.Sprintf(" ORDER BY lower(r.name), r.id LIMIT %d", maxOnLane+1), args...)
	if err != nil {
		return contract.BulkResult{}, err
	}
	ids, err := pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
	if err != nil {
		return contract.BulkResult{}, err
	}
	if len(ids) > maxOnLane {
		return contract.BulkResult{}, wrong("selection", fmt.Sprintf("a lane takes at most %d at once: make a list of them instead", maxOnLane))
	}
	result := contract.BulkResult{ID: store.NewID(), Count: len(ids)}
	now := d.Clock.Now()
	err = d.Store.TxBoth(ctx, func(q *db.Queries, tx pgx.Tx) error {
		if err := q.InsertBulkChange(ctx, db.InsertBulkChangeParams{ID: result.ID, UserID: a.ID, At: now, Action: "to_lane", Value: what}); err != nil {
			return err
		}
		for _, id := range ids {
			f := store.NewID()
			if err := q.InsertFollowUp(ctx, db.InsertFollowUpParams{ID: f, RecordID: id, OwnerID: a.ID, Kind: "call", Text: what, DueAt: b.DueAt, DayOnly: b.DueAt != nil,
				CreatedBy: &a.ID, CreatedAt: now}); err != nil {
				return err
			}
			if err := q.AddHistory(ctx, db.AddHistoryParams{RecordID: id, At: now, Kind: "follow_up", RefID: f}); err != nil {
				return err
			}
			if _, err := tx.Exec(ctx, `INSERT INTO bulk_change_rows (bulk_id, record_id, before) VALUES ($1, $2, jsonb_build_object('follow_up', $3::uuid))`, result.ID, id, f); err != nil {
				return err
			}
		}
		return q.SetBulkCount(ctx, db.SetBulkCountParams{ID: result.ID, Count: len(ids)})
	})
	if err != nil {
		return contract.BulkResult{}, err
	}
	d.publishLane(a.ID)
	d.publishMany()
	return result, nil
}

// UndoBulk takes a bulk action back, as far as what it did still stands. Undoing twice is no mistake. Errors: ErrNotFound, ErrForbidden.
func (d *Desk) UndoBulk(ctx context.Context, a Actor, id uuid.UUID) (contract.BulkResult, error) {
	var result contract.BulkResult
	err := d.Store.TxBoth(ctx, func(q *db.Queries, tx pgx.Tx) error {
		b, err := q.LockBulkChange(ctx, id)
		switch {
		case store.NotFound(err):
			return ErrNotFound
		case err != nil:
			return err
		case b.UserID != a.ID && !a.leads():
			return ErrForbidden
		}
		result = contract.BulkResult{ID: id, Count: b.Count}
		if b.UndoneAt != nil {
			return nil
		}
		now := d.Clock.Now()
		if err := q.SetBulkUndone(ctx, db.SetBulkUndoneParams{ID: id, At: &now}); err != nil {
			return err
		}
		if b.Action == "to_lane" {
			_, err := tx.Exec(ctx, `UPDATE follow_ups f SET state = 'cancelled', done_at = $2, version = version + 1 FROM bulk_change_rows b
				WHERE b.bulk_id = $1 AND f.id = (b.before ->> 'follow_up')::uuid AND f.state = 'open'`, id, now)
			return err
		}
		if err := store.BulkActions[b.Action].Undo(ctx, tx, id, b.Value); err != nil {
			return err
		}
		return d.bulkHistory(ctx, q, tx, a, id, map[string]string{}, map[string]string{"undone": bulkWords[b.Action]})
	})
	if err != nil {
		return contract.BulkResult{}, err
	}
	d.publishLane(a.ID)
	d.publishMany()
	return result, nil
}
