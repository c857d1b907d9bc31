package report

import (
	"encoding/binary"
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var newYork = func() *time.Location {
	z, err := time.LoadLocation("America/New_York")
	if err != nil {
		panic(err)
	}
	return z
}()

func callID(n int) (id ID) {
	binary.BigEndian.PutUint64(id[8:], uint64(n)*0x9E3779B97F4A7C15)
	return id
}

// unknown is a part of which nothing was measured.
func unknown(day, hour int, p Part) Part {
	p.At = time.Date(2026, 3, day, hour, 15, 0, 0, newYork).Unix()
	for _, v := range []*int32{&p.Wait, &p.Wrap, &p.Recorded, &p.Satisfaction, &p.Return, &p.Tries, &p.Score} {
		if *v == 0 {
			*v = -1
		}
	}
	if p.Rep != "" {
		p.Flags |= HasRep
	}
	return p
}

const s = 1000

// sixtyCalls are a firm's of three days, Monday 2 to Wednesday 4 March 2026.
func sixtyCalls() *Book {
	b := NewBook(cal)
	n := 0
	put := func(count int, parts ...Part) {
		for range count {
			b.Put(callID(n), parts)
			n++
		}
	}
	ines, tomas := Part{Rep: "ines", Team: "sales"}, Part{Rep: "tomas", Team: "service"}
	with := func(p Part, change func(*Part)) Part { change(&p); return p }
	// Ines called 20: 8 conversations of 120 s, after 2 tries each and 5 s of ringing, filed 10 s later.
	put(8, unknown(2, 9, with(ines, func(p *Part) {
		p.Way, p.Line, p.Outcome, p.Talk, p.Ring, p.Wrap, p.Tries = "outbound", "sales", "visit", 120*s, 5*s, 10*s, 2
		p.Flags = Answered | Spoke | HasOutcome | ReachedIt | Filed | FirstTalk
	})))
	put(12, unknown(2, 9, with(ines, func(p *Part) {
		p.Way, p.Line, p.Outcome, p.Ring, p.Flags = "outbound", "sales", "nobody", 20*s, HasOutcome
	})))
	// Tomas called 10: 5 conversations of 60 s.
	put(5, unknown(3, 14, with(tomas, func(p *Part) {
		p.Way, p.Line, p.Talk, p.Ring, p.Flags = "outbound", "service", 60*s, 10*s, Answered|Spoke
	})))
	put(5, unknown(3, 14, with(tomas, func(p *Part) { p.Way, p.Line, p.Ring = "outbound", "service", 10*s })))
	// 20 waited in the queue: 12 for 10 s, 3 for 40 s, 3 hung up after 60 s, 2 after 3 s.
	queued := func(p *Part) { p.Way, p.Line, p.Queue = "inbound", "hotline", "service" }
	put(8, unknown(4, 10, with(tomas, func(p *Part) {
		queued(p)
		p.Wait, p.Talk, p.Hold, p.Flags = 10*s, 300*s, 30*s, Answered|Spoke|Queued|InTime
	})))
	put(4, unknown(4, 10, with(tomas, func(p *Part) {
		queued(p)
		p.Wait, p.Talk, p.Hold, p.Flags = 10*s, 300*s, 30*s, Answered|Spoke|Queued|InTime|CameAgain
	})))
	put(3, unknown(4, 10, with(ines, func(p *Part) {
		queued(p)
		p.Wait, p.Talk, p.Flags = 40*s, 100*s, Answered|Spoke|Queued
	})))
	put(3, unknown(4, 10, with(Part{}, func(p *Part) { queued(p); p.Wait, p.Flags = 60*s, Missed|Queued|Abandoned })))
	put(2, unknown(4, 10, with(Part{}, func(p *Part) { queued(p); p.Wait, p.Flags = 3*s, Missed|Queued|Short })))
	// 6 were missed: 2 are owed, 4 were called back after ten minutes.
	put(2, unknown(4, 16, Part{Way: "inbound", Line: "main", Flags: Missed | Owed | WasOwed}))
	put(4, unknown(4, 16, Part{Way: "inbound", Line: "main", Return: 600 * s, Flags: Missed | Returned | WasOwed}))
	// 4 were answered by Ines and handed over to Tomas: recorded, and the customers gave a 9.
	handed := func(p *Part) {
		p.Way, p.Line, p.Transfers, p.Satisfaction, p.Recorded = "inbound", "main", 1, 9, 120*s
		p.Ours, p.Theirs, p.Silence, p.Overlap, p.Monologue = 60*s, 40*s, 24*s, 6*s, 20*s
		p.Flags, p.Topics = Answered|Spoke|Transferred|HasRecording|Transcribed|Surveyed, []string{"leak"}
	}
	put(4, unknown(4, 11, with(ines, func(p *Part) { handed(p); p.Talk = 50 * s })),
		unknown(4, 11, with(tomas, func(p *Part) { handed(p); p.Talk = 70 * s })))
	return b
}

var (
	cal  = NewCalendar(newYork, time.Sunday)
	days = Asked{
		From:  time.Date(2026, 3, 1, 0, 0, 0, 0, newYork).Unix(),
		To:    time.Date(2026, 3, 8, 0, 0, 0, 0, newYork).Unix(),
		Scope: Everything,
	}
)

func Example() {
	b := sixtyCalls()
	r := b.Run(Query{Figures: []string{"conversations"}, By: "rep"}, days)
	for _, g := range r.Groups {
		fmt.Printf("%s %.0f\n", g.Key, *g.Cells[0].Value)
	}
	fmt.Printf("all %.0f\n", *r.All[0].Value) // the four that both had a part in are four
	// Output:
	// tomas 21
	// ines 15
	// all 32
}

// TestEachFigure holds every figure against what is computed by hand of the sixty calls.
func TestEachFigure(t *testing.T) {
	b := sixtyCalls()
	require.Equal(t, 60, b.Calls())
	want := map[string]struct {
		value float64
		calls int
	}{
		"calls": {60, 60}, "inbound": {30, 30}, "outbound": {30, 30},
		"answered": {19, 19}, "answered_share": {100 * 19.0 / 30, 30}, // 15 of the queue, 4 handed over
		"missed":        {11, 11}, // 5 of the queue, 6 others
		"conversations": {32, 32}, "reached_share": {100 * 13.0 / 30, 30},
		"talk":         {8*120 + 5*60 + 12*300 + 3*100 + 4*(50+70), 32},
		"talk_average": {5640.0 / 36, 32}, // 36 parts in 32 conversations
		"hold":         {12 * 30, 12}, "consult": {0, 0},
		"wrap_up":   {10, 8},
		"ring_out":  {(8*5 + 12*20 + 10*10) / 30.0, 30},
		"wait":      {(12*10 + 3*40 + 3*60 + 2*3) / 20.0, 20},
		"abandoned": {3, 3}, "abandoned_share": {100 * 3.0 / 18, 18}, "service_level": {100 * 12.0 / 18, 18},
		"first_call": {100 * 15.0 / 19, 19}, "transfers": {4, 4},
		"unreturned": {2, 2}, "time_to_return": {600, 4},
		"satisfaction": {9, 4}, "outcomes": {20, 20}, "conversion": {40, 20}, "touches": {2, 8},
		"talk_share": {60, 4}, "silence": {20, 4}, "overlap": {5, 4}, "monologue": {20, 4},
	}
	for _, f := range Figures {
		r := b.Run(Query{Figures: []string{f.Key}}, days)
		w, there := want[f.Key]
		if !there { // there is nothing to compute these of
			assert.Contains(t, []string{"callbacks", "quality"}, f.Key)
			assert.Nil(t, r.All[0].Value, f.Key)
			continue
		}
		require.NotNil(t, r.All[0].Value, f.Key)
		assert.InDelta(t, w.value, *r.All[0].Value, 1e-9, f.Key)
		assert.Equal(t, w.calls, r.All[0].Calls, f.Key)
		assert.NotEmpty(t, f.Name, f.Key)
		assert.Regexp(t, `^[A-Z].*\.$`, f.Definition, f.Key)
	}
}

func TestFiguresBy(t *testing.T) {
	b := sixtyCalls()
	values := func(figure, by string, where ...Condition) map[string]float64 {
		got := map[string]float64{}
		for _, g := range b.Run(Query{Figures: []string{figure}, By: by, Where: where}, days).Groups {
			if g.Cells[0].Value != nil && *g.Cells[0].Value != 0 {
				got[g.Key] = *g.Cells[0].Value
			}
		}
		return got
	}
	assert.Equal(t, map[string]float64{"ines": 27, "tomas": 26, "": 11}, values("calls", "rep"))
	assert.Equal(t, map[string]float64{"sales": 27, "service": 26, "": 11}, values("calls", "team"))
	assert.Equal(t, map[string]float64{"2026-03-02": 20, "2026-03-03": 10, "2026-03-04": 30}, values("calls", "day"))
	assert.Equal(t, map[string]float64{"9": 20, "10": 20, "11": 4, "14": 10, "16": 6}, values("calls", "hour"))
	assert.Equal(t, map[string]float64{"1": 20, "2": 10, "3": 30}, values("calls", "weekday"))
	assert.Equal(t, map[string]float64{"2026-03-01": 60}, values("calls", "week"))
	assert.Equal(t, map[string]float64{"2026-03": 60}, values("calls", "month"))
	assert.Equal(t, map[string]float64{"leak": 4}, values("conversations", "topic"))
	// 5 conversations of 60 s, 8 of 120 s, 3 of 100 s, 4 of 50 and 70 s, 12 of 300 s.
	assert.Equal(t, map[string]float64{"1": 12, "2": 8, "3": 12}, values("conversations", "length"))
	assert.Equal(
		t,
		map[string]float64{"tomas": 5},
		values(
			"conversations",
			"rep",
			Condition{Facet: "hour", Values: []string{"14", "11"}},
			Condition{
				Facet:  "rep",
				Values: []string{"tomas"},
			},
			Condition{Facet: "has", Values: []string{"recording"}, Not: true},
			Condition{Facet: "behind", Values: []string{"conversations"}},
		),
	)
}

// TestDaysWithoutCallsAreThere: a gap is a gap, and times stand beside each other by their place.
func TestDaysWithoutCallsAreThere(t *testing.T) {
	b := sixtyCalls()
	q := Query{Figures: []string{"calls"}, By: "day"}
	r := b.Run(q, days)
	require.Len(t, r.Groups, 7)
	assert.Equal(t, "2026-03-01", r.Groups[0].Key)
	assert.Zero(t, *r.Groups[0].Cells[0].Value)
	w := Window{time.Unix(days.From, 0).In(newYork), time.Unix(days.To, 0).In(newYork)}
	later := Asked{From: w.moved(7).From.Unix(), To: w.moved(7).To.Unix(), Scope: Everything}
	groups, all := b.Beside(b.Run(q, later), q, later, []Window{w})
	assert.Equal(t, 20.0, *groups["2026-03-09"][0], "the Monday beside the Monday before")
	assert.Equal(t, 60.0, *all[0])
	shares := Query{Figures: []string{"reached_share", "conversations"}}
	_, all = b.Beside(b.Run(shares, later), shares, later, []Window{w, w.moved(-7)})
	assert.InDelta(t, 100*13.0/30, *all[0], 1e-9, "a share of no calls weighs nothing")
	assert.Equal(t, 16.0, *all[1], "a count of none counts")
}

func TestWhoMaySeeWhat(t *testing.T) {
	b := sixtyCalls()
	asked := days
	asked.Scope = Scope{Reps: []string{"ines"}}
	assert.Equal(t, 27, b.Count(asked))
	asked.Scope.Nobody = true
	assert.Equal(t, 38, b.Count(asked))
	asked.Scope = Scope{}
	assert.Zero(t, b.Count(asked))
	asked.Scope = Everything
	asked.Hear = &Scope{Reps: []string{"somebody else"}}
	asked.Where = only("topic", "leak")
	assert.Zero(t, b.Count(asked), "what was said is known to whoever may hear it alone")
	asked.Where = []Condition{{Facet: "topic", Values: []string{"leak"}, Not: true}}
	assert.Zero(t, b.Count(asked), "what was not said too")
}

func TestNotSaidIsOfCallsThatWereWrittenDown(t *testing.T) {
	b := sixtyCalls()
	b.Put(
		callID(100),
		[]Part{unknown(4, 12, Part{Way: "inbound", Flags: Answered | Spoke | HasRecording | Transcribed, Recorded: s})},
	)
	asked := days
	asked.Where = []Condition{{Facet: "topic", Values: []string{"leak"}, Not: true}}
	places, count := b.Find(asked, "", nil, 10)
	assert.Equal(t, 1, count)
	assert.Equal(t, callID(100), places[0].ID)
}

// TestTheCallsBehindAFigureAreAsManyAsItSays draws conditions by chance: whatever a report says of a group, finding the
// calls of
// the group that the figure is made of finds as many.
func TestTheCallsBehindAFigureAreAsManyAsItSays(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	b := NewBook(cal)
	pick := func(from ...string) string { return from[r.IntN(len(from))] }
	for n := range 600 {
		var parts []Part
		call := unknown(
			1+r.IntN(7),
			8+r.IntN(10),
			Part{Way: pick("inbound", "outbound", "internal"), Line: pick("a", "b", ""),
				Queue: pick(
					"",
					"q",
				), Wait: int32(r.IntN(90*s)) - s, Ring: int32(r.IntN(30 * s)), Recorded: int32(r.IntN(60*s)) - 20*s,
				Ours: int32(r.IntN(20 * s)), Theirs: int32(r.IntN(20 * s)), Satisfaction: int32(r.IntN(12)) - 1,
				Flags: r.Uint32() & (1<<27 - 1) &^ (HasRep | HasOutcome | ReachedIt | Filed)},
		)
		if r.IntN(3) == 0 {
			call.Topics = []string{pick("leak", "price")}
		}
		for _, rep := range []string{"ines", "tomas", "gunnar"}[:r.IntN(4)] {
			p := call
			p.Rep, p.Team, p.Outcome, p.Talk = rep, pick(
				"sales",
				"service",
			), pick(
				"",
				"visit",
				"no",
			), int32(
				r.IntN(400*s),
			)
			p.Flags |= HasRep | r.Uint32()&(HasOutcome|ReachedIt|Filed)
			parts = append(parts, p)
		}
		if len(parts) == 0 {
			parts = []Part{call}
		}
		b.Put(callID(n), parts)
	}
	condition := func() Condition {
		f := Facets[r.IntN(len(Facets))]
		c := Condition{Facet: f.Key, Not: r.IntN(4) == 0}
		switch f.Kind {
		case Words:
			return condition0
		case Behind:
			c.Values = []string{Figures[r.IntN(len(Figures))].Key}
		case Marks:
			c.Values = []string{MarkKeys()[r.IntN(len(marks))]}
		case Topics:
			c.Values = []string{pick("leak", "price")}
		case Keys:
			c.Values = []string{pick("inbound", "a", "q", "ines", "tomas", "sales", "visit", "", "outbound")}
		default:
			counted := b.Facet(f.Key, days).Values
			if len(counted) == 0 {
				return condition0
			}
			c.Values = []string{counted[r.IntN(len(counted))].Key}
		}
		return c
	}
	groups := []string{}
	for _, f := range Facets {
		if f.Groups {
			groups = append(groups, f.Key)
		}
	}
	for range 400 {
		q := Query{By: pick(groups...), Figures: []string{Figures[r.IntN(len(Figures))].Key}}
		for range r.IntN(3) {
			q.Where = append(q.Where, condition())
		}
		require.NoError(t, q.Check())
		result := b.Run(q, days)
		f, _ := FigureOf(q.Figures[0])
		for _, g := range result.Groups {
			behind := days
			behind.Where = append(append([]Condition{}, q.Where...), Condition{Facet: q.By, Values: []string{g.Key}},
				Condition{Facet: "behind", Values: []string{f.Key}})
			assert.Equal(t, g.Cells[0].Calls, b.Count(behind), "%+v %q", q, g.Key)
			if g.Cells[0].Value != nil && f.Unit == Count && f.below == nil && !f.parts && f.Key != "transfers" {
				assert.Equal(t, float64(g.Cells[0].Calls), *g.Cells[0].Value, "%+v %q", q, g.Key)
			}
		}
		all := days
		all.Where = append(append([]Condition{}, q.Where...), Condition{Facet: "behind", Values: []string{f.Key}})
		assert.Equal(t, result.All[0].Calls, b.Count(all), "%+v", q)
		// What a facet counts is what choosing the value finds.
		facet := pick("way", "rep", "outcome", "length", "has", "hour", "satisfaction", "topic")
		for _, v := range b.Facet(facet, withWhere(days, q.Where)).Values {
			chosen := withWhere(days, nil)
			for _, c := range q.Where {
				if c.Facet != facet || c.Not || facet == "has" || facet == "topic" {
					chosen.Where = append(chosen.Where, c)
				}
			}
			chosen.Where = append(chosen.Where, Condition{Facet: facet, Values: []string{v.Key}})
			assert.Equal(t, v.Count, b.Count(chosen), "%+v %s %q", q.Where, facet, v.Key)
		}
	}
}

// condition0 holds for everything.
var condition0 = Condition{Facet: "way", Values: []string{"inbound", "outbound", "internal"}}

func withWhere(a Asked, where []Condition) Asked {
	a.Where = append([]Condition{}, where...)
	return a
}

func TestWhatCannotBeAsked(t *testing.T) {
	for what, q := range map[string]Query{
		"no figure":       {},
		"no such figure":  {Figures: []string{"luck"}},
		"too many":        {Figures: make([]string, 9)},
		"by no facet":     {Figures: []string{"calls"}, By: "moon"},
		"by what is none": {Figures: []string{"calls"}, By: "has"},
		"no such facet":   {Figures: []string{"calls"}, Where: only("moon", "full")},
		"no such mark":    {Figures: []string{"calls"}, Where: only("has", "luck")},
		"an hour of 25":   {Figures: []string{"calls"}, Where: only("hour", "24")},
		"no such day":     {Figures: []string{"calls"}, Where: only("day", "2026-02-30")},
		"no values":       {Figures: []string{"calls"}, Where: only("rep")},
	} {
		assert.Error(t, q.Check(), what)
	}
	for _, r := range ReadyReports {
		assert.NoError(t, r.Query.Check(), r.Key)
		_, err := r.Period.Window(time.Now(), cal)
		assert.NoError(t, err, r.Key)
	}
}

// FuzzPeriod: whatever is typed, a window ends after it begins, or there is none.
func FuzzPeriod(f *testing.F) {
	for _, p := range []string{"today", "30d", "2026-03-01/2026-03-31", "last_month", "9999d"} {
		f.Add(p, int64(1_772_000_000))
	}
	f.Fuzz(func(t *testing.T, p string, at int64) {
		w, err := Period(p).Window(time.Unix(at%4_000_000_000, 0), cal)
		if err == nil && !w.From.Before(w.To) {
			t.Fatalf("%q at %d: %v", p, at, w)
		}
	})
}
