package desk

import (
	"cmp"
	"context"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/lane"
	"trundo/internal/core/phone"
	"trundo/internal/desk/book"
	"trundo/internal/desk/calls"
	"trundo/internal/desk/firm"
	"trundo/internal/store/db"
)

// laneHorizon is how far ahead the lane looks.
const laneHorizon = 36 * time.Hour

// Lane is what a owes, ranked, and the calls a has just made.
func (d *Desk) Lane(ctx context.Context, a firm.Actor) (contract.Lane, error) {
	f, err := d.Settings(ctx)
	if err != nil {
		return contract.Lane{}, err
	}
	now := d.Clock.Now()
	follow, err := d.Store.LaneFollowUps(ctx, a.ID)
	if err != nil {
		return contract.Lane{}, err
	}
	slips, err := d.Store.LaneSlips(ctx, a.ID)
	if err != nil {
		return contract.Lane{}, err
	}
	var items []lane.Item
	followUps, found := map[string]db.LaneFollowUpsRow{}, map[string]db.LaneSlipsRow{}
	var records, callIDs []uuid.UUID
	for _, x := range follow {
		it := lane.Item{Kind: lane.FollowUp, ID: x.ID.String(), Promised: x.Promised, DayOnly: x.DayOnly, Text: x.Text}
		x.DueAt = book.Due(x.DueAt, x.DayOnly, x.DueZone, a.Location())
		if x.DueAt != nil {
			it.Due = *x.DueAt
		}
		it.Value = x.Value
		items, records = append(items, it), append(records, x.RecordID)
		followUps[it.ID] = x
	}
	notes, err := d.Store.OpenColleagueNotes(ctx, a.ID)
	if err != nil {
		return contract.Lane{}, err
	}
	left := map[string]db.OpenColleagueNotesRow{}
	for _, n := range notes {
		left[n.ID.String()] = n
		items = append(items, lane.Item{Kind: lane.Note, ID: n.ID.String(), Since: n.At, Text: n.Text,
			From: n.FromName})
	}
	unread, err := d.Store.UnreadMessages(ctx, a.ID)
	if err != nil {
		return contract.Lane{}, err
	}
	wrote := map[string]db.UnreadMessagesRow{}
	for _, m := range unread {
		it := lane.Item{Kind: lane.Message, ID: m.ID.String(), Since: m.At,
			Text: firm.Shorten(cmp.Or(m.Subject, m.Body), 120)}
		if m.LineID != nil {
			it.Line = f.LineLabels[*m.LineID]
		}
		items = append(items, it)
		wrote[it.ID] = m
	}
	for _, x := range slips {
		it := lane.Item{Kind: lane.UnfiledSlip, ID: x.ID.String(), Since: x.Since, HasNotes: x.HasNotes}
		items, callIDs = append(items, it), append(callIDs, x.CallID)
		found[it.ID] = x
	}
	owed, missed, err := d.Calls.LaneMissed(ctx, a, f)
	if err != nil {
		return contract.Lane{}, err
	}
	for _, it := range owed {
		items, callIDs = append(items, it), append(callIDs, missed[it.ID].CallID)
	}
	rounds, err := d.Store.LaneRounds(ctx, a.ID)
	if err != nil {
		return contract.Lane{}, err
	}
	for _, r := range rounds {
		items = append(items, lane.Item{Kind: lane.Round, ID: r.ID.String(), Since: r.Since, Left: r.Remaining,
			Why: r.Why, Text: r.Name})
	}
	rows, err := d.Book.RecordRowsByID(ctx, a, f, records)
	if err != nil {
		return contract.Lane{}, err
	}
	rowOf := map[uuid.UUID]contract.RecordRow{}
	for _, r := range rows {
		rowOf[r.ID] = r
	}
	for i := range items {
		if x, there := followUps[items[i].ID]; there {
			if n := numberFor(x.NumberID, rowOf[x.RecordID].Numbers); n != nil && n.InHours && n.ChangesAt != nil {
				items[i].Closes = *n.ChangesAt
			}
		}
	}
	linkOf, err := d.whoOf(ctx, callIDs)
	if err != nil {
		return contract.Lane{}, err
	}
	view := contract.Lane{Owed: []contract.LaneEntry{}, At: now}
	for _, e := range lane.Rank(items, now, lane.Reader{Zone: a.Zone, Dates: d.Dates()}, laneHorizon) {
		entry := contract.LaneEntry{Kind: contract.LaneEntryKind(e.Kind), ID: uuid.MustParse(e.ID), Text: e.Text,
			Reason: e.Reason, Late: e.Late,
			Tone: contract.LaneEntryTone(e.Tone), When: e.When}
		switch e.Kind {
		case lane.FollowUp:
			x := followUps[e.ID]
			row := rowOf[x.RecordID]
			entry.Record, entry.Version, entry.Act = &contract.RecordRef{ID: row.ID, Kind: row.Kind,
				Name: row.Name}, x.Version, &x.Kind
			entry.Number, entry.DueAt, entry.DayOnly = numberFor(x.NumberID, row.Numbers), x.DueAt, x.DayOnly
		case lane.Message:
			m := wrote[e.ID]
			entry.Typed = d.Outreach.AddressText(f, a, m.Channel, m.Address)
			if m.RecordID != nil {
				entry.Record = &contract.RecordRef{ID: *m.RecordID, Kind: contract.RecordKind(m.RecordKind),
					Name: m.RecordName}
			}
		case lane.Note:
			n := left[e.ID]
			entry.CallID, entry.ColleagueID, entry.Typed = n.CallID, &n.FromID, n.FromName
			if n.MessageID != uuid.Nil {
				entry.MessageID, entry.MessageHeard = &n.MessageID, &n.MessageHeard
			}
		case lane.UnfiledSlip:
			x := found[e.ID]
			entry.CallID, entry.Record = &x.CallID, linkOf[x.CallID]
			entry.Text = phone.Format(x.RemoteE164, x.RemoteExt, f.Region, a.Style)
		case lane.MissedCall:
			x := missed[e.ID]
			entry.CallID, entry.Record, entry.Version, entry.TakenBy = &x.CallID, linkOf[x.CallID], x.Version, e.TakenBy
			entry.Mine = &e.TakenByMe
			if x.MessageID != uuid.Nil {
				entry.MessageID, entry.MessageHeard = &x.MessageID, &x.MessageHeard
			}
			if entry.Text = calls.MissedText(x, f, a); x.RemoteE164 != "" {
				entry.Typed = entry.Text
			}
		}
		if e.Due.IsZero() || e.Due.Before(dayEnd(now.In(a.Zone))) {
			view.Today++
		}
		view.Owed = append(view.Owed, entry)
	}
	view.JustNow, err = d.recentCalls(ctx, a, 5)
	return view, err
}

// whoOf names the person, or else the company, of each call.
func (d *Desk) whoOf(ctx context.Context, calls []uuid.UUID) (map[uuid.UUID]*contract.RecordRef, error) {
	who := map[uuid.UUID]*contract.RecordRef{}
	links, err := d.Store.LinksOfCalls(ctx, calls)
	if err != nil {
		return nil, err
	}
	for _, l := range links { // persons come before companies
		if who[l.CallID] == nil {
			who[l.CallID] = &contract.RecordRef{ID: l.RecordID, Kind: contract.RecordKind(l.Kind), Name: l.Name}
		}
	}
	return who, nil
}

// numberFor is the number that a follow-up names, where it may be called, else the first one that may.
func numberFor(named *uuid.UUID, numbers []contract.PhoneNumber) *contract.PhoneNumber {
	for i := range numbers {
		if n := numbers[i]; named != nil && n.ID == *named && n.Dialable && n.Refused == "" {
			return &n
		}
	}
	return firstCallable(numbers)
}

// firstCallable is the first number that may be called and exists; nil where there is none.
func firstCallable(numbers []contract.PhoneNumber) *contract.PhoneNumber {
	for i := range numbers {
		if n := numbers[i]; n.Dialable && n.Refused == "" {
			return &n
		}
	}
	return nil
}
