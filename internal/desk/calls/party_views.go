package calls

import (
	"cmp"
	"context"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/core/phone"
	"trundo/internal/core/slip"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store/db"
)

// partiesOf are those in a call as reader sees it; nil where a rep and one other are all there ever were.
func (cs *Calls) partiesOf(id uuid.UUID, s *call.State, reader uuid.UUID) *[]contract.Party {
	if !s.More() {
		return nil
	}
	me := reader.String()
	parties := []contract.Party{}
	var mine call.LegNo
	for i := range s.Legs {
		if l := &s.Legs[i]; l.User == me && l.State != call.Ended {
			mine = l.No
		}
	}
	first := s.Other()
	for i := range s.Legs {
		l := &s.Legs[i]
		state, since := partyState(s, l)
		switch {
		case l.Party == call.Machine:
			continue
		case l.State == call.Ended && (l.For == 0 || l.For != mine || l.As == "" || !newest(s, l)):
			continue
		case l.Party == call.Observer && l.User != me && !cs.tellsListening(id):
			continue
		}
		p := contract.Party{
			Leg:     int(l.No),
			Ours:    l.Party != call.Outside,
			Name:    cs.registry.name(l.User),
			State:   state,
			Since:   since,
			Role:    contract.PartyRole(l.As),
			Mine:    l.No == mine,
			HearsMe: s.Hears(l.No, mine),
			Muted:   l.Muted,
			MayDrop: l.State != call.Ended && l.No != mine && s.MayDrop(me, l.No),
			Word:    l.Word,
			Answer:  l.Answer,
		}
		if l.As == "" {
			p.Role = contract.PartyRoleNone
		}
		if l.Party == call.Outside {
			if first == nil || first.No != l.No {
				p.Name = cmp.Or(cs.registry.name(l.Address), l.Address)
			}
		} else if user, err := uuid.Parse(l.User); err == nil {
			p.UserID = &user
		}
		if asker := s.Leg(l.For); asker != nil && l.Party != call.Observer {
			by := cs.registry.name(asker.User)
			p.AskedBy = &by
		}
		if l.State == call.Ended {
			p.Why = ReasonText(l.Reason)
		}
		parties = append(parties, p)
	}
	return &parties
}

// newest tells whether a leg is the last one that its asker has asked.
func newest(s *call.State, l *call.Leg) bool {
	for i := range s.Legs {
		if o := &s.Legs[i]; o.For == l.For && o.No > l.No && o.Party != call.Observer {
			return false
		}
	}
	return true
}

// partyState is what somebody in a call is doing, and since when.
func partyState(s *call.State, l *call.Leg) (contract.PartyState, time.Time) {
	since := l.Added
	if n := len(l.Spans); n > 0 {
		since = l.Spans[n-1].From
	}
	switch {
	case l.State == call.Ended:
		return contract.PartyStateEnded, l.Ended
	case l.State != call.Up:
		return contract.PartyStateRinging, l.Added
	case l.Party == call.Observer:
		return contract.PartyStateListening, l.Answered
	case s.Waits(l):
		if n := len(l.Spans); n > 0 {
			return contract.PartyStateWaiting, l.Spans[n-1].To
		}
		return contract.PartyStateWaiting, l.Answered
	}
	return contract.PartyStateSpeaking, since
}

// actsOf are what reader can do with others in a call.
func actsOf(s *call.State, reader uuid.UUID) *[]contract.Act {
	acts := []contract.Act{}
	for _, act := range s.Acts(reader.String()) {
		acts = append(acts, contract.Act(act))
	}
	return &acts
}

// handedFrom is what travels with a call: who has brought a into it, why, and what they have written, as far as a may
// read that; nil where nobody has.
func (cs *Calls) handedFrom(
	ctx context.Context,
	a firm.Actor,
	id uuid.UUID,
	s *call.State,
) (*contract.HandedFrom, error) {
	var mine *call.Leg
	for i := range s.Legs {
		if l := &s.Legs[i]; l.Party == call.Rep && l.User == a.ID.String() && (l.For != 0 || l.As == call.Returned) {
			mine = l
		}
	}
	if mine == nil {
		return nil, nil
	}
	h := &contract.HandedFrom{Role: contract.PartyRole(mine.As), Word: mine.Word, Promised: []string{}}
	if mine.As == "" {
		h.Role = contract.PartyRoleConsult // and joined since
	}
	if mine.For == 0 {
		return h, nil
	}
	giver := s.Leg(mine.For).User
	rows, err := cs.Store.SlipsOfCall(ctx, id)
	if err != nil {
		return nil, err
	}
	for _, r := range rows {
		if r.UserID.String() != giver {
			continue
		}
		h.Name = r.Name
		if slip.MayRead(a.Reader(), partOf(r)) {
			h.Notes, h.Subject = r.Notes, r.Subject
		}
		promised, err := cs.Store.PromisesOfSlip(ctx, &r.ID)
		if err != nil {
			return nil, err
		}
		for _, p := range promised {
			h.Promised = append(h.Promised, p.Text)
		}
	}
	return h, nil
}

// partOf is a part in a call as its notes are judged.
func partOf(r db.SlipsOfCallRow) slip.Part {
	return slip.Part{Rep: r.UserID.String(), Teams: r.Teams, HandedTo: optional.ID(r.HandedTo),
		Visible: slip.Visible(r.Visible)}
}

// Parts are what everybody had to do with a call of more than two, in the order in which they came to it; nil of any
// other.
func (cs *Calls) Parts(ctx context.Context, a firm.Actor, id uuid.UUID) (*[]contract.CallPart, error) {
	legs, err := cs.Store.LegsOfCall(ctx, id)
	if err != nil {
		return nil, err
	}
	answered := 0
	for _, l := range legs {
		if l.AnsweredAt != nil {
			answered++
		}
	}
	if answered < 3 && !anyParked(legs) {
		return nil, nil
	}
	slips, err := cs.Store.SlipsOfCall(ctx, id)
	if err != nil {
		return nil, err
	}
	f, err := cs.Settings(ctx)
	if err != nil {
		return nil, err
	}
	parts := []contract.CallPart{}
	told := map[uuid.UUID]bool{}
	for _, l := range legs {
		if l.AnsweredAt == nil {
			continue
		}
		p := contract.CallPart{Name: l.Name, Ours: l.Party != string(call.Outside), Role: contract.PartyRole(l.Role),
			From: *l.AnsweredAt, To: l.EndedAt, TalkMs: l.TalkMs, HoldMs: l.HoldMs, ConsultMs: l.ConsultMs,
			ConferenceMs: l.ConferenceMs, Why: ReasonText(call.Reason(l.EndReason))}
		if l.Role == "" {
			p.Role = contract.PartyRoleNone
		}
		if !p.Ours {
			p.Name = cs.Lines.outsideName(ctx, f, a, l.Address)
		}
		for _, s := range slips {
			if l.UserID == nil || s.UserID != *l.UserID || told[s.UserID] || l.Party == string(call.Observer) {
				continue
			}
			told[s.UserID] = true
			outcome := s.Outcome
			p.Outcome = &outcome
			if s.UserID != a.ID && slip.MayRead(a.Reader(), partOf(s)) {
				notes := s.Notes
				p.Notes = &notes
			}
		}
		parts = append(parts, p)
	}
	return &parts, nil
}

func anyParked(legs []db.LegsOfCallRow) bool {
	for _, l := range legs {
		if l.EndReason == string(call.WasParked) {
			return true
		}
	}
	return false
}

// outsideName is who of the book has a number that took part in a call, else the number.
func (ls *Lines) outsideName(ctx context.Context, f *firm.Settings, a firm.Actor, address string) string {
	if name, err := ls.WhoHas(ctx, address); err == nil && name != "" {
		return name
	}
	n, err := phone.Parse(address, f.Region)
	if err != nil {
		return address
	}
	return phone.Format(n.E164, n.Ext, f.Region, a.Style)
}
