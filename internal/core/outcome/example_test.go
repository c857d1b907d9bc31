package outcome_test

import (
	"fmt"
	"time"

	"trundo/internal/core/callable"
	"trundo/internal/core/outcome"
	"trundo/internal/core/workday"
)

// An outcome asks for a call in two business days at ten, and for a tag.
func ExamplePlan() {
	ten := 10 * 60
	friday := time.Date(2026, 3, 6, 15, 0, 0, 0, time.UTC)
	items := outcome.Plan([]outcome.Effect{
		{Kind: outcome.FollowUp, Act: outcome.Call, Text: "Ask {name} about the offer",
			After: outcome.After{Count: 2, Unit: outcome.BusinessDays, At: &ten}},
		{Kind: outcome.AddTag, Text: "offer"},
	}, outcome.Situation{Now: friday, Zone: time.UTC, Zones: []string{"UTC"}, Hours: callable.DefaultHours,
		Workdays: workday.New(nil), Person: &outcome.Named{ID: "1", Name: "Berit Osterlund"},
		Fill: func(text string) string { return "Ask Berit about the offer" }})
	for _, it := range items {
		fmt.Println(it.Kind, it.Text)
	}
	fmt.Println(items[0].Due.Format("Monday 15:04"))
	// Output:
	// follow_up Ask Berit about the offer
	// add_tag offer
	// Tuesday 10:00
}
