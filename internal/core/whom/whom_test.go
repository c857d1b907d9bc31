package whom_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/whom"
)

var now = time.Date(2026, 3, 2, 15, 0, 0, 0, time.UTC)

func TestRank(t *testing.T) {
	there := func(c whom.Colleague) whom.Colleague {
		c.Free, c.Rings = true, true
		return c
	}
	for name, tt := range map[string]struct {
		colleagues []whom.Colleague
		about      string
		want       []whom.Choice
	}{
		"nobody": {nil, "", []whom.Choice{}},
		"who is there comes before who is not, else by name": {[]whom.Colleague{{ID: "1", Name: "Anna"},
			there(whom.Colleague{ID: "2", Name: "Zoe"}),
			there(whom.Colleague{ID: "3", Name: "Bo"})}, "", []whom.Choice{{ID: "3"}, {ID: "2"}, {ID: "1"}}},
		"who looks after them": {[]whom.Colleague{there(whom.Colleague{ID: "1", Name: "A"}),
			there(whom.Colleague{ID: "2", Name: "B", Owns: true})}, "",
			[]whom.Choice{{"2", "looks after them"}, {ID: "1"}}},
		"who spoke with them yesterday before who did in winter": {[]whom.Colleague{
			there(whom.Colleague{ID: "1", Name: "A", SpokeAt: now.AddDate(0, 0, -60)}),
			there(whom.Colleague{ID: "2", Name: "B", SpokeAt: now.AddDate(0, 0, -1)}),
			there(whom.Colleague{ID: "3", Name: "C", SpokeAt: now.AddDate(-1, 0, 0)})}, "",
			[]whom.Choice{{"2", "has spoken with them lately"}, {"1", "has spoken with them lately"}, {ID: "3"}}},
		"who knows the matter best, for what is written": {[]whom.Colleague{there(whom.Colleague{ID: "1", Name: "A",
			Skills: map[string]int{"pump": 1}}),
			there(whom.Colleague{ID: "2", Name: "B", Skills: map[string]int{"Pump": 3}}),
			there(whom.Colleague{ID: "3", Name: "C", Skills: map[string]int{"filter": 3}})},
			"Two pumps leak", []whom.Choice{{"2", "knows Pump well"}, {"1", "knows pump"}, {ID: "3"}}},
		"a skill is a word, not a part of one": {[]whom.Colleague{there(whom.Colleague{ID: "1", Name: "B",
			Skills: map[string]int{"tank": 3}}), there(whom.Colleague{ID: "2", Name: "A"})},
			"about the tankard", []whom.Choice{{ID: "2"}, {ID: "1"}}},
		"who rings but speaks comes after who is free": {[]whom.Colleague{{ID: "1", Name: "A", Rings: true},
			there(whom.Colleague{ID: "2", Name: "B"})}, "",
			[]whom.Choice{{ID: "2"}, {ID: "1"}}},
		"somebody who is not there is no good guess, whatever speaks for them": {[]whom.Colleague{{ID: "1",
			Name: "A", Owns: true}, there(whom.Colleague{ID: "2", Name: "B"})}, "",
			[]whom.Choice{{ID: "2"}, {"1", "looks after them"}}},
	} {
		t.Run(name, func(t *testing.T) { assert.Equal(t, tt.want, whom.Rank(tt.colleagues, tt.about, now)) })
	}
}

func ExampleRank() {
	for _, c := range whom.Rank([]whom.Colleague{
		{ID: "odile", Name: "Odile", Rings: true, Free: true},
		{ID: "tomas", Name: "Tomas", Rings: true, Free: true, Skills: map[string]int{"pump": 3}},
	}, "The pump leaks", now) {
		fmt.Println(c.ID, c.Reason)
	}
	// Output:
	// tomas knows pump well
	// odile
}
