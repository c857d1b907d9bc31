package queues

import (
	"context"
	"encoding/json"
	"slices"
	"trundo/internal/contract"
	"trundo/internal/core/rights"
	"trundo/internal/core/route"
	"trundo/internal/core/routing"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// AddRoute adds a route that begins as a line does by its rule, or with a greeting and voicemail. Errors:
// firm.ErrForbidden, *firm.FieldError.
func (qs *Queues) AddRoute(ctx context.Context, a firm.Actor, n contract.NewRoute) (contract.RoutePage, error) {
	if !a.MayDo(rights.Telephony) {
		return contract.RoutePage{}, firm.ErrForbidden
	}
	name := firm.CleanText(n.Name)
	if name == "" {
		return contract.RoutePage{}, firm.Wrong("name", "a route needs a name")
	}
	doc := firstRoute()
	if n.LineID != nil {
		lines, err := qs.Calls.Lines.Lines(ctx, a)
		if err != nil {
			return contract.RoutePage{}, err
		}
		at := slices.IndexFunc(lines, func(l contract.FirmLine) bool { return l.ID == *n.LineID })
		if at < 0 {
			return contract.RoutePage{}, firm.About("line_id", firm.ErrNotFound)
		}
		doc = byRule(lines[at])
	}
	text, err := json.Marshal(doc)
	if err != nil {
		return contract.RoutePage{}, err
	}
	id := store.NewID()
	err = qs.Store.Tx(ctx, func(q *db.Queries) error {
		if err := q.InsertRoute(ctx, db.InsertRouteParams{ID: id, Name: name, Draft: text}); err != nil {
			return err
		}
		return qs.Audited(ctx, q, a, "route", id, "route added", map[string]string{}, map[string]string{"name": name})
	})
	if store.Duplicate(err) {
		return contract.RoutePage{}, firm.Wrong("name", "there is a route of this name already")
	} else if err != nil {
		return contract.RoutePage{}, err
	}
	qs.changedSetUp(ctx)
	return qs.Route(ctx, a, id)
}

// firstRoute is what a new route begins with.
func firstRoute() route.Route {
	return route.Route{Languages: []string{route.UsualLanguage}, Steps: []route.Step{
		{ID: "closed", Do: route.When, Test: &route.Test{Is: route.Open, Not: true}, Steps: []route.Step{
			{ID: "hours", Do: route.Tell, What: route.TellHours}, {ID: "night", Do: route.Voicemail}}},
		{ID: "hello", Do: route.Say, Texts: map[string]string{route.UsualLanguage: "Thank you for calling."}},
		{ID: "message", Do: route.Voicemail},
	}}
}

// byRule is what a line does by its own rule, as a route.
func byRule(l contract.FirmLine) route.Route {
	follow := func(id, what, text string) []route.Step {
		switch routing.Follow(what) {
		case routing.Voicemail:
			return []route.Step{{ID: id, Do: route.Voicemail}}
		case routing.Announcement:
			say := route.Step{ID: id + "-say", Do: route.Tell, What: route.TellHours}
			if text != "" {
				say = route.Step{ID: id + "-say", Do: route.Say, Texts: map[string]string{route.UsualLanguage: text}}
			}
			return []route.Step{say, {ID: id, Do: route.End}}
		}
		return []route.Step{{ID: id, Do: route.End}}
	}
	steps := []route.Step{{ID: "closed", Do: route.When, Test: &route.Test{Is: route.Open, Not: true},
		Steps: follow("night", string(l.Closed), l.ClosedText)}}
	ring := route.Step{
		ID:      "ring",
		Do:      route.Ring,
		All:     l.RingMode == contract.FirmLineRingModeAll,
		Seconds: l.RingSeconds,
	}
	for _, id := range l.Reps {
		ring.People = append(ring.People, id.String())
	}
	steps = append(steps, ring)
	unanswered := "Nobody can take your call just now. Please call again later."
	return route.Route{
		Languages: []string{route.UsualLanguage},
		Steps:     append(steps, follow("missed", string(l.Unanswered), unanswered)...),
	}
}
