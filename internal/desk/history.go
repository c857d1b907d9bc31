package desk

import (
	"context"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// RecordChanged keeps a change of a record in the audit trail and in its history, which names the trail's entry.
func (d *Desk) RecordChanged(ctx context.Context, q *db.Queries, a Actor, id uuid.UUID, before, after map[string]string) error {
	return d.recordChangedAs(ctx, q, a, store.NewID(), d.Clock.Now(), id, before, after)
}

func (d *Desk) recordChangedAs(ctx context.Context, q *db.Queries, a Actor, change uuid.UUID, at time.Time, id uuid.UUID, before, after map[string]string) error {
	if before == nil {
		before = map[string]string{}
	}
	if err := d.auditedAs(ctx, q, a, change, at, "record", id, "changed", before, after); err != nil {
		return err
	}
	return q.AddHistory(ctx, db.AddHistoryParams{RecordID: id, At: at, Kind: "change", RefID: change})
}

const historyPerPage = 40

// readable tells whether a record is there to be read: not where it was deleted. Errors: ErrNotFound, ErrGone.
func (d *Desk) readable(ctx context.Context, id uuid.UUID) error {
	r, err := d.Store.RecordName(ctx, id)
	switch {
	case store.NotFound(err):
		return ErrNotFound
	case err != nil:
		return err
	case r.DeletedAt != nil && r.MergedInto == nil:
		return ErrGone
	}
	return nil
}

// History is what happened to a record, newest first: all of it, or one kind.
func (d *Desk) History(ctx context.Context, a Actor, id uuid.UUID, kind, before string) (contract.HistoryPage, error) {
	if err := d.readable(ctx, id); err != nil {
		return contract.HistoryPage{}, err
	}
	p := db.HistoryPageParams{RecordID: id, Kinds: []string{"call", "follow_up", "change", "message"}, Count: historyPerPage}
	if kind != "" && kind != "all" {
		p.Kinds = []string{kind}
	}
	var err error
	if p.Before, p.BeforeID, err = readCursor(before); err != nil {
		return contract.HistoryPage{}, err
	}
	rows, err := d.Store.HistoryPage(ctx, p)
	if err != nil {
		return contract.HistoryPage{}, err
	}
	var calls, followUps, changes, written []uuid.UUID
	for _, r := range rows {
		switch r.Kind {
		case "call":
			calls = append(calls, r.RefID)
		case "follow_up":
			followUps = append(followUps, r.RefID)
		case "change":
			changes = append(changes, r.RefID)
		case "message":
			written = append(written, r.RefID)
		}
	}
	callOf, followUpOf := map[uuid.UUID]*contract.Call{}, map[uuid.UUID]*contract.FollowUp{}
	views, err := d.callLines(ctx, a, calls)
	if err != nil {
		return contract.HistoryPage{}, err
	}
	for i := range views {
		callOf[views[i].ID] = &views[i]
	}
	if len(followUps) > 0 {
		found, err := d.Store.FollowUpsByIDs(ctx, followUps)
		if err != nil {
			return contract.HistoryPage{}, err
		}
		for _, f := range found {
			view := d.followUpView(f, a)
			followUpOf[f.ID] = &view
		}
	}
	changeOf, err := d.changesByID(ctx, changes)
	if err != nil {
		return contract.HistoryPage{}, err
	}
	messages, err := d.messages(ctx, a, written)
	if err != nil {
		return contract.HistoryPage{}, err
	}
	messageOf := map[uuid.UUID]*contract.Message{}
	for i := range messages {
		messageOf[messages[i].ID] = &messages[i]
	}
	page := contract.HistoryPage{Entries: []contract.HistoryEntry{}}
	for _, r := range rows {
		page.Entries = append(page.Entries, contract.HistoryEntry{At: r.At, Kind: contract.HistoryEntryKind(r.Kind), RefID: r.RefID,
			Call: callOf[r.RefID], FollowUp: followUpOf[r.RefID], Change: changeOf[r.RefID], Message: messageOf[r.RefID]})
	}
	if n := len(rows); n == historyPerPage {
		page.Next = writeCursor(rows[n-1].At, rows[n-1].RefID)
	}
	return page, nil
}

// changesByID reads changes into sentences.
func (d *Desk) changesByID(ctx context.Context, ids []uuid.UUID) (map[uuid.UUID]*contract.Change, error) {
	of := map[uuid.UUID]*contract.Change{}
	if len(ids) == 0 {
		return of, nil
	}
	rows, err := d.Store.ChangesByIDs(ctx, ids)
	if err != nil {
		return nil, err
	}
	for _, r := range rows {
		of[r.ID] = &contract.Change{At: r.At, Actor: r.Actor, Text: changeText(r.Action, r.Before, r.After)}
	}
	return of, nil
}

// dayEnd is midnight after t in its zone.
func dayEnd(t time.Time) time.Time {
	return time.Date(t.Year(), t.Month(), t.Day()+1, 0, 0, 0, 0, t.Location())
}
