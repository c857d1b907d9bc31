package route_test

import (
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/filter"
	"trundo/internal/core/route"
	"trundo/internal/core/routing"
)

func says(text string) map[string]string {
	return map[string]string{"en": text, "fr": "« " + text + " »"}
}

// hotline is a route without a fault: a greeting, a menu, a queue with keys, people, voicemail.
func hotline() route.Route {
	return route.Route{Languages: []string{"en", "fr"}, Steps: []route.Step{
		{ID: "closed", Do: route.When, Test: &route.Test{Is: route.Open, Not: true}, Steps: []route.Step{
			{ID: "hours", Do: route.Tell, What: route.TellHours},
			{ID: "night", Do: route.Voicemail},
		}},
		{ID: "french", Do: route.When, Test: &route.Test{Is: route.Speaks, Value: "fr"}, Steps: []route.Step{
			{ID: "speak", Do: route.Language, Language: "fr"}}},
		{ID: "hello", Do: route.Say, Texts: says("Welcome to Lindenfall Cisterns")},
		{ID: "owner", Do: route.Owner, Seconds: 15},
		{ID: "menu", Do: route.Menu, Texts: says("Press 1 for pumps, 2 for your order"), Options: []route.Option{
			{Key: "1", Steps: []route.Step{
				{ID: "pumps", Do: route.Queue, Queue: "service", Priority: 1, Options: []route.Option{
					{Key: "1", Steps: []route.Step{{ID: "back", Do: route.Callback}}},
					{Key: "2", Steps: []route.Step{{ID: "message", Do: route.Voicemail}}},
				}},
				{ID: "marc", Do: route.Ring, People: []string{"marc", "odile"}},
				{ID: "late", Do: route.Voicemail, User: "marc"},
			}},
			{Key: "2", Steps: []route.Step{
				{ID: "number", Do: route.Digits, Texts: says("Type the number of your order"), Name: "order number",
					Most: 6, Else: []route.Step{{ID: "menu again", Do: route.Again}}},
				{ID: "state", Do: route.Tell, What: route.TellOrder},
				{ID: "vip", Do: route.When, Test: &route.Test{Is: route.Pressed, Name: "order number", Value: "1000"},
					Steps: []route.Step{{ID: "away", Do: route.Outside, Number: "+1 413 555 0199"}}},
				{ID: "end", Do: route.End},
			}},
			{Key: "9", Steps: []route.Step{{ID: "sales", Do: route.Another, Route: "sales"}}},
		}, Else: []route.Step{{ID: "nothing", Do: route.End}}},
	}}
}

func world() route.World {
	return route.World{
		Sounds: map[string]bool{"jingle": true},
		People: map[string]route.Person{"marc": {Name: "Marc", Active: true}, "odile": {Name: "Odile", Active: true},
			"gone": {Name: "Greta"}},
		Queues: map[string]route.QueueOf{"service": {Name: "Service", Members: 3}, "empty": {Name: "Empty"}},
		Routes: map[string]route.Other{"sales": {Name: "Sales", Live: true}, "draft": {Name: "Draft"},
			"round":   {Name: "Round", Live: true, Next: []string{"sales", "further"}},
			"further": {Name: "Further", Live: true, Next: []string{"self"}}},
		Lines:  map[string]string{"+14135550101": "Main number"},
		Region: "US",
		Filters: func(kind string, n filter.Node) error {
			if n.Field == "no such" {
				return errors.New("filter on no such: there is no such field")
			}
			return nil
		},
	}
}

// find gives the step of an id, to be spoiled.
func find(t *testing.T, r *route.Route, id string) *route.Step {
	t.Helper()
	var found *route.Step
	route.Walk(r.Steps, func(s *route.Step, _ int) {
		if s.ID == id {
			found = s
		}
	})
	require.NotNil(t, found, id)
	return found
}

func TestCheckFindsNothingInAGoodRoute(t *testing.T) {
	assert.Empty(t, hotline().Check("self", world()))
}

// Each fault is planted alone into a good route, and is found at its step, and no other.
func TestCheckFindsEachFault(t *testing.T) {
	step := func(id string, spoil func(*route.Step)) func(*testing.T, *route.Route) {
		return func(t *testing.T, r *route.Route) { spoil(find(t, r, id)) }
	}
	tests := []struct {
		name, at, says string
		spoil          func(*testing.T, *route.Route)
	}{
		{"no language", "", "speaks no language", func(_ *testing.T, r *route.Route) {
			r.Languages = nil
			r.Steps[1] = r.Steps[2]
			r.Steps = append(r.Steps[:2], r.Steps[3:]...)
		}},
		{"no steps", "", "no steps", func(_ *testing.T, r *route.Route) { r.Steps = nil }},
		{"a language without a voice", "", "no voice", func(_ *testing.T, r *route.Route) {
			r.Languages = append(r.Languages, "xx")
			route.Walk(r.Steps, func(s *route.Step, _ int) {
				if s.Texts != nil {
					s.Texts["xx"] = "…"
				}
			})
		}},
		{
			"a language twice",
			"",
			"named twice",
			func(_ *testing.T, r *route.Route) { r.Languages = append(r.Languages, "en") },
		},
		{
			"a path without an end",
			"menu",
			"nothing says what happens",
			func(t *testing.T, r *route.Route) { find(t, r, "menu").Else = nil },
		},
		{"an option without an end", "menu", "nothing says what happens", func(t *testing.T, r *route.Route) {
			o := find(t, r, "menu").Options[0]
			find(t, r, "menu").Options[0].Steps = o.Steps[:2]
		}},
		{
			"an unreachable step",
			"owner",
			"never reached",
			func(t *testing.T, r *route.Route) { *find(t, r, "hello") = route.Step{ID: "hello", Do: route.End} },
		},
		{"after both ends of a test", "hello", "never reached", func(t *testing.T, r *route.Route) {
			find(t, r, "french").Steps = []route.Step{{ID: "x", Do: route.End}}
			find(t, r, "french").Else = []route.Step{{ID: "y", Do: route.End}}
		}},
		{"the same mark", "hello", "same mark", step("owner", func(s *route.Step) { s.ID = "hello" })},
		{"no mark", "", "same mark", step("owner", func(s *route.Step) { s.ID = "" })},
		{"too long", "owner", "up to 600 seconds", step("owner", func(s *route.Step) { s.Seconds = 601 })},
		{"less than nothing", "owner", "up to 600 seconds", step("owner", func(s *route.Step) { s.Seconds = -1 })},
		{"too many tries", "menu", "up to 5 times", step("menu", func(s *route.Step) { s.Tries = 6 })},
		{
			"a text is missing",
			"hello",
			"missing in English",
			step("hello", func(s *route.Step) { delete(s.Texts, "en") }),
		},
		{"a text is empty", "menu", "missing in French", step("menu", func(s *route.Step) { s.Texts["fr"] = " " })},
		{
			"a translation is missing",
			"number",
			"missing in French",
			step("number", func(s *route.Step) { delete(s.Texts, "fr") }),
		},
		{"a sound is gone", "hello", "not there any more", step("hello", func(s *route.Step) { s.Sound = "gone" })},
		{"a key twice", "menu", "leads to two places", step("menu", func(s *route.Step) { s.Options[1].Key = "1" })},
		{"no such key", "menu", "is no key", step("menu", func(s *route.Step) { s.Options[1].Key = "A" })},
		{"two keys in one", "menu", "is no key", step("menu", func(s *route.Step) { s.Options[1].Key = "12" })},
		{
			"a key to nothing",
			"pumps",
			"leads to nothing",
			step("pumps", func(s *route.Step) { s.Options[1].Steps = nil }),
		},
		{"a menu without keys", "menu", "no key leads anywhere", step("menu", func(s *route.Step) { s.Options = nil })},
		{"digits without a name", "number", "Say what the digits are", func(t *testing.T, r *route.Route) {
			find(t, r, "number").Name = ""
			find(t, r, "vip").Test.Is = route.Known
		}},
		{"too many digits", "number", "1 to 20 digits", step("number", func(s *route.Step) { s.Most = 21 })},
		{"a test of nothing", "french", "depends on", step("french", func(s *route.Step) { s.Test = nil })},
		{"an unknown test", "french", "depends on", step("french", func(s *route.Step) { s.Test.Is = "moon" })},
		{
			"nothing follows a test",
			"french",
			"whether it is so or not",
			step("french", func(s *route.Step) { s.Steps = nil }),
		},
		{"hours that cannot be", "closed", "Its hours", step("closed", func(s *route.Step) {
			s.Test.Hours = &routing.Hours{Spans: []routing.Span{{From: "9", To: "12:00", Days: []time.Weekday{1}}}}
		})},
		{
			"no kind of caller",
			"french",
			"contacts, leads or companies",
			step("french", func(s *route.Step) { s.Test = &route.Test{Is: route.OfKind, Value: "deal"} }),
		},
		{"no such language", "french", "Choose a language", step("french", func(s *route.Step) { s.Test.Value = "" })},
		{
			"digits that nobody asked for",
			"vip",
			"No step before it",
			step("vip", func(s *route.Step) { s.Test.Name = "code" }),
		},
		{"digits asked for later", "french", "No step before it", step("french", func(s *route.Step) {
			s.Test = &route.Test{Is: route.Pressed, Name: "order number", Value: "1"}
		})},
		{
			"digits compared with words",
			"vip",
			"compared with digits",
			step("vip", func(s *route.Step) { s.Test.Value = "one" }),
		},
		{
			"a filter is missing",
			"french",
			"has to fit",
			step("french", func(s *route.Step) { s.Test = &route.Test{Is: route.Fits} }),
		},
		{"a filter on no field", "french", "no such field", step("french", func(s *route.Step) {
			s.Test = &route.Test{Is: route.Fits, Filter: &filter.Node{Field: "no such", Op: filter.Is}}
		})},
		{
			"a language that is not spoken",
			"speak",
			"does not speak",
			step("speak", func(s *route.Step) { s.Language = "de" }),
		},
		{"rings nobody", "marc", "rings nobody", step("marc", func(s *route.Step) { s.People = nil })},
		{
			"somebody switched off",
			"marc",
			"Greta is switched off",
			step("marc", func(s *route.Step) { s.People[0] = "gone" }),
		},
		{"a stranger", "marc", "not of the firm", step("marc", func(s *route.Step) { s.People[1] = "nobody" })},
		{
			"a voicemail of somebody switched off",
			"late",
			"Greta is switched off",
			step("late", func(s *route.Step) { s.User = "gone" }),
		},
		{"no queue", "pumps", "Choose a queue", step("pumps", func(s *route.Step) { s.Queue = "" })},
		{
			"a queue without members",
			"pumps",
			"has no members",
			step("pumps", func(s *route.Step) { s.Queue = "empty" }),
		},
		{"too high a priority", "pumps", "from -3 to 3", step("pumps", func(s *route.Step) { s.Priority = 4 })},
		{
			"a callback in no queue",
			"night",
			"Choose a queue",
			step("night", func(s *route.Step) { s.Do = route.Callback }),
		},
		{
			"nothing to tell",
			"state",
			"what the caller is told",
			step("state", func(s *route.Step) { s.What = "weather" }),
		},
		{
			"a route that is gone",
			"sales",
			"not there any more",
			step("sales", func(s *route.Step) { s.Route = "gone" }),
		},
		{
			"a route that is not live",
			"sales",
			"not gone live",
			step("sales", func(s *route.Step) { s.Route = "draft" }),
		},
		{"round in a circle", "sales", "in a circle", step("sales", func(s *route.Step) { s.Route = "round" })},
		{
			"to itself",
			"sales",
			"in a circle",
			func(t *testing.T, r *route.Route) { find(t, r, "sales").Route = "self" },
		},
		{"no number", "away", "not a telephone number", step("away", func(s *route.Step) { s.Number = "abc" })},
		{"an emergency number", "away", "emergency", step("away", func(s *route.Step) { s.Number = "911" })},
		{
			"our own line",
			"away",
			"own line Main number",
			step("away", func(s *route.Step) { s.Number = "(413) 555-0101" }),
		},
		{
			"again without a menu",
			"nothing",
			"no menu around",
			step("nothing", func(s *route.Step) { s.Do = route.Again }),
		},
		{"no such step", "owner", "nothing that is known", step("owner", func(s *route.Step) { s.Do = "dance" })},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			r, w := hotline(), world()
			w.Routes["self"] = route.Other{Name: "Self", Live: true}
			tt.spoil(t, &r)
			faults := r.Check("self", w)
			require.NotEmpty(t, faults)
			assert.Equal(t, tt.at, faults[0].Step)
			assert.Contains(t, faults[0].Text, tt.says)
			for _, f := range faults {
				assert.Equal(t, tt.at, f.Step, f.Text)
			}
		})
	}
}

func TestCheckBoundsARoute(t *testing.T) {
	deep := []route.Step{{ID: "in", Do: route.End}}
	for i := range route.MaxDepth {
		deep = []route.Step{
			{ID: string(rune('a' + i)), Do: route.When, Test: &route.Test{Is: route.Known}, Steps: deep},
		}
	}
	deep = append(deep, route.Step{ID: "end", Do: route.End})
	faults := route.Route{Languages: []string{"en"}, Steps: deep}.Check("", world())
	require.Len(t, faults, 1)
	assert.Contains(t, faults[0].Text, "8 deep")

	many := make([]route.Step, route.MaxSteps+1)
	for i := range many {
		many[i] = route.Step{ID: string(rune(i)) + "x", Do: route.Owner}
	}
	many[len(many)-1].Do = route.End
	faults = route.Route{Languages: []string{"en"}, Steps: many}.Check("", world())
	require.Len(t, faults, 1)
	assert.Contains(t, faults[0].Text, "more than 200")
}
