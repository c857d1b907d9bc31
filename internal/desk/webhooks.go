package desk

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"
	"golang.org/x/sync/errgroup"

	"trundo/internal/contract"
	"trundo/internal/post"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// hookTries are after what times a telling is tried again; after the last it has failed. As the Standard Webhooks specification proposes.
var hookTries = []time.Duration{5 * time.Second, 5 * time.Minute, 30 * time.Minute, 2 * time.Hour, 5 * time.Hour, 10 * time.Hour, 14 * time.Hour, 20 * time.Hour, 24 * time.Hour}

// hookLost is when a telling that a server had taken counts as one of a server that has stopped: it is told again, under the same id.
const hookLost = 2 * time.Minute

// told is what other programs get.
type told struct {
	Type      string    `json:"type"`
	Timestamp time.Time `json:"timestamp"`
	Data      any       `json:"data"`
}

// wants tells whether a program is told of an event.
func wants(h db.WebhooksRow, event contract.WebhookEvent) bool {
	return h.Active && slices.Contains(h.Events, string(event))
}

// Wanted implements firm.Outbox.
func (d *Desk) Wanted(ctx context.Context, event contract.WebhookEvent) (bool, error) {
	f, err := d.firmWithin(ctx)
	return err == nil && slices.ContainsFunc(f.webhooks, func(h db.WebhooksRow) bool { return wants(h, event) }), err
}

// Emit implements firm.Outbox.
func (d *Desk) Emit(ctx context.Context, q *db.Queries, event contract.WebhookEvent, data func() (any, error)) error {
	f, err := d.firmWithin(ctx)
	if err != nil {
		return err
	}
	var payload []byte
	for _, h := range f.webhooks {
		if !wants(h, event) {
			continue
		}
		if payload == nil {
			what, err := data()
			if err != nil {
				return err
			}
			if payload, err = json.Marshal(told{string(event), d.Clock.Now(), what}); err != nil {
				return err
			}
		}
		if _, err := d.deliver(ctx, q, h.ID, string(event), payload, 0); err != nil {
			return err
		}
	}
	return nil
}

// TellLater lets one program be told of something after a delay, in the transaction of what happened.
func (d *Desk) TellLater(ctx context.Context, q *db.Queries, hook uuid.UUID, event string, data any, delay time.Duration) (uuid.UUID, error) {
	payload, err := json.Marshal(told{event, d.Clock.Now(), data})
	if err != nil {
		return uuid.Nil, err
	}
	return d.deliver(ctx, q, hook, event, payload, delay)
}

// deliver writes down that a program is to be told. Who commits it wakes the telling: publishHistory and publishRecord do.
func (d *Desk) deliver(ctx context.Context, q *db.Queries, hook uuid.UUID, event string, payload []byte, delay time.Duration) (uuid.UUID, error) {
	id, now := store.NewID(), d.Clock.Now()
	at := now.Add(delay)
	return id, q.InsertDelivery(ctx, db.InsertDeliveryParams{ID: id, WebhookID: hook, Event: event, Payload: payload, NextAt: &at, At: now})
}

// emitFiled tells of a slip that was filed.
func (d *Desk) emitFiled(ctx context.Context, q *db.Queries, slip uuid.UUID) error {
	return d.Emit(ctx, q, contract.SlipFiled, func() (any, error) { return eventOfSlip(ctx, q, slip) })
}

func eventOfSlip(ctx context.Context, q *db.Queries, slip uuid.UUID) (any, error) {
	r, err := q.EventOfSlip(ctx, slip)
	return map[string]any{"slip_id": r.ID, "call_id": r.CallID, "rep": r.Login, "subject": r.Subject, "outcome": r.Outcome, "conversation": r.Reached, "call_type": r.CallType, "notes": r.Notes,
		"filed_at": r.FiledAt, "records": r.Records}, err
}

// tellPrograms tells what is due.
func (d *Desk) tellPrograms(ctx context.Context) error {
	for {
		now := d.Clock.Now()
		lost := now.Add(-hookLost)
		rows, err := d.Store.TakeDeliveries(ctx, db.TakeDeliveriesParams{Now: &now, Lost: &lost})
		if err != nil || len(rows) == 0 {
			return err
		}
		var group errgroup.Group // one that hangs does not keep the others waiting
		for _, r := range rows {
			group.Go(func() error { return d.tellOne(ctx, r) })
		}
		if err := group.Wait(); err != nil {
			return err
		}
	}
}

func (d *Desk) tellOne(ctx context.Context, r db.TakeDeliveriesRow) error {
	p := db.SetDeliveryParams{ID: r.ID, State: "failed", Problem: "it is switched off"}
	switch {
	case d.Hooks == nil:
		p.Problem = "this server tells no other programs"
	case r.Active:
		secret, err := d.unseal(r.Secret)
		if err != nil {
			return err
		}
		p.Status, err = d.Hooks.Tell(ctx, post.Hook{ID: "msg_" + r.ID.String(), URL: r.Url, Secret: secret, At: d.Clock.Now(), Body: r.Payload})
		now := d.Clock.Now()
		var refused *post.RefusedError
		switch {
		case err == nil:
			p.State, p.Problem, p.DoneAt = "done", "", &now
		case errors.As(err, &refused):
			p.Problem = err.Error()
			if p.Status == 410 { // it asked for no more
				if err := d.Store.StopWebhook(ctx, db.StopWebhookParams{ID: r.WebhookID, Why: err.Error()}); err != nil {
					return err
				}
				d.bookChanged()
			}
		default:
			p.Problem = shorten(err.Error(), 500)
			if r.Tries <= len(hookTries) {
				at := now.Add(hookTries[r.Tries-1])
				p.State, p.NextAt = "waiting", &at
			}
		}
	}
	return d.Store.SetDelivery(context.WithoutCancel(ctx), p)
}

// Webhooks are the programs that are told what happens. Error: ErrForbidden.
func (d *Desk) Webhooks(ctx context.Context, a Actor) (contract.Webhooks, error) {
	view := contract.Webhooks{Webhooks: []contract.Webhook{}}
	if !a.mayDo(SetUp) {
		return view, ErrForbidden
	}
	rows, err := d.Store.Webhooks(ctx)
	if err != nil {
		return view, err
	}
	used, err := d.Store.WebhooksUsed(ctx)
	for _, r := range rows {
		secret, err := d.unseal(r.Secret)
		if err != nil {
			return view, err
		}
		w := contract.Webhook{ID: &r.ID, Name: r.Name, URL: r.Url, Active: r.Active, Secret: &secret, Stopped: &r.Stopped, Events: []contract.WebhookEvent{}}
		for _, e := range r.Events {
			w.Events = append(w.Events, contract.WebhookEvent(e))
		}
		for _, u := range used {
			if u.ID == r.ID && u.Outcomes > 0 {
				words := fmt.Sprintf("told by %d outcomes", u.Outcomes)
				w.Used = &words
			}
		}
		view.Webhooks = append(view.Webhooks, w)
	}
	return view, err
}

// SetWebhooks keeps them, in their order; those left out are told nothing any more. Errors: ErrForbidden, *FieldError.
func (d *Desk) SetWebhooks(ctx context.Context, a Actor, set contract.Webhooks) (contract.Webhooks, error) {
	before, err := d.Webhooks(ctx, a)
	if err != nil {
		return before, err
	}
	known := map[uuid.UUID]contract.Webhook{}
	for _, w := range before.Webhooks {
		known[*w.ID] = w
	}
	var rows []db.PutWebhookParams
	for i, w := range set.Webhooks {
		field := fmt.Sprintf("webhooks.%d.", i)
		secret, err := d.seal(post.NewSecret())
		if err != nil {
			return before, err
		}
		p := db.PutWebhookParams{ID: store.NewID(), Name: cleanText(w.Name), Url: cleanText(w.URL), Secret: secret, Active: w.Active, Position: i, Events: []string{}}
		if p.Name == "" {
			return before, wrong(field+"name", "a program needs a name")
		}
		if err := d.Hooks.CheckURL(p.Url); err != nil {
			return before, &FieldError{field + "url", err}
		}
		for _, e := range w.Events {
			p.Events = append(p.Events, string(e))
		}
		if w.ID != nil {
			if _, there := known[*w.ID]; !there {
				return before, wrong(field+"name", "there is no such program")
			}
			p.ID = *w.ID
			delete(known, p.ID)
		}
		rows = append(rows, p)
	}
	for id, w := range known {
		rows = append(rows, db.PutWebhookParams{ID: id, Name: w.Name, Url: w.URL, Position: len(rows), Events: []string{}})
	}
	err = d.Store.Tx(ctx, func(q *db.Queries) error {
		for _, p := range rows {
			if err := q.PutWebhook(ctx, p); err != nil {
				return err
			}
		}
		return d.audited(ctx, q, a, "settings", uuid.Nil, "webhooks", map[string]int{"webhooks": len(before.Webhooks)}, map[string]int{"webhooks": len(set.Webhooks)})
	})
	if err != nil {
		return before, err
	}
	d.bookChanged()
	return d.Webhooks(ctx, a)
}

// Deliveries is what other programs were told last. Error: ErrForbidden.
func (d *Desk) Deliveries(ctx context.Context, a Actor) ([]contract.Delivery, error) {
	if !a.mayDo(SetUp) {
		return nil, ErrForbidden
	}
	rows, err := d.Store.Deliveries(ctx)
	views := []contract.Delivery{}
	for _, r := range rows {
		views = append(views, contract.Delivery{ID: r.ID, Name: r.Name, Event: r.Event, Payload: string(r.Payload), State: contract.DeliveryState(r.State), Tries: r.Tries, Status: r.Status,
			Problem: r.Problem, At: r.At, NextAt: r.NextAt})
	}
	return views, err
}

// ReplayDelivery tells something again, under the same id. Errors: ErrForbidden, ErrNotFound.
func (d *Desk) ReplayDelivery(ctx context.Context, a Actor, id uuid.UUID) error {
	if !a.mayDo(SetUp) {
		return ErrForbidden
	}
	now := d.Clock.Now()
	n, err := d.Store.ReplayDelivery(ctx, db.ReplayDeliveryParams{ID: id, Now: &now})
	if err == nil && n == 0 {
		err = ErrNotFound
	}
	wake(d.told)
	return err
}

// Wake implements firm.Outbox.
func (d *Desk) Wake() {
	if f := d.lastFirm.Load(); f != nil && len(f.webhooks) > 0 {
		wake(d.told)
	}
}
