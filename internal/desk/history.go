package desk

import (
	"context"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/desk/calls"
	"trundo/internal/desk/firm"
	"trundo/internal/store/db"
)

const historyPerPage = 40

// History is what happened to a record, newest first: all of it, or one kind.
func (d *Desk) History(ctx context.Context, a firm.Actor, id uuid.UUID, kind,
	before string) (contract.HistoryPage, error) {
	if err := d.Readable(ctx, id); err != nil {
		return contract.HistoryPage{}, err
	}
	p := db.HistoryPageParams{RecordID: id, Kinds: []string{"call", "follow_up", "change", "message"},
		Count: historyPerPage}
	if kind != "" && kind != "all" {
		p.Kinds = []string{kind}
	}
	var err error
	if p.Before, p.BeforeID, err = calls.ReadCursor(before); err != nil {
		return contract.HistoryPage{}, err
	}
	rows, err := d.Store.HistoryPage(ctx, p)
	if err != nil {
		return contract.HistoryPage{}, err
	}
	var found, followUps, changes, written []uuid.UUID
	for _, r := range rows {
		switch r.Kind {
		case "call":
			found = append(found, r.RefID)
		case "follow_up":
			followUps = append(followUps, r.RefID)
		case "change":
			changes = append(changes, r.RefID)
		case "message":
			written = append(written, r.RefID)
		}
	}
	callOf, followUpOf := map[uuid.UUID]*contract.Call{}, map[uuid.UUID]*contract.FollowUp{}
	views, err := d.Calls.CallLines(ctx, a, found)
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
			view := d.Book.FollowUpView(f, a)
			followUpOf[f.ID] = &view
		}
	}
	changeOf, err := d.changesByID(ctx, changes)
	if err != nil {
		return contract.HistoryPage{}, err
	}
	messages, err := d.Outreach.Messages(ctx, a, written)
	if err != nil {
		return contract.HistoryPage{}, err
	}
	messageOf := map[uuid.UUID]*contract.Message{}
	for i := range messages {
		messageOf[messages[i].ID] = &messages[i]
	}
	page := contract.HistoryPage{Entries: []contract.HistoryEntry{}}
	for _, r := range rows {
		page.Entries = append(page.Entries,
			contract.HistoryEntry{At: r.At, Kind: contract.HistoryEntryKind(r.Kind), RefID: r.RefID,
				Call: callOf[r.RefID], FollowUp: followUpOf[r.RefID], Change: changeOf[r.RefID],
				Message: messageOf[r.RefID]})
	}
	if n := len(rows); n == historyPerPage {
		page.Next = calls.WriteCursor(rows[n-1].At, rows[n-1].RefID)
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
		of[r.ID] = &contract.Change{At: r.At, Actor: r.Actor, Text: calls.ChangeText(r.Action, r.Before, r.After)}
	}
	return of, nil
}

// dayEnd is midnight after t in its zone.
func dayEnd(t time.Time) time.Time {
	return time.Date(t.Year(), t.Month(), t.Day()+1, 0, 0, 0, 0, t.Location())
}
