package main

import (
	"context"
	"errors"
	"fmt"
	"os"

	"trundo/internal/desk/firm"
	"trundo/internal/store"
)

// runTrail checks the trail, and says what was found.
func runTrail(ctx context.Context, args []string) error {
	f := flags(
		"trail",
		os.Stdout,
		"trundo trail checks that nothing in the trail of what was done was changed or left out.",
	)
	head := f.String("head", "", "a hash that this command said before: it has to be in the trail still")
	if err := f.Parse(args); err != nil {
		return err
	}
	return withStore(ctx, func(s *store.Store) error {
		found, err := firm.CheckTrail(ctx, s.Queries, *head)
		if err != nil {
			return err
		}
		fmt.Printf(
			"%d entries are whole, %d of them with texts that were erased; %d are not sealed yet.\nhead %s (entry %d)\n",
			found.Sealed,
			found.Erased,
			found.Unsealed,
			found.Head,
			found.Last,
		)
		if !found.Known {
			return errors.New(
				"the hash that you gave is not in the trail: it was made up anew, or its beginning was deleted in its time",
			)
		}
		return nil
	})
}
