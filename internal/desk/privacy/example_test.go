package privacy_test

import (
	"context"
	"io"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
	"trundo/internal/desk/privacy"
)

// Somebody asks for what is kept about them, and then to be erased.
func Example() {
	var pv *privacy.Privacy // desk.Open makes it
	work := func(ctx context.Context, admin firm.Actor, person uuid.UUID, file io.Writer) error {
		if err := pv.WriteEverything(ctx, admin, person, file); err != nil {
			return err
		}
		asked := contract.NewErasure{Reason: "asked by letter of 2 March"}
		_, err := pv.Erase(ctx, admin, uuid.NewString(), person, asked)
		return err
	}
	_ = work
}
