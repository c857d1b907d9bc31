package desk

import (
	"context"
	"encoding/json"
	"slices"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/store/db"
)

// firstSteps are what a new firm sets up, in the order in which each needs the ones before.
var firstSteps = []contract.FirstStep{contract.FirstStepFirm, contract.FirstStepLines, contract.FirstStepHours,
	contract.FirstStepColleagues, contract.FirstStepBook, contract.FirstStepRecording, contract.FirstStepCall}

// FirstSteps are what a new firm still has to set up. Error: firm.ErrForbidden.
func (d *Desk) FirstSteps(ctx context.Context, a firm.Actor) (contract.FirstSteps, error) {
	view := contract.FirstSteps{Steps: []contract.FirstStepState{}}
	if !a.MayDo(rights.SetUpFirm) {
		return view, firm.ErrForbidden
	}
	f, err := d.Settings(ctx)
	if err != nil {
		return view, err
	}
	so, err := d.Store.SetUpSoFar(ctx)
	if err != nil {
		return view, err
	}
	var choice contract.FirstStepsChoice
	if err := d.Setting(ctx, "first_steps", &choice); err != nil {
		return view, err
	}
	done := map[contract.FirstStep]bool{contract.FirstStepFirm: f.Name != "", contract.FirstStepLines: so.Lines,
		contract.FirstStepHours:      so.Hours,
		contract.FirstStepColleagues: so.Colleagues, contract.FirstStepBook: so.Book,
		contract.FirstStepRecording: so.Recording, contract.FirstStepCall: so.Call}
	open := false
	for _, s := range firstSteps {
		skipped := slices.Contains(choice.Skipped, s)
		view.Steps = append(view.Steps, contract.FirstStepState{Step: s, Done: done[s], Skipped: skipped && !done[s]})
		open = open || !done[s] && !skipped
	}
	view.Closed = choice.Closed || !open
	return view, nil
}

// ChooseFirstSteps passes steps over, or is done with all of them. Error: firm.ErrForbidden.
func (d *Desk) ChooseFirstSteps(ctx context.Context, a firm.Actor,
	c contract.FirstStepsChoice) (contract.FirstSteps, error) {
	if !a.MayDo(rights.SetUpFirm) {
		return contract.FirstSteps{}, firm.ErrForbidden
	}
	slices.Sort(c.Skipped)
	c.Skipped = slices.Compact(c.Skipped)
	value, err := json.Marshal(c)
	if err != nil {
		return contract.FirstSteps{}, err
	}
	err = d.Store.Tx(ctx, func(q *db.Queries) error {
		if err := q.PutSetting(ctx, db.PutSettingParams{Key: "first_steps", Value: value}); err != nil {
			return err
		}
		return d.Audited(ctx, q, a, "settings", uuid.Nil, "first steps", map[string]string{}, c)
	})
	if err != nil {
		return contract.FirstSteps{}, err
	}
	return d.FirstSteps(ctx, a)
}
