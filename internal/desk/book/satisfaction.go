package book

import (
	"context"
	"trundo/internal/contract"
	"trundo/internal/core/survey"

	"github.com/google/uuid"
)

// satisfaction is the last score that somebody gave; nil without one.
func (bk *Book) satisfaction(ctx context.Context, record uuid.UUID) (*contract.Satisfaction, error) {
	last, err := bk.Store.LastScore(ctx, record)
	if err != nil || len(last) == 0 {
		return nil, err
	}
	return &contract.Satisfaction{Score: last[0].Value, At: last[0].At,
		Tone: contract.SatisfactionTone(survey.ClassOf(last[0].Value))}, nil
}
