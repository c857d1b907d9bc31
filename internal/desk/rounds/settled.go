package rounds

import (
	"context"
	"encoding/json"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/call"
	"trundo/internal/core/outcome"
	"trundo/internal/core/round"
	"trundo/internal/desk/filing"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// SettleAttempt says, in the transaction in which a slip is filed, what becomes of the person whom it was an attempt to
// reach.
func (rs *Rounds) SettleAttempt(ctx context.Context, x filing.FiledAttempt) (uuid.UUID, error) {
	rc, err := x.Q.RoundCall(ctx, x.Slip.CallID)
	if err != nil {
		return uuid.Nil, err
	}
	p, err := x.Q.LockRoundPerson(ctx, db.LockRoundPersonParams{RoundID: rc.RoundID, Position: rc.Position})
	if err != nil {
		return uuid.Nil, err
	}
	before, err := json.Marshal(p)
	if err != nil {
		return uuid.Nil, err
	}
	if p.CallID == nil || *p.CallID != x.Slip.CallID {
		// they have been tried again since
		return rc.RoundID, x.Q.SettleRoundCall(ctx,
			db.SettleRoundCallParams{CallID: rc.CallID, At: &x.At, Bead: rc.Bead, Before: json.RawMessage(`{}`)})
	}
	// a correction: what it was before the first filing is kept, and nobody is taken from a rep
	if rc.SettledAt != nil {
		if before = rc.Before; p.State == "taken" || p.State == "calling" {
			return rc.RoundID, nil
		}
	}
	next := putPerson(p)
	step := round.Step{Bead: round.Skipped}
	switch {
	case x.How != nil && x.How.Skipped:
	case x.How != nil && x.How.Next != nil:
		step = round.Step{Bead: round.Current, Again: true, At: x.At, Number: x.How.Next.String()}
	default:
		if step, err = rs.after(ctx, x, rc, p); err != nil {
			return uuid.Nil, err
		}
	}
	if x.How != nil && x.How.Refused {
		next.Attempts = max(0, next.Attempts-1)
	}
	next.Bead, next.Why, next.SettledAt, next.ReadyAt, next.DialAt, next.NumberID = string(step.Bead), step.Why, &x.At, nil, nil, nil
	if x.Slip.OutcomeID != nil {
		next.OutcomeID = x.Slip.OutcomeID
	}
	if number, err := uuid.Parse(step.Number); err == nil {
		next.NumberID = &number
	}
	switch {
	case step.Again && !step.At.After(x.At): // the same rep, by the next number
		next.State, next.UserID, next.LeaseUntil = "taken", &x.Slip.UserID, optional.Time(x.At.Add(roundLease))
	case step.Again:
		next.State, next.UserID, next.LeaseUntil, next.ReadyAt = "later", nil, nil, &step.At
		if next.NumberID == nil {
			next.Tried = []uuid.UUID{}
		}
	default:
		next.State, next.LeaseUntil = "done", nil
	}
	if next.State != "taken" {
		if err := x.Q.LetGoPerson(ctx, db.LetGoPersonParams{RecordID: p.RecordID, UserID: x.Slip.UserID}); err != nil {
			return uuid.Nil, err
		}
	}
	if err := x.Q.PutRoundPerson(ctx, next); err != nil {
		return uuid.Nil, err
	}
	return rc.RoundID, x.Q.SettleRoundCall(ctx,
		db.SettleRoundCallParams{CallID: rc.CallID, At: &x.At, Bead: string(step.Bead), Before: before})
}

// after asks core what follows an attempt.
func (rs *Rounds) after(ctx context.Context, x filing.FiledAttempt, rc db.RoundCallRow,
	p db.RoundPerson) (round.Step, error) {
	r, err := readRound(ctx, x.Q, rc.RoundID)
	if err != nil {
		return round.Step{}, err
	}
	rep := x.Actor
	people, err := rs.roundPeople(ctx, x.Q, rep, x.SetUp, []uuid.UUID{p.RecordID})
	if err != nil {
		return round.Step{}, err
	}
	person := people[p.RecordID]
	if person.person.Gone && !x.Reached {
		return round.Step{Bead: round.Cannot, Why: round.Words(round.Removed)}, nil
	}
	e := round.Ended{Outcome: optional.ID(x.Slip.OutcomeID), Reached: x.Reached, Ours: x.How != nil && x.How.Refused,
		// by the rep's own voice, then
		Message: rc.LeftMessage || optional.Same(x.Slip.OutcomeID, r.settings.MessageOutcomeID) &&
			x.Slip.OutcomeID != nil}
	for _, it := range x.Plan {
		switch {
		case it.Kind == outcome.DoNotCall:
			e.Stops, e.Person = true, e.Person || it.Value == outcome.ThisPerson
		case it.Kind == outcome.Retry && it.Due != nil:
			e.Retry = &round.Wish{At: *it.Due, Number: it.Number}
		}
	}
	past := round.Past{Attempts: p.Attempts, Today: max(1, person.person.CallsToday), Hour: rc.Hour,
		Tried: firm.IDTexts(p.Tried)}
	reach, err := rs.reachOf(ctx, x.Q, rep, person)
	if err != nil {
		return round.Step{}, err
	}
	times := rs.roundTimes(rep)
	times.Now = x.At.In(times.Now.Location())
	return round.After(e, person.person, past, r.rules, reach, times), nil
}

// UnsettleAttempt puts somebody back to where they stood before an attempt was filed, as far as nobody is at them
// since.
func (rs *Rounds) UnsettleAttempt(ctx context.Context, q *db.Queries, s db.LockSlipRow) (*uuid.UUID, error) {
	rc, err := q.RoundCall(ctx, s.CallID)
	if err != nil {
		return nil, err
	}
	if err := q.SettleRoundCall(ctx,
		db.SettleRoundCallParams{CallID: rc.CallID, Bead: "", Before: json.RawMessage(`{}`)}); err != nil {
		return nil, err
	}
	var was db.RoundPerson
	if err := json.Unmarshal(rc.Before, &was); err != nil || was.RoundID == uuid.Nil {
		return &rc.RoundID, err
	}
	p, err := q.LockRoundPerson(ctx, db.LockRoundPersonParams{RoundID: rc.RoundID, Position: rc.Position})
	if err != nil {
		return nil, err
	}
	if p.CallID == nil || *p.CallID != s.CallID || p.State == "calling" || p.State == "taken" &&
		(p.UserID == nil || *p.UserID != s.UserID) {
		return &rc.RoundID, nil
	}
	now := rs.Clock.Now()
	if n, err := q.HoldPerson(ctx,
		db.HoldPersonParams{RecordID: p.RecordID, RoundID: rc.RoundID, UserID: s.UserID, Until: now.Add(callingHold),
			Now: now}); err != nil || n == 0 {
		return &rc.RoundID, err
	}
	if err := q.PutRoundPerson(ctx, putPerson(was)); err != nil {
		return nil, err
	}
	return &rc.RoundID, q.ReopenRound(ctx, db.ReopenRoundParams{ID: rc.RoundID, Position: rc.Position})
}

// refusedInARow is after how many calls that the carrier refused, one after the other, a round pauses.
const refusedInARow = 3

// Ended implements Placement. Where the carrier refused it, the call was no attempt: the person is put off, and after
// some of them the round pauses.
func (x *attempt) Ended(ctx context.Context, id uuid.UUID, state call.State, slips map[uuid.UUID]uuid.UUID) {
	d := x.rs
	if state.Reason != call.Refused {
		return
	}
	for user, sheet := range slips {
		a, err := d.Actor(ctx, user)
		if err == nil {
			_, err = d.Filing.FileOnce(ctx, a, sheet, "refused-"+id.String(), nil, &filing.Ending{Refused: true})
		}
		n := 0
		if err == nil {
			n, err = d.Store.RefusedInARow(ctx, db.RefusedInARowParams{RoundID: x.round.ID, UserID: user})
		}
		if err == nil && n >= refusedInARow {
			err = d.pauseRound(ctx, a, x.round,
				"the carrier refused three calls in a row: nobody is lost, and who was to be called comes again")
		}
		if err != nil && ctx.Err() == nil {
			d.Log.Error("a call of a round that the carrier refused", "call", id, "error", err)
		}
		d.PublishRound(x.round.ID, user)
	}
}

// Beat implements Listener: reps learn what has become of their rounds, and with every fifth beat whom nobody is at any
// more is free for others.
func (rs *Rounds) Beat(ctx context.Context, n int) {
	if err := rs.tellOfRounds(ctx, n%5 == 0); err != nil && ctx.Err() == nil && !store.Away(err) {
		rs.Log.Error("telling of rounds", "error", err)
	}
	if n%5 != 0 {
		return
	}
	if err := rs.keepRounds(ctx); err != nil && ctx.Err() == nil && !store.Away(err) {
		rs.Log.Error("keeping rounds", "error", err)
	}
}

// MessageLeft implements Listener.
func (rs *Rounds) MessageLeft(ctx context.Context, call uuid.UUID) {
	if rc, err := rs.Store.RoundCall(ctx, call); err == nil {
		rs.PublishRound(rc.RoundID, rc.UserID)
	}
}

// keepRounds keeps whom reps are at while they are here, frees whom those hold who have gone, and lets those come whose
// time has come.
func (rs *Rounds) keepRounds(ctx context.Context) error {
	now := rs.Clock.Now()
	until := now.Add(roundLease)
	present := append(rs.Hub.Users(), rs.Calls.Present()...)
	if len(present) > 0 {
		if err := rs.Store.RenewLeases(ctx, db.RenewLeasesParams{Until: &until, Users: present}); err != nil {
			return err
		}
		if err := rs.Store.RenewHolds(ctx, db.RenewHoldsParams{Until: until, Users: present}); err != nil {
			return err
		}
	}
	freed, err := rs.Store.FreeExpired(ctx, db.FreeExpiredParams{Now: &now, Why: "you were away"})
	if err != nil {
		return err
	}
	for _, x := range freed {
		if x.UserID != nil {
			rs.Calls.Telephones.DropRoundsTelephone(ctx, firm.Actor{ID: *x.UserID})
			rs.PublishLane(*x.UserID)
			rs.PublishRound(x.RoundID, *x.UserID)
		}
	}
	free, err := rs.Store.PromoteLater(ctx, &now)
	if err != nil {
		return err
	}
	for _, id := range free {
		rs.roundChanged(id)
	}
	hour := now.Truncate(time.Hour)
	ids, err := rs.Store.RoundsToRank(ctx, &hour)
	if err != nil {
		return err
	}
	for _, id := range ids {
		mine, err := rs.Store.SetRoundRanked(ctx, db.SetRoundRankedParams{ID: id, At: &now, Before: &hour})
		if err != nil {
			return err
		}
		if mine == 0 {
			continue // another server does it
		}
		r, err := rs.Store.Round(ctx, id)
		if err != nil {
			return err
		}
		a, err := rs.Actor(ctx, r.StartedBy)
		if err != nil {
			continue
		}
		rs.InBackground(func(ctx context.Context) { rs.rankRound(ctx, a, id) })
	}
	return nil
}
