package finding_test

import (
	"fmt"
	"time"

	"trundo/internal/core/finding"
)

func ExampleRank() {
	spoke := time.Date(2026, 3, 3, 9, 0, 0, 0, time.UTC)
	for _, h := range finding.Rank("ost", []finding.Hit{
		{ID: "1", Text: "oster farm"},
		{ID: "2", Text: "berit osterlund", Spoke: spoke},
		{ID: "3", Text: "hostly"},
	}) {
		fmt.Println(h.Text)
	}
	// Output:
	// berit osterlund
	// oster farm
	// hostly
}
