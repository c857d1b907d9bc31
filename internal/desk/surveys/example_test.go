package surveys_test

import (
	"context"
	"fmt"

	"github.com/google/uuid"

	"trundo/internal/desk/firm"
	"trundo/internal/desk/surveys"
)

// An admin switches the survey on; what a customer answered is shown with the call.
func Example() {
	var sv *surveys.Surveys // queues.New makes it
	work := func(ctx context.Context, admin firm.Actor, call uuid.UUID) error {
		asks, err := sv.Survey(ctx, admin)
		if err != nil {
			return err
		}
		asks.Active = true
		if _, err := sv.SetSurvey(ctx, admin, asks); err != nil {
			return err
		}
		answers, err := sv.Of(ctx, call)
		for _, a := range answers {
			fmt.Println(a.Question, a.Text)
		}
		return err
	}
	_ = work
}
