package desk

import (
	"context"
	"slices"

	"github.com/google/uuid"

	"trundo/internal/core/round"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// firstOfAll is the rank of who is come back to.
const firstOfAll = -1e15

// comeBack makes somebody the next one of a's; whom a was only looking at is free again.
func (d *Desk) comeBack(ctx context.Context, a Actor, r aRound, position int) error {
	err := d.Store.Tx(ctx, func(q *db.Queries) error {
		if _, err := q.LockRep(ctx, a.ID); err != nil {
			return err
		}
		p, err := q.LockRoundPerson(ctx, db.LockRoundPersonParams{RoundID: r.ID, Position: position})
		switch {
		case store.NotFound(err):
			return wrong("position", "there is nobody at this place")
		case err != nil:
			return err
		case p.UserID != nil && *p.UserID != a.ID && (p.State == "taken" || p.State == "calling"):
			return &FieldError{"position", ErrLetGo}
		case p.State == "calling":
			return &FieldError{"position", ErrUnfiled}
		}
		if err := q.ReleaseTaken(ctx, db.ReleaseTakenParams{RoundID: r.ID, UserID: a.ID}); err != nil {
			return err
		}
		next := putPerson(p)
		next.State, next.Rank, next.ReadyAt, next.UserID, next.Bead, next.SettledAt = "waiting", firstOfAll, nil, &a.ID, string(round.Waiting), nil
		next.Tried = []uuid.UUID{}
		return q.PutRoundPerson(ctx, next)
	})
	if err != nil {
		return err
	}
	// They are looked at; called they are by a key.
	h, err := d.held(ctx, d.Store.Queries, a, r.ID)
	if err != nil || h != nil {
		return err
	}
	rep, err := d.Store.RoundRep(ctx, db.RoundRepParams{RoundID: r.ID, UserID: a.ID})
	if err != nil || rep.State != "going" {
		return nil // they come first when it is gone on
	}
	_, err = d.takeNext(ctx, a, r, true)
	return err
}

// putPerson is somebody as they stand, to be changed.
func putPerson(p db.RoundPerson) db.PutRoundPersonParams {
	return db.PutRoundPersonParams{RoundID: p.RoundID, Position: p.Position, State: p.State, Rank: p.Rank, ReadyAt: p.ReadyAt, UserID: p.UserID, LeaseUntil: p.LeaseUntil, DialAt: p.DialAt,
		CallID: p.CallID, NumberID: p.NumberID, Tried: p.Tried, Attempts: p.Attempts, Bead: p.Bead, Why: p.Why, OutcomeID: p.OutcomeID, SettledAt: p.SettledAt}
}

// pauseRound pauses a's work on a round: whom a is only looking at is free for others.
func (d *Desk) pauseRound(ctx context.Context, a Actor, r aRound, why string) error {
	err := d.Store.Tx(ctx, func(q *db.Queries) error {
		if _, err := q.PauseRoundRep(ctx, db.PauseRoundRepParams{RoundID: r.ID, UserID: a.ID, Why: why, Since: d.Clock.Now()}); err != nil {
			return err
		}
		return q.ReleaseTaken(ctx, db.ReleaseTakenParams{RoundID: r.ID, UserID: a.ID})
	})
	d.dropRoundsTelephone(ctx, a)
	d.publishLane(a.ID)
	return err
}

// handRound gives a round to a colleague, who finds it in their lane.
func (d *Desk) handRound(ctx context.Context, a Actor, r aRound, to uuid.UUID) error {
	if _, err := d.Actor(ctx, to); err != nil || to == a.ID {
		return wrong("rep_id", "choose a colleague")
	}
	if err := d.leaveRound(ctx, a, r); err != nil {
		return err
	}
	rep, err := d.Store.RoundRep(ctx, db.RoundRepParams{RoundID: r.ID, UserID: to})
	if err != nil && !store.NotFound(err) || err == nil && rep.State == "going" {
		return err
	}
	if err := d.Store.PutRoundRep(ctx, db.PutRoundRepParams{RoundID: r.ID, UserID: to, State: "paused", TakesCalls: r.settings.TakesCalls, Since: d.Clock.Now(), Why: "handed over by " + a.Name}); err != nil {
		return err
	}
	d.publishLane(to)
	return nil
}

// leaveRound takes a out of a round; it goes on with others, or waits.
func (d *Desk) leaveRound(ctx context.Context, a Actor, r aRound) error {
	if err := d.pauseRound(ctx, a, r, ""); err != nil {
		return err
	}
	return d.Store.PutRoundRep(ctx, db.PutRoundRepParams{RoundID: r.ID, UserID: a.ID, State: "left", TakesCalls: true, Since: d.Clock.Now()})
}

// endRound ends a round for everybody. Who started it may, and who leads. Error: ErrForbidden.
func (d *Desk) endRound(ctx context.Context, a Actor, r aRound) error {
	reps, err := d.Store.RoundReps(ctx, db.RoundRepsParams{RoundID: r.ID, Me: a.ID, Count: everybody})
	if err != nil {
		return err
	}
	shared := slices.ContainsFunc(reps, func(x db.RoundRepsRow) bool { return x.UserID != a.ID && x.State != "left" })
	mine := slices.ContainsFunc(reps, func(x db.RoundRepsRow) bool { return x.UserID == a.ID })
	if !a.mayOf(EndRound, &r.StartedBy) && (shared || !mine) {
		return ErrForbidden
	}
	for _, x := range reps {
		if err := d.pauseRound(ctx, Actor{ID: x.UserID}, r, ""); err != nil {
			return err
		}
	}
	return d.Store.EndRound(ctx, db.EndRoundParams{ID: r.ID, At: set(d.Clock.Now())})
}

// endIfDone ends a round on which nobody is left to be called.
func (d *Desk) endIfDone(ctx context.Context, id uuid.UUID) error {
	counts, err := d.Store.RoundCounts(ctx, id)
	if err != nil {
		return err
	}
	for _, c := range counts {
		if c.State != "done" {
			return nil
		}
	}
	r, err := d.Store.Round(ctx, id)
	if err != nil || string(r.Source) != "{}" || r.EndedAt != nil {
		return err
	}
	reps, err := d.Store.RoundReps(ctx, db.RoundRepsParams{RoundID: id, Count: everybody})
	if err != nil {
		return err
	}
	for _, x := range reps {
		d.dropRoundsTelephone(ctx, Actor{ID: x.UserID})
	}
	return d.Store.EndRound(ctx, db.EndRoundParams{ID: id, At: set(d.Clock.Now())})
}
