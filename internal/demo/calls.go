package demo

import (
	"encoding/json"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/call"
	"trundo/internal/core/phone"
	"trundo/internal/core/slip"
	"trundo/internal/core/touch"
)

// calls makes past calls over ninety days by playing each one through the call machine.
func (m *maker) calls(count int) {
	for i := range count {
		p := m.people[m.rand.IntN(len(m.people))]
		if i < 9 {
			p = m.people[0] // somebody with a history to look at
		}
		if p.dnc || len(p.numbers) == 0 {
			continue
		}
		days := m.rand.IntN(90)
		day := m.now.In(m.zone).AddDate(0, 0, -1-days)
		for day.Weekday() == time.Saturday || day.Weekday() == time.Sunday {
			day = day.AddDate(0, 0, -1)
		}
		// Two humps, late morning and afternoon, as in most offices.
		minute := 9*60 + m.rand.IntN(170)
		if m.rand.IntN(2) == 0 {
			minute = 13*60 + m.rand.IntN(230)
		}
		start := time.Date(day.Year(), day.Month(), day.Day(), 0, minute, m.rand.IntN(60), 0, m.zone).UTC()
		m.call(p, pick(m, p.numbers), start)
	}
}

// script plays one call through the call machine.
type script struct {
	state call.State
	facts []call.Fact
	at    time.Time
}

func (x *script) play(after time.Duration, in call.Input) {
	x.at = x.at.Add(after)
	more, _, err := call.Decide(x.state, in, x.at)
	if err != nil {
		panic(err) // the scripts below are right
	}
	for _, f := range more {
		x.state = call.Evolve(x.state, f)
	}
	x.facts = append(x.facts, more...)
}

func (m *maker) call(p person, n number, start time.Time) {
	const s = time.Second
	rep := m.users[p.owner]
	if m.rand.IntN(4) == 0 {
		rep = m.users[m.rand.IntN(reps)]
	}
	address := phone.Number{E164: n.e164, Ext: n.ext}.Key()
	line := firmLines[1]
	x := &script{at: start}
	play := x.play
	play(0, call.Place{By: rep.String(), Device: "browser", Address: address, CallerID: line.e164})
	outcome, notes := 5, pick(m, notesBad)
	switch chance := m.rand.IntN(100); {
	case chance < 52:
		play(s+time.Duration(m.rand.IntN(1500))*time.Millisecond, call.CarrierRinging{Leg: 2})
		play(time.Duration(3+m.rand.IntN(22))*s, call.CarrierAnswered{Leg: 2})
		talk := time.Duration(20+m.rand.IntN(60)+m.rand.IntN(8)*m.rand.IntN(90)) * s
		if m.rand.IntN(3) == 0 {
			play(talk, call.CarrierEnded{Leg: 2, Reason: call.EndedByThem})
		} else {
			play(talk, call.HangUp{By: rep.String()})
		}
		outcome, notes = []int{0, 1, 1, 2, 2, 2, 3, 3, 4}[m.rand.IntN(9)], pick(m, notesGood)
	case chance < 80:
		play(s, call.CarrierRinging{Leg: 2})
		play(time.Duration(22+m.rand.IntN(12))*s, call.HangUp{By: rep.String()})
		if m.rand.IntN(3) == 0 {
			outcome = 6
		}
	case chance < 88:
		play(2*s, call.CarrierEnded{Leg: 2, Reason: call.Busy})
	case chance < 94:
		play(s, call.CarrierRinging{Leg: 2})
		play(7*s, call.CarrierEnded{Leg: 2, Reason: call.Declined})
	default:
		play(2*s, call.CarrierEnded{Leg: 2, Reason: call.OutOfService})
		outcome = 7
	}
	m.store(stored{person: &p, number: n, rep: &rep, line: 1, script: x, outcome: outcome, notes: notes,
		why: "their number was clicked"})
}

// arrivals makes past calls that came in: most were answered, some were missed and somebody has come back to them. A
// few of this morning nobody has come back to yet.
func (m *maker) arrivals(count int) {
	for i := range count {
		p := &m.people[m.rand.IntN(len(m.people))]
		if len(p.numbers) == 0 {
			continue
		}
		day := m.now.In(m.zone).AddDate(0, 0, -1-m.rand.IntN(90))
		start := time.Date(day.Year(), day.Month(), day.Day(), 8, m.rand.IntN(600), m.rand.IntN(60), 0, m.zone).UTC()
		n := pick(m, p.numbers)
		if i%9 == 0 { // somebody whom nobody knows
			p, n = nil, number{e164: m.fresh("413")}
		}
		m.arrival(p, n, start, m.rand.IntN(100), false)
	}
	for i, since := range []time.Duration{25 * time.Minute, 70 * time.Minute, 2 * time.Hour, 26 * time.Hour} {
		p := &m.people[(40+17*i)%len(m.people)]
		if p.dnc || len(p.numbers) == 0 {
			continue
		}
		m.arrival(p, p.numbers[0], m.now.Add(-since).UTC().Truncate(time.Second), 85+5*(i%2), true)
	}
	m.arrival(nil, number{e164: m.fresh("518")}, m.now.Add(-100*time.Minute).UTC().Truncate(time.Second), 85, true)
}

// arrival plays a call that came in; chance tells what becomes of it.
func (m *maker) arrival(p *person, n number, start time.Time, chance int, owed bool) {
	const s = time.Second
	line := []int{0, 1, 1, 2, 2, 2, 3, 4, 5, 6}[m.rand.IntN(10)]
	x := &script{at: start}
	x.play(0, call.Arrive{From: n.e164, Line: firmLines[line].e164})
	group := firmRoutes[line].reps
	if len(group) == 0 {
		group = []int{0, 1, 2, 5}
	}
	var to []string
	for _, r := range group {
		to = append(to, m.users[r].String())
	}
	x.play(0, call.Offer{To: to, Device: "browser"})
	c := stored{person: p, number: n, line: line, script: x, outcome: 2, why: "they called from their number",
		owed: owed}
	switch {
	case chance < 85:
		rep := m.users[pick(m, group)]
		c.rep, c.notes, c.outcome = &rep, pick(m, notesGood), []int{0, 1, 2, 2, 2, 3}[m.rand.IntN(6)]
		x.play(time.Duration(2+m.rand.IntN(14))*s, call.Answer{By: rep.String()})
		x.play(time.Duration(25+m.rand.IntN(300))*s, call.CarrierEnded{Leg: 1, Reason: call.EndedByThem})
	case chance < 90:
		c.missed = "nobody answered"
		x.play(time.Duration(9+m.rand.IntN(12))*s, call.CarrierEnded{Leg: 1, Reason: call.EndedByThem})
	default:
		c.missed = "nobody answered"
		x.play(25*s, call.MachineTakes{Device: call.Voicemail})
		x.play(6*s, call.Beep{})
		x.play(time.Duration(8+m.rand.IntN(50))*s, call.CarrierEnded{Leg: 1, Reason: call.EndedByThem})
	}
	m.store(c)
}

// stored is a played call with what it belongs to.
type stored struct {
	person     *person // nil: nobody knows who it was
	number     number
	rep        *uuid.UUID // who made or answered it; nil: nobody
	line       int
	script     *script
	outcome    int
	notes, why string
	missed     string
	owed       bool
}

// worth is the call as core/touch sees it.
func (c stored) worth() touch.Call {
	s, outcome := c.script.state, touch.Unsaid
	if c.rep != nil {
		if outcome = touch.NotReached; firmOutcomes[c.outcome].reached {
			outcome = touch.Reached
		}
	}
	return touch.Call{Inbound: s.Inbound, Answered: !s.Answered().IsZero(), Outcome: outcome}
}

func (m *maker) store(c stored) {
	s, facts, n := c.script.state, c.script.facts, c.number
	id, slipID := m.id(s.Started), m.id(s.Started)
	parts := s.PartsAt(s.Ended)
	direction, device, reason := "outbound", "browser", "your line"
	placed := c.rep
	typed := n.typed
	if s.Inbound {
		direction, device, reason, placed, typed = "inbound", "carrier", "", nil, n.e164
	}
	m.add("calls", id, direction, m.lines[c.line], n.e164, n.ext, typed, n.label, firmLines[c.line].e164, reason,
		device, placed, "demo", int64(0), string(s.Phase()), s.Seq,
		s.Started, none(s.Rang()), none(s.Answered()), s.Ended, string(s.Reason), parts.Dialing.Milliseconds(),
		parts.Ringing.Milliseconds(), parts.Talking.Milliseconds(),
		false, c.missed, s.Message().Milliseconds(), c.worth().Conversation())
	for _, l := range s.Legs {
		var user *uuid.UUID
		if l.User != "" {
			rep := uuid.MustParse(l.User)
			user = &rep
		}
		m.add("legs", id, int(l.No), string(l.Party), user, l.Device, l.Address, string(l.State), l.Added, none(l.Rang),
			none(l.Answered), l.Ended, string(l.Reason))
		for _, sp := range l.Spans {
			m.add("leg_spans", id, int(l.No), int(sp.Bridge), sp.From, sp.To)
		}
	}
	for _, f := range facts {
		data, err := json.Marshal(f)
		if err != nil {
			panic(err) // strings and numbers only
		}
		m.add("call_facts", id, f.Seq, f.At, string(f.Kind), call.Schema, data)
	}
	var slipOf *uuid.UUID
	if c.rep != nil {
		slipOf = &slipID
		filed := s.Ended.Add(time.Duration(5+m.rand.IntN(50)) * time.Second)
		m.add("slips", slipID, id, *c.rep, string(slip.Filed), "", pick(m, m.types), m.outcomes[c.outcome], s.Started,
			filed)
		if c.notes != "" {
			m.add("slip_notes", slipID, c.notes, 1, filed)
		}
	}
	if c.owed {
		m.add("unreturned", id, m.lines[c.line], n.e164, n.ext, s.Started)
	}
	if c.person == nil {
		return
	}
	company := ""
	if c.person.company != nil {
		company = c.person.company.String()
	}
	for _, l := range slip.LinksFor(slip.Subject{Record: c.person.id.String(), Role: slip.Caller, Company: company},
		c.why) {
		record := uuid.MustParse(l.Record)
		m.add("call_links", id, record, slipOf, string(l.Role), l.Reason, c.rep, s.Started)
		m.add("history", record, s.Started, "call", id)
	}
}

func none(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}

// followUps gives every rep something late, something for today and something for later.
func (m *maker) followUps() {
	local := m.now.In(m.zone)
	midnight := time.Date(local.Year(), local.Month(), local.Day(), 0, 0, 0, 0, m.zone)
	for rep := range reps {
		dues := []struct {
			due           time.Time
			promised, day bool
		}{
			{m.now.Add(-12 * time.Minute), true, false}, {m.now.Add(-26 * time.Hour), false, false}, {midnight, false,
				true},
			{m.now.Add(95 * time.Minute), false, false}, {m.now.Add(4 * time.Hour), true, false},
			{midnight.AddDate(0, 0, 1), false, true},
			{m.now.AddDate(0, 0, 6), false, false},
		}
		for i, d := range dues {
			p := m.people[10+(rep*29+i*7)%(len(m.people)-10)]
			for p.dnc {
				p = m.people[10+m.rand.IntN(len(m.people)-10)]
			}
			if rep == 0 && i == 0 {
				p = m.people[0]
			}
			id, made := m.id(m.now), m.now.Add(-time.Duration(30+m.rand.IntN(200))*time.Hour).Truncate(time.Microsecond)
			m.add("follow_ups", id, p.id, m.users[rep], "call", pick(m, followTask), d.promised,
				d.due.Truncate(time.Minute), d.day, m.users[rep], made)
			m.add("history", p.id, made, "follow_up", id)
		}
	}
}
