package queues

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/fields"
	"trundo/internal/core/filter"
	"trundo/internal/core/phone"
	"trundo/internal/core/rights"
	"trundo/internal/core/route"
	"trundo/internal/core/routing"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// Errors of putting a route live.
var (
	ErrFaults = errors.New("something is wrong with the draft still")
	ErrTrials = errors.New("a caller that was kept as a test fares differently now")
)

// named is everything that a route may name.
type named struct {
	world route.World
	names route.Names
}

// named reads what the steps of some routes may name.
func (qs *Queues) named(ctx context.Context, a firm.Actor, set *setUp, docs ...route.Route) (named, error) {
	f, err := qs.Settings(ctx)
	if err != nil {
		return named{}, err
	}
	people, err := qs.Store.PeopleNamed(ctx)
	if err != nil {
		return named{}, err
	}
	n := named{world: route.World{Sounds: map[string]bool{}, People: map[string]route.Person{},
		Queues: map[string]route.QueueOf{}, Routes: map[string]route.Other{}, Lines: map[string]string{}, Region: f.Region},
		names: route.Names{People: map[string]string{}, Queues: map[string]string{}, Routes: map[string]string{}}}
	for _, p := range people {
		n.world.People[p.ID.String()] = route.Person{Name: p.Name, Active: p.Active}
		n.names.People[p.ID.String()] = p.Name
	}
	for id, q := range set.queues {
		if q.Active {
			n.world.Queues[id.String()] = route.QueueOf{Name: q.Name, Members: len(q.Members)}
		}
		n.names.Queues[id.String()] = q.Name
	}
	for _, r := range set.routes {
		live, is := set.live[r.ID]
		n.world.Routes[r.ID.String()] = route.Other{Name: r.Name, Live: is, Next: live.Leads()}
		n.names.Routes[r.ID.String()] = r.Name
	}
	for _, l := range set.lines {
		n.world.Lines[l.e164] = l.label
	}
	n.names.Number = func(typed string) string {
		if p, err := phone.Parse(typed, f.Region); err == nil {
			return phone.Format(p.E164, p.Ext, f.Region, a.Style)
		}
		return typed
	}
	n.names.Filter = func(t route.Test) string { return filterWords(*t.Filter, f.Book.Of(fields.Kind(t.Kind))) }
	n.world.Filters = func(kind string, x filter.Node) error {
		if !slices.Contains([]string{"contact", "lead", "company"}, kind) {
			return errors.New("Say whether it is about contacts, leads or companies")
		}
		_, err := qs.resolve(ctx, route.Test{Kind: kind, Filter: &x})
		return err
	}
	for _, doc := range docs {
		route.Walk(doc.Steps, func(s *route.Step, _ int) {
			if id, err := uuid.Parse(s.Sound); err == nil && qs.Calls.Voices.SoundCheck(ctx, "sound", &id) == nil {
				n.world.Sounds[s.Sound] = true
			}
		})
	}
	return n, nil
}

// filterWords says a filter's conditions in words.
func filterWords(n filter.Node, list []fields.Field) string {
	if n.Field == "" {
		join, parts := " and ", n.All
		if n.Any != nil {
			join, parts = " or ", n.Any
		}
		var words []string
		for _, p := range parts {
			words = append(words, filterWords(p, list))
		}
		return strings.Join(words, join)
	}
	label := n.Field
	if f, there := fields.Find(list, n.Field); there {
		label = f.Label
	}
	return "the caller’s " + strings.ToLower(label) + " " + strings.ReplaceAll(string(n.Op), "_", " ") +
		map[bool]string{true: " “" + n.Value + "”"}[n.Value != ""]
}

// docOf reads a draft as the contract has it. Error: *firm.FieldError.
func docOf(d contract.RouteDoc) (route.Route, error) {
	text, err := json.Marshal(d)
	if err != nil {
		return route.Route{}, err
	}
	var r route.Route
	if err := json.Unmarshal(text, &r); err != nil {
		return r, firm.About("draft", fmt.Errorf("this is not a route: %w", err))
	}
	count := 0
	clean(r.Steps, &count, 0)
	if count > 2*route.MaxSteps {
		return r, firm.Wrong("draft", "a route has at most 200 steps")
	}
	return r, nil
}

// clean takes out of texts what the database does not take.
func clean(steps []route.Step, count *int, depth int) {
	if depth > 2*route.MaxDepth {
		return
	}
	for i := range steps {
		*count++
		s := &steps[i]
		for language, text := range s.Texts {
			s.Texts[language] = firm.CleanText(text)
		}
		s.Name, s.Number = firm.PlainText(s.Name), firm.PlainText(s.Number)
		for _, o := range s.Options {
			clean(o.Steps, count, depth+1)
		}
		clean(s.Steps, count, depth+1)
		clean(s.Else, count, depth+1)
	}
}

func viewOf(r route.Route) (contract.RouteDoc, error) {
	d := contract.RouteDoc{}
	text, err := json.Marshal(r)
	if err == nil {
		err = json.Unmarshal(text, &d)
	}
	if d.Languages == nil {
		d.Languages = []string{}
	}
	if d.Steps == nil {
		d.Steps = []contract.RouteStep{}
	}
	return d, err
}

// linesOf are the labels of the lines that go by a route.
func (s *setUp) linesOf(id uuid.UUID) []string {
	labels := []string{}
	for _, l := range s.lines {
		if l.route == id {
			labels = append(labels, l.label)
		}
	}
	slices.Sort(labels)
	return labels
}

// Routes are the firm's routes by name. Error: firm.ErrForbidden.
func (qs *Queues) Routes(ctx context.Context, a firm.Actor) ([]contract.RouteEntry, error) {
	if !a.MayDo(rights.Telephony) {
		return nil, firm.ErrForbidden
	}
	set, err := qs.readSetUp(ctx)
	if err != nil {
		return nil, err
	}
	list := []contract.RouteEntry{}
	for _, r := range set.routes {
		doc, err := readRoute(r.Draft)
		if err != nil {
			return nil, err
		}
		n, err := qs.named(ctx, a, set, doc)
		if err != nil {
			return nil, err
		}
		e := contract.RouteEntry{ID: r.ID, Name: r.Name, Lines: set.linesOf(r.ID), Faults: len(doc.Check(r.ID.String(), n.world)),
			LiveAt: r.LiveAt, Changed: !same(r.Draft, r.LiveDoc)}
		if r.Live != nil {
			e.Live = new(int(*r.Live))
		}
		list = append(list, e)
	}
	return list, nil
}

// same tells whether two routes as they are stored are the same.
func same(draft, live []byte) bool {
	a, err := readRoute(draft)
	b, other := readRoute(live)
	if err != nil || other != nil || len(live) == 0 {
		return false
	}
	x, _ := json.Marshal(a)
	y, _ := json.Marshal(b)
	return bytes.Equal(x, y)
}

// Route is a route with its draft, read as sentences. Errors: firm.ErrForbidden, firm.ErrNotFound.
func (qs *Queues) Route(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.RoutePage, error) {
	if !a.MayDo(rights.Telephony) {
		return contract.RoutePage{}, firm.ErrForbidden
	}
	set, err := qs.readSetUp(ctx)
	if err != nil {
		return contract.RoutePage{}, err
	}
	r, doc, err := set.draft(id)
	if err != nil {
		return contract.RoutePage{}, err
	}
	n, err := qs.named(ctx, a, set, doc)
	if err != nil {
		return contract.RoutePage{}, err
	}
	p := contract.RoutePage{ID: id, Name: r.Name, Version: r.Version, Lines: set.linesOf(id), Faults: []string{},
		Outline: []contract.RouteLine{}, Versions: []contract.RouteVersion{}, Changed: !same(r.Draft, r.LiveDoc)}
	if r.Live != nil {
		p.Live = new(int(*r.Live))
	}
	if p.Draft, err = viewOf(doc); err != nil {
		return p, err
	}
	faults := map[string][]string{}
	for _, f := range doc.Check(id.String(), n.world) {
		if f.Step == "" {
			p.Faults = append(p.Faults, f.Text)
		} else {
			faults[f.Step] = append(faults[f.Step], f.Text)
		}
	}
	for _, l := range doc.Outline(n.names) {
		line := contract.RouteLine{Step: l.Step, Depth: l.Depth, Text: l.Text, Lead: l.Lead, Key: l.Key, Faults: []string{}}
		if told := faults[l.Step]; l.Key == "" && len(told) > 0 {
			line.Faults = told
		}
		p.Outline = append(p.Outline, line)
	}
	versions, err := qs.Store.RouteVersions(ctx, id)
	if err != nil {
		return p, err
	}
	for _, v := range versions {
		p.Versions = append(p.Versions, contract.RouteVersion{No: v.No, At: v.At, By: v.ByName})
	}
	p.Trials, err = qs.trials(ctx, a, set, id, doc)
	return p, err
}

// draft finds a route by its id. Error: firm.ErrNotFound.
func (s *setUp) draft(id uuid.UUID) (db.RoutesRow, route.Route, error) {
	for _, r := range s.routes {
		if r.ID == id {
			doc, err := readRoute(r.Draft)
			return r, doc, err
		}
	}
	return db.RoutesRow{}, route.Route{}, firm.ErrNotFound
}

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
	qs.changedSetUp()
	return qs.Route(ctx, a, id)
}

// firstRoute is what a new route begins with.
func firstRoute() route.Route {
	return route.Route{Languages: []string{usualLanguage}, Steps: []route.Step{
		{ID: "closed", Do: route.When, Test: &route.Test{Is: route.Open, Not: true}, Steps: []route.Step{
			{ID: "hours", Do: route.Tell, What: route.TellHours}, {ID: "night", Do: route.Voicemail}}},
		{ID: "hello", Do: route.Say, Texts: map[string]string{usualLanguage: "Thank you for calling."}},
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
				say = route.Step{ID: id + "-say", Do: route.Say, Texts: map[string]string{usualLanguage: text}}
			}
			return []route.Step{say, {ID: id, Do: route.End}}
		}
		return []route.Step{{ID: id, Do: route.End}}
	}
	steps := []route.Step{{ID: "closed", Do: route.When, Test: &route.Test{Is: route.Open, Not: true},
		Steps: follow("night", string(l.Closed), l.ClosedText)}}
	ring := route.Step{ID: "ring", Do: route.Ring, All: l.RingMode == contract.FirmLineRingModeAll, Seconds: l.RingSeconds}
	for _, id := range l.Reps {
		ring.People = append(ring.People, id.String())
	}
	steps = append(steps, ring)
	unanswered := "Nobody can take your call just now. Please call again later."
	return route.Route{Languages: []string{usualLanguage}, Steps: append(steps, follow("missed", string(l.Unanswered), unanswered)...)}
}

// ChangeRoute keeps a draft as it is written, right or wrong. Errors: firm.ErrForbidden, firm.ErrNotFound,
// firm.ErrChangedElse, *firm.FieldError.
func (qs *Queues) ChangeRoute(ctx context.Context, a firm.Actor, id uuid.UUID,
	c contract.RouteChange) (contract.RoutePage, error) {
	if !a.MayDo(rights.Telephony) {
		return contract.RoutePage{}, firm.ErrForbidden
	}
	name := firm.CleanText(c.Name)
	if name == "" {
		return contract.RoutePage{}, firm.Wrong("name", "a route needs a name")
	}
	doc, err := docOf(c.Draft)
	if err != nil {
		return contract.RoutePage{}, err
	}
	text, err := json.Marshal(doc)
	if err != nil {
		return contract.RoutePage{}, err
	}
	n, err := qs.Store.UpdateRoute(ctx, db.UpdateRouteParams{Name: name, Draft: text, ID: id, Version: c.Version})
	switch {
	case store.Duplicate(err):
		return contract.RoutePage{}, firm.Wrong("name", "there is a route of this name already")
	case err != nil:
		return contract.RoutePage{}, err
	case n == 0:
		if _, err := qs.Route(ctx, a, id); err != nil {
			return contract.RoutePage{}, err
		}
		return contract.RoutePage{}, firm.ErrChangedElse
	}
	qs.set.Mu.Lock()
	qs.set.Value = nil
	qs.set.Mu.Unlock()
	return qs.Route(ctx, a, id)
}

// PutLive puts the draft live, once nothing is wrong with it and every caller that was kept as a test fares as they
// should; or goes back to an earlier version, whose draft it then is. Errors: firm.ErrForbidden, firm.ErrNotFound,
// firm.ErrChangedElse, ErrFaults, ErrTrials.
func (qs *Queues) PutLive(ctx context.Context, a firm.Actor, id uuid.UUID, l contract.RouteLive) (contract.RoutePage, error) {
	page, err := qs.Route(ctx, a, id)
	if err != nil {
		return page, err
	}
	if l.BackTo == nil {
		wrong := len(page.Faults) > 0 || slices.ContainsFunc(page.Outline, func(x contract.RouteLine) bool { return len(x.Faults) > 0 })
		switch {
		case wrong:
			return page, ErrFaults
		case slices.ContainsFunc(page.Trials, func(t contract.RouteTrial) bool { return !t.Passes }):
			return page, ErrTrials
		}
	}
	err = qs.Store.Tx(ctx, func(q *db.Queries) error {
		no := optional.Value(l.BackTo)
		if l.BackTo == nil {
			doc, err := docOf(page.Draft)
			if err != nil {
				return err
			}
			text, err := json.Marshal(doc)
			if err != nil {
				return err
			}
			if no, err = q.InsertRouteVersion(ctx, db.InsertRouteVersionParams{RouteID: id, Doc: text,
				At: qs.Clock.Now(), UserID: a.ID}); err != nil {
				return err
			}
		} else {
			text, err := q.RouteVersion(ctx, db.RouteVersionParams{RouteID: id, No: no})
			if store.NotFound(err) {
				return firm.About("back_to", firm.ErrNotFound)
			} else if err != nil {
				return err
			}
			if n, err := q.UpdateRoute(ctx, db.UpdateRouteParams{Name: page.Name, Draft: text, ID: id, Version: l.Version}); err != nil || n == 0 {
				return orChanged(err)
			}
			l.Version++
		}
		if n, err := q.SetRouteLive(ctx, db.SetRouteLiveParams{Live: new(int32(no)), ID: id, Version: l.Version}); err != nil || n == 0 {
			return orChanged(err)
		}
		was := "none"
		if page.Live != nil {
			was = fmt.Sprint(*page.Live)
		}
		return qs.Audited(ctx, q, a, "route", id, "route put live", map[string]string{"version": was},
			map[string]string{"version": fmt.Sprint(no), "name": page.Name})
	})
	if err != nil {
		return page, err
	}
	qs.changedSetUp()
	return qs.Route(ctx, a, id)
}

func orChanged(err error) error {
	if err == nil {
		return firm.ErrChangedElse
	}
	return err
}

// SetLineRoute lets a line go by a route that is live, or by its own rule. Errors: firm.ErrForbidden, firm.ErrNotFound,
// *firm.FieldError.
func (qs *Queues) SetLineRoute(ctx context.Context, a firm.Actor, line uuid.UUID, r *uuid.UUID) (contract.FirmLine, error) {
	if !a.MayDo(rights.Telephony) {
		return contract.FirmLine{}, firm.ErrForbidden
	}
	set, err := qs.readSetUp(ctx)
	if err != nil {
		return contract.FirmLine{}, err
	}
	name := "its own rule"
	if r != nil {
		row, _, err := set.draft(*r)
		if err != nil {
			return contract.FirmLine{}, firm.About("route_id", err)
		}
		if _, live := set.live[*r]; !live {
			return contract.FirmLine{}, firm.Wrong("route_id", "this route has not gone live yet")
		}
		name = row.Name
	}
	err = qs.Store.Tx(ctx, func(q *db.Queries) error {
		n, err := q.SetLineRoute(ctx, db.SetLineRouteParams{RouteID: r, ID: line})
		if err == nil && n == 0 {
			err = firm.ErrNotFound
		}
		if err != nil {
			return err
		}
		return qs.Audited(ctx, q, a, "line", line, "route of a line", map[string]string{}, map[string]string{"route": name})
	})
	if err != nil {
		return contract.FirmLine{}, err
	}
	qs.changedSetUp()
	lines, err := qs.Calls.Lines.Lines(ctx, a)
	for _, l := range lines {
		if l.ID == line {
			return l, nil
		}
	}
	if err == nil {
		err = firm.ErrNotFound
	}
	return contract.FirmLine{}, err
}
