package rounds

import (
	"context"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/round"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

const (
	// roundLease is for how long a rep who gives no sign keeps whom they are looking at.
	roundLease = 90 * time.Second
	// elsewhereWait is how long somebody is left whom another round holds.
	elsewhereWait = 5 * time.Minute
	// inARow is after how many people in a row who are not called now it is looked at many at once.
	inARow = 10
)

// held is whom a is at: taken, or being called. nil: nobody.
func (rs *Rounds) held(ctx context.Context, q *db.Queries, a firm.Actor, round uuid.UUID) (*db.HeldInRoundRow, error) {
	h, err := q.HeldInRound(ctx, db.HeldInRoundParams{RoundID: round, UserID: a.ID})
	if store.NotFound(err) {
		return nil, nil
	}
	return &h, err
}

// takeNext gives a the next person who can be called now, or whom a is at already. It gives nil where there is nobody.
// Error: ErrUnfiled.
func (rs *Rounds) takeNext(ctx context.Context, a firm.Actor, r aRound, aside bool) (*db.HeldInRoundRow, error) {
	f, err := rs.Settings(ctx)
	if err != nil {
		return nil, err
	}
	for promoted, row := false, 0; ; {
		// One person in each transaction: two rounds with the same people in another order would wait for each other
		// otherwise.
		var h *db.HeldInRoundRow
		got := nobody
		err := rs.Store.Tx(ctx, func(q *db.Queries) error {
			// Two windows of the same rep get the same person.
			if _, err := q.LockRep(ctx, a.ID); err != nil {
				return err
			}
			if h, err = rs.held(ctx, q, a, r.ID); err != nil {
				return err
			}
			if h != nil && (h.State == "taken" || h.CallEnded == nil) {
				return nil
			}
			if h != nil && !aside {
				return ErrUnfiled
			}
			h = nil
			if got, err = rs.takeOne(ctx, q, a, f, r); err == nil && got == taken {
				h, err = rs.held(ctx, q, a, r.ID)
			}
			return err
		})
		switch {
		case err != nil || h != nil:
			return h, err
		case got == passed:
			if row++; row == inARow {
				if row, err = 0, rs.sweepRound(ctx, a, f, r); err != nil {
					return nil, err
				}
			}
			continue
		case promoted:
			return nil, rs.endIfDone(ctx, r.ID)
		}
		now := rs.Clock.Now()
		if _, err := rs.Store.PromoteLater(ctx, &now); err != nil {
			return nil, err
		}
		promoted = true
	}
}

// sweepRound looks at the next many people of a round at once, and puts off those who are not called now: where a whole
// list was deleted, or sleeps, nobody is looked at one by one.
func (rs *Rounds) sweepRound(ctx context.Context, a firm.Actor, f *firm.Settings, r aRound) error {
	times := rs.roundTimes(a)
	for {
		rows, err := rs.Store.FirstWaiting(ctx, db.FirstWaitingParams{RoundID: r.ID, Count: chunkOfRound})
		if err != nil || len(rows) == 0 {
			return err
		}
		ids := make([]uuid.UUID, len(rows))
		for i, x := range rows {
			ids[i] = x.RecordID
		}
		people, err := rs.roundPeople(ctx, rs.Store.Queries, a, f, ids)
		if err != nil {
			return err
		}
		p := db.PutOffManyParams{RoundID: r.ID}
		for _, x := range rows {
			person := people[x.RecordID].person
			person.Attempts = x.Attempts
			v := round.Judge(person, r.rules, times, optional.ID(x.NumberID), firm.IDTexts(x.Tried))
			if v.Reason == round.None {
				continue
			}
			bead := round.Later
			if v.At.IsZero() {
				bead = doneBead(v.Reason)
			}
			p.Positions, p.ReadyAts = append(p.Positions, x.Position), append(p.ReadyAts, v.At)
			p.Beads, p.Whys = append(p.Beads, string(bead)), append(p.Whys, round.Words(v.Reason))
		}
		if err := rs.Store.PutOffMany(ctx, p); err != nil {
			return err
		}
		if len(p.Positions) < len(rows) || len(rows) < chunkOfRound {
			return nil // there is somebody who can be called, or nobody else
		}
	}
}

// took is what became of looking at one person.
type took int

const (
	nobody took = iota // there is none left who is free
	passed             // they are not called now
	taken
)

// takeOne looks at the next free person.
func (rs *Rounds) takeOne(ctx context.Context, q *db.Queries, a firm.Actor, f *firm.Settings, r aRound) (took, error) {
	now := rs.Clock.Now()
	until := now.Add(roundLease)
	next, err := q.TakeNext(ctx, db.TakeNextParams{RoundID: r.ID, UserID: &a.ID, Until: &until, Now: now,
		Again: now.Add(elsewhereWait), Why: round.Words(round.InAnother)})
	switch {
	case store.NotFound(err):
		return nobody, nil
	case err != nil:
		return nobody, err
	case next.State != "taken":
		return passed, nil // another round holds them
	}
	people, err := rs.roundPeople(ctx, q, a, f, []uuid.UUID{next.RecordID})
	if err != nil {
		return nobody, err
	}
	x := people[next.RecordID]
	x.person.Attempts = next.Attempts
	v := round.Judge(x.person, r.rules, rs.roundTimes(a), optional.ID(next.NumberID), firm.IDTexts(next.Tried))
	if v.Reason == round.None {
		in, err := q.NumberInUse(ctx, db.NumberInUseParams{E164: x.numbers[v.Number].E164,
			Since: now.Add(-4 * time.Hour), UserID: &a.ID})
		if err != nil {
			return nobody, err
		}
		if in {
			v = round.Verdict{Reason: round.InACall, At: now.Add(2 * time.Minute)}
		}
	}
	if v.Reason != round.None {
		p := db.PutOffParams{RoundID: r.ID, Position: next.Position, UserID: a.ID, State: "later",
			Bead: string(round.Later), Why: round.Words(v.Reason), ReadyAt: &v.At}
		if v.At.IsZero() {
			p.State, p.Bead, p.ReadyAt, p.SettledAt = "done", string(doneBead(v.Reason)), nil, &now
		}
		return passed, q.PutOff(ctx, p)
	}
	number := x.numbers[v.Number].ID
	p := db.SetTakenParams{RoundID: r.ID, Position: next.Position, NumberID: &number}
	if r.rules.Pace == round.Seconds {
		p.DialAt = optional.Time(now.Add(time.Duration(r.rules.Seconds) * time.Second))
	}
	return taken, q.SetTaken(ctx, p)
}
