package filing

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/phone"
	"trundo/internal/core/rights"
	"trundo/internal/core/script"
	"trundo/internal/core/wording"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// Scripts are the firm's, in their order; who sets up sees also those that are not offered.
func (fg *Filing) Scripts(ctx context.Context, a firm.Actor) ([]contract.Script, error) {
	rows, err := fg.Store.Scripts(ctx)
	views := []contract.Script{}
	for _, r := range rows {
		if !r.Active && !a.MayDo(rights.Scripts) {
			continue
		}
		view := contract.Script{ID: &r.ID, Name: r.Name, Body: r.Body, CallTypeIds: r.CallTypeIds, Active: r.Active,
			Directions: []contract.ScriptDirections{}}
		for _, way := range r.Directions {
			view.Directions = append(view.Directions, contract.ScriptDirections(way))
		}
		views = append(views, view)
	}
	return views, err
}

// SetScripts keeps them, in their order; those left out are no longer offered. Errors: ErrForbidden, *FieldError.
func (fg *Filing) SetScripts(ctx context.Context, a firm.Actor, set []contract.Script) ([]contract.Script, error) {
	if !a.MayDo(rights.Scripts) {
		return nil, firm.ErrForbidden
	}
	before, err := fg.Store.Scripts(ctx)
	if err != nil {
		return nil, err
	}
	known := map[uuid.UUID]db.ScriptsRow{}
	for _, r := range before {
		known[r.ID] = r
	}
	var rows []db.PutScriptParams
	for i, s := range set {
		field := fmt.Sprintf("scripts.%d.", i)
		p := db.PutScriptParams{ID: store.NewID(), Name: firm.CleanText(s.Name), Body: firm.CleanText(s.Body),
			CallTypeIds: firm.OrEmpty(s.CallTypeIds), Directions: []string{}, Position: i, Active: s.Active}
		if p.Name == "" {
			return nil, firm.Wrong(field+"name", "a script needs a name")
		}
		if _, err := script.Parse(p.Body); err != nil {
			return nil, firm.About(field+"body", err)
		}
		if unknown := wording.Unknown(p.Body); len(unknown) > 0 {
			return nil, firm.Wrong(field+"body", "there is no place {"+unknown[0]+"}; there are {"+
				strings.Join(wording.Places, "}, {")+"}")
		}
		for _, way := range s.Directions {
			p.Directions = append(p.Directions, string(way))
		}
		if s.ID != nil {
			if _, there := known[*s.ID]; !there {
				return nil, firm.Wrong(field+"name", "there is no such script")
			}
			p.ID = *s.ID
			delete(known, p.ID)
		}
		rows = append(rows, p)
	}
	for id, r := range known {
		rows = append(rows, db.PutScriptParams{ID: id, Name: r.Name, Body: r.Body, CallTypeIds: r.CallTypeIds,
			Directions: r.Directions, Position: len(rows)})
	}
	err = fg.Store.Tx(ctx, func(q *db.Queries) error {
		for _, p := range rows {
			if err := q.PutScript(ctx, p); err != nil {
				return err
			}
		}
		return fg.Audited(ctx, q, a, "settings", uuid.Nil, "scripts", map[string]int{"scripts": len(before)},
			map[string]int{"scripts": len(set)})
	})
	if err != nil {
		return nil, err
	}
	return fg.Scripts(ctx, a)
}

// CallScript is the script of a call as far as its answers lead: the one that was asked for or was answered, else the
// first that fits. Errors: ErrNotFound.
func (fg *Filing) CallScript(ctx context.Context, a firm.Actor, call uuid.UUID,
	wanted *uuid.UUID) (contract.CallScript, error) {
	view := contract.CallScript{Steps: []contract.ScriptStep{}, Others: []contract.ScriptName{}}
	f, err := fg.Settings(ctx)
	if err != nil {
		return view, err
	}
	row, err := fg.Store.ScriptOfCall(ctx, db.ScriptOfCallParams{CallID: call, Me: a.ID})
	if store.NotFound(err) {
		return view, firm.ErrNotFound
	} else if err != nil {
		return view, err
	}
	scripts, err := fg.Store.Scripts(ctx)
	if err != nil {
		return view, err
	}
	given, err := fg.Store.CallAnswers(ctx, call)
	if err != nil {
		return view, err
	}
	answers := map[string]string{}
	for _, x := range given {
		answers[x.Key] = x.Answer
		if wanted == nil {
			wanted = &x.ScriptID
		}
	}
	var chosen *db.ScriptsRow
	for i, s := range scripts {
		fits := s.Active && (len(s.Directions) == 0 || slices.Contains(s.Directions, row.Direction)) &&
			(len(s.CallTypeIds) == 0 || row.CallTypeID != nil && slices.Contains(s.CallTypeIds, *row.CallTypeID))
		if fits {
			view.Others = append(view.Others, contract.ScriptName{ID: s.ID, Name: s.Name})
		}
		if wanted != nil && s.ID == *wanted || wanted == nil && chosen == nil && fits {
			chosen = &scripts[i]
		}
	}
	if chosen == nil {
		return view, nil
	}
	steps, err := script.Parse(chosen.Body)
	if err != nil {
		return view, fmt.Errorf("script %s: %w", chosen.Name, err)
	}
	number := ""
	if row.RemoteE164 != "" {
		number = phone.Format(row.RemoteE164, row.RemoteExt, f.Region, a.Style)
	}
	now := fg.Clock.Now().In(a.Location())
	values := map[string]string{"name": row.Person, "given name": row.Given, "family name": row.Family,
		"company": row.Company, "rep": a.Name, "firm": f.Name, "number": number, "outcome": "",
		"date": fg.Dates().LongDate(now), "time": fg.Dates().Time(now)}
	view.ScriptID, view.Name = &chosen.ID, chosen.Name
	for _, i := range script.Path(steps, answers) {
		s := steps[i]
		step := contract.ScriptStep{Title: s.Title, Text: wording.Fill(s.Text, values),
			Question: wording.Fill(s.Question, values), Key: s.Key, Free: contract.ScriptStepFree(s.Free),
			Choices: []string{}}
		for _, c := range s.Choices {
			step.Choices = append(step.Choices, c.Label)
		}
		if s.Key != "" {
			step.Answer = answers[s.Key]
		}
		view.Steps = append(view.Steps, step)
	}
	return view, nil
}

// AnswerScript keeps an answer as a field of the call; an empty one is taken back. Errors: *FieldError, ErrNotFound,
// ErrForbidden.
func (fg *Filing) AnswerScript(ctx context.Context, a firm.Actor, call uuid.UUID,
	n contract.ScriptAnswer) (contract.CallScript, error) {
	row, err := fg.Store.ScriptOfCall(ctx, db.ScriptOfCallParams{CallID: call, Me: a.ID})
	switch {
	case store.NotFound(err):
		return contract.CallScript{}, firm.ErrNotFound
	case err != nil:
		return contract.CallScript{}, err
	case !fg.MayOf(ctx, a, rights.CorrectSlips, &row.UserID):
		return contract.CallScript{}, firm.ErrForbidden
	}
	step, err := fg.askedBy(ctx, n.ScriptID, n.Key)
	if err != nil {
		return contract.CallScript{}, err
	}
	answer := firm.CleanText(n.Answer)
	if err := fitsQuestion(step, answer); err != nil {
		return contract.CallScript{}, firm.About("answer", err)
	}
	if answer == "" {
		err = fg.Store.DropAnswer(ctx, db.DropAnswerParams{CallID: call, Key: n.Key})
	} else {
		err = fg.Store.PutAnswer(ctx, db.PutAnswerParams{CallID: call, Key: n.Key, ScriptID: n.ScriptID,
			Question: step.Question, Answer: answer, UserID: a.ID, At: fg.Clock.Now()})
	}
	if err != nil {
		return contract.CallScript{}, err
	}
	fg.PublishHistory(&call)
	return fg.CallScript(ctx, a, call, &n.ScriptID)
}

// askedBy is the step of a script that asks under a key. Error: *FieldError.
func (fg *Filing) askedBy(ctx context.Context, id uuid.UUID, key string) (script.Step, error) {
	rows, err := fg.Store.Scripts(ctx)
	if err != nil {
		return script.Step{}, err
	}
	for _, r := range rows {
		if r.ID != id {
			continue
		}
		steps, err := script.Parse(r.Body)
		if err != nil {
			return script.Step{}, err
		}
		for _, s := range steps {
			if s.Key == key && key != "" {
				return s, nil
			}
		}
	}
	return script.Step{}, firm.Wrong("key", "the script asks nothing under this key")
}

// fitsQuestion tells what is wrong with an answer.
func fitsQuestion(s script.Step, answer string) error {
	if answer == "" {
		return nil
	}
	if s.Free == "number" {
		if _, err := strconv.ParseFloat(strings.ReplaceAll(answer, ",", ""), 64); err != nil {
			return errors.New("this is no number")
		}
	}
	if len(s.Choices) > 0 && !slices.ContainsFunc(s.Choices, func(c script.Choice) bool { return c.Label == answer }) {
		return errors.New("this is none of the answers")
	}
	return nil
}
