package queues_test

import (
	"context"
	"fmt"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
	"trundo/internal/desk/queues"
)

// An admin writes a route, plays a caller against it, and puts it live; a supervisor sees who waits.
func Example() {
	var qs *queues.Queues // desk.Open makes it
	work := func(ctx context.Context, admin, supervisor firm.Actor, caller contract.RouteTry) error {
		page, err := qs.AddRoute(ctx, admin, contract.NewRoute{Name: "Front door"})
		if err != nil {
			return err
		}
		tried, err := qs.Try(ctx, admin, page.ID, caller)
		if err != nil {
			return err
		}
		fmt.Println(len(tried.Lines), "things happen")
		if _, err = qs.PutLive(ctx, admin, page.ID, contract.RouteLive{Version: page.Version}); err != nil {
			return err
		}
		waiting, err := qs.Waiting(ctx, supervisor)
		fmt.Println(len(waiting), "wait")
		return err
	}
	_ = work
}
