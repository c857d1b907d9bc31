package rounds_test

import (
	"context"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
	"trundo/internal/desk/rounds"
)

// A list is begun, its first person called, and a pause made.
func Example() {
	var rs *rounds.Rounds // desk.Open makes it
	work := func(ctx context.Context, a firm.Actor, list uuid.UUID) error {
		r, err := rs.StartRound(ctx, a, uuid.NewString(), contract.RoundStart{ListID: &list})
		if err != nil {
			return err
		}
		for _, act := range []contract.RoundActAct{contract.RoundActActGo, contract.RoundActActCall,
			contract.RoundActActPause} {
			if r, err = rs.ActOnRound(ctx, a, r.ID, uuid.NewString(), contract.RoundAct{Act: act}); err != nil {
				return err
			}
		}
		return nil
	}
	_ = work
}
