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
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
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
		Queues: map[string]route.QueueOf{}, Routes: map[string]route.Other{}, Lines: map[string]string{},
		Region: f.Region},
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
			return errors.New("it is about contacts, leads or companies")
		}
		if asksForMe(x) {
			return errors.New("in a route nobody is “me”: name a colleague")
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

// asksForMe tells whether a filter looks at whoever reads it: a route is read by nobody.
func asksForMe(n filter.Node) bool {
	return n.Field != "" && n.Value == "me" || slices.ContainsFunc(slices.Concat(n.All, n.Any), asksForMe)
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
			text := filterWords(p, list)
			if p.Field == "" && len(p.All)+len(p.Any) > 1 {
				text = "(" + text + ")"
			}
			words = append(words, text)
		}
		return strings.Join(words, join)
	}
	label := n.Field
	if f, there := fields.Find(list, n.Field); there {
		label = f.Label
	}
	compared, has := opWords[n.Op]
	if !has {
		compared = strings.ReplaceAll(string(n.Op), "_", " ") + " “%s”"
	}
	return "the caller’s " + strings.ToLower(label) + " " + strings.ReplaceAll(compared, "%s", n.Value)
}

// opWords are comparisons as a sentence has them; the others are said as they are named.
var opWords = map[filter.Op]string{filter.Empty: "is empty", filter.Filled: "is filled in", filter.Begins: "begins with “%s”",
	filter.Less: "is before or below “%s”", filter.More: "is after or above “%s”", filter.AnyOf: "is one of “%s”",
	filter.Past: "lies in the last %s days", filter.Next: "lies in the next %s days", filter.NotPast: "has not been for %s days"}

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
		e := contract.RouteEntry{
			ID:      r.ID,
			Name:    r.Name,
			Lines:   set.linesOf(r.ID),
			Faults:  len(doc.Check(r.ID.String(), n.world)),
			LiveAt:  r.LiveAt,
			Changed: !same(r.Draft, r.LiveDoc),
		}
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
		line := contract.RouteLine{
			Step:   l.Step,
			Depth:  l.Depth,
			Text:   l.Text,
			Lead:   l.Lead,
			Key:    l.Key,
			Faults: []string{},
		}
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
