package book

import (
	"context"
	"crypto/rand"
	"encoding/base64"
	"io"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
	"trundo/internal/formats"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// calendarPast is how far back a calendar goes.
const calendarPast = 90 * 24 * time.Hour

// MakeCalendarAddress gives a an address under which a calendar program reads a's visits and follow-ups. It holds a
// secret, of which only a hash is kept; an earlier address no longer works.
func (bk *Book) MakeCalendarAddress(ctx context.Context, a firm.Actor) (contract.CalendarAddress, error) {
	secret := make([]byte, 24)
	if _, err := rand.Read(secret); err != nil {
		return contract.CalendarAddress{}, err
	}
	text := base64.RawURLEncoding.EncodeToString(secret)
	err := bk.Store.Tx(ctx, func(q *db.Queries) error {
		if err := q.SetCalendarHash(ctx, db.SetCalendarHashParams{ID: a.ID, Hash: firm.HashSecret(text)}); err != nil {
			return err
		}
		return bk.Audited(ctx, q, a, "user", a.ID, "calendar address made", map[string]string{}, map[string]string{})
	})
	return contract.CalendarAddress{Address: "/calendar/" + text + ".ics"}, err
}

// WriteSecretCalendar writes the calendar that an address with this secret leads to. Error: ErrNotFound.
func (bk *Book) WriteSecretCalendar(ctx context.Context, secret string, w io.Writer) error {
	id, err := bk.Store.UserByCalendar(ctx, firm.HashSecret(secret))
	if store.NotFound(err) {
		return firm.ErrNotFound
	} else if err != nil {
		return err
	}
	return bk.writeCalendar(ctx, id, w)
}

// WriteCalendar writes a's own calendar.
func (bk *Book) WriteCalendar(ctx context.Context, a firm.Actor, w io.Writer) error {
	return bk.writeCalendar(ctx, a.ID, w)
}

func (bk *Book) writeCalendar(ctx context.Context, user uuid.UUID, w io.Writer) error {
	f, err := bk.Settings(ctx)
	if err != nil {
		return err
	}
	a, err := bk.Actor(ctx, user)
	if err != nil {
		return err
	}
	now := bk.Clock.Now()
	var events []formats.Event
	from := now.Add(-calendarPast)
	visits, err := bk.Store.CalendarVisits(ctx, db.CalendarVisitsParams{OwnerID: &user, Since: &from})
	if err != nil {
		return err
	}
	for _, v := range visits {
		e := formats.Event{UID: v.ID.String(), Summary: v.Name, Place: v.Place, Start: *v.StartsAt,
			Cancelled: v.Stage == "cancelled", Version: v.Version}
		if v.EndsAt != nil {
			e.End = *v.EndsAt
		} else {
			e.End = v.StartsAt.Add(time.Hour)
		}
		events = append(events, e)
	}
	due, err := bk.Store.CalendarFollowUps(ctx, db.CalendarFollowUpsParams{OwnerID: user, Since: &from})
	if err != nil {
		return err
	}
	for _, u := range due {
		e := formats.Event{UID: u.ID.String(), Summary: u.Name + ": " + u.Text, Start: u.DueAt.In(a.Zone),
			AllDay: u.DayOnly, Free: true, Version: u.Version}
		if u.State == "done" {
			e.Summary = "Done: " + e.Summary
		}
		events = append(events, e)
	}
	return formats.WriteCalendar(w, f.Name+": "+a.Name, events, now)
}

// MyDay are a's visits and meetings on the day of a moment, where a is.
func (bk *Book) MyDay(ctx context.Context, a firm.Actor, at time.Time) ([]contract.Appointment, error) {
	there := at.In(a.Location())
	from := time.Date(there.Year(), there.Month(), there.Day(), 0, 0, 0, 0, a.Location())
	to := from.AddDate(0, 0, 1)
	rows, err := bk.Store.DayOf(ctx, db.DayOfParams{OwnerID: &a.ID, Since: &from, Before: &to})
	views := []contract.Appointment{}
	for _, r := range rows {
		views = append(views, contract.Appointment{StartsAt: r.StartsAt, EndsAt: r.EndsAt, Text: r.Text,
			Place: r.Place})
	}
	return views, err
}
