package rounds

import (
	"context"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/store/db"
)

// PublishRound tells the windows of a rep at once that a round has changed; its other reps learn it with the next
// heartbeats.
func (rs *Rounds) PublishRound(id uuid.UUID, rep uuid.UUID) {
	rs.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindRound, RoundID: &id}, rep)
	rs.roundChanged(id)
}

// roundChanged notes that those who work on a round are to be told.
func (rs *Rounds) roundChanged(id uuid.UUID) {
	rs.mu.Lock()
	rs.changedRounds[id] = true
	rs.mu.Unlock()
}

// fewReps is up to how many reps are told with every heartbeat what their colleagues on a round have done. More are
// told with every fifth: each looks again then.
const fewReps = 10

// tellOfRounds tells those who work on rounds that have changed.
func (rs *Rounds) tellOfRounds(ctx context.Context, fifth bool) error {
	rs.mu.Lock()
	changed := rs.changedRounds
	rs.changedRounds = map[uuid.UUID]bool{}
	rs.mu.Unlock()
	for id := range changed {
		reps, err := rs.Store.RoundReps(ctx, db.RoundRepsParams{RoundID: id, Count: everybody})
		if err != nil {
			return err
		}
		if len(reps) > fewReps && !fifth {
			rs.roundChanged(id)
			continue
		}
		to := make([]uuid.UUID, len(reps))
		for i, r := range reps {
			to[i] = r.UserID
		}
		if len(to) > 0 {
			rs.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindRound, RoundID: &id}, to...)
		}
	}
	return nil
}
