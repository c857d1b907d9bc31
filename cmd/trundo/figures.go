package main

import (
	"context"
	"fmt"

	"trundo/internal/desk/insight"
	"trundo/internal/store"
)

// checkFigures says whether the figures of all calls are what their facts say.
func checkFigures(ctx context.Context, s *store.Store) error {
	found, err := insight.CheckFigures(ctx, s)
	if err != nil {
		return err
	}
	fmt.Printf("%d calls were looked at.\n", found.Calls)
	if found.Wrong > 0 {
		return fmt.Errorf("the figures of %d calls were wrong; they are counted anew", found.Wrong)
	}
	fmt.Println("Their figures are what their facts say.")
	return nil
}
