package outreach

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
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/post"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// hookTries are after what times a telling is tried again; after the last it has failed. As the Standard Webhooks
// specification proposes.
var hookTries = []time.Duration{5 * time.Second, 5 * time.Minute, 30 * time.Minute, 2 * time.Hour, 5 * time.Hour,
	10 * time.Hour, 14 * time.Hour, 20 * time.Hour, 24 * time.Hour}

// hookLost is when a telling that a server had taken counts as one of a server that has stopped: it is told again,
// under the same id.
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
func (ou *Outreach) Wanted(ctx context.Context, event contract.WebhookEvent) (bool, error) {
	f, err := ou.SettingsWithin(ctx)
	return err == nil && slices.ContainsFunc(f.Webhooks, func(h db.WebhooksRow) bool { return wants(h, event) }), err
}

// Emit implements firm.Outbox.
func (ou *Outreach) Emit(ctx context.Context, q *db.Queries, event contract.WebhookEvent,
	data func() (any, error)) error {
	f, err := ou.SettingsWithin(ctx)
	if err != nil {
		return err
	}
	var payload []byte
	for _, h := range f.Webhooks {
		if !wants(h, event) {
			continue
		}
		if payload == nil {
			what, err := data()
			if err != nil {
				return err
			}
			if payload, err = json.Marshal(told{string(event), ou.Clock.Now(), what}); err != nil {
				return err
			}
		}
		if _, err := ou.deliver(ctx, q, h.ID, string(event), payload, 0); err != nil {
			return err
		}
	}
	return nil
}

// TellLater lets one program be told of something after a delay, in the transaction of what happened.
func (ou *Outreach) TellLater(ctx context.Context, q *db.Queries, hook uuid.UUID, event string, data any,
	delay time.Duration) (uuid.UUID, error) {
	payload, err := json.Marshal(told{event, ou.Clock.Now(), data})
	if err != nil {
		return uuid.Nil, err
	}
	return ou.deliver(ctx, q, hook, event, payload, delay)
}

// deliver writes down that a program is to be told. Who commits it wakes the telling: publishHistory and publishRecord
// do.
func (ou *Outreach) deliver(ctx context.Context, q *db.Queries, hook uuid.UUID, event string, payload []byte,
	delay time.Duration) (uuid.UUID, error) {
	id, now := store.NewID(), ou.Clock.Now()
	at := now.Add(delay)
	return id, q.InsertDelivery(ctx,
		db.InsertDeliveryParams{ID: id, WebhookID: hook, Event: event, Payload: payload, NextAt: &at, At: now})
}

// EmitFiled tells of a slip that was filed.
func (ou *Outreach) EmitFiled(ctx context.Context, q *db.Queries, slip uuid.UUID) error {
	return ou.Emit(ctx, q, contract.WebhookEventSlipFiled, func() (any, error) { return EventOfSlip(ctx, q, slip) })
}

// EventOfSlip is what other programs are told of a slip.
func EventOfSlip(ctx context.Context, q *db.Queries, slip uuid.UUID) (any, error) {
	r, err := q.EventOfSlip(ctx, slip)
	return map[string]any{"slip_id": r.ID, "call_id": r.CallID, "rep": r.Login, "subject": r.Subject,
		"outcome": r.Outcome, "conversation": r.Reached, "call_type": r.CallType, "notes": r.Notes,
		"filed_at": r.FiledAt, "records": r.Records}, err
}

// tellPrograms tells what is due.
func (ou *Outreach) tellPrograms(ctx context.Context) error {
	for {
		now := ou.Clock.Now()
		lost := now.Add(-hookLost)
		rows, err := ou.Store.TakeDeliveries(ctx, db.TakeDeliveriesParams{Now: &now, Lost: &lost})
		if err != nil || len(rows) == 0 {
			return err
		}
		var group errgroup.Group // one that hangs does not keep the others waiting
		for _, r := range rows {
			group.Go(func() error { return ou.tellOne(ctx, r) })
		}
		if err := group.Wait(); err != nil {
			return err
		}
	}
}

func (ou *Outreach) tellOne(ctx context.Context, r db.TakeDeliveriesRow) error {
	p := db.SetDeliveryParams{ID: r.ID, State: "failed", Problem: "it is switched off"}
	switch {
	case ou.Hooks == nil:
		p.Problem = "this server tells no other programs"
	case r.Active:
		secret, err := ou.Unseal(r.Secret)
		if err != nil {
			return err
		}
		p.Status, err = ou.Hooks.Tell(ctx,
			post.Hook{ID: "msg_" + r.ID.String(), URL: r.Url, Secret: secret, At: ou.Clock.Now(), Body: r.Payload})
		now := ou.Clock.Now()
		var refused *post.RefusedError
		switch {
		case err == nil:
			p.State, p.Problem, p.DoneAt = "done", "", &now
		case errors.As(err, &refused):
			p.Problem = err.Error()
			if p.Status == 410 { // it asked for no more
				if err := ou.Store.StopWebhook(ctx,
					db.StopWebhookParams{ID: r.WebhookID, Why: err.Error()}); err != nil {
					return err
				}
				ou.BookChanged()
			}
		default:
			p.Problem = firm.Shorten(err.Error(), 500)
			if r.Tries <= len(hookTries) {
				at := now.Add(hookTries[r.Tries-1])
				p.State, p.NextAt = "waiting", &at
			}
		}
	}
	return ou.Store.SetDelivery(context.WithoutCancel(ctx), p)
}

// Webhooks are the programs that are told what happens. Error: ErrForbidden.
func (ou *Outreach) Webhooks(ctx context.Context, a firm.Actor) (contract.Webhooks, error) {
	view := contract.Webhooks{Webhooks: []contract.Webhook{}}
	if !a.MayDo(rights.Connections) {
		return view, firm.ErrForbidden
	}
	rows, err := ou.Store.Webhooks(ctx)
	if err != nil {
		return view, err
	}
	used, err := ou.Store.WebhooksUsed(ctx)
	for _, r := range rows {
		secret, err := ou.Unseal(r.Secret)
		if err != nil {
			return view, err
		}
		w := contract.Webhook{ID: &r.ID, Name: r.Name, URL: r.Url, Active: r.Active, Secret: &secret,
			Stopped: &r.Stopped, Events: []contract.WebhookEvent{}}
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
func (ou *Outreach) SetWebhooks(ctx context.Context, a firm.Actor, set contract.Webhooks) (contract.Webhooks, error) {
	before, err := ou.Webhooks(ctx, a)
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
		secret, err := ou.Seal(post.NewSecret())
		if err != nil {
			return before, err
		}
		p := db.PutWebhookParams{ID: store.NewID(), Name: firm.CleanText(w.Name), Url: firm.CleanText(w.URL),
			Secret: secret, Active: w.Active, Position: i, Events: []string{}}
		if p.Name == "" {
			return before, firm.Wrong(field+"name", "a program needs a name")
		}
		if err := ou.Hooks.CheckURL(p.Url); err != nil {
			return before, firm.About(field+"url", err)
		}
		for _, e := range w.Events {
			p.Events = append(p.Events, string(e))
		}
		if w.ID != nil {
			if _, there := known[*w.ID]; !there {
				return before, firm.Wrong(field+"name", "there is no such program")
			}
			p.ID = *w.ID
			delete(known, p.ID)
		}
		rows = append(rows, p)
	}
	for id, w := range known {
		rows = append(rows, db.PutWebhookParams{ID: id, Name: w.Name, Url: w.URL, Position: len(rows),
			Events: []string{}})
	}
	err = ou.Store.Tx(ctx, func(q *db.Queries) error {
		for _, p := range rows {
			if err := q.PutWebhook(ctx, p); err != nil {
				return err
			}
		}
		return ou.Audited(ctx, q, a, "settings", uuid.Nil, "webhooks", map[string]int{"webhooks": len(before.Webhooks)},
			map[string]int{"webhooks": len(set.Webhooks)})
	})
	if err != nil {
		return before, err
	}
	ou.BookChanged()
	return ou.Webhooks(ctx, a)
}

// Deliveries is what other programs were told last. Error: ErrForbidden.
func (ou *Outreach) Deliveries(ctx context.Context, a firm.Actor) ([]contract.Delivery, error) {
	if !a.MayDo(rights.Connections) {
		return nil, firm.ErrForbidden
	}
	rows, err := ou.Store.Deliveries(ctx)
	views := []contract.Delivery{}
	for _, r := range rows {
		views = append(views, contract.Delivery{ID: r.ID, Name: r.Name, Event: r.Event, Payload: string(r.Payload),
			State: contract.DeliveryState(r.State), Tries: r.Tries, Status: r.Status,
			Problem: r.Problem, At: r.At, NextAt: r.NextAt})
	}
	return views, err
}

// ReplayDelivery tells something again, under the same id. Errors: ErrForbidden, ErrNotFound.
func (ou *Outreach) ReplayDelivery(ctx context.Context, a firm.Actor, id uuid.UUID) error {
	if !a.MayDo(rights.Connections) {
		return firm.ErrForbidden
	}
	now := ou.Clock.Now()
	n, err := ou.Store.ReplayDelivery(ctx, db.ReplayDeliveryParams{ID: id, Now: &now})
	if err == nil && n == 0 {
		err = firm.ErrNotFound
	}
	wake(ou.told)
	return err
}

// Wake implements firm.Outbox.
func (ou *Outreach) Wake() {
	if f := ou.LastSettings(); f != nil && len(f.Webhooks) > 0 {
		wake(ou.told)
	}
}
