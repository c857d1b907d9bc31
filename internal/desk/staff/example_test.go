package staff_test

import (
	"context"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
	"trundo/internal/desk/staff"
)

// Somebody is hired, gets a link to choose a password by, and leaves in favour of a colleague.
func Example() {
	var sf *staff.Staff // desk.Open makes it
	work := func(ctx context.Context, admin firm.Actor, colleague uuid.UUID) error {
		wren, err := sf.Add(ctx, admin, uuid.NewString(), contract.MemberEdit{Login: "wren", Name: "Wren Tamaro",
			Role: "rep", Zone: "America/New_York", Mail: "wren@lindenfall.example"})
		if err != nil {
			return err
		}
		send := contract.NewSignInLink{Send: true}
		if _, err := sf.MakeLink(ctx, admin, wren.ID, "https://calls.example", send); err != nil {
			return err
		}
		_, err = sf.SwitchOff(ctx, admin, wren.ID, contract.Leaving{To: &colleague})
		return err
	}
	_ = work
}
