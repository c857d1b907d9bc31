package usage_test

import (
	"context"
	"fmt"
	"time"

	"trundo/internal/core/usage"
	"trundo/internal/desk/firm"
	desk "trundo/internal/desk/usage"
)

// Before a call is placed it is asked whether the firm allows it; an admin reads how much was used.
func Example() {
	var us *desk.Usage // desk.Open makes it
	work := func(ctx context.Context, admin, rep firm.Actor) error {
		if err := us.Refuses(ctx, usage.Minutes, rep, rep.Line); err != nil {
			return err
		}
		month, err := us.Month(ctx, admin, time.Time{})
		fmt.Println(month.Firm.Minutes, month.Cost)
		return err
	}
	_ = work
}
