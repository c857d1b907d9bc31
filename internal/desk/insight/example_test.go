package insight_test

import (
	"context"
	"fmt"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
	"trundo/internal/desk/insight"
)

// A supervisor reads a figure, and then the calls that it is made of.
func Example() {
	var in *insight.Insight // desk.Open makes it
	work := func(ctx context.Context, supervisor firm.Actor) error {
		r, err := in.Report(
			ctx,
			supervisor,
			contract.ReportQuery{Figures: []string{"missed"}, By: "line", Period: "7d"},
		)
		if err != nil || len(r.Groups) == 0 {
			return err
		}
		worst := r.Groups[0]
		calls, err := in.Find(ctx, supervisor, contract.CallsSought{Period: "7d", Where: &[]contract.Condition{
			{Facet: "line", Values: []string{worst.Key}}, {Facet: "behind", Values: []string{"missed"}}}})
		fmt.Println(worst.Label, worst.Cells[0].Calls == calls.Count)
		return err
	}
	_ = work
}
