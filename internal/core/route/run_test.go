package route_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/route"
)

// told is an effect in a few words.
func told(e route.Effect) string {
	switch e := e.(type) {
	case route.Speak:
		return "speak " + e.Language + ": " + e.Text + e.Sound
	case route.Hush:
		return "hush"
	case route.Wait:
		return "wait " + e.For.String()
	case route.LookUp:
		return "look up " + string(e.Test.Is)
	case route.RingOwner:
		return "ring owner " + e.For.String()
	case route.RingPeople:
		return fmt.Sprintf("ring %v %v %v", e.People, e.All, e.For)
	case route.JoinQueue:
		return fmt.Sprintf("queue %s %+d %v", e.Queue, e.Priority, e.Keys)
	case route.LeaveQueue:
		return "leave queue"
	case route.TakeCallback:
		return strings.TrimSpace("callback " + e.Queue + " " + e.Typed)
	case route.OfferTimes:
		return "offer times " + e.Language
	case route.AskTime:
		return fmt.Sprintf("ask time %s %v", e.Language, e.Again)
	case route.CheckTime:
		return "check " + e.Queue + " " + e.Typed
	case route.AskSurvey:
		return "survey " + e.Language
	case route.TakeMessage:
		return "message " + e.User + e.Queue
	case route.Inform:
		return "inform " + e.What + " " + e.Digits["order number"]
	case route.Dial:
		return "dial " + e.Number + " " + e.For.String()
	case route.Finish:
		return fmt.Sprintf("finish: %s (served %v)", e.Why, e.Served)
	}
	return "?"
}

// event reads an event of a script.
func event(text string) route.Event {
	switch text {
	case "begin":
		return route.Begin{}
	case "spoken":
		return route.Spoken{}
	case "elapsed":
		return route.Elapsed{}
	case "yes", "no":
		return route.Found{Holds: text == "yes"}
	case "nobody":
		return route.Nobody{}
	case "gone":
		return route.HungUp{}
	}
	return route.Keyed{Digits: text}
}

func others(id string) (route.Route, bool) {
	switch id {
	case "sales":
		return route.Route{Languages: []string{"en"}, Steps: []route.Step{{ID: "s", Do: route.Queue, Queue: "sales"},
			{ID: "v", Do: route.Voicemail}}}, true
	case "circle":
		return route.Route{Languages: []string{"en"}, Steps: []route.Step{{ID: "c", Do: route.Another,
			Route: "circle"}}}, true
	}
	return route.Route{}, false
}

// played takes a caller through a route and gives what was done after each event.
func played(r route.Route, events ...string) (done []string, s route.State) {
	for _, text := range events {
		var effects []route.Effect
		s, effects = r.Next(s, event(text), others)
		var words []string
		for _, e := range effects {
			words = append(words, told(e))
		}
		done = append(done, strings.Join(words, "; "))
	}
	return done, s
}

func TestCallersInTheHotline(t *testing.T) {
	const hello, ask = "speak en: Welcome to Lindenfall Cisterns", "speak en: Press 1 for pumps, 2 for your order"
	tests := []struct {
		name   string
		events string
		want   []string
	}{
		{"closed: told so, then voicemail", "begin no spoken", []string{"look up open", "inform hours ", "message "}},
		{
			"in French",
			"begin yes yes",
			[]string{"look up open", "look up speaks", "speak fr: « Welcome to Lindenfall Cisterns »"},
		},
		{
			"to the owner, who takes it",
			"begin yes no spoken gone nobody",
			[]string{"look up open", "look up speaks", hello,
				"ring owner 15s", "", ""},
		},
		{
			"a key in time",
			"begin yes no spoken nobody 1",
			[]string{"look up open", "look up speaks", hello, "ring owner 15s",
				ask, "hush; queue service +1 [1 2]"},
		},
		{
			"a key after the text",
			"begin yes no spoken nobody spoken 2 spoken 1 2 3 elapsed",
			[]string{"look up open", "look up speaks",
				hello, "ring owner 15s", ask, "wait 6s", "speak en: Type the number of your order", "wait 5s",
				"wait 5s", "wait 5s", "wait 5s",
				"inform order 123"},
		},
		{"too early: what is said is left out, and what is asked", "begin yes no 12 nobody", []string{"look up open",
			"look up speaks", hello, "hush; ring owner 15s", "queue service +1 [1 2]"}},
		{
			"all digits at once, with the hash",
			"begin yes no spoken nobody 21000#",
			[]string{"look up open", "look up speaks",
				hello, "ring owner 15s", ask, "hush; inform order 1000"},
		},
		{"as many as there can be end by themselves", "begin yes no spoken nobody 2123456", []string{"look up open",
			"look up speaks", hello, "ring owner 15s", ask, "hush; inform order 123456"}},
		{
			"the digits lead on",
			"begin yes no spoken nobody 21000# spoken nobody",
			[]string{"look up open", "look up speaks", hello,
				"ring owner 15s", ask, "hush; inform order 1000", "dial +1 413 555 0199 25s",
				"finish: the route ends here (served true)"},
		},
		{
			"no key at all",
			"begin yes no spoken nobody spoken elapsed spoken elapsed",
			[]string{"look up open", "look up speaks",
				hello, "ring owner 15s", ask, "wait 6s", ask, "wait 6s", "finish: the route ends here (served false)"},
		},
		{
			"wrong keys",
			"begin yes no spoken nobody 5 6",
			[]string{"look up open", "look up speaks", hello, "ring owner 15s",
				ask, "hush; " + ask, "hush; finish: the route ends here (served false)"},
		},
		{"no digits: back to the menu, once", "begin yes no spoken nobody 2 spoken elapsed spoken elapsed 2 # #",
			[]string{
				"look up open",
				"look up speaks",
				hello,
				"ring owner 15s",
				ask,
				"hush; speak en: Type the number of your order",
				"wait 5s",
				"speak en: Type the number of your order",
				"wait 5s",
				ask,
				"hush; speak en: Type the number of your order",
				"hush; speak en: Type the number of your order",
				"hush; finish: the route ends here (served false)",
			}},
		{
			"a callback while waiting",
			"begin yes no spoken nobody 1 7 1",
			[]string{"look up open", "look up speaks", hello,
				"ring owner 15s", ask, "hush; queue service +1 [1 2]", "", "leave queue; callback service"},
		},
		{
			"a callback that cannot be: they wait on",
			"begin yes no spoken nobody 1 1 nobody",
			[]string{"look up open", "look up speaks",
				hello, "ring owner 15s", ask, "hush; queue service +1 [1 2]", "leave queue; callback service",
				"queue service +1 [1 2]"},
		},
		{
			"the queue is full",
			"begin yes no spoken nobody 1 nobody nobody",
			[]string{"look up open", "look up speaks", hello,
				"ring owner 15s", ask, "hush; queue service +1 [1 2]", "ring [marc odile] false 20s",
				"message marcservice"},
		},
		{"another route", "begin yes no spoken nobody 9 nobody", []string{"look up open", "look up speaks", hello,
			"ring owner 15s", ask, "hush; queue sales +0 []", "message sales"}},
		{
			"letters and speech mean nothing",
			"begin yes no AB, spoken",
			[]string{"look up open", "look up speaks", hello, "",
				"ring owner 15s"},
		},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			got, _ := played(hotline(), strings.Fields(tt.events)...)
			assert.Equal(t, tt.want, got)
		})
	}
}

func TestACallerChoosesWhenToBeCalled(t *testing.T) {
	r := route.Route{Languages: []string{"en"}, Steps: []route.Step{
		{ID: "back", Do: route.Callback, Queue: "sales", Times: true}, {ID: "end", Do: route.End}}}
	tests := []struct{ name, events, want string }{
		{"at their turn", "begin spoken 1", "offer times en|wait 6s|callback sales"},
		{"at once, while it is said", "begin 1", "offer times en|hush; callback sales"},
		{"no key: at their turn", "begin spoken elapsed", "offer times en|wait 6s|callback sales"},
		{"another key means nothing", "begin 7 spoken 3 1", "offer times en||wait 6s||callback sales"},
		{"four digits", "begin 2 spoken 14 30 yes", "offer times en|hush; ask time en false|wait 8s|wait 8s|check sales 1430|callback sales 1430"},
		{"three, and the hash", "begin 2 930# yes", "offer times en|hush; ask time en false|hush; check sales 930|callback sales 930"},
		{"two, and nothing more", "begin 2 spoken 9 elapsed yes",
			"offer times en|hush; ask time en false|wait 8s|wait 8s|check sales 9|callback sales 9"},
		{"all at once", "begin 21430 yes", "offer times en|hush; check sales 1430|callback sales 1430"},
		{"too many", "begin 2143055 yes", "offer times en|hush; check sales 1430|callback sales 1430"},
		{"closed then: asked again", "begin 2 2200 no 1000 yes",
			"offer times en|hush; ask time en false|hush; check sales 2200|ask time en true|hush; check sales 1000|callback sales 1000"},
		{"closed twice: at their turn", "begin 2 2200 no 2300 no",
			"offer times en|hush; ask time en false|hush; check sales 2200|ask time en true|hush; check sales 2300|callback sales"},
		{"nothing typed", "begin 2 spoken elapsed spoken elapsed",
			"offer times en|hush; ask time en false|wait 8s|ask time en true|wait 8s|callback sales"},
		{"stars and a lone hash mean nothing", "begin 2 *# spoken #* 0900 yes",
			"offer times en|hush; ask time en false||wait 8s|wait 8s|check sales 0900|callback sales 0900"},
		{"it cannot be", "begin 1 nobody", "offer times en|hush; callback sales|finish: the route ends here (served false)"},
		{"keys after it was taken", "begin 1 1 2 nobody", "offer times en|hush; callback sales|||finish: the route ends here (served false)"},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			got, _ := played(r, strings.Fields(tt.events)...)
			assert.Equal(t, strings.Split(tt.want, "|"), got)
		})
	}
	_, s := played(r, "begin")
	assert.Equal(t, []string{"1", "2"}, s.Keys())
	_, s = played(r, "begin", "2")
	assert.Contains(t, s.Keys(), "0")
}

func TestASurveyOnTheWay(t *testing.T) {
	r := route.Route{Languages: []string{"en"}, Steps: []route.Step{{ID: "s", Do: route.Survey}, {ID: "e",
		Do: route.End}}}
	got, _ := played(r, "begin", "5", "spoken")
	assert.Equal(t, []string{"survey en", "", "finish: the route ends here (served true)"}, got)
	assert.Empty(t, r.Check("self", route.World{}))
}

func TestRoutesRoundInCirclesEnd(t *testing.T) {
	r, _ := others("circle")
	got, s := played(r, "begin")
	assert.Equal(t, []string{"finish: the routes lead round in circles (served false)"}, got)
	assert.True(t, s.Done)

	r = route.Route{Steps: []route.Step{{ID: "a", Do: route.Another, Route: "gone"}}}
	got, _ = played(r, "begin")
	assert.Equal(t, []string{"finish: the next route is not there (served false)"}, got)

	got, _ = played(route.Route{Steps: []route.Step{{ID: "a", Do: route.Owner}}}, "begin", "nobody")
	assert.Equal(t, []string{"ring owner 20s", "finish: the route has no further step (served false)"}, got)
}

func TestAStateIsNeverChanged(t *testing.T) {
	_, s := played(hotline(), "begin", "yes", "no", "spoken", "nobody", "2")
	one, _ := hotline().Next(s, route.Keyed{Digits: "1000#"}, others)
	two, _ := hotline().Next(s, route.Keyed{Digits: "2000#"}, others)
	assert.Equal(t, "1000", one.Kept["order number"])
	assert.Equal(t, "2000", two.Kept["order number"])
	assert.Empty(t, s.Kept)
}

// FuzzRun takes random callers through random routes, good and bad ones: each comes to an end within the limits, nothing
// is done after the end, and a caller is never left with nothing to wait for.
func FuzzRun(f *testing.F) {
	for seed := range uint64(30) {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, seed uint64) {
		rnd := rand.New(rand.NewPCG(seed, 7))
		r := route.Route{Languages: []string{"en"}, Steps: randomSteps(rnd, 0)}
		r.Check("self", route.World{})
		find := func(id string) (route.Route, bool) {
			return route.Route{
				Languages: []string{"en"},
				Steps:     randomSteps(rand.New(rand.NewPCG(uint64(len(id)), seed)), 1),
			}, id != ""
		}
		s, effects := r.Next(route.State{}, route.Begin{}, find)
		waits, clock := waitsFor(effects, ""), time.Duration(0)
		for n := 0; !s.Done; n++ {
			require.Less(t, n, 4*route.MostTaken, "it goes on and on")
			require.NotEmpty(t, waits, "nothing to wait for, at %s", s.At)
			e := randomEvent(rnd, waits)
			if _, elapsed := e.(route.Elapsed); elapsed {
				clock += 6 * time.Second
			}
			s, effects = r.Next(s, e, find)
			waits = waitsFor(effects, waits)
			require.LessOrEqual(t, s.Taken, route.MostTaken+1)
		}
		_, effects = r.Next(s, route.Keyed{Digits: "1"}, find)
		require.Empty(t, effects)
	})
}

// waitsFor is what a caller waits for after some effects; what they waited for before, where there are none.
func waitsFor(effects []route.Effect, before string) string {
	for _, e := range effects {
		switch e.(type) {
		case route.Speak, route.Inform, route.OfferTimes, route.AskTime, route.AskSurvey:
			before = "spoken"
		case route.Wait:
			before = "elapsed"
		case route.LookUp, route.CheckTime:
			before = "found"
		case route.RingOwner, route.RingPeople, route.JoinQueue, route.Dial, route.TakeCallback:
			before = "nobody"
		case route.LeaveQueue:
			before = ""
		}
	}
	return before
}

// randomEvent is mostly what is waited for, else a key or something that means nothing now.
func randomEvent(rnd *rand.Rand, waits string) route.Event {
	switch n := rnd.IntN(10); {
	case n < 2:
		return route.Keyed{Digits: string("0123456789*#AB"[rnd.IntN(14)])}
	case n == 2:
		return route.Keyed{Digits: strings.Repeat("12#", 1+rnd.IntN(40))}
	case n == 3:
		return []route.Event{route.Spoken{}, route.Elapsed{}, route.Begin{}, route.Nobody{}}[rnd.IntN(4)]
	}
	switch waits {
	case "spoken":
		return route.Spoken{}
	case "elapsed":
		return route.Elapsed{}
	case "found":
		return route.Found{Holds: rnd.IntN(2) == 0}
	}
	return route.Nobody{}
}

var kinds = []route.Do{route.Say, route.Menu, route.Digits, route.When, route.Language, route.Owner, route.Ring,
	route.Queue, route.Callback, route.Voicemail, route.Tell, route.Survey, route.Another, route.Outside,
	route.Again, route.End, "?"}

func randomSteps(rnd *rand.Rand, depth int) []route.Step {
	steps := make([]route.Step, rnd.IntN(5))
	for i := range steps {
		s := route.Step{
			ID:    fmt.Sprint(depth, i),
			Do:    kinds[rnd.IntN(len(kinds))],
			Tries: rnd.IntN(6),
			Most:  rnd.IntN(4),
			Name:  "n",
			Test: &route.Test{Is: []route.Is{route.Known, route.Pressed, route.Open}[rnd.IntN(3)], Name: "n",
				Value: "12"},
			Queue: "q",
			Times: rnd.IntN(2) == 0,
			Route: []string{"", "a", "bb"}[rnd.IntN(3)],
			What:  "hours",
		}
		if rnd.IntN(20) == 0 {
			s.Test = nil
		}
		if depth < 4 {
			s.Steps, s.Else = randomSteps(rnd, depth+1), randomSteps(rnd, depth+1)
			for range rnd.IntN(3) {
				s.Options = append(
					s.Options,
					route.Option{Key: string("12#"[rnd.IntN(3)]), Steps: randomSteps(rnd, depth+1)},
				)
			}
		}
		steps[i] = s
	}
	return steps
}
