package calls

import (
	"context"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/core/recording"
	"trundo/internal/core/rights"
	"trundo/internal/core/slip"
	"trundo/internal/desk/firm"
	"trundo/internal/store/db"
)

// Listen lets a hear a conversation that goes on, be heard by its rep alone, step in, or leave it. It is kept in the audit
// trail, and who speaks is told where the firm's rule says so. Errors: ErrForbidden, those of call.Decide.
func (ps *Parties) Listen(ctx context.Context, a firm.Actor, id uuid.UUID, w contract.Listening) error {
	if !a.MayDo(rights.Listen) {
		return firm.ErrForbidden
	}
	s, there := ps.board.Snapshot(id)
	if !there {
		return call.ErrOver
	}
	if w.How == contract.ListeningHowStop {
		return ps.board.HangUp(ctx, id, a.ID.String())
	}
	to := speaker(&s, w.ColleagueID)
	if to == uuid.Nil {
		return call.ErrNobodySpeaks
	}
	if !ps.MayOf(ctx, a, rights.Listen, &to) {
		return firm.ErrForbidden
	}
	private, err := ps.private(ctx, id)
	switch {
	case err != nil:
		return err
	case private:
		return firm.ErrForbidden
	}
	rep, err := ps.Actor(ctx, to)
	if err != nil {
		return err
	}
	ps.registry.named(a.ID.String(), a.Name)
	ps.registry.named(rep.ID.String(), rep.Name)
	if w.How == contract.ListeningHowStepIn {
		_, err := ps.Arrivals.enter(ctx, a, id, call.StepIn{By: a.ID.String()})
		return err
	}
	as := map[contract.ListeningHow]call.Role{contract.ListeningHowListen: call.Listening,
		contract.ListeningHowWhisper: call.Whispering}[w.How]
	if err := ps.Store.Tx(ctx, func(q *db.Queries) error {
		return ps.Audited(ctx, q, a, "call", id, string(w.How), map[string]string{},
			map[string]string{string(w.How): "to " + rep.Name})
	}); err != nil {
		return err
	}
	if c := ps.registry.call(id); c != nil && c.help != uuid.Nil { // somebody came
		_ = ps.AskForHelp(firm.Actor{ID: c.help, Name: rep.Name}, id, false)
	}
	return ps.board.Do(ctx, id, call.Listen{By: a.ID.String(), To: to.String(), As: as})
}

// speaker is the rep of a call who is meant: the one named, else the first who is on a bridge.
func speaker(s *call.State, wanted *uuid.UUID) uuid.UUID {
	for i := range s.Legs {
		l := &s.Legs[i]
		user, err := uuid.Parse(l.User)
		if err == nil && l.Party == call.Rep && l.Bridge() != 0 && (wanted == nil || *wanted == user) {
			return user
		}
	}
	return uuid.Nil
}

// private tells whether a rep of a call has said that its notes are for them alone: nobody listens to it then.
func (ps *Parties) private(ctx context.Context, id uuid.UUID) (bool, error) {
	rows, err := ps.Store.SlipsOfCall(ctx, id)
	for _, r := range rows {
		if r.Visible == string(slip.ForMe) {
			return true, nil
		}
	}
	return false, err
}

// tellsListening tells whether a rep sees who listens to them: unless the firm has decided otherwise, and always where the
// law of one of both places asks for everybody's consent, by the same table as for recordings.
func (cs *Calls) tellsListening(id uuid.UUID) bool {
	f, c := cs.LastSettings(), cs.registry.call(id)
	if f == nil || c == nil || !f.Keeping.ListenUntold {
		return true
	}
	return recording.Decide(cs.Recordings.asked(f, c, recording.On)).Rule != recording.On
}

// listeningTo is the conversation that a listens to; nil while there is none.
func (ps *Parties) listeningTo(ctx context.Context, a firm.Actor) (*contract.ListeningTo, error) {
	me := a.ID.String()
	listens := ps.registry.where(func(c *liveCall) bool { return c.state.Observing(me) != nil })
	if len(listens) == 0 {
		return nil, nil
	}
	s, there := ps.board.Snapshot(listens[0])
	mine := s.Observing(me)
	if !there || mine == nil {
		return nil, nil
	}
	view, err := ps.CallView(ctx, a, listens[0])
	if err != nil {
		return nil, err
	}
	rep := s.Leg(mine.For).User
	l := &contract.ListeningTo{CallID: listens[0], To: ps.registry.name(rep), With: view.Display,
		How: contract.ListeningToHow(mine.As)}
	if len(view.Links) > 0 {
		l.With = view.Links[0].Record.Name
	}
	l.ColleagueID, err = uuid.Parse(rep)
	return l, err
}

// MayListen tells whether a may listen to a call that goes on here.
func (ps *Parties) MayListen(ctx context.Context, a firm.Actor, id uuid.UUID) bool {
	s, there := ps.board.Snapshot(id)
	if !there || s.Phase() != call.PhaseSpeaking || s.IsUp(a.ID.String()) || !a.MayDo(rights.Listen) {
		return false
	}
	to := speaker(&s, nil)
	return to != uuid.Nil && ps.MayOf(ctx, a, rights.Listen, &to)
}

// mayListen are the conversations of each rep that a may listen to.
func (ps *Parties) mayListen(ctx context.Context, a firm.Actor, rep uuid.UUID) *uuid.UUID {
	if !a.MayDo(rights.Listen) || rep == a.ID || !ps.MayOf(ctx, a, rights.Listen, &rep) {
		return nil
	}
	for _, id := range ps.registry.of(rep) {
		if s, there := ps.board.Snapshot(id); there && s.Speaks(rep.String()) && s.Phase() == call.PhaseSpeaking {
			return &id
		}
	}
	return nil
}

// tellListeners tells those whose listening begins, changes or ends with these facts.
func (ps *Parties) tellListeners(id uuid.UUID, facts []call.Fact, s *call.State) {
	for _, f := range facts {
		l := s.Leg(f.Leg)
		if l == nil || l.Party != call.Observer {
			continue
		}
		if user, err := uuid.Parse(l.User); err == nil {
			ps.PublishSlip(user, id, "")
		}
	}
}
