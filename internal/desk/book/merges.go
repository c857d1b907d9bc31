package book

import (
	"context"
	"encoding/json"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"trundo/internal/contract"
	"trundo/internal/core/fields"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// MergeRecords makes one record of two: everything of the one that goes moves to the one that stays; of each field the
// value is taken that was chosen, notes are joined and tags united, and a wish not to be called holds on. The address
// of the one that goes leads to the one that stays. Errors: *FieldError, ErrNotFound, ErrGone, ErrKeyReused.
func (bk *Book) MergeRecords(ctx context.Context, a firm.Actor, key string, m contract.Merge) (contract.Merged, error) {
	f, err := bk.Settings(ctx)
	if err != nil {
		return contract.Merged{}, err
	}
	if m.Keep == m.Lose {
		return contract.Merged{}, firm.Wrong("lose", "this is the same record")
	}
	hash := firm.HashRequest(m)
	id := store.NewID()
	err = bk.Store.TxBoth(ctx, func(q *db.Queries, tx pgx.Tx) error {
		answer, err := json.Marshal(firm.CommandAnswer{ID: id})
		if err != nil {
			return err
		}
		if err := q.InsertCommand(ctx,
			db.InsertCommandParams{UserID: a.ID, Key: key, Action: "merge", RequestHash: hash, Response: answer,
				At: bk.Clock.Now()}); err != nil {
			return err
		}
		keep, lose, err := lockTwo(ctx, q, m.Keep, m.Lose)
		if err != nil {
			return err
		}
		lostName := lose.Name
		moved, err := store.MoveAll(ctx, tx, m.Lose, m.Keep)
		if err != nil {
			return err
		}
		if err := mergeFields(f, keep, lose, m.Take, &moved); err != nil {
			return err
		}
		if err := q.UpdateRecord(ctx, updateOf(keep)); err != nil {
			return err
		}
		if lose.DncAt != nil && keep.DncAt == nil {
			if err := q.SetRecordDoNotCall(ctx,
				db.SetRecordDoNotCallParams{ID: keep.ID, At: lose.DncAt, Reason: lose.DncReason}); err != nil {
				return err
			}
			moved.After["do_not_call"] = "yes"
		}
		now := bk.Clock.Now()
		if _, err := tx.Exec(ctx, `UPDATE records SET merged_into = $1, deleted_at = $2, version = version + 1 WHERE id = $3`, keep.ID, now, lose.ID); err != nil {
			return err
		}
		if err := q.SettlePair(ctx, db.SettlePairParams{ID: store.NewID(), X: keep.ID, Y: lose.ID, State: "merged",
			At: now}); err != nil {
			return err
		}
		text, err := json.Marshal(moved)
		if err != nil {
			return err
		}
		if err := q.InsertMerge(ctx, db.InsertMergeParams{ID: id, KeptID: keep.ID, LostID: lose.ID, UserID: a.ID,
			At: now, Moved: text}); err != nil {
			return err
		}
		return bk.RecordChanged(ctx, q, a, keep.ID, nil, map[string]string{"merged with": lostName})
	})
	if store.Duplicate(err) {
		earlier, found, again := bk.EarlierAnswer(ctx, a, key, "merge", hash)
		if again != nil || !found {
			return contract.Merged{}, firm.ErrKeyReused
		}
		id, err = earlier, nil
	}
	if err != nil {
		return contract.Merged{}, err
	}
	bk.PublishHistory(nil, m.Keep, m.Lose)
	bk.PublishRecord(m.Keep, m.Lose)
	bk.PublishLane(a.ID)
	sheet, err := bk.Record(ctx, a, m.Keep)
	return contract.Merged{ID: id, Record: sheet}, err
}

// lockTwo locks two records that can become one.
func lockTwo(ctx context.Context, q *db.Queries, keepID, loseID uuid.UUID) (keep, lose *db.Record, err error) {
	rows, err := q.LockRecords(ctx, []uuid.UUID{keepID, loseID})
	if err != nil {
		return nil, nil, err
	}
	for i := range rows {
		switch rows[i].ID {
		case keepID:
			keep = &rows[i]
		case loseID:
			lose = &rows[i]
		}
	}
	for field, r := range map[string]*db.Record{"keep": keep, "lose": lose} {
		if r == nil {
			return nil, nil, firm.About(field, firm.ErrNotFound)
		}
		if r.DeletedAt != nil {
			return nil, nil, firm.About(field, firm.ErrGone)
		}
	}
	if keep.Kind != lose.Kind && !(fields.Kind(keep.Kind).Person() && fields.Kind(lose.Kind).Person()) {
		return nil, nil, firm.Wrong("lose", "a "+lose.Kind+" and a "+keep.Kind+" cannot become one")
	}
	return keep, lose, nil
}

// mergeFields puts what was chosen of lose into keep, and into moved what that has changed.
func mergeFields(f *firm.Settings, keep, lose *db.Record, take []string, moved *store.Moved) error {
	taken := map[string]bool{}
	for _, k := range take {
		taken[k] = true
	}
	moved.Before, moved.After = map[string]string{}, map[string]string{}
	mine, theirs := customOfRecord(keep), customOfRecord(lose)
	theirFields := f.Book.Of(fields.Kind(lose.Kind))
	for _, field := range f.Book.Of(fields.Kind(keep.Kind)) {
		if field.Computed || field.Type == fields.Phone {
			continue
		}
		other, there := fields.Find(theirFields, field.Key)
		if !there {
			continue
		}
		old, value := valueOf(keep, field, mine), valueOf(lose, other, theirs)
		next := old
		switch {
		case field.Type == fields.Long && old != "" && value != "" && old != value:
			next = old + "\n\n" + value
		case field.Type == fields.Tags && value != "":
			united, err := field.Parse(old+", "+value, fields.Home{})
			if err != nil {
				return firm.About("take", err)
			}
			next = united
		case taken[field.Key] || old == "":
			next = value
		}
		if field.Type == fields.Ref && next == keep.ID.String() {
			next = old // a company does not become a part of itself
		}
		if next == old || next == "" && field.Required {
			continue
		}
		if err := setValue(keep, field, next, mine); err != nil {
			return firm.About("take", err)
		}
		moved.Before[field.Key], moved.After[field.Key] = old, next
	}
	text, err := json.Marshal(mine)
	if err != nil {
		return err
	}
	keep.Custom = text
	settle(keep)
	return nil
}

// UndoMerge makes two records again: what the merge has moved goes back, fields that still stand as the merge left them
// become as they were; what has come since stays with the record that was kept. Errors: ErrNotFound, *FieldError.
func (bk *Book) UndoMerge(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.Record, error) {
	f, err := bk.Settings(ctx)
	if err != nil {
		return contract.Record{}, err
	}
	var kept, lost uuid.UUID
	err = bk.Store.TxBoth(ctx, func(q *db.Queries, tx pgx.Tx) error {
		m, err := q.LockMerge(ctx, id)
		switch {
		case store.NotFound(err):
			return firm.ErrNotFound
		case err != nil:
			return err
		}
		kept, lost = m.KeptID, m.LostID
		if !bk.MayOf(ctx, a, rights.UndoChanges, &m.UserID) {
			return firm.ErrForbidden
		}
		if m.UndoneAt != nil {
			return nil
		}
		if last, err := q.LastMergeInto(ctx, kept); err != nil {
			return err
		} else if last != id {
			return firm.Wrong("id", "something was merged into this record later: undo that first")
		}
		var moved store.Moved
		if err := json.Unmarshal(m.Moved, &moved); err != nil {
			return err
		}
		keep, err := q.LockRecord(ctx, kept)
		if err != nil {
			return err
		}
		custom := customOfRecord(&keep)
		for _, field := range f.Book.Of(fields.Kind(keep.Kind)) {
			after, changed := moved.After[field.Key]
			if changed && valueOf(&keep, field, custom) == after {
				if err := setValue(&keep, field, moved.Before[field.Key], custom); err != nil {
					return err
				}
			}
		}
		if keep.Custom, err = json.Marshal(custom); err != nil {
			return err
		}
		settle(&keep)
		if err := q.UpdateRecord(ctx, updateOf(&keep)); err != nil {
			return err
		}
		// else whoever was asked about last is not called either
		if moved.After["do_not_call"] == "yes" && a.MayDo(rights.LiftDoNotCall) {
			if err := q.SetRecordDoNotCall(ctx, db.SetRecordDoNotCallParams{ID: kept}); err != nil {
				return err
			}
		}
		if err := moved.MoveBack(ctx, tx, lost, kept); err != nil {
			return err
		}
		now := bk.Clock.Now()
		if _, err := tx.Exec(ctx, `UPDATE records SET merged_into = NULL, deleted_at = NULL, version = version + 1 WHERE id = $1`, lost); err != nil {
			return err
		}
		if err := q.SettlePair(ctx, db.SettlePairParams{ID: store.NewID(), X: kept, Y: lost, State: "different",
			At: now}); err != nil {
			return err
		}
		if err := q.SetMergeUndone(ctx, db.SetMergeUndoneParams{ID: id, At: &now}); err != nil {
			return err
		}
		return bk.RecordChanged(ctx, q, a, kept, map[string]string{"merged with": keep.Name},
			map[string]string{"merged with": ""})
	})
	if err != nil {
		return contract.Record{}, err
	}
	bk.PublishHistory(nil, kept, lost)
	bk.PublishRecord(kept, lost)
	return bk.Record(ctx, a, kept)
}
