package proposal_test

import (
	"fmt"
	"time"

	"trundo/internal/core/proposal"
)

func ExampleFind() {
	wednesday := time.Date(2026, 3, 4, 11, 0, 0, 0, time.UTC)
	p, found := proposal.Find("Likes the pump. Call her back thursday at 3.", wednesday)
	fmt.Println(found, p.Act, p.Due.Format("Monday 2 January 15:04"))
	// Output: true call Thursday 5 March 15:00
}
