package desk

import (
	"context"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/agenda"
	"trundo/internal/desk/book"
	"trundo/internal/desk/firm"
	"trundo/internal/store/db"
)

// figuresFrom is how far back it is looked for what is usual for a rep.
const figuresFrom = 42 * 24 * time.Hour

// Today is a's day: what is due, the rounds a is on, what waits to be filed, what colleagues left, and what a has done.
func (d *Desk) Today(ctx context.Context, a firm.Actor) (contract.Today, error) {
	now := d.Clock.Now().In(a.Location())
	view := contract.Today{Rounds: []contract.RoundRef{}, Unfiled: []contract.LaneEntry{}, Left: []contract.LaneEntry{}}
	var err error
	if view.Plan, err = d.plan(ctx, a, now); err != nil {
		return view, err
	}
	open, err := d.Rounds.Rounds(ctx, a)
	if err != nil {
		return view, err
	}
	for _, r := range open {
		if r.Mine == contract.RoundRefMineGoing || r.Mine == contract.RoundRefMinePaused {
			view.Rounds = append(view.Rounds, r)
		}
	}
	owed, err := d.Lane(ctx, a)
	if err != nil {
		return view, err
	}
	for _, e := range owed.Owed {
		switch e.Kind {
		case contract.LaneEntryKindSlip:
			view.Unfiled = append(view.Unfiled, e)
		case contract.LaneEntryKindNote:
			view.Left = append(view.Left, e)
		}
	}
	if near, err := d.Usage.Notices(ctx, a); err != nil {
		return view, err
	} else if len(near) > 0 {
		view.Limits = &near
	}
	if view.Meanwhile, err = d.Staff.Meanwhile(ctx, a); err != nil {
		return view, err
	}
	return view, d.figures(ctx, a, now, &view)
}

// plan is what is due for a until the end of the day, in order.
func (d *Desk) plan(ctx context.Context, a firm.Actor, now time.Time) ([]contract.DayEntry, error) {
	follow, err := d.Store.LaneFollowUps(ctx, a.ID)
	if err != nil {
		return nil, err
	}
	tomorrow := dayEnd(now)
	midnight := tomorrow.AddDate(0, 0, -1)
	visits, err := d.Store.VisitsOf(ctx, db.VisitsOfParams{OwnerID: &a.ID, Since: &midnight, Before: &tomorrow})
	if err != nil {
		return nil, err
	}
	f, err := d.Settings(ctx)
	if err != nil {
		return nil, err
	}
	var items []agenda.Item
	entries := map[string]contract.DayEntry{}
	records := make([]uuid.UUID, 0, len(follow))
	of := map[uuid.UUID]db.LaneFollowUpsRow{}
	for _, x := range follow {
		if x.DueAt = book.Due(x.DueAt, x.DayOnly, x.DueZone, a.Location()); x.DueAt == nil {
			continue
		}
		of[x.ID], records = x, append(records, x.RecordID)
		items = append(items, agenda.Item{ID: x.ID.String(), Due: *x.DueAt, DayOnly: x.DayOnly})
		entries[x.ID.String()] = contract.DayEntry{ID: x.ID, Kind: contract.DayEntryKind(x.Kind), Text: x.Text,
			At: *x.DueAt, Version: x.Version}
	}
	for _, v := range visits {
		items = append(items, agenda.Item{ID: v.ID.String(), Due: v.StartsAt})
		e := contract.DayEntry{
			ID:    v.ID,
			Kind:  contract.DayEntryKindVisit,
			Text:  v.Name,
			At:    v.StartsAt,
			Until: v.EndsAt,
			Where: v.Place,
		}
		if v.PersonID != nil && v.PersonKind != nil && v.Person != nil {
			e.Record = &contract.RecordRef{ID: *v.PersonID, Kind: contract.RecordKind(*v.PersonKind), Name: *v.Person}
		}
		entries[v.ID.String()] = e
	}
	rows, err := d.Book.RecordRowsByID(ctx, a, f, records)
	if err != nil {
		return nil, err
	}
	rowOf := map[uuid.UUID]contract.RecordRow{}
	for _, r := range rows {
		rowOf[r.ID] = r
	}
	plan := []contract.DayEntry{}
	for _, at := range agenda.Day(items, now) {
		e := entries[at.ID]
		e.Place, e.Late = contract.DayEntryPlace(at.Place), at.Late
		if x, is := of[e.ID]; is {
			row := rowOf[x.RecordID]
			e.Record = &contract.RecordRef{ID: row.ID, Kind: row.Kind, Name: row.Name}
			e.Number = numberFor(x.NumberID, row.Numbers)
		}
		plan = append(plan, e)
	}
	return plan, nil
}

// figures are what a has done today, beside what is usual until this time of the day.
func (d *Desk) figures(ctx context.Context, a firm.Actor, now time.Time, view *contract.Today) error {
	rows, err := d.Store.FiguresOfDays(ctx, db.FiguresOfDaysParams{Zone: a.Location().String(), UserID: a.ID,
		Since: now.Add(-figuresFrom), Clock: now.Format("15:04:05")})
	if err != nil {
		return err
	}
	shown := func(f agenda.Figures) contract.DayFigures {
		return contract.DayFigures{Calls: f.Calls, Conversations: f.Conversations, TalkMs: f.Talk.Milliseconds()}
	}
	var before []agenda.Figures
	for _, r := range rows {
		f := agenda.Figures{Calls: r.Calls, Conversations: r.Conversations,
			Talk: time.Duration(r.TalkMs) * time.Millisecond}
		if r.Day == now.Format(time.DateOnly) {
			view.Figures = shown(f)
		} else {
			before = append(before, f)
		}
	}
	if usual, known := agenda.Usual(before); known {
		u := shown(usual)
		view.Usual = &u
	}
	return nil
}
