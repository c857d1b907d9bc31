package filing_test

import (
	"context"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/desk/filing"
	"trundo/internal/desk/firm"
)

// An outcome is chosen, its plan looked at, and the slip filed as it was shown; within ten minutes all of it can be
// taken back.
func Example() {
	var fg *filing.Filing // desk.Open makes it
	file := func(ctx context.Context, a firm.Actor, c contract.Call, outcome uuid.UUID) error {
		change := contract.SlipChange{Version: c.Slip.Version, OutcomeID: &outcome}
		c, err := fg.ChangeSlip(ctx, a, c.Slip.ID, change)
		if err != nil {
			return err
		}
		plan, err := fg.PlanFiling(ctx, a, c.Slip.ID, outcome)
		if err != nil {
			return err
		}
		if _, err := fg.File(ctx, a, c.Slip.ID, uuid.NewString(), &plan.Items); err != nil {
			return err
		}
		_, err = fg.UndoFiling(ctx, a, c.Slip.ID)
		return err
	}
	_ = file
}
