package queues

import (
	"context"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/route"
	"trundo/internal/desk/firm"
)

// Give implements calls.Router.
func (qs *Queues) Give(ctx context.Context, id uuid.UUID) (func(context.Context, uuid.UUID), error) {
	set, err := qs.setUp(ctx)
	if err != nil {
		return nil, err
	}
	q := set.queues[id]
	switch {
	case q == nil || !q.Active:
		return nil, firm.About("queue_id", firm.ErrNotFound)
	case !q.open(qs.Clock.Now()):
		return nil, firm.Wrong("queue_id", q.Name+" is closed now")
	}
	return qs.takes(route.Route{Languages: []string{route.UsualLanguage},
		Steps: []route.Step{{ID: "queue", Do: route.Queue, Queue: id.String()}}}, set), nil
}

// RoutesToGive implements calls.Router.
func (qs *Queues) RoutesToGive(ctx context.Context) ([]contract.AskableRoute, error) {
	set, err := qs.setUp(ctx)
	if err != nil {
		return nil, err
	}
	var list []contract.AskableRoute
	for _, r := range set.routes {
		if _, live := set.live[r.ID]; live {
			list = append(list, contract.AskableRoute{ID: r.ID, Name: r.Name})
		}
	}
	return list, nil
}

// Through implements calls.Router.
func (qs *Queues) Through(ctx context.Context, id uuid.UUID) (func(context.Context, uuid.UUID), error) {
	set, err := qs.setUp(ctx)
	if err != nil {
		return nil, err
	}
	doc, live := set.live[id]
	if !live {
		return nil, firm.About("route_id", firm.ErrNotFound)
	}
	return qs.takes(doc, set), nil
}

// takes takes a call that was given away through a route; it goes back to who gave it where that leads nowhere.
func (qs *Queues) takes(doc route.Route, set *setUp) func(context.Context, uuid.UUID) {
	return func(ctx context.Context, call uuid.UUID) {
		if qs.Calls.Arrivals.Attend(ctx, call) != nil {
			return // somebody has it
		}
		var line lineOf
		if id, known := qs.Calls.LineOf(call); known {
			line = set.lines[id]
		}
		g := qs.newGoing(ctx, call, line, doc)
		g.other = set.others
		g.given = true
		g.run(ctx)
	}
}
