package calls_test

import (
	"context"
	"errors"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/desk/calls"
	"trundo/internal/desk/firm"
)

// A number is called in place of the call in progress, notes are kept, and the rep leaves.
func Example() {
	var cs *calls.Calls // desk.Open makes it
	call := func(ctx context.Context, a firm.Actor, number uuid.UUID) error {
		wish := contract.NewCall{NumberID: &number}
		c, err := cs.PlaceCall(ctx, a, uuid.NewString(), wish)
		var in *firm.InCallError
		if errors.As(err, &in) {
			wish.InsteadOf = &in.Call
			c, err = cs.PlaceCall(ctx, a, uuid.NewString(), wish)
		}
		if err != nil {
			return err
		}
		if _, err := cs.SaveNotes(ctx, a, c.Slip.ID,
			contract.NotesEdit{Body: "Wants an offer", Writer: "one"}); err != nil {
			return err
		}
		return cs.HangUp(ctx, a, c.ID)
	}
	_ = call
}
