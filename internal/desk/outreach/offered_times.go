package outreach

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/callable"
	"trundo/internal/core/phone"
	"trundo/internal/core/promise"
	"trundo/internal/core/rights"
	"trundo/internal/core/routing"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// offerOpen is for how long an answer to an offer is one: until its last time, and a week at most.
const offerOpen = 7 * 24 * time.Hour

// offering is what an offer of times is made of.
type offering struct {
	followUp db.FollowUpsByIDsRow
	letter   letter
	sides    promise.Sides
}

// offered finds to whom times are offered, and from which. Errors: firm.ErrNotFound, firm.ErrForbidden, *firm.FieldError.
func (ou *Outreach) offered(ctx context.Context, q *db.Queries, a firm.Actor, id uuid.UUID) (offering, error) {
	var o offering
	found, err := q.FollowUpsByIDs(ctx, []uuid.UUID{id})
	if err != nil {
		return o, err
	}
	if len(found) == 0 {
		return o, firm.ErrNotFound
	}
	o.followUp = found[0]
	switch {
	case !ou.MayOf(ctx, a, rights.ChangeFollowUps, &o.followUp.OwnerID):
		return o, firm.ErrForbidden
	case o.followUp.Kind != string(contract.FollowUpKindCall) || o.followUp.State != string(contract.FollowUpStateOpen):
		return o, firm.Wrong("kind", "times are offered for a call that is still to be made")
	}
	f, err := ou.Settings(ctx)
	if err != nil {
		return o, err
	}
	if o.letter, err = ou.Addressed(ctx, q, a, f, contract.NewMessage{Channel: contract.ChannelText,
		RecordID: &o.followUp.RecordID, NumberID: o.followUp.NumberID}); err != nil {
		return o, err
	}
	owner, err := firm.ActorWithin(ctx, q, o.followUp.OwnerID)
	if err != nil {
		return o, err
	}
	now := ou.Clock.Now()
	o.sides, err = ou.sides(ctx, q, f, owner, o, now)
	return o, err
}

// Nobody's line says when it is open: they are at work from then to then, in minutes after midnight.
var usualHours = callable.Hours{From: 9 * 60, To: 17 * 60}

// atWork tells when somebody is: while their line is open, on business days; in usual hours where it does not say.
func (ou *Outreach) atWork(ctx context.Context, q *db.Queries, f *firm.Settings,
	owner firm.Actor) (func(time.Time) bool, error) {
	zone := owner.Location()
	usual := func(at time.Time) bool {
		return callable.Check(callable.Subject{Zones: []string{zone.String()}}, usualHours, at).InHours
	}
	if owner.Line != nil {
		line, err := q.LineHours(ctx, *owner.Line)
		if err != nil {
			return nil, err
		}
		var h routing.Hours
		_ = json.Unmarshal(line.Hours, &h) // written by routing.Hours
		if len(h.Spans) > 0 {
			zone, usual = firm.ZoneNamed(
				line.Zone,
			), func(at time.Time) bool { return h.Open(at.In(firm.ZoneNamed(line.Zone))) }
		}
	}
	return func(at time.Time) bool { return usual(at) && f.Workdays.Works(at.In(zone)) }, nil
}

// sides are the hours of whoever calls and of whom they call, with what the caller has to do already.
func (ou *Outreach) sides(ctx context.Context, q *db.Queries, f *firm.Settings, owner firm.Actor, o offering,
	now time.Time) (promise.Sides, error) {
	s := promise.Sides{There: owner.Location()}
	if len(o.letter.zones) > 0 {
		s.There = firm.ZoneNamed(o.letter.zones[0])
	}
	s.Theirs = func(at time.Time) bool {
		return callable.Check(callable.Subject{Zones: o.letter.zones}, ou.Hours, at).InHours
	}
	var err error
	if s.Ours, err = ou.atWork(ctx, q, f, owner); err != nil {
		return s, err
	}
	taken, err := q.TakenTimes(ctx, db.TakenTimesParams{OwnerID: owner.ID, But: o.followUp.ID, Since: now,
		Before: now.AddDate(0, 1, 0)})
	s.Taken = taken
	return s, err
}

// read is when they can read an offer at the earliest: a text message is held until they may be called.
func (ou *Outreach) read(o offering) time.Time {
	now := ou.Clock.Now()
	if o.letter.hold.After(now) {
		return o.letter.hold
	}
	return now
}

// offerText is what is written.
func (ou *Outreach) offerText(f *firm.Settings, o offering, times []time.Time) string {
	var all []string
	for i, t := range times {
		all = append(all, fmt.Sprintf("%d for %s", i+1, ou.longTime(t, o.sides.There)))
	}
	return f.Name + ": when may we call you? Answer " + strings.Join(all, ", ") + "."
}

// longTime is a time as somebody reads it where they live.
func (ou *Outreach) longTime(at time.Time, there *time.Location) string {
	at = at.In(there)
	return ou.Dates().Weekday(at) + " at " + ou.Dates().Time(at)
}

// TimeOffer is what would be offered for a follow-up now, and what was offered last. Errors: those of offered.
func (ou *Outreach) TimeOffer(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.TimeOffer, error) {
	view := contract.TimeOffer{Times: []time.Time{}}
	o, err := ou.offered(ctx, ou.Store.Queries, a, id)
	if err != nil {
		return view, err
	}
	f, err := ou.Settings(ctx)
	if err != nil {
		return view, err
	}
	view.To, view.Problem = phone.Format(o.letter.to, "", f.Region, a.Style), o.letter.Problem
	if view.Times = promise.Offer(o.sides, ou.read(o)); len(view.Times) == 0 {
		view.Times, view.Problem = []time.Time{}, "no time suits both sides within two weeks"
	} else {
		view.Text = ou.offerText(f, o, view.Times)
	}
	last, err := ou.Store.LastTimeOffer(ctx, id)
	if err == nil && len(last) > 0 {
		view.OfferedAt, view.Chosen = &last[0].At, last[0].Chosen
	}
	return view, err
}

// OfferTimes sends times from which the person chooses by answering; the answer sets the follow-up's time. Errors: those
// of offered, *firm.FieldError.
func (ou *Outreach) OfferTimes(ctx context.Context, a firm.Actor, key string, id uuid.UUID,
	w contract.OfferedTimes) (contract.TimeOffer, error) {
	f, err := ou.Settings(ctx)
	if err != nil {
		return contract.TimeOffer{}, err
	}
	var o offering
	_, err = ou.Once(ctx, a, key, "offer_times", w, func(q *db.Queries, message uuid.UUID) error {
		if o, err = ou.offered(ctx, q, a, id); err != nil {
			return err
		}
		if o.letter.Problem != "" {
			return firm.Wrong("times", o.letter.Problem)
		}
		now := ou.Clock.Now()
		for i, t := range w.Times {
			if !t.After(ou.read(o)) || i > 0 && !t.After(w.Times[i-1]) || !o.sides.Theirs(t) {
				return firm.Wrong("times", ou.longTime(t, o.sides.There)+" does not suit them any more: look again")
			}
		}
		if err := q.EndTimeOffers(ctx, db.EndTimeOffersParams{FollowUpID: id, At: &now}); err != nil {
			return err
		}
		ends := w.Times[len(w.Times)-1]
		if week := now.Add(offerOpen); week.Before(ends) {
			ends = week
		}
		if err := q.InsertTimeOffer(ctx, db.InsertTimeOfferParams{ID: store.NewID(), FollowUpID: id, MessageID: message,
			E164: o.letter.to, LineID: *o.letter.lineID(), Times: w.Times, Zone: o.sides.There.String(), At: now,
			EndsAt: ends}); err != nil {
			return err
		}
		return ou.WriteDown(ctx, q, a, o.letter, message, nil, "", ou.offerText(f, o, w.Times), 0)
	})
	if err != nil {
		return contract.TimeOffer{}, err
	}
	ou.Posted(o.letter.Record)
	return ou.TimeOffer(ctx, a, id)
}

// timeChosen takes a text message as the answer to an offer of times, where it is one: the follow-up is due then. It gives
// what is written back, "" where it is none.
func (ou *Outreach) timeChosen(ctx context.Context, q *db.Queries, m db.InsertMessageParams) (string, error) {
	open, err := q.OpenTimeOffer(ctx, db.OpenTimeOfferParams{E164: m.Address, Now: m.At})
	if err != nil || len(open) == 0 || open[0].State != string(contract.FollowUpStateOpen) {
		return "", err
	}
	o := open[0]
	n, is := promise.Choice(m.Body, len(o.Times))
	if !is {
		return "", nil
	}
	at, there := o.Times[n-1], firm.ZoneNamed(o.Zone)
	if !at.After(m.At) {
		return "", nil // somebody has to say so
	}
	owner, err := firm.ActorWithin(ctx, q, o.OwnerID)
	if err != nil {
		return "", err
	}
	if err := q.ChooseOffered(ctx, db.ChooseOfferedParams{ID: o.ID, Chosen: &at, At: &m.At}); err != nil {
		return "", err
	}
	if err := q.DueAtChosen(ctx, db.DueAtChosenParams{ID: o.FollowUpID, DueAt: &at,
		DueZone: owner.Location().String()}); err != nil {
		return "", err
	}
	f, err := ou.Settings(ctx)
	if err != nil {
		return "", err
	}
	return f.Name + ": thank you. We call you on " + ou.longTime(at, there) + ".", nil
}
