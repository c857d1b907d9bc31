package filing

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/fields"
	"trundo/internal/core/outcome"
	"trundo/internal/core/rights"
	"trundo/internal/core/wording"
	"trundo/internal/core/workday"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// OutcomeSettings are outcomes, call types and holidays as the admin has set them. Error: ErrForbidden.
func (fg *Filing) OutcomeSettings(ctx context.Context, a firm.Actor) (contract.OutcomeSettings, error) {
	if !a.MayDo(rights.Outcomes) {
		return contract.OutcomeSettings{}, firm.ErrForbidden
	}
	f, err := fg.Settings(ctx)
	if err != nil {
		return contract.OutcomeSettings{}, err
	}
	s := contract.OutcomeSettings{Outcomes: []contract.OutcomeSetting{}, CallTypes: []contract.CallTypeSetting{},
		Holidays:      holidayViews(f.Holidays),
		OutcomeNeeded: f.Rules.OutcomeNeeded, TypeNeeded: f.Rules.TypeNeeded}
	used, err := fg.Store.OutcomesUsed(ctx)
	if err != nil {
		return s, err
	}
	usedBy := map[uuid.UUID]string{}
	for _, u := range used {
		usedBy[u.ID] = usedInWords(u)
	}
	for _, o := range f.Outcomes {
		id, words := o.ID, usedBy[o.ID]
		view := contract.OutcomeSetting{ID: &id, Label: o.Label, Reached: o.Reached, LeftMessage: &o.LeftMessage,
			NeedsNotes: o.NeedsNotes, NeedsFollowUp: o.NeedsFollowUp, Teams: o.Teams, CallTypeIds: o.CallTypeIds,
			Active: o.Active, Used: &words, Directions: []contract.OutcomeSettingDirections{},
			Effects: []contract.Effect{}}
		for _, way := range o.Directions {
			view.Directions = append(view.Directions, contract.OutcomeSettingDirections(way))
		}
		for _, e := range o.Effects {
			view.Effects = append(view.Effects, firm.EffectView(e))
		}
		s.Outcomes = append(s.Outcomes, view)
	}
	types, err := fg.Store.CallTypesUsed(ctx)
	if err != nil {
		return s, err
	}
	for _, t := range f.CallTypes {
		id, words := t.ID, ""
		for _, u := range types {
			if u.ID == t.ID && u.Slips > 0 {
				words = fmt.Sprintf("on %d calls", u.Slips)
			}
		}
		s.CallTypes = append(s.CallTypes,
			contract.CallTypeSetting{ID: &id, Label: t.Label, Active: t.Active, Used: &words})
	}
	teams, err := fg.Store.Teams(ctx)
	if err != nil {
		return s, err
	}
	deals, _ := fields.Find(fields.BuiltIn(fields.Deal), "stage")
	cases, _ := fields.Find(fields.BuiltIn(fields.Case), "stage")
	year := fg.Clock.Now().Year()
	known := holidayViews(append(workday.Public(f.Region, year), workday.Public(f.Region, year+1)...))
	s.Teams, s.DealStages, s.CaseStates, s.PublicHolidays = &teams, &deals.Choices, &cases.Choices, &known
	return s, nil
}

func usedInWords(u db.OutcomesUsedRow) string {
	var parts []string
	if u.Slips > 0 {
		parts = append(parts, fmt.Sprintf("on %d calls", u.Slips))
	}
	if u.OpenSlips > 0 {
		parts = append(parts, fmt.Sprintf("%d of them not yet filed", u.OpenSlips))
	}
	if u.Prepared > 0 {
		parts = append(parts, fmt.Sprintf("chooses %d prepared messages", u.Prepared))
	}
	return strings.Join(parts, ", ")
}

func holidayViews(holidays []workday.Holiday) []contract.Holiday {
	views := make([]contract.Holiday, len(holidays))
	for i, h := range holidays {
		views[i] = contract.Holiday{Date: h.Date, Name: h.Name}
	}
	return views
}

// SetOutcomeSettings keeps them, in their order. What is left out is no longer offered; on the calls that have it, it
// stays. Errors: ErrForbidden, *FieldError.
func (fg *Filing) SetOutcomeSettings(ctx context.Context, a firm.Actor,
	s contract.OutcomeSettings) (contract.OutcomeSettings, error) {
	if !a.MayDo(rights.Outcomes) {
		return s, firm.ErrForbidden
	}
	f, err := fg.Settings(ctx)
	if err != nil {
		return s, err
	}
	types, typeNames, err := putTypes(f, s.CallTypes)
	if err != nil {
		return s, err
	}
	outcomes, err := fg.putOutcomes(ctx, f, s.Outcomes, typeNames)
	if err != nil {
		return s, err
	}
	holidays, err := cleanHolidays(s.Holidays)
	if err != nil {
		return s, err
	}
	err = fg.Store.Tx(ctx, func(q *db.Queries) error {
		for _, t := range types {
			if err := q.PutCallType(ctx, t); err != nil {
				return err
			}
		}
		for _, o := range outcomes {
			if err := q.PutOutcome(ctx, o); err != nil {
				return err
			}
		}
		kept, err := json.Marshal(holidays)
		if err != nil {
			return err
		}
		if err := q.PutSetting(ctx, db.PutSettingParams{Key: "holidays", Value: kept}); err != nil {
			return err
		}
		var rules firm.FirmSettings
		if err := firm.ReadSetting(ctx, q, "firm", &rules); err != nil {
			return err
		}
		rules.OutcomeNeeded, rules.TypeNeeded = s.OutcomeNeeded, s.TypeNeeded
		now, err := json.Marshal(rules)
		if err != nil {
			return err
		}
		if err := q.PutSetting(ctx, db.PutSettingParams{Key: "firm", Value: now}); err != nil {
			return err
		}
		return fg.Audited(ctx, q, a, "settings", uuid.Nil, "outcomes", f.Outcomes, outcomes)
	})
	if err != nil {
		return s, err
	}
	fg.BookChanged()
	return fg.OutcomeSettings(ctx, a)
}

// putTypes are the call types as they are to be written, those left out no longer offered, and the ids that there will
// be.
func putTypes(f *firm.Settings, set []contract.CallTypeSetting) ([]db.PutCallTypeParams, map[uuid.UUID]bool, error) {
	var rows []db.PutCallTypeParams
	ids, labels := map[uuid.UUID]bool{}, map[string]bool{}
	for i, t := range set {
		p := db.PutCallTypeParams{Label: firm.CleanText(t.Label), Position: i, Active: t.Active}
		field := fmt.Sprintf("call_types.%d.label", i)
		if p.Label == "" || labels[strings.ToLower(p.Label)] {
			return nil, nil, firm.Wrong(field, "each call type needs a name of its own")
		}
		labels[strings.ToLower(p.Label)] = true
		if t.ID == nil {
			p.ID = store.NewID()
		} else if _, known := f.CallType(*t.ID); !known || ids[*t.ID] {
			return nil, nil, firm.Wrong(field, "there is no such call type")
		} else {
			p.ID = *t.ID
		}
		ids[p.ID] = true
		rows = append(rows, p)
	}
	for _, t := range f.CallTypes {
		if !ids[t.ID] {
			ids[t.ID] = true
			rows = append(rows, db.PutCallTypeParams{ID: t.ID, Label: t.Label, Position: len(rows)})
		}
	}
	return rows, ids, nil
}

// putOutcomes are the outcomes as they are to be written, those left out no longer offered.
func (fg *Filing) putOutcomes(ctx context.Context, f *firm.Settings, set []contract.OutcomeSetting,
	types map[uuid.UUID]bool) ([]db.PutOutcomeParams, error) {
	var rows []db.PutOutcomeParams
	ids, labels := map[uuid.UUID]bool{}, map[string]bool{}
	for i, o := range set {
		field := fmt.Sprintf("outcomes.%d.", i)
		p := db.PutOutcomeParams{Label: firm.CleanText(o.Label), Position: i, Reached: o.Reached,
			LeftMessage: optional.Value(o.LeftMessage), NeedsNotes: o.NeedsNotes, NeedsFollowUp: o.NeedsFollowUp,
			Teams: o.Teams, CallTypeIds: o.CallTypeIds, Directions: []string{}, Active: o.Active}
		if p.Label == "" || labels[strings.ToLower(p.Label)] {
			return nil, firm.Wrong(field+"label", "each outcome needs a name of its own")
		}
		labels[strings.ToLower(p.Label)] = true
		for _, way := range o.Directions {
			p.Directions = append(p.Directions, string(way))
		}
		for _, t := range o.CallTypeIds {
			if !types[t] {
				return nil, firm.Wrong(field+"call_type_ids", "there is no such call type")
			}
		}
		if o.ID == nil {
			p.ID = store.NewID()
		} else if _, known := f.Outcome(*o.ID); !known || ids[*o.ID] {
			return nil, firm.Wrong(field+"label", "there is no such outcome")
		} else {
			p.ID = *o.ID
		}
		ids[p.ID] = true
		list, err := fg.cleanEffects(ctx, f, field, o.Effects)
		if err != nil {
			return nil, err
		}
		if p.Effects, err = json.Marshal(list); err != nil {
			return nil, err
		}
		rows = append(rows, p)
	}
	for _, o := range f.Outcomes {
		if !ids[o.ID] {
			rows = append(rows, db.PutOutcomeParams{ID: o.ID, Label: o.Label, Position: len(rows), Reached: o.Reached,
				LeftMessage: o.LeftMessage, NeedsNotes: o.NeedsNotes, NeedsFollowUp: o.NeedsFollowUp,
				Directions: o.Directions, Teams: o.Teams, CallTypeIds: o.CallTypeIds, Effects: o.Outcome.Effects})
		}
	}
	return rows, nil
}

// cleanEffects checks effects: each by itself, and that what it names is there.
func (fg *Filing) cleanEffects(ctx context.Context, f *firm.Settings, field string,
	set []contract.Effect) ([]outcome.Effect, error) {
	list := make([]outcome.Effect, len(set))
	for i, e := range set {
		list[i] = firm.EffectOf(e)
		at := fmt.Sprintf("%seffects.%d.", field, i)
		err := outcome.Check(i, list[i])
		var item *outcome.ItemError
		if errors.As(err, &item) {
			return nil, firm.About(at+item.Field, err)
		}
		if _, done := effects[list[i].Kind]; !done {
			return nil, firm.Wrong(at+"kind", "there is no such effect")
		}
		if unknown := wording.Unknown(list[i].Text); len(unknown) > 0 && list[i].Kind != outcome.AddTag {
			return nil, firm.Wrong(at+"text", "there is no place {"+unknown[0]+"}; there are {"+
				strings.Join(wording.Places, "}, {")+"}")
		}
		if err := stageThere(list[i]); err != nil {
			return nil, firm.About(at+"value", err)
		}
	}
	for i, e := range list {
		names := map[string]string{} // of this one: a template for text messages is none for mails
		if err := fg.targetNames(ctx, fg.Store.Queries, f, list[i:i+1], names); err != nil {
			return nil, err
		}
		if _, there := names[e.Target]; e.Target != "" && !there {
			return nil, firm.Wrong(fmt.Sprintf("%seffects.%d.target", field, i), "this is no longer there")
		}
	}
	return list, nil
}

func stageThere(e outcome.Effect) error {
	kind := map[outcome.Kind]fields.Kind{outcome.DealStage: fields.Deal, outcome.CaseState: fields.Case}[e.Kind]
	if kind == "" {
		return nil
	}
	stage, _ := fields.Find(fields.BuiltIn(kind), "stage")
	if !slices.Contains(stage.Choices, e.Value) {
		return errors.New("there is no such stage")
	}
	return nil
}

func cleanHolidays(set []contract.Holiday) ([]workday.Holiday, error) {
	holidays := []workday.Holiday{}
	for i, h := range set {
		if _, err := time.Parse(time.DateOnly, h.Date); err != nil {
			return nil, firm.Wrong(fmt.Sprintf("holidays.%d.date", i), "this is no date")
		}
		holidays = append(holidays, workday.Holiday{Date: h.Date, Name: firm.CleanText(h.Name)})
	}
	slices.SortStableFunc(holidays, func(x, y workday.Holiday) int { return strings.Compare(x.Date, y.Date) })
	return slices.CompactFunc(holidays, func(x, y workday.Holiday) bool { return x.Date == y.Date }), nil
}

// PreviewOutcome says what an outcome would do now, with a person who is made up for it. Errors: ErrForbidden,
// *FieldError.
func (fg *Filing) PreviewOutcome(ctx context.Context, a firm.Actor,
	o contract.OutcomeSetting) (contract.FilingPlan, error) {
	if !a.MayDo(rights.Outcomes) {
		return contract.FilingPlan{}, firm.ErrForbidden
	}
	f, err := fg.Settings(ctx)
	if err != nil {
		return contract.FilingPlan{}, err
	}
	list, err := fg.cleanEffects(ctx, f, "", o.Effects)
	if err != nil {
		return contract.FilingPlan{}, err
	}
	s, err := fg.situation(ctx, fg.Store.Queries, a, f,
		db.PlanOfRow{PersonName: "the person", Given: "Given", Family: "Family", CompanyName: "their company",
			Matters: json.RawMessage(`[]`), Theirs: json.RawMessage(`[]`)},
		&firm.Outcome{Outcome: db.Outcome{Label: o.Label}, Effects: list})
	if err != nil {
		return contract.FilingPlan{}, err
	}
	s.Person, s.Deal, s.Case = &outcome.Named{
		Name: "the person",
	}, &outcome.Named{
		Name: "their deal",
	}, &outcome.Named{
		Name: "their case",
	}
	s.Number, s.Next, s.Mail, s.Sequence = &outcome.Number{
		Label: "the number of the call",
	}, &outcome.Number{
		Label: "their next number",
	}, "their address", 1
	return planView(outcome.Plan(list, s), s), nil
}
