package calls

import (
	"context"
	"slices"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/store/db"
)

// Take gives a a call that waits: one that is parked or was left, or that rings a colleague of one of a's teams. Errors:
// those of call.Decide, ErrForbidden.
func (ps *Parties) Take(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.Call, error) {
	s, there := ps.board.Snapshot(id)
	if !there {
		return contract.Call{}, call.ErrOver
	}
	if !s.Left() && !ps.ringsMates(ctx, a, &s) {
		return contract.Call{}, firm.ErrForbidden
	}
	return ps.Arrivals.enter(ctx, a, id, call.Take{By: a.ID.String(), Device: "browser"})
}

// TakeAttended gives a a call that the attendant has. Whether a may is for whoever asks to say. Errors: those of
// call.Decide.
func (ps *Parties) TakeAttended(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.Call, error) {
	s, there := ps.board.Snapshot(id)
	if !there || !s.Attended() {
		return contract.Call{}, call.ErrTaken
	}
	return ps.Arrivals.enter(ctx, a, id, call.Take{By: a.ID.String(), Device: "browser"})
}

// ringsMates tells whether a call rings somebody of a's teams, or a.
func (ps *Parties) ringsMates(ctx context.Context, a firm.Actor, s *call.State) bool {
	for _, user := range s.RungNow() {
		u, err := uuid.Parse(user)
		if err != nil {
			continue
		}
		if mate, err := ps.Actor(ctx, u); err == nil && (u == a.ID || rights.ShareTeam(mate.Teams, a.Teams)) {
			return true
		}
	}
	return false
}

// Waiting are the calls that a may take: those that are parked or were left, and those that ring colleagues of a's teams;
// the one that has waited longest first.
func (ps *Parties) Waiting(ctx context.Context, a firm.Actor) ([]contract.WaitingCall, error) {
	waits := map[uuid.UUID]call.State{}
	for _, id := range ps.registry.where(func(c *liveCall) bool {
		return c.state.Left() || len(c.state.RungNow()) > 0 || c.help != uuid.Nil
	}) {
		s, there := ps.board.Snapshot(id)
		c := ps.registry.call(id)
		if there && c != nil && c.help != uuid.Nil && ps.MayListen(ctx, a, id) {
			waits[id] = s
			continue
		}
		if there && s.Phase() != call.PhaseEnded && !s.Attended() &&
			(s.Left() || !s.Internal && s.Answered().IsZero() &&
				!slices.Contains(s.RungNow(), a.ID.String()) && ps.ringsMates(ctx, a, &s)) {
			waits[id] = s
		}
	}
	list := []contract.WaitingCall{}
	for id, s := range waits {
		view, err := ps.CallView(ctx, a, id)
		if err != nil {
			return nil, err
		}
		w := contract.WaitingCall{CallID: id, Name: view.Display, Display: view.Display, Line: view.Line,
			Since: s.Started, Place: s.Place, Rings: []string{}}
		if len(view.Links) > 0 {
			w.Name = view.Links[0].Record.Name
		}
		for _, user := range s.RungNow() {
			w.Rings = append(w.Rings, ps.registry.name(user))
		}
		if c := ps.registry.call(id); c != nil && c.help != uuid.Nil && !s.Left() {
			w.Help, w.By = true, ps.registry.name(c.help.String())
		}
		if s.Left() {
			w.Since, w.By = leftSince(&s), ps.registry.name(giverOf(&s))
		}
		list = append(list, w)
	}
	slices.SortFunc(list, func(x, y contract.WaitingCall) int { return x.Since.Compare(y.Since) })
	return list, nil
}

// giverOf is who left a call last to others or to a place, "" for nobody.
func giverOf(s *call.State) string {
	giver := ""
	for i := range s.Legs {
		if l := &s.Legs[i]; l.Reason == call.HandedOn || l.Reason == call.WasParked {
			giver = l.User
		}
	}
	return giver
}

// leftSince is since when the outside of a call waits for somebody.
func leftSince(s *call.State) time.Time {
	since := s.Started
	for i := range s.Legs {
		if l := &s.Legs[i]; l.Party == call.Outside && s.Waits(l) && len(l.Spans) > 0 {
			since = l.Spans[len(l.Spans)-1].To
		}
	}
	return since
}

// For how long whoever has given a call away is rung when nobody takes it, how long it may lie parked before, and how long
// a line's people are rung after that.
const (
	givenBackRings = 30 * time.Second
	parkedFor      = 2 * time.Minute
	lineRings      = 60 * time.Second
)

// lookAfter begins to look after a call that nobody of the firm speaks in or is rung for, once.
func (ps *Parties) lookAfter(id uuid.UUID, s *call.State) {
	begins, tells := false, false
	var next func(context.Context)
	ps.registry.change(id, func(c *liveCall) {
		if left := s.Left(); left != c.left {
			c.left, tells = left, true
		}
		if !c.left {
			c.comesBack = false
			return
		}
		c.claimed = uuid.Nil // whoever answers next may have it
		if !c.comesBack && !rings(s) {
			c.comesBack, begins = true, true
			next, c.next = c.next, nil
		}
	})
	if tells {
		ps.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindWaiting})
	}
	if !begins {
		return
	}
	if next == nil {
		next = func(ctx context.Context) { ps.comesBack(ctx, id) }
	}
	ps.InBackground(next)
}

// rings tells whether somebody is rung for a call, by us or by the carrier.
func rings(s *call.State) bool {
	for i := range s.Legs {
		if l := &s.Legs[i]; l.State == call.Ringing || l.State == call.Dialing {
			return true
		}
	}
	return false
}

// comesBack rings whoever has given a call away, where nobody took it; then, in turn, everybody of its line; then
// voicemail takes it. A parked one may lie for a while before. It is never with nobody.
func (ps *Parties) comesBack(ctx context.Context, id uuid.UUID) {
	s, there := ps.board.Snapshot(id)
	if !there || !s.Left() {
		return
	}
	if s.Place != "" && !ps.Arrivals.untilTaken(ctx, id, parkedFor) {
		return
	}
	giver, why := giverOf(&s), ps.lastAnswer(&s)
	if !ps.offered(ctx, id, []string{giver}, call.Returned, why, givenBackRings) {
		return
	}
	c := ps.registry.call(id)
	if c == nil {
		return
	}
	all := slices.DeleteFunc(ps.peopleOf(ctx, c.line), func(user string) bool { return user == giver })
	if len(all) > 0 && !ps.offered(ctx, id, all, "", why, lineRings) {
		return
	}
	var box *uuid.UUID
	if u, err := uuid.Parse(giver); err == nil {
		box = &u
	}
	if ps.board.Do(ctx, id, call.MachineTakes{Device: call.Voicemail, Box: giver}) == nil {
		ps.Arrivals.greet(ctx, id, box, db.LineByNumberRow{})
	}
}

// lastAnswer says why a call comes back.
func (ps *Parties) lastAnswer(s *call.State) string {
	if s.Place != "" {
		return "parked for a while"
	}
	for i := len(s.Legs) - 1; i >= 0; i-- {
		l := &s.Legs[i]
		if l.As != call.Handed || l.State != call.Ended {
			continue
		}
		name := ps.registry.name(l.User + l.Address)
		switch {
		case l.Answer != "":
			return name + ": “" + l.Answer + "”"
		case l.Reason == call.Declined:
			return name + " declined"
		case l.Reason == call.Busy:
			return name + " is busy"
		}
		return name + " did not answer"
	}
	return ""
}

// offered rings some for a call that waits; false: somebody has it now, or it is over.
func (ps *Parties) offered(ctx context.Context, id uuid.UUID, to []string, as call.Role, why string,
	long time.Duration) bool {
	_, doing, err := ps.Team.presence(ctx)
	if err != nil {
		return true
	}
	to = slices.DeleteFunc(slices.Clone(to), func(user string) bool {
		u, err := uuid.Parse(user)
		return err != nil || !doing[u].Reached()
	})
	if len(to) == 0 {
		return true
	}
	if ps.board.Do(ctx, id, call.Offer{To: to, Device: "browser", As: as, Word: why}) != nil {
		return false
	}
	ps.Telephones.ringTelephones(ctx, id, "a call that waits", to)
	return ps.Arrivals.untilTaken(ctx, id, long)
}

// untilTaken waits until somebody has a call that waits, or it is over: false; or for so long, and then ends the rings:
// true. Where it rings and everybody has declined, it does not wait on.
func (ar *Arrivals) untilTaken(ctx context.Context, id uuid.UUID, long time.Duration) bool {
	s, there := ar.board.Snapshot(id)
	rung := there && rings(&s)
	ar.untilRung(ctx, id, long, func(s *call.State) bool { return s.Left() && (!rung || rings(s)) })
	s, there = ar.board.Snapshot(id)
	return there && s.Left() && ctx.Err() == nil
}

// untilRung waits while the call rings, or while holds is true, for so long at most, and then ends the rings of it that are
// ours.
func (ar *Arrivals) untilRung(ctx context.Context, id uuid.UUID, long time.Duration, holds ...func(*call.State) bool) {
	goesOn := func(s *call.State) bool { return len(s.RungNow()) > 0 }
	if len(holds) > 0 {
		goesOn = holds[0]
	}
	timer, pulse := ar.Clock.NewTimer(long), ar.Clock.NewTicker(time.Second)
	defer timer.Stop()
	defer pulse.Stop()
	changed := ar.changedOf(id)
	for {
		s, there := ar.board.Snapshot(id)
		if !there || s.Phase() == call.PhaseEnded || !goesOn(&s) {
			return
		}
		select {
		case <-ctx.Done():
			return
		case <-changed:
		case <-pulse.Chan():
			ar.withdrawUnreached(ctx, id, &s)
		case <-timer.Chan():
			for _, user := range s.RungNow() {
				_ = ar.board.Do(ctx, id, call.Withdraw{From: user})
			}
			return
		}
	}
}

// withdrawUnreached ends the rings of a call for reps who are no longer reached: they do not keep the caller waiting.
func (ar *Arrivals) withdrawUnreached(ctx context.Context, id uuid.UUID, s *call.State) {
	for _, user := range s.RungNow() {
		if u, err := uuid.Parse(user); err == nil && !ar.Hub.Reached(u) && ar.Telephones.telephoneOf(u) == nil {
			_ = ar.board.Do(ctx, id, call.Withdraw{From: user})
		}
	}
}
