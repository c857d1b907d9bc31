package briefing_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/briefing"
	"trundo/internal/core/datetime"
	"trundo/internal/core/promise"
)

func TestFacts(t *testing.T) {
	zone := time.FixedZone("there", -5*3600)
	now := time.Date(2026, 11, 23, 14, 42, 0, 0, zone)
	at := func(hours int) time.Time { return now.Add(time.Duration(hours) * time.Hour).UTC() }
	promised := func(text string, due time.Time) briefing.Promise {
		return briefing.Promise{Text: text, Promise: promise.Promise{Due: due}}
	}
	pump, tank := briefing.Matter{Kind: "case", Name: "Pump runs dry", Stage: "watching"}, briefing.Matter{Kind: "deal",
		Name: "Tank", Stage: "offer"}
	solved := &briefing.Contact{At: at(-72), Answered: true, Outcome: "Solved"}
	tests := map[string]struct {
		caller briefing.Caller
		want   []string
	}{
		"nothing is known": {briefing.Caller{}, []string{}},
		"a promise that waits, on the reader's clock": {briefing.Caller{Promises: []briefing.Promise{promised("a price",
			at(2))}}, []string{"promised: a price, 23 Nov 16:42"}},
		"a promise that was not kept": {briefing.Caller{Promises: []briefing.Promise{promised("a price",
			at(-2))}}, []string{"promised: a price, 23 Nov 12:42, not kept yet"}},
		"their last score comes first": {briefing.Caller{Score: &briefing.Score{Value: 3, Class: "would not", At: at(-72)},
			Matters: []briefing.Matter{pump}}, []string{"would not: 3 of 10, 20 Nov", "open case: Pump runs dry, watching"}},
		"a promise without a date": {briefing.Caller{Promises: []briefing.Promise{promised("a price",
			time.Time{})}}, []string{"promised: a price"}},
		"promises that were not kept in time": {briefing.Caller{Ledger: promise.Ledger{Kept: 4, Late: 1, Broken: 1, Open: 3}},
			[]string{"2 of 6 promises not kept in time"}},
		"all were kept": {briefing.Caller{Ledger: promise.Ledger{Kept: 4, Open: 1}}, []string{}},
		"promise, matter, last contact": {briefing.Caller{Promises: []briefing.Promise{promised("a price",
			time.Time{})}, Matters: []briefing.Matter{pump}, Last: solved},
			[]string{"promised: a price", "open case: Pump runs dry, watching", "last call 20 Nov: Solved"}},
		"the last contact is always told": {briefing.Caller{Promises: []briefing.Promise{promised("a price",
			time.Time{})}, Matters: []briefing.Matter{pump, tank}, Last: solved},
			[]string{"promised: a price", "open case: Pump runs dry, watching", "last call 20 Nov: Solved"}},
		"three matters without a contact": {briefing.Caller{Matters: []briefing.Matter{pump, tank, pump, tank}},
			[]string{"open case: Pump runs dry, watching", "open deal: Tank, offer",
				"open case: Pump runs dry, watching"}},
		"not answered": {briefing.Caller{Last: &briefing.Contact{At: at(-72)}},
			[]string{"last call 20 Nov, not answered"}},
		"answered, no outcome": {briefing.Caller{Last: &briefing.Contact{At: at(-72), Answered: true}},
			[]string{"last call 20 Nov"}},
		"spoken, nothing since":    {briefing.Caller{Spoke: at(-100)}, []string{}},
		"never spoken, much since": {briefing.Caller{Since: []briefing.Happening{{}}}, []string{}},
		"changes since": {briefing.Caller{Spoke: at(-100), Since: []briefing.Happening{{}, {}}},
			[]string{"since you spoke on 19 Nov: 2 changes"}},
		"a call that nobody took": {briefing.Caller{Spoke: at(-100), Since: []briefing.Happening{{Call: true}}},
			[]string{"since you spoke on 19 Nov: 1 call"}},
		"of calls the newest that somebody took": {briefing.Caller{Spoke: at(-100),
			Since: []briefing.Happening{{Call: true}, {Call: true, By: "Tomas", Outcome: "Solved"}, {},
				{Call: true, By: "Maren"}}},
			[]string{"since you spoke on 19 Nov: 1 change, a call by Tomas, Solved"}},
		"messages": {briefing.Caller{Spoke: at(-100),
			Since: []briefing.Happening{{Wrote: true, Theirs: true}, {Wrote: true, Theirs: true}, {Wrote: true}, {}}},
			[]string{"since you spoke on 19 Nov: they wrote 2 times, we wrote, 1 change"}},
		"as a fourth": {briefing.Caller{Matters: []briefing.Matter{pump, tank, pump}, Spoke: at(-100),
			Since: []briefing.Happening{{}}},
			[]string{"open case: Pump runs dry, watching", "open deal: Tank, offer",
				"open case: Pump runs dry, watching", "since you spoke on 19 Nov: 1 change"}},
	}
	for name, tt := range tests {
		t.Run(name, func(t *testing.T) { assert.Equal(t, tt.want, briefing.Facts(tt.caller, now, datetime.Style{})) })
	}
}

func ExampleFacts() {
	now := time.Date(2026, 11, 23, 14, 42, 0, 0, time.UTC)
	fmt.Println(briefing.Facts(briefing.Caller{Last: &briefing.Contact{At: now.AddDate(0, 0, -3),
		Outcome: "Wants an offer"}}, now, datetime.In("US")))
	// Output: [last call Nov 20: Wants an offer]
}
