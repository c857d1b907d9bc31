package desk

import (
	"context"
	"encoding/json"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/call"
	"trundo/internal/core/outcome"
	"trundo/internal/core/round"
	"trundo/internal/store/db"
)

// ending is how an attempt ends without an outcome, so that nothing is compulsory on its slip.
type ending struct {
	next    *uuid.UUID // another number of the same person is called instead
	skipped bool       // the person is left out
	refused bool       // the carrier refused the call: it was none
}

// parts are what an ending is made of, for the hash of a request.
func (e *ending) parts() any {
	if e == nil {
		return nil
	}
	return []any{e.next, e.skipped, e.refused}
}

// settleAttempt says, in the transaction in which a slip is filed, what becomes of the person whom it was an attempt to reach.
func (x *filing) settleAttempt(ctx context.Context, plan []outcome.Item, reached bool, how *ending) error {
	rc, err := x.q.RoundCall(ctx, x.slip.CallID)
	if err != nil {
		return err
	}
	p, err := x.q.LockRoundPerson(ctx, db.LockRoundPersonParams{RoundID: rc.RoundID, Position: rc.Position})
	if err != nil {
		return err
	}
	x.round = &rc.RoundID
	before, err := json.Marshal(p)
	if err != nil {
		return err
	}
	if p.CallID == nil || *p.CallID != x.slip.CallID {
		return x.q.SettleRoundCall(ctx, db.SettleRoundCallParams{CallID: rc.CallID, At: &x.at, Bead: rc.Bead, Before: json.RawMessage(`{}`)}) // they have been tried again since
	}
	if rc.SettledAt != nil { // a correction: what it was before the first filing is kept, and nobody is taken from a rep
		if before = rc.Before; p.State == "taken" || p.State == "calling" {
			return nil
		}
	}
	next := putPerson(p)
	step := round.Step{Bead: round.Skipped}
	switch {
	case how != nil && how.skipped:
	case how != nil && how.next != nil:
		step = round.Step{Bead: round.Current, Again: true, At: x.at, Number: how.next.String()}
	default:
		if step, err = x.after(ctx, rc, p, plan, reached, how != nil && how.refused); err != nil {
			return err
		}
	}
	if how != nil && how.refused {
		next.Attempts = max(0, next.Attempts-1)
	}
	next.Bead, next.Why, next.SettledAt, next.ReadyAt, next.DialAt, next.NumberID = string(step.Bead), step.Why, &x.at, nil, nil, nil
	if x.slip.OutcomeID != nil {
		next.OutcomeID = x.slip.OutcomeID
	}
	if number, err := uuid.Parse(step.Number); err == nil {
		next.NumberID = &number
	}
	switch {
	case step.Again && !step.At.After(x.at): // the same rep, by the next number
		next.State, next.UserID, next.LeaseUntil = "taken", &x.slip.UserID, set(x.at.Add(roundLease))
	case step.Again:
		next.State, next.UserID, next.LeaseUntil, next.ReadyAt = "later", nil, nil, &step.At
		if next.NumberID == nil {
			next.Tried = []uuid.UUID{}
		}
	default:
		next.State, next.LeaseUntil = "done", nil
	}
	if next.State != "taken" {
		if err := x.q.LetGoPerson(ctx, db.LetGoPersonParams{RecordID: p.RecordID, UserID: x.slip.UserID}); err != nil {
			return err
		}
	}
	if err := x.q.PutRoundPerson(ctx, next); err != nil {
		return err
	}
	return x.q.SettleRoundCall(ctx, db.SettleRoundCallParams{CallID: rc.CallID, At: &x.at, Bead: string(step.Bead), Before: before})
}

// after asks core what follows an attempt.
func (x *filing) after(ctx context.Context, rc db.RoundCallRow, p db.RoundPerson, plan []outcome.Item, reached, refused bool) (round.Step, error) {
	r, err := readRound(ctx, x.q, rc.RoundID)
	if err != nil {
		return round.Step{}, err
	}
	rep := x.a
	people, err := x.desk.roundPeople(ctx, x.q, rep, x.f, []uuid.UUID{p.RecordID})
	if err != nil {
		return round.Step{}, err
	}
	person := people[p.RecordID]
	if person.person.Gone && !reached {
		return round.Step{Bead: round.Cannot, Why: round.Words(round.Removed)}, nil
	}
	e := round.Ended{Outcome: text(x.slip.OutcomeID), Reached: reached, Ours: refused,
		Message: rc.LeftMessage || sameID(x.slip.OutcomeID, r.settings.MessageOutcomeID) && x.slip.OutcomeID != nil} // by the rep's own voice, then
	for _, it := range plan {
		switch {
		case it.Kind == outcome.DoNotCall:
			e.Stops, e.Person = true, e.Person || it.Value == outcome.ThisPerson
		case it.Kind == outcome.Retry && it.Due != nil:
			e.Retry = &round.Wish{At: *it.Due, Number: it.Number}
		}
	}
	past := round.Past{Attempts: p.Attempts, Today: max(1, person.person.CallsToday), Hour: rc.Hour, Tried: idTexts(p.Tried)}
	reach, err := x.desk.reachOf(ctx, x.q, rep, person)
	if err != nil {
		return round.Step{}, err
	}
	times := x.desk.roundTimes(rep)
	times.Now = x.at.In(times.Now.Location())
	return round.After(e, person.person, past, r.rules, reach, times), nil
}

// unsettle puts somebody back to where they stood before an attempt was filed, as far as nobody is at them since.
func (d *Desk) unsettle(ctx context.Context, q *db.Queries, s db.LockSlipRow) (*uuid.UUID, error) {
	rc, err := q.RoundCall(ctx, s.CallID)
	if err != nil {
		return nil, err
	}
	if err := q.SettleRoundCall(ctx, db.SettleRoundCallParams{CallID: rc.CallID, Bead: "", Before: json.RawMessage(`{}`)}); err != nil {
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
	if p.CallID == nil || *p.CallID != s.CallID || p.State == "calling" || p.State == "taken" && (p.UserID == nil || *p.UserID != s.UserID) {
		return &rc.RoundID, nil
	}
	now := d.Clock.Now()
	if n, err := q.HoldPerson(ctx, db.HoldPersonParams{RecordID: p.RecordID, RoundID: rc.RoundID, UserID: s.UserID, Until: now.Add(callingHold), Now: now}); err != nil || n == 0 {
		return &rc.RoundID, err
	}
	if err := q.PutRoundPerson(ctx, putPerson(was)); err != nil {
		return nil, err
	}
	return &rc.RoundID, q.ReopenRound(ctx, db.ReopenRoundParams{ID: rc.RoundID, Position: rc.Position})
}

// refusedInARow is after how many calls that the carrier refused, one after the other, a round pauses.
const refusedInARow = 3

// attemptEnded is told that a call of a round is over. Where the carrier refused it, it was no attempt: the person is put off, and after some of them the round pauses.
func (d *Desk) attemptEnded(ctx context.Context, id uuid.UUID, c *liveCall) {
	if c.state.Reason != call.Refused {
		return
	}
	for user, sheet := range c.parts {
		a, err := d.Actor(ctx, user)
		if err == nil {
			_, err = d.fileOnce(ctx, a, sheet, "refused-"+id.String(), nil, &ending{refused: true})
		}
		n := 0
		if err == nil {
			n, err = d.Store.RefusedInARow(ctx, db.RefusedInARowParams{RoundID: c.attempt.round.ID, UserID: user})
		}
		if err == nil && n >= refusedInARow {
			err = d.pauseRound(ctx, a, c.attempt.round, "the carrier refused three calls in a row: nobody is lost, and who was to be called comes again")
		}
		if err != nil && ctx.Err() == nil {
			d.Log.Error("a call of a round that the carrier refused", "call", id, "error", err)
		}
		d.publishRound(c.attempt.round.ID, user)
	}
}

// keepRounds keeps whom reps are at while they are here, frees whom those hold who have gone, and lets those come whose time has come.
func (d *Desk) keepRounds(ctx context.Context) error {
	now := d.Clock.Now()
	until := now.Add(roundLease)
	present := d.Hub.Users()
	d.mu.Lock()
	for _, c := range d.live {
		for rep := range c.parts {
			present = append(present, rep)
		}
	}
	d.mu.Unlock()
	if len(present) > 0 {
		if err := d.Store.RenewLeases(ctx, db.RenewLeasesParams{Until: &until, Users: present}); err != nil {
			return err
		}
		if err := d.Store.RenewHolds(ctx, db.RenewHoldsParams{Until: until, Users: present}); err != nil {
			return err
		}
	}
	freed, err := d.Store.FreeExpired(ctx, db.FreeExpiredParams{Now: &now, Why: "you were away"})
	if err != nil {
		return err
	}
	for _, x := range freed {
		if x.UserID != nil {
			d.dropRoundsTelephone(ctx, Actor{ID: *x.UserID})
			d.publishLane(*x.UserID)
			d.publishRound(x.RoundID, *x.UserID)
		}
	}
	free, err := d.Store.PromoteLater(ctx, &now)
	if err != nil {
		return err
	}
	for _, id := range free {
		d.roundChanged(id)
	}
	hour := now.Truncate(time.Hour)
	ids, err := d.Store.RoundsToRank(ctx, &hour)
	if err != nil {
		return err
	}
	for _, id := range ids {
		mine, err := d.Store.SetRoundRanked(ctx, db.SetRoundRankedParams{ID: id, At: &now, Before: &hour})
		if err != nil {
			return err
		}
		if mine == 0 {
			continue // another server does it
		}
		r, err := d.Store.Round(ctx, id)
		if err != nil {
			return err
		}
		a, err := d.Actor(ctx, r.StartedBy)
		if err != nil {
			continue
		}
		d.inBackground(func(ctx context.Context) { d.rankRound(ctx, a, id) })
	}
	return nil
}
