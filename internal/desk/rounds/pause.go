package rounds

import (
	"context"
	"slices"

	"github.com/google/uuid"

	"trundo/internal/core/rights"
	"trundo/internal/core/round"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// firstOfAll is the rank of who is come back to.
const firstOfAll = -1e15

// comeBack makes somebody the next one of a's; whom a was only looking at is free again.
func (rs *Rounds) comeBack(ctx context.Context, a firm.Actor, r aRound, position int) error {
	err := rs.Store.Tx(ctx, func(q *db.Queries) error {
		if _, err := q.LockRep(ctx, a.ID); err != nil {
			return err
		}
		p, err := q.LockRoundPerson(ctx, db.LockRoundPersonParams{RoundID: r.ID, Position: position})
		switch {
		case store.NotFound(err):
			return firm.Wrong("position", "there is nobody at this place")
		case err != nil:
			return err
		case p.UserID != nil && *p.UserID != a.ID && (p.State == "taken" || p.State == "calling"):
			return firm.About("position", ErrLetGo)
		case p.State == "calling":
			return firm.About("position", ErrUnfiled)
		}
		if err := q.ReleaseTaken(ctx, db.ReleaseTakenParams{RoundID: r.ID, UserID: a.ID}); err != nil {
			return err
		}
		next := putPerson(p)
		next.State, next.Rank, next.ReadyAt, next.UserID, next.Bead, next.SettledAt = "waiting", firstOfAll, nil, &a.ID, string(
			round.Waiting,
		), nil
		next.Tried = []uuid.UUID{}
		return q.PutRoundPerson(ctx, next)
	})
	if err != nil {
		return err
	}
	// They are looked at; called they are by a key.
	h, err := rs.held(ctx, rs.Store.Queries, a, r.ID)
	if err != nil || h != nil {
		return err
	}
	rep, err := rs.Store.RoundRep(ctx, db.RoundRepParams{RoundID: r.ID, UserID: a.ID})
	if err != nil || rep.State != "going" {
		return nil // they come first when it is gone on
	}
	_, err = rs.takeNext(ctx, a, r, true)
	return err
}

// putPerson is somebody as they stand, to be changed.
func putPerson(p db.RoundPerson) db.PutRoundPersonParams {
	return db.PutRoundPersonParams{RoundID: p.RoundID, Position: p.Position, State: p.State, Rank: p.Rank,
		ReadyAt: p.ReadyAt, UserID: p.UserID, LeaseUntil: p.LeaseUntil, DialAt: p.DialAt,
		CallID: p.CallID, NumberID: p.NumberID, Tried: p.Tried, Attempts: p.Attempts, Bead: p.Bead, Why: p.Why,
		OutcomeID: p.OutcomeID, SettledAt: p.SettledAt}
}

// pauseRound pauses a's work on a round: whom a is only looking at is free for others.
func (rs *Rounds) pauseRound(ctx context.Context, a firm.Actor, r aRound, why string) error {
	err := rs.Store.Tx(ctx, func(q *db.Queries) error {
		if _, err := q.PauseRoundRep(ctx,
			db.PauseRoundRepParams{RoundID: r.ID, UserID: a.ID, Why: why, Since: rs.Clock.Now()}); err != nil {
			return err
		}
		return q.ReleaseTaken(ctx, db.ReleaseTakenParams{RoundID: r.ID, UserID: a.ID})
	})
	rs.Calls.Telephones.DropRoundsTelephone(ctx, a)
	rs.PublishLane(a.ID)
	return err
}

// GiveUp takes somebody out of a round, and hands their work on it to a colleague where one is named.
func (rs *Rounds) GiveUp(ctx context.Context, who firm.Actor, id uuid.UUID, to *uuid.UUID) error {
	r, err := readRound(ctx, rs.Store.Queries, id)
	if err != nil {
		return err
	}
	if to == nil {
		return rs.leaveRound(ctx, who, r)
	}
	return rs.handRound(ctx, who, r, *to)
}

// handRound gives a round to a colleague, who finds it in their lane.
func (rs *Rounds) handRound(ctx context.Context, a firm.Actor, r aRound, to uuid.UUID) error {
	if _, err := rs.Actor(ctx, to); err != nil || to == a.ID {
		return firm.Wrong("rep_id", "choose a colleague")
	}
	if err := rs.leaveRound(ctx, a, r); err != nil {
		return err
	}
	rep, err := rs.Store.RoundRep(ctx, db.RoundRepParams{RoundID: r.ID, UserID: to})
	if err != nil && !store.NotFound(err) || err == nil && rep.State == "going" {
		return err
	}
	if err := rs.Store.PutRoundRep(ctx,
		db.PutRoundRepParams{RoundID: r.ID, UserID: to, State: "paused", TakesCalls: r.settings.TakesCalls,
			Since: rs.Clock.Now(), Why: "handed over by " + a.Name}); err != nil {
		return err
	}
	rs.PublishLane(to)
	return nil
}

// leaveRound takes a out of a round; it goes on with others, or waits.
func (rs *Rounds) leaveRound(ctx context.Context, a firm.Actor, r aRound) error {
	if err := rs.pauseRound(ctx, a, r, ""); err != nil {
		return err
	}
	return rs.Store.PutRoundRep(ctx,
		db.PutRoundRepParams{RoundID: r.ID, UserID: a.ID, State: "left", TakesCalls: true, Since: rs.Clock.Now()})
}

// endRound ends a round for everybody. Who started it may, and who leads. Error: ErrForbidden.
func (rs *Rounds) endRound(ctx context.Context, a firm.Actor, r aRound) error {
	reps, err := rs.Store.RoundReps(ctx, db.RoundRepsParams{RoundID: r.ID, Me: a.ID, Count: everybody})
	if err != nil {
		return err
	}
	shared := slices.ContainsFunc(reps, func(x db.RoundRepsRow) bool { return x.UserID != a.ID && x.State != "left" })
	mine := slices.ContainsFunc(reps, func(x db.RoundRepsRow) bool { return x.UserID == a.ID })
	if !rs.MayOf(ctx, a, rights.LeadRounds, &r.StartedBy) && (shared || !mine) {
		return firm.ErrForbidden
	}
	for _, x := range reps {
		if err := rs.pauseRound(ctx, firm.Actor{ID: x.UserID}, r, ""); err != nil {
			return err
		}
	}
	return rs.Store.EndRound(ctx, db.EndRoundParams{ID: r.ID, At: optional.Time(rs.Clock.Now())})
}

// endIfDone ends a round on which nobody is left to be called.
func (rs *Rounds) endIfDone(ctx context.Context, id uuid.UUID) error {
	counts, err := rs.Store.RoundCounts(ctx, id)
	if err != nil {
		return err
	}
	for _, c := range counts {
		if c.State != "done" {
			return nil
		}
	}
	r, err := rs.Store.Round(ctx, id)
	if err != nil || string(r.Source) != "{}" || r.EndedAt != nil {
		return err
	}
	reps, err := rs.Store.RoundReps(ctx, db.RoundRepsParams{RoundID: id, Count: everybody})
	if err != nil {
		return err
	}
	for _, x := range reps {
		rs.Calls.Telephones.DropRoundsTelephone(ctx, firm.Actor{ID: x.UserID})
	}
	return rs.Store.EndRound(ctx, db.EndRoundParams{ID: id, At: optional.Time(rs.Clock.Now())})
}
