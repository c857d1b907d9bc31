package route_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/filter"
	"trundo/internal/core/route"
	"trundo/internal/core/routing"
)

// A route is read like instructions to a receptionist.
func Example() {
	r := route.Route{Languages: []string{"en"}, Steps: []route.Step{
		{ID: "1", Do: route.When, Test: &route.Test{Is: route.Open, Not: true}, Steps: []route.Step{
			{ID: "2", Do: route.Voicemail}}},
		{ID: "3", Do: route.Menu, Texts: map[string]string{"en": "Press 1 for pumps."}, Options: []route.Option{
			{Key: "1", Steps: []route.Step{{ID: "4", Do: route.Queue, Queue: "q"}}}}},
		{ID: "5", Do: route.Voicemail},
	}}
	names := route.Names{Queues: map[string]string{"q": "Service"}}
	route.Walk(r.Steps, func(s *route.Step, depth int) {
		fmt.Println(strings.Repeat("  ", depth) + s.Sentence(names, "en"))
	})
	// Output:
	// If the line is closed:
	//   Take a voicemail.
	// Ask for a key: “Press 1 for pumps”.
	//   Let them wait in “Service”.
	// Take a voicemail.
}

func TestSentences(t *testing.T) {
	names := route.Names{
		People: map[string]string{"m": "Marc", "o": "Odile"},
		Queues: map[string]string{"q": "Service"},
		Routes: map[string]string{"r": "Sales"},
		Number: func(n string) string { return "(" + n + ")" },
		Filter: func(t route.Test) string { return "the caller’s stage is “customer”" },
	}
	hours := &routing.Hours{Spans: []routing.Span{{Days: weekdays, From: "09:00", To: "17:00"}}}
	if_ := func(test route.Test) route.Step { return route.Step{Do: route.When, Test: &test} }
	tests := []struct {
		step route.Step
		want string
	}{
		{route.Step{Do: route.Say, Texts: says("Hello.")}, "Say “Hello”."},
		{route.Step{Do: route.Say, Sound: "s"}, "Say a recording."},
		{route.Step{Do: route.Say}, "Say “…”."},
		{
			route.Step{Do: route.Digits, Name: "order number", Texts: says("Your number")},
			"Ask for order number: “Your number”.",
		},
		{route.Step{Do: route.Language, Language: "fr"}, "Speak French from here on."},
		{route.Step{Do: route.Owner, Seconds: 1}, "Ring whoever owns the caller’s record for 1 second."},
		{route.Step{Do: route.Ring, People: []string{"m"}}, "Ring Marc for 20 seconds."},
		{
			route.Step{Do: route.Ring, People: []string{"m", "o"}},
			"Ring Marc and Odile one after the other, each for 20 seconds.",
		},
		{route.Step{Do: route.Ring, People: []string{"m", "o", "x"}, All: true, Seconds: 30},
			"Ring Marc, Odile and somebody who left all at once, for 30 seconds."},
		{route.Step{Do: route.Ring}, "Ring nobody for 20 seconds."},
		{route.Step{Do: route.Queue, Queue: "q"}, "Let them wait in “Service”."},
		{route.Step{Do: route.Queue, Queue: "q", Priority: 2}, "Let them wait in “Service”, with priority +2."},
		{route.Step{Do: route.Queue, Queue: "?", Priority: -1}, "Let them wait in a queue, with priority −1."},
		{route.Step{Do: route.Callback}, "Take a callback: they keep their place in the queue."},
		{route.Step{Do: route.Callback, Times: true}, "Take a callback: they keep their place, or choose a time."},
		{route.Step{Do: route.Callback, Queue: "q"}, "Take a callback in “Service”."},
		{route.Step{Do: route.Voicemail, User: "m"}, "Take a voicemail for “Marc”."},
		{route.Step{Do: route.Tell, What: route.TellHours}, "Say when we are open."},
		{route.Step{Do: route.Tell, What: route.TellCase}, "Say how their case stands."},
		{route.Step{Do: route.Another, Route: "r"}, "Continue with the route “Sales”."},
		{route.Step{Do: route.Outside, Number: "0199"}, "Ring the outside number (0199) for 25 seconds."},
		{route.Step{Do: route.Again}, "Ask again."},
		{route.Step{Do: route.End}, "Hang up."},
		{route.Step{Do: "dance"}, "Do nothing."},
		{route.Step{Do: route.When}, "If …:"},
		{if_(route.Test{Is: route.Open}), "If the line is open:"},
		{if_(route.Test{Is: route.Open, Hours: hours, Not: true}), "If it is not Mon-Fri 09:00-17:00:"},
		{if_(route.Test{Is: route.DayOff}), "If it is a holiday:"},
		{if_(route.Test{Is: route.Known, Not: true}), "If we do not know the caller:"},
		{if_(route.Test{Is: route.OfKind, Value: "lead"}), "If the caller is a lead:"},
		{if_(route.Test{Is: route.Dissatisfied}), "If they would not recommend us:"},
		{if_(route.Test{Is: route.Speaks, Value: "fr"}), "If the caller speaks French:"},
		{
			if_(route.Test{Is: route.Pressed, Name: "order number", Value: "12", Not: true}),
			"If order number is not 12:",
		},
		{if_(route.Test{Is: route.Fits, Filter: &filter.Node{}}), "If the caller’s stage is “customer”:"},
	}
	for _, tt := range tests {
		assert.Equal(t, tt.want, tt.step.Sentence(names, "en"))
	}
	menu, queue := route.Step{Do: route.Menu}, route.Step{Do: route.Queue}
	assert.Equal(t, "If they press 1:", route.Option{Key: "1"}.If(&menu))
	assert.Equal(t, "If they press 1 while waiting:", route.Option{Key: "1"}.If(&queue))
	assert.Equal(t, "If nothing fits:", menu.Otherwise())
}

var weekdays = []time.Weekday{time.Monday, time.Tuesday, time.Wednesday, time.Thursday, time.Friday}
