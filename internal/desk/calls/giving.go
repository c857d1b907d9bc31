package calls

import (
	"context"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// give leaves a call to one of the firm's lines, whose people are rung, to a queue, a route, or a colleague's voicemail.
// Errors: those of call.Decide, *FieldError.
func (ps *Parties) give(ctx context.Context, a firm.Actor, id uuid.UUID, r contract.Ask) (contract.Call, error) {
	if r.As != contract.AskAsHanded {
		return contract.Call{}, firm.Wrong("as", "a line or a voicemail cannot be asked; the call can be given to it")
	}
	var next func(context.Context)
	var err error
	switch {
	case r.LineID != nil:
		next, err = ps.toLine(ctx, id, *r.LineID)
	case r.QueueID != nil && ps.router != nil:
		next, err = ps.to(ctx, id, *r.QueueID, ps.router.Give)
	case r.RouteID != nil && ps.router != nil:
		next, err = ps.to(ctx, id, *r.RouteID, ps.router.Through)
	case r.VoicemailOf == nil:
		err = firm.Wrong("as", "say to whom the call is given")
	default:
		next, err = ps.toVoicemail(ctx, id, *r.VoicemailOf)
	}
	if err != nil {
		return contract.Call{}, err
	}
	ps.registry.named(a.ID.String(), a.Name)
	ctx, cancel := firm.CarriedOut(ctx)
	defer cancel()
	ps.registry.change(id, func(c *liveCall) { c.next = next })
	if err := ps.board.Do(ctx, id, call.Park{By: a.ID.String()}); err != nil {
		ps.registry.change(id, func(c *liveCall) { c.next = nil })
		return contract.Call{}, err
	}
	return ps.CallView(ctx, a, id)
}

// toLine is what rings the people of a line, and whoever gave the call where nobody takes it. Error: *FieldError.
func (ps *Parties) toLine(ctx context.Context, id, line uuid.UUID) (func(context.Context), error) {
	f, err := ps.Settings(ctx)
	if err != nil {
		return nil, err
	}
	for _, l := range f.Lines {
		if l.ID != line.String() {
			continue
		}
		row, err := ps.Store.LineByNumber(ctx, l.E164)
		if err != nil {
			return nil, err
		}
		if !hoursOf(row.Hours).Open(ps.Clock.Now().In(firm.ZoneNamed(row.Zone))) {
			return nil, firm.Wrong("line_id", row.Label+" is closed now")
		}
		return func(ctx context.Context) {
			if ps.offered(ctx, id, ps.peopleOf(ctx, line), "", "given to "+row.Label, lineRings) {
				ps.comesBack(ctx, id)
			}
		}, nil
	}
	return nil, firm.About("line_id", firm.ErrNotFound)
}

// to is what lets a call wait in a queue, or a route take it on. Error: *FieldError.
func (ps *Parties) to(ctx context.Context, id, target uuid.UUID,
	lets func(context.Context, uuid.UUID) (func(context.Context, uuid.UUID), error)) (func(context.Context), error) {
	takes, err := lets(ctx, target)
	if err != nil {
		return nil, err
	}
	return func(ctx context.Context) { takes(ctx, id) }, nil
}

// peopleOf are those of a line whom a call may ring now.
func (ps *Parties) peopleOf(ctx context.Context, line uuid.UUID) []string {
	reps, err := ps.Arrivals.repsOf(ctx, line)
	if err != nil {
		return nil
	}
	var users []string
	for _, r := range reps {
		if r.ForColleague() {
			users = append(users, r.ID)
		}
	}
	return users
}

// toVoicemail is what lets a colleague's voicemail take a call. Error: *FieldError.
func (ps *Parties) toVoicemail(ctx context.Context, id, of uuid.UUID) (func(context.Context), error) {
	if _, err := ps.Store.User(ctx, of); store.NotFound(err) {
		return nil, firm.About("voicemail_of", firm.ErrNotFound)
	} else if err != nil {
		return nil, err
	}
	return func(ctx context.Context) {
		if err := ps.Store.SetMissedWhy(ctx, db.SetMissedWhyParams{ID: id, BoxUserID: &of}); err != nil {
			ps.Log.Warn("whose voicemail a call went to", "call", id, "error", err)
		}
		if ps.board.Do(ctx, id, call.MachineTakes{Device: call.Voicemail, Box: of.String()}) == nil {
			ps.Arrivals.greet(ctx, id, &of, db.LineByNumberRow{})
		}
	}, nil
}

// JoinCalls joins the call other, which a speaks in or has on hold, to the call id. Both histories say so. Errors: those of
// call.Decide.
func (ps *Parties) JoinCalls(ctx context.Context, a firm.Actor, id, other uuid.UUID) (contract.Call, error) {
	ctx, cancel := firm.CarriedOut(ctx)
	defer cancel()
	view, err := ps.CallView(ctx, a, other)
	if err != nil {
		return contract.Call{}, err
	}
	if s, there := ps.board.Snapshot(other); there {
		if out := s.Outside(); out != nil {
			name := view.Display
			if len(view.Links) > 0 {
				name = view.Links[0].Record.Name
			}
			ps.registry.named(out.Address, name)
		}
	}
	ps.registry.named(a.ID.String(), a.Name)
	if err := ps.board.Merge(ctx, id, other, a.ID.String()); err != nil {
		return contract.Call{}, err
	}
	records, err := ps.Store.JoinCalls(ctx, db.JoinCallsParams{IntoID: id, Joined: other, UserID: &a.ID,
		At: ps.Clock.Now()})
	if err != nil { // the sound is one call by now; only where it stands is not
		ps.Log.Error("a call that was joined to another does not stand in its records' histories", "call", id,
			"joined", other, "error", err)
	}
	ps.PublishHistory(&id, records...)
	ps.PublishHistory(&other, records...)
	ps.PublishSlip(a.ID, other, "")
	return ps.CallView(ctx, a, id)
}

// AskForHelp lets those who may listen to a know that a wishes it, or no longer. Errors: call.ErrNotThere, call.ErrOver.
func (ps *Parties) AskForHelp(a firm.Actor, id uuid.UUID, on bool) error {
	c := ps.registry.call(id)
	switch {
	case c == nil || c.state.Phase() != call.PhaseSpeaking:
		return call.ErrOver
	case !c.in(a.ID):
		return call.ErrNotThere
	}
	ps.registry.named(a.ID.String(), a.Name)
	ps.registry.change(id, func(c *liveCall) {
		if c.help = uuid.Nil; on {
			c.help = a.ID
		}
	})
	ps.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindWaiting})
	return nil
}

// Watch tells a once as soon as a colleague is free.
func (tm *Team) Watch(a firm.Actor, colleague uuid.UUID) {
	tm.mu.Lock()
	defer tm.mu.Unlock()
	if tm.watched[colleague] == nil {
		tm.watched[colleague] = map[uuid.UUID]bool{}
	}
	tm.watched[colleague][a.ID] = true
}

// tellFree tells those who wait for a colleague that they are free now.
func (tm *Team) tellFree(ctx context.Context) {
	tm.mu.Lock()
	waits := len(tm.watched) > 0
	tm.mu.Unlock()
	if !waits {
		return
	}
	team, err := tm.Colleagues(ctx)
	if err != nil {
		return // with the next heartbeat, then
	}
	for _, c := range team {
		if !c.Free {
			continue
		}
		tm.mu.Lock()
		watchers := tm.watched[c.ID]
		delete(tm.watched, c.ID)
		tm.mu.Unlock()
		for user := range watchers {
			tm.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindFree, Colleague: &c}, user)
		}
	}
}
