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
	o := owed{d: d, a: a, f: f, show: map[string]func(*contract.LaneEntry){}, closing: map[string]closing{}}
	for _, read := range []func(context.Context) error{o.followUps, o.notes, o.messages, o.slips, o.missed, o.rounds,
		o.standIn, o.named} {
		if err := read(ctx); err != nil {
			return contract.Lane{}, err
		}
	}
	view := contract.Lane{Owed: []contract.LaneEntry{}, At: now}
	for _, e := range lane.Rank(o.items, now, lane.Reader{Zone: a.Zone, Dates: d.Dates()}, laneHorizon) {
		entry := contract.LaneEntry{Kind: contract.LaneEntryKind(e.Kind), ID: uuid.MustParse(e.ID), Text: e.Text,
			Reason: e.Reason, Late: e.Late,
			Tone: contract.LaneEntryTone(e.Tone), When: e.When}
		o.show[e.ID](&entry)
		if e.Due.IsZero() || e.Due.Before(dayEnd(now.In(a.Zone))) {
			view.Today++
		}
		view.Owed = append(view.Owed, entry)
	}
	view.JustNow, err = d.recentCalls(ctx, a, 5)
	return view, err
}

// owed gathers what somebody owes: each source adds its items, and how each is shown once they are ranked.
type owed struct {
	d  *Desk
	a  firm.Actor
	f  *firm.Settings
	of string // the colleague for whom it is owed; empty: it is one's own

	items          []lane.Item
	show           map[string]func(*contract.LaneEntry)
	records, calls []uuid.UUID // whom they are about, and of which calls
	closing        map[string]closing

	rowOf map[uuid.UUID]contract.RecordRow  // of records
	who   map[uuid.UUID]*contract.RecordRef // of calls
}

// closing is whose number says until when an item can be done.
type closing struct {
	number *uuid.UUID
	record uuid.UUID
}

func (o *owed) add(it lane.Item, show func(*contract.LaneEntry)) {
	if o.show[it.ID] != nil {
		return // owed by both a colleague and the one who stands in for them
	}
	o.items = append(o.items, it)
	if o.of != "" {
		of, shown := o.of, show
		show = func(entry *contract.LaneEntry) {
			shown(entry)
			entry.For = &of
		}
	}
	o.show[it.ID] = show
}

// standIn adds what those owe for whom somebody stands in. What colleagues have written to them waits for them.
func (o *owed) standIn(ctx context.Context) error {
	self := o.a
	defer func() { o.a, o.of = self, "" }()
	for _, id := range o.f.StandsInFor(self.ID, o.d.Clock.Now()) {
		away, err := o.d.Actor(ctx, id)
		if err != nil {
			return err
		}
		o.a, o.of = away, away.Name
		o.a.Zone, o.a.Style = self.Zone, self.Style
		for _, read := range []func(context.Context) error{o.followUps, o.messages, o.missed, o.rounds} {
			if err := read(ctx); err != nil {
				return err
			}
		}
	}
	return nil
}

func (o *owed) followUps(ctx context.Context) error {
	follow, err := o.d.Store.LaneFollowUps(ctx, o.a.ID)
	for _, x := range follow {
		it := lane.Item{Kind: lane.FollowUp, ID: x.ID.String(), Promised: x.Promised, DayOnly: x.DayOnly, Text: x.Text,
			Value: x.Value}
		x.DueAt = book.Due(x.DueAt, x.DayOnly, x.DueZone, o.a.Location())
		if x.DueAt != nil {
			it.Due = *x.DueAt
		}
		o.records = append(o.records, x.RecordID)
		o.closing[it.ID] = closing{x.NumberID, x.RecordID}
		o.add(it, func(entry *contract.LaneEntry) {
			row := o.rowOf[x.RecordID]
			entry.Record, entry.Version, entry.Act = &contract.RecordRef{ID: row.ID, Kind: row.Kind,
				Name: row.Name}, x.Version, &x.Kind
			entry.Number, entry.DueAt, entry.DayOnly = numberFor(x.NumberID, row.Numbers), x.DueAt, x.DayOnly
		})
	}
	return err
}

func (o *owed) notes(ctx context.Context) error {
	notes, err := o.d.Store.OpenColleagueNotes(ctx, o.a.ID)
	for _, n := range notes {
		o.add(lane.Item{Kind: lane.Note, ID: n.ID.String(), Since: n.At, Text: n.Text, From: n.FromName},
			func(entry *contract.LaneEntry) {
				entry.CallID, entry.ColleagueID, entry.Typed = n.CallID, &n.FromID, n.FromName
				if n.MessageID != uuid.Nil {
					entry.MessageID, entry.MessageHeard = &n.MessageID, &n.MessageHeard
				}
			})
	}
	return err
}

func (o *owed) messages(ctx context.Context) error {
	unread, err := o.d.Store.UnreadMessages(ctx, o.a.ID)
	for _, m := range unread {
		it := lane.Item{Kind: lane.Message, ID: m.ID.String(), Since: m.At,
			Text: firm.Shorten(cmp.Or(m.Subject, m.Body), 120), From: m.HandedName}
		if m.LineID != nil {
			it.Line = o.f.LineLabels[*m.LineID]
		}
		o.add(it, func(entry *contract.LaneEntry) {
			entry.Typed = o.d.Outreach.AddressText(o.f, o.a, m.Channel, m.Address)
			if m.RecordID != nil {
				entry.Record = &contract.RecordRef{ID: *m.RecordID, Kind: contract.RecordKind(m.RecordKind),
					Name: m.RecordName}
			}
		})
	}
	return err
}

func (o *owed) slips(ctx context.Context) error {
	slips, err := o.d.Store.LaneSlips(ctx, o.a.ID)
	for _, x := range slips {
		o.calls = append(o.calls, x.CallID)
		o.add(lane.Item{Kind: lane.UnfiledSlip, ID: x.ID.String(), Since: x.Since, HasNotes: x.HasNotes},
			func(entry *contract.LaneEntry) {
				entry.CallID, entry.Record = &x.CallID, o.who[x.CallID]
				entry.Text = phone.Format(x.RemoteE164, x.RemoteExt, o.f.Region, o.a.Style)
			})
	}
	return err
}

func (o *owed) missed(ctx context.Context) error {
	items, missed, err := o.d.Calls.LaneMissed(ctx, o.a, o.f)
	for _, it := range items {
		x := missed[it.ID]
		o.calls = append(o.calls, x.CallID)
		o.add(it, func(entry *contract.LaneEntry) {
			entry.CallID, entry.Record, entry.Version, entry.TakenBy = &x.CallID, o.who[x.CallID], x.Version, it.TakenBy
			entry.Mine = &it.TakenByMe
			if x.MessageID != uuid.Nil {
				entry.MessageID, entry.MessageHeard = &x.MessageID, &x.MessageHeard
			}
			if entry.Text = calls.MissedText(x, o.f, o.a); x.RemoteE164 != "" {
				entry.Typed = entry.Text
			}
		})
	}
	return err
}

func (o *owed) rounds(ctx context.Context) error {
	rounds, err := o.d.Store.LaneRounds(ctx, db.LaneRoundsParams{UserID: o.a.ID, UnderWay: o.of != ""})
	for _, r := range rounds {
		o.add(
			lane.Item{Kind: lane.Round, ID: r.ID.String(), Since: r.Since, Left: r.Remaining, Why: r.Why, Text: r.Name},
			func(*contract.LaneEntry) {},
		)
	}
	return err
}

// named reads whom all of it is about, and until when each follow-up's number may be called.
func (o *owed) named(ctx context.Context) error {
	rows, err := o.d.Book.RecordRowsByID(ctx, o.a, o.f, o.records)
	if err != nil {
		return err
	}
	o.rowOf = map[uuid.UUID]contract.RecordRow{}
	for _, r := range rows {
		o.rowOf[r.ID] = r
	}
	for i := range o.items {
		if c, there := o.closing[o.items[i].ID]; there {
			if n := numberFor(c.number, o.rowOf[c.record].Numbers); n != nil && n.InHours && n.ChangesAt != nil {
				o.items[i].Closes = *n.ChangesAt
			}
		}
	}
	o.who, err = o.d.whoOf(ctx, o.calls)
	return err
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
