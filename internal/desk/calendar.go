package desk

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"io"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/formats"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// calendarPast is how far back a calendar goes.
const calendarPast = 90 * 24 * time.Hour

// MakeCalendarAddress gives a an address under which a calendar program reads a's visits and follow-ups. It holds a
// secret, of which only a hash is kept; an earlier address no longer works.
func (d *Desk) MakeCalendarAddress(ctx context.Context, a Actor) (contract.CalendarAddress, error) {
	secret := make([]byte, 24)
	if _, err := rand.Read(secret); err != nil {
		return contract.CalendarAddress{}, err
	}
	text := base64.RawURLEncoding.EncodeToString(secret)
	err := d.Store.Tx(ctx, func(q *db.Queries) error {
		if err := q.SetCalendarHash(ctx, db.SetCalendarHashParams{ID: a.ID, Hash: hashSecret(text)}); err != nil {
			return err
		}
		return d.audited(ctx, q, a, "user", a.ID, "calendar address made", map[string]string{}, map[string]string{})
	})
	return contract.CalendarAddress{Address: "/calendar/" + text + ".ics"}, err
}

func hashSecret(text string) []byte {
	sum := sha256.Sum256([]byte(text))
	return sum[:]
}

// WriteSecretCalendar writes the calendar that an address with this secret leads to. Error: ErrNotFound.
func (d *Desk) WriteSecretCalendar(ctx context.Context, secret string, w io.Writer) error {
	id, err := d.Store.UserByCalendar(ctx, hashSecret(secret))
	if store.NotFound(err) {
		return ErrNotFound
	} else if err != nil {
		return err
	}
	return d.writeCalendar(ctx, id, w)
}

// WriteCalendar writes a's own calendar.
func (d *Desk) WriteCalendar(ctx context.Context, a Actor, w io.Writer) error {
	return d.writeCalendar(ctx, a.ID, w)
}

func (d *Desk) writeCalendar(ctx context.Context, user uuid.UUID, w io.Writer) error {
	f, err := d.firm(ctx)
	if err != nil {
		return err
	}
	a, err := d.Actor(ctx, user)
	if err != nil {
		return err
	}
	now := d.Clock.Now()
	var events []formats.Event
	from := now.Add(-calendarPast)
	visits, err := d.Store.CalendarVisits(ctx, db.CalendarVisitsParams{OwnerID: &user, Since: &from})
	if err != nil {
		return err
	}
	for _, v := range visits {
		e := formats.Event{UID: v.ID.String(), Summary: v.Name, Place: v.Place, Start: *v.StartsAt, Cancelled: v.Stage == "cancelled", Version: v.Version}
		if v.EndsAt != nil {
			e.End = *v.EndsAt
		} else {
			e.End = v.StartsAt.Add(time.Hour)
		}
		events = append(events, e)
	}
	due, err := d.Store.CalendarFollowUps(ctx, db.CalendarFollowUpsParams{OwnerID: user, Since: &from})
	if err != nil {
		return err
	}
	for _, u := range due {
		e := formats.Event{UID: u.ID.String(), Summary: u.Name + ": " + u.Text, Start: u.DueAt.In(a.Zone), AllDay: u.DayOnly, Free: true, Version: u.Version}
		if u.State == "done" {
			e.Summary = "Done: " + e.Summary
		}
		events = append(events, e)
	}
	return formats.WriteCalendar(w, f.name+": "+a.Name, events, now)
}

// MyDay are a's visits and meetings on the day of a moment, where a is.
func (d *Desk) MyDay(ctx context.Context, a Actor, at time.Time) ([]contract.Appointment, error) {
	there := at.In(a.zone())
	from := time.Date(there.Year(), there.Month(), there.Day(), 0, 0, 0, 0, a.zone())
	to := from.AddDate(0, 0, 1)
	rows, err := d.Store.DayOf(ctx, db.DayOfParams{OwnerID: &a.ID, Since: &from, Before: &to})
	views := []contract.Appointment{}
	for _, r := range rows {
		views = append(views, contract.Appointment{StartsAt: r.StartsAt, EndsAt: r.EndsAt, Text: r.Text, Place: r.Place})
	}
	return views, err
}
