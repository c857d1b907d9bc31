package prepared_test

import (
	"fmt"
	"time"

	"trundo/internal/core/prepared"
)

func ExampleOrder() {
	friday := time.Date(2026, 3, 6, 10, 0, 0, 0, time.UTC)
	for _, m := range prepared.Order([]prepared.Message{
		{ID: "always"},
		{ID: "on Mondays", Weekdays: []int{1}},
		{ID: "after the show", List: "show"},
	}, prepared.Situation{At: friday, Lists: []string{"show"}}) {
		fmt.Println(m.ID)
	}
	// Output:
	// after the show
	// always
	// on Mondays
}
