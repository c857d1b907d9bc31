package surveys

import (
	"context"
	"fmt"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/survey"
)

// Of is what the customer of a call answered about it.
func (sv *Surveys) Of(ctx context.Context, id uuid.UUID) ([]contract.SurveyAnswer, error) {
	rows, err := sv.Store.SurveyAnswers(ctx, id)
	list := []contract.SurveyAnswer{}
	for _, r := range rows {
		x := contract.SurveyAnswer{Question: r.Question, Kind: contract.SurveyAnswerKind(r.Kind), Value: r.Value}
		switch survey.Kind(r.Kind) {
		case survey.Score:
			tone := contract.SatisfactionTone(survey.ClassOf(r.Value))
			x.Text, x.Tone = fmt.Sprintf("%d of 10, %s", r.Value, tone), &tone
		case survey.YesNo:
			x.Text = map[bool]string{true: "yes", false: "no"}[r.Value == 1]
		case survey.Remark:
			if r.Words != "" {
				x.Text, x.Words = "a written remark", &r.Words
				break
			}
			x.FromSeconds, x.Seconds = new(float64(r.FromMs)/1000), new(float64(r.LongMs)/1000)
			x.Text = fmt.Sprintf("a spoken remark of %d s", r.LongMs/1000)
		}
		list = append(list, x)
	}
	return list, err
}

// Dissatisfied tells whether the last score of somebody says that they would not recommend the firm.
func (sv *Surveys) Dissatisfied(ctx context.Context, record uuid.UUID) bool {
	last, err := sv.Store.LastScore(ctx, record)
	return err == nil && len(last) > 0 && survey.ClassOf(last[0].Value) == survey.WouldNot
}
