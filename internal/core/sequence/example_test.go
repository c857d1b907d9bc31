package sequence_test

import (
	"fmt"
	"time"

	"trundo/internal/core/callable"
	"trundo/internal/core/outcome"
	"trundo/internal/core/sequence"
	"trundo/internal/core/workday"
)

func ExampleDue() {
	steps := []sequence.Step{
		{Act: sequence.Mail, Template: "1"},
		{Act: sequence.Call, Text: "Ask what they think", After: outcome.After{Count: 3, Unit: outcome.Days}},
	}
	monday := time.Date(2026, 3, 2, 10, 0, 0, 0, time.UTC)
	s := outcome.Situation{Now: monday, Zone: time.UTC, Zones: []string{"UTC"}, Hours: callable.DefaultHours,
		Workdays: workday.New(nil)}
	due, there := sequence.Due(steps, 1, s)
	fmt.Println(there, due.Format("Monday"))
	_, there = sequence.Due(steps, 2, s)
	fmt.Println(there)
	// Output:
	// true Thursday
	// false
}
