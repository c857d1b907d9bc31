package demo

import (
	"encoding/json"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/call"
	"trundo/internal/core/phone"
	"trundo/internal/core/slip"
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

func (m *maker) call(p person, n number, start time.Time) {
	const s = time.Second
	rep := m.users[p.owner]
	if m.rand.IntN(4) == 0 {
		rep = m.users[m.rand.IntN(reps)]
	}
	address := phone.Number{E164: n.e164, Ext: n.ext}.Key()
	line := firmLines[1]
	var state call.State
	var facts []call.Fact
	at := start
	play := func(after time.Duration, in call.Input) {
		at = at.Add(after)
		more, _, err := call.Decide(state, in, at)
		if err != nil {
			panic(err) // the scripts below are right
		}
		for _, f := range more {
			state = call.Evolve(state, f)
		}
		facts = append(facts, more...)
	}
	play(0, call.Place{By: rep.String(), Device: "browser", Address: address, CallerID: line.e164})
	outcome, notes := 5, pick(m, notesBad)
	switch x := m.rand.IntN(100); {
	case x < 52:
		play(s+time.Duration(m.rand.IntN(1500))*time.Millisecond, call.CarrierRinging{Leg: 2})
		play(time.Duration(3+m.rand.IntN(22))*s, call.CarrierAnswered{Leg: 2})
		talk := time.Duration(20+m.rand.IntN(60)+m.rand.IntN(8)*m.rand.IntN(90)) * s
		if m.rand.IntN(3) == 0 {
			play(talk, call.CarrierEnded{Leg: 2, Reason: call.EndedByThem})
		} else {
			play(talk, call.HangUp{By: rep.String()})
		}
		outcome, notes = []int{0, 1, 1, 2, 2, 2, 3, 3, 4}[m.rand.IntN(9)], pick(m, notesGood)
	case x < 80:
		play(s, call.CarrierRinging{Leg: 2})
		play(time.Duration(22+m.rand.IntN(12))*s, call.HangUp{By: rep.String()})
		if m.rand.IntN(3) == 0 {
			outcome = 6
		}
	case x < 88:
		play(2*s, call.CarrierEnded{Leg: 2, Reason: call.Busy})
	case x < 94:
		play(s, call.CarrierRinging{Leg: 2})
		play(7*s, call.CarrierEnded{Leg: 2, Reason: call.Declined})
	default:
		play(2*s, call.CarrierEnded{Leg: 2, Reason: call.OutOfService})
		outcome = 7
	}
	m.store(p, n, rep, line.e164, state, facts, outcome, notes)
}

func (m *maker) store(p person, n number, rep uuid.UUID, shown string, s call.State, facts []call.Fact, outcome int, notes string) {
	id, slipID := m.id(s.Started), m.id(s.Started)
	parts := s.PartsAt(s.Ended)
	m.add("calls", id, "outbound", m.lines[1], n.e164, n.ext, n.typed, n.label, shown, "your line", "browser", rep, "demo", int64(0), string(s.Phase()), s.Seq,
		s.Started, none(s.Rang()), none(s.Answered()), s.Ended, string(s.Reason), parts.Dialing.Milliseconds(), parts.Ringing.Milliseconds(), parts.Talking.Milliseconds())
	for _, l := range s.Legs {
		var user *uuid.UUID
		if l.Party == call.Rep {
			user = &rep
		}
		m.add("legs", id, int(l.No), string(l.Party), user, l.Device, l.Address, string(l.State), l.Added, none(l.Rang), none(l.Answered), l.Ended, string(l.Reason))
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
	filed := s.Ended.Add(time.Duration(5+m.rand.IntN(50)) * time.Second)
	m.add("slips", slipID, id, rep, string(slip.Filed), "", pick(m, m.types), m.outcomes[outcome], s.Started, filed)
	if notes != "" {
		m.add("slip_notes", slipID, notes, 1, filed)
	}
	company := ""
	if p.company != nil {
		company = p.company.String()
	}
	for _, l := range slip.LinksFor(slip.Subject{Record: p.id.String(), Role: slip.Caller, Company: company}, "their number was clicked") {
		record := uuid.MustParse(l.Record)
		m.add("call_links", id, record, slipID, string(l.Role), l.Reason, rep, s.Started)
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
			{m.now.Add(-12 * time.Minute), true, false}, {m.now.Add(-26 * time.Hour), false, false}, {midnight, false, true},
			{m.now.Add(95 * time.Minute), false, false}, {m.now.Add(4 * time.Hour), true, false}, {midnight.AddDate(0, 0, 1), false, true},
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
			m.add("follow_ups", id, p.id, m.users[rep], "call", pick(m, followTask), d.promised, d.due.Truncate(time.Minute), d.day, m.users[rep], made)
			m.add("history", p.id, made, "follow_up", id)
		}
	}
}
