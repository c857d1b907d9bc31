package filing

import (
	"context"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/outcome"
	"trundo/internal/desk/firm"
	"trundo/internal/store/db"
)

// Ending is how an attempt of a round ends without an outcome, so that nothing is compulsory on its slip.
type Ending struct {
	Next    *uuid.UUID // another number of the same person is called instead
	Skipped bool       // the person is left out
	Refused bool       // the carrier refused the call: it was none
}

// parts are what an ending is made of, for the hash of a request.
func (e *Ending) parts() any {
	if e == nil {
		return nil
	}
	return []any{e.Next, e.Skipped, e.Refused}
}

// FiledAttempt is a slip of a round that is being filed, in the transaction Q.
type FiledAttempt struct {
	Q       *db.Queries
	Actor   firm.Actor
	SetUp   *firm.Settings
	Slip    db.LockSlipRow
	At      time.Time
	Plan    []outcome.Item
	Reached bool    // by its outcome
	How     *Ending // nil: with an outcome
}

// Attempts say what becomes of the people of rounds when slips are filed and opened again.
type Attempts interface {
	// SettleAttempt says what follows, and of which round it was.
	SettleAttempt(ctx context.Context, x FiledAttempt) (round uuid.UUID, err error)
	// UnsettleAttempt takes that back, as far as nobody is at the person since; nil where nothing is to be told.
	UnsettleAttempt(ctx context.Context, q *db.Queries, s db.LockSlipRow) (round *uuid.UUID, err error)
	// PublishRound tells the windows of a rep at once that a round has changed, and those of its other reps soon.
	PublishRound(round, rep uuid.UUID)
}

// settleAttempt lets the round of a slip go on with its person.
func (x *filing) settleAttempt(ctx context.Context, plan []outcome.Item, reached bool, how *Ending) error {
	round, err := x.fg.attempts.SettleAttempt(ctx,
		FiledAttempt{Q: x.q, Actor: x.a, SetUp: x.f, Slip: x.slip, At: x.at, Plan: plan, Reached: reached, How: how})
	x.round = &round
	return err
}
