package calls

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/core/callerid"
	"trundo/internal/core/phone"
	"trundo/internal/core/usage"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
)

// ErrNotReached is told of a colleague for whom it cannot ring now.
var ErrNotReached = errors.New("they cannot be rung now")

// Parties are those in a call beside a rep and one other: who is asked, to whom it is handed over, who listens.
type Parties struct{ *Calls }

// roleOf is the role that is wished for.
var roleOf = map[contract.AskAs]call.Role{contract.AskAsConsult: call.Consulted, contract.AskAsHanded: call.Handed}

// Ask brings a colleague or an outside number into a call that a speaks in. Errors: those of call.Decide, *FieldError,
// *RefusedError, ErrNotReached.
func (ps *Parties) Ask(ctx context.Context, a firm.Actor, id uuid.UUID, r contract.Ask) (contract.Call, error) {
	if err := ps.mayBegin(); err != nil {
		return contract.Call{}, err
	}
	in := call.Ask{By: a.ID.String(), As: roleOf[r.As], Word: firm.CleanText(optional.Value(r.Word))}
	toNobody := count(r.LineID != nil, r.QueueID != nil, r.RouteID != nil, r.VoicemailOf != nil)
	var err error
	switch {
	case toNobody+count(r.ColleagueID != nil, r.NumberID != nil, r.Typed != nil) != 1:
		err = firm.Wrong("colleague_id", "give either a colleague or a number")
	case toNobody == 1:
		return ps.give(ctx, a, id, r)
	case r.ColleagueID != nil:
		err = ps.colleague(ctx, a, &in, *r.ColleagueID)
	default:
		err = ps.outsider(ctx, a, &in, r)
	}
	if err != nil {
		return contract.Call{}, err
	}
	ps.registry.named(a.ID.String(), a.Name)
	ctx, cancel := firm.CarriedOut(ctx)
	defer cancel()
	if err := ps.board.Do(ctx, id, in); err != nil {
		return contract.Call{}, err
	}
	if in.To != "" {
		ps.InBackground(func(ctx context.Context) { ps.ringAsked(ctx, id, in.To, a.Name) })
	}
	return ps.CallView(ctx, a, id)
}

// count tells how many are so.
func count(is ...bool) (n int) {
	for _, so := range is {
		if so {
			n++
		}
	}
	return n
}

// colleague fills in whom of the firm is asked: who stands in for somebody that is away. Errors: *FieldError,
// ErrNotReached.
func (ps *Parties) colleague(ctx context.Context, a firm.Actor, in *call.Ask, to uuid.UUID) error {
	if to == a.ID {
		return call.ErrInIt
	}
	f, err := ps.Settings(ctx)
	if err != nil {
		return err
	}
	if there := present([]uuid.UUID{to}, f.Away(ps.Clock.Now())); there[0] != a.ID {
		to = there[0]
	}
	users, doing, err := ps.Team.presence(ctx, to)
	if err != nil {
		return err
	}
	if len(users) == 0 {
		return firm.About("colleague_id", firm.ErrNotFound)
	}
	if d := doing[to]; !d.ForColleague() {
		what, _ := d.Doing()
		return fmt.Errorf("%w: %s is %s", ErrNotReached, users[0].Name, strings.ToLower(what))
	}
	in.To, in.Device = to.String(), "browser"
	ps.registry.named(in.To, users[0].Name)
	return nil
}

// outsider fills in which number is called, and which is shown to it. Errors: *FieldError, *RefusedError.
func (ps *Parties) outsider(ctx context.Context, a firm.Actor, in *call.Ask, r contract.Ask) error {
	f, err := ps.Settings(ctx)
	if err != nil {
		return err
	}
	field := "typed"
	if r.NumberID != nil {
		field = "number_id"
	}
	wish := contract.NewCall{NumberID: r.NumberID, Typed: r.Typed}
	t, err := ps.target(ctx, a, f, wish)
	switch {
	case err != nil:
		return err
	case t.refused != nil:
		return t.refused
	case t.emergency:
		return firm.Wrong(field, "emergency services are called by whoever is there, not handed a call: "+
			"let the caller dial them")
	case slices.ContainsFunc(f.Lines, func(l callerid.Line) bool { return l.E164 == t.e164 }):
		return firm.Wrong(field, "this is a line of your own: the call would come back to you")
	}
	shown, err := ps.shownFor(ctx, a, f, wish, t, nil)
	if err != nil {
		return err
	}
	line, err := uuid.Parse(shown.Line.ID)
	if err != nil {
		return err
	}
	if err := ps.Limits.Refuses(ctx, usage.Minutes, a, &line); err != nil {
		return err
	}
	in.Address, in.CallerID = t.address, shown.Line.E164
	display := phone.Format(t.e164, t.ext, f.Region, a.Style)
	name := display
	if who, err := ps.Lines.WhoHas(ctx, t.address); err == nil && who != "" {
		name = who
	}
	ps.registry.named(in.Address, name)
	return nil
}

// askedRings is for how long somebody who is asked is rung.
const askedRings = 25 * time.Second

// ringAsked rings a colleague who is asked until they have answered or declined, or long enough.
func (ps *Parties) ringAsked(ctx context.Context, id uuid.UUID, to, by string) {
	ps.Telephones.ringTelephones(ctx, id, "a call of "+by, []string{to})
	ps.Arrivals.untilRung(ctx, id, askedRings)
}

// Turn lets a turn to whom they consult or back, join all, leave the call to whom they consult, or park it. Errors: those
// of call.Decide, ErrNoPlace.
func (ps *Parties) Turn(ctx context.Context, a firm.Actor, id uuid.UUID, act contract.TurnAct) (contract.Call, error) {
	ctx, cancel := firm.CarriedOut(ctx)
	defer cancel()
	if err := ps.turn(ctx, a, id, call.Act(act)); err != nil {
		return contract.Call{}, err
	}
	ps.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindTeam})
	return ps.CallView(ctx, a, id)
}

// turn does what needs nothing more to be said.
func (ps *Parties) turn(ctx context.Context, a firm.Actor, id uuid.UUID, act call.Act) error {
	if act == call.ActPark {
		return ps.park(ctx, a, id)
	}
	s, there := ps.board.Snapshot(id)
	if !there {
		return call.ErrOver
	}
	in := s.InputOf(act, a.ID.String())
	if in == nil || act == call.ActSwap && s.Asking(a.ID.String()) == nil {
		return call.ErrNotAsking
	}
	return ps.board.Do(ctx, id, in)
}

// Mute lets nobody hear another's leg, or lets it be heard again. Errors: those of call.Decide.
func (ps *Parties) Mute(ctx context.Context, a firm.Actor, id uuid.UUID, leg int, on bool) error {
	return ps.board.Do(ctx, id, call.MuteLeg{By: a.ID.String(), Leg: call.LegNo(leg), On: on})
}

// keys does what a rep has pressed on their own telephone; what is no code goes on to the other side. It gives what waits
// for a further key.
func (ps *Parties) keys(ctx context.Context, user uuid.UUID, pressed string) (rest string) {
	acts, send, rest := call.ReadKeys(pressed)
	a, err := ps.Actor(ctx, user)
	if err != nil {
		return rest
	}
	for _, id := range ps.registry.of(user) {
		s, there := ps.board.Snapshot(id)
		if !there || !s.Speaks(user.String()) && len(ps.registry.of(user)) > 1 {
			continue
		}
		for _, act := range acts {
			if now, there := ps.board.Snapshot(id); there && act == call.ActSwap {
				err = ps.board.Do(ctx, id, now.InputOf(act, user.String()))
			} else {
				err = ps.turn(ctx, a, id, act)
			}
			if err != nil {
				ps.Log.Debug("a code of a telephone", "call", id, "act", act, "error", err)
			}
		}
		if send != "" {
			_ = ps.board.Press(ctx, id, user.String(), send, false)
		}
		break
	}
	return rest
}

// Drop ends another's leg. Errors: those of call.Decide.
func (ps *Parties) Drop(ctx context.Context, a firm.Actor, id uuid.UUID, leg int) error {
	return ps.board.Do(ctx, id, call.Drop{By: a.ID.String(), Leg: call.LegNo(leg)})
}

// places are where calls can be parked.
const places = 9

// ErrNoPlace is told when every place is taken.
var ErrNoPlace = errors.New("every place to park a call is taken: somebody has to take one first")

// park lets the outside of a call wait in the first place that is free.
func (ps *Parties) park(ctx context.Context, a firm.Actor, id uuid.UUID) error {
	ps.registry.named(a.ID.String(), a.Name)
	taken := map[string]bool{}
	ps.registry.where(func(c *liveCall) bool {
		taken[c.state.Place] = true
		return false
	})
	for n := 1; n <= places; n++ {
		if place := strconv.Itoa(n); !taken[place] {
			return ps.board.Do(ctx, id, call.Park{By: a.ID.String(), Place: place})
		}
	}
	return ErrNoPlace
}
