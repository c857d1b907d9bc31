package rights_test

import (
	"fmt"

	"trundo/internal/core/rights"
)

// A supervisor ends a round of their own team, and of no other.
func Example() {
	s := rights.Shipped(rights.RoleSupervisor)
	odile := []string{"Sales"}
	for _, team := range []string{"Sales", "Service"} {
		w := rights.Whose{SameTeam: rights.ShareTeam(odile, []string{team})}
		fmt.Println(team, s.MayOf(rights.LeadRounds, w))
	}
	// Output:
	// Sales true
	// Service false
}
