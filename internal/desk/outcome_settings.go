package desk

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
	"trundo/internal/core/wording"
	"trundo/internal/core/workday"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// firmOutcome is an outcome with what it does.
type firmOutcome struct {
	db.Outcome
	Effects []outcome.Effect
}

// offered tells whether an outcome is offered to a team.
func (o *firmOutcome) offered(team string) bool {
	return o.Active && (len(o.Teams) == 0 || slices.Contains(o.Teams, team))
}

func (o *firmOutcome) view() contract.Outcome {
	view := contract.Outcome{ID: o.ID, Label: o.Label, Reached: o.Reached, NeedsNotes: o.NeedsNotes, NeedsFollowUp: o.NeedsFollowUp, CallTypeIds: o.CallTypeIds, Acts: len(o.Effects) > 0,
		Directions: []contract.OutcomeDirections{}}
	for _, way := range o.Directions {
		view.Directions = append(view.Directions, contract.OutcomeDirections(way))
	}
	return view
}

// readOutcomes reads the firm's outcomes and the days on which it does not work.
func (d *Desk) readOutcomes(ctx context.Context, f *firm) error {
	rows, err := d.Store.Outcomes(ctx)
	if err != nil {
		return err
	}
	f.outcomes = make([]firmOutcome, len(rows))
	for i, r := range rows {
		f.outcomes[i].Outcome = db.Outcome{ID: r.ID, Label: r.Label, Position: r.Position, Reached: r.Reached, LeftMessage: r.LeftMessage, NeedsNotes: r.NeedsNotes, Active: r.Active, NeedsFollowUp: r.NeedsFollowUp,
			Directions: r.Directions, Teams: r.Teams, CallTypeIds: r.CallTypeIds, Effects: r.Effects}
		if err := json.Unmarshal(r.Effects, &f.outcomes[i].Effects); err != nil {
			return fmt.Errorf("effects of the outcome %s: %w", r.Label, err)
		}
	}
	if err := d.setting(ctx, "holidays", &f.holidays); err != nil {
		return err
	}
	f.workdays = workday.New(f.holidays)
	return nil
}

// OutcomeSettings are outcomes, call types and holidays as the admin has set them. Error: ErrForbidden.
func (d *Desk) OutcomeSettings(ctx context.Context, a Actor) (contract.OutcomeSettings, error) {
	if !a.mayDo(SetUp) {
		return contract.OutcomeSettings{}, ErrForbidden
	}
	f, err := d.firm(ctx)
	if err != nil {
		return contract.OutcomeSettings{}, err
	}
	s := contract.OutcomeSettings{Outcomes: []contract.OutcomeSetting{}, CallTypes: []contract.CallTypeSetting{}, Holidays: holidayViews(f.holidays),
		OutcomeNeeded: f.rules.OutcomeNeeded, TypeNeeded: f.rules.TypeNeeded}
	used, err := d.Store.OutcomesUsed(ctx)
	if err != nil {
		return s, err
	}
	usedBy := map[uuid.UUID]string{}
	for _, u := range used {
		usedBy[u.ID] = usedInWords(u)
	}
	for _, o := range f.outcomes {
		id, words := o.ID, usedBy[o.ID]
		view := contract.OutcomeSetting{ID: &id, Label: o.Label, Reached: o.Reached, LeftMessage: &o.LeftMessage, NeedsNotes: o.NeedsNotes, NeedsFollowUp: o.NeedsFollowUp, Teams: o.Teams, CallTypeIds: o.CallTypeIds,
			Active: o.Active, Used: &words, Directions: []contract.OutcomeSettingDirections{}, Effects: []contract.Effect{}}
		for _, way := range o.Directions {
			view.Directions = append(view.Directions, contract.OutcomeSettingDirections(way))
		}
		for _, e := range o.Effects {
			view.Effects = append(view.Effects, effectView(e))
		}
		s.Outcomes = append(s.Outcomes, view)
	}
	types, err := d.Store.CallTypesUsed(ctx)
	if err != nil {
		return s, err
	}
	for _, t := range f.types {
		id, words := t.ID, ""
		for _, u := range types {
			if u.ID == t.ID && u.Slips > 0 {
				words = fmt.Sprintf("on %d calls", u.Slips)
			}
		}
		s.CallTypes = append(s.CallTypes, contract.CallTypeSetting{ID: &id, Label: t.Label, Active: t.Active, Used: &words})
	}
	teams, err := d.Store.Teams(ctx)
	if err != nil {
		return s, err
	}
	deals, _ := fields.Find(fields.BuiltIn(fields.Deal), "stage")
	cases, _ := fields.Find(fields.BuiltIn(fields.Case), "stage")
	year := d.Clock.Now().Year()
	known := holidayViews(append(workday.Public(f.region, year), workday.Public(f.region, year+1)...))
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

func effectView(e outcome.Effect) contract.Effect {
	view := contract.Effect{Kind: contract.EffectKind(e.Kind), Text: &e.Text, Count: &e.After.Count, At: e.After.At, Next: &e.Next, Target: &e.Target, Value: &e.Value}
	if e.Act != "" {
		act := contract.EffectAct(e.Act)
		view.Act = &act
	}
	if e.After.Unit != "" {
		unit := contract.EffectUnit(e.After.Unit)
		view.Unit = &unit
	}
	return view
}

// value is what a pointer points to, or nothing.
func value[T any](p *T) T {
	if p == nil {
		var zero T
		return zero
	}
	return *p
}

func effectOf(e contract.Effect) outcome.Effect {
	return outcome.Effect{Kind: outcome.Kind(e.Kind), Act: string(value(e.Act)), Text: cleanText(value(e.Text)),
		After: outcome.After{Count: value(e.Count), Unit: outcome.Unit(value(e.Unit)), At: e.At}, Next: value(e.Next), Target: value(e.Target), Value: value(e.Value)}
}

// SetOutcomeSettings keeps them, in their order. What is left out is no longer offered; on the calls that have it, it stays. Errors: ErrForbidden, *FieldError.
func (d *Desk) SetOutcomeSettings(ctx context.Context, a Actor, s contract.OutcomeSettings) (contract.OutcomeSettings, error) {
	if !a.mayDo(SetUp) {
		return s, ErrForbidden
	}
	f, err := d.firm(ctx)
	if err != nil {
		return s, err
	}
	types, typeNames, err := putTypes(f, s.CallTypes)
	if err != nil {
		return s, err
	}
	outcomes, err := d.putOutcomes(ctx, f, s.Outcomes, typeNames)
	if err != nil {
		return s, err
	}
	holidays, err := cleanHolidays(s.Holidays)
	if err != nil {
		return s, err
	}
	err = d.Store.Tx(ctx, func(q *db.Queries) error {
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
		var firm firmSettings
		if err := d.setting(ctx, "firm", &firm); err != nil {
			return err
		}
		firm.OutcomeNeeded, firm.TypeNeeded = s.OutcomeNeeded, s.TypeNeeded
		now, err := json.Marshal(firm)
		if err != nil {
			return err
		}
		if err := q.PutSetting(ctx, db.PutSettingParams{Key: "firm", Value: now}); err != nil {
			return err
		}
		return d.audited(ctx, q, a, "settings", uuid.Nil, "outcomes", f.outcomes, outcomes)
	})
	if err != nil {
		return s, err
	}
	d.bookChanged()
	return d.OutcomeSettings(ctx, a)
}

// putTypes are the call types as they are to be written, those left out no longer offered, and the ids that there will be.
func putTypes(f *firm, set []contract.CallTypeSetting) ([]db.PutCallTypeParams, map[uuid.UUID]bool, error) {
	var rows []db.PutCallTypeParams
	ids, labels := map[uuid.UUID]bool{}, map[string]bool{}
	for i, t := range set {
		p := db.PutCallTypeParams{Label: cleanText(t.Label), Position: i, Active: t.Active}
		field := fmt.Sprintf("call_types.%d.label", i)
		if p.Label == "" || labels[strings.ToLower(p.Label)] {
			return nil, nil, wrong(field, "each call type needs a name of its own")
		}
		labels[strings.ToLower(p.Label)] = true
		if t.ID == nil {
			p.ID = store.NewID()
		} else if _, known := f.callType(*t.ID); !known || ids[*t.ID] {
			return nil, nil, wrong(field, "there is no such call type")
		} else {
			p.ID = *t.ID
		}
		ids[p.ID] = true
		rows = append(rows, p)
	}
	for _, t := range f.types {
		if !ids[t.ID] {
			ids[t.ID] = true
			rows = append(rows, db.PutCallTypeParams{ID: t.ID, Label: t.Label, Position: len(rows)})
		}
	}
	return rows, ids, nil
}

// putOutcomes are the outcomes as they are to be written, those left out no longer offered.
func (d *Desk) putOutcomes(ctx context.Context, f *firm, set []contract.OutcomeSetting, types map[uuid.UUID]bool) ([]db.PutOutcomeParams, error) {
	var rows []db.PutOutcomeParams
	ids, labels := map[uuid.UUID]bool{}, map[string]bool{}
	for i, o := range set {
		field := fmt.Sprintf("outcomes.%d.", i)
		p := db.PutOutcomeParams{Label: cleanText(o.Label), Position: i, Reached: o.Reached, LeftMessage: value(o.LeftMessage), NeedsNotes: o.NeedsNotes, NeedsFollowUp: o.NeedsFollowUp,
			Teams: o.Teams, CallTypeIds: o.CallTypeIds, Directions: []string{}, Active: o.Active}
		if p.Label == "" || labels[strings.ToLower(p.Label)] {
			return nil, wrong(field+"label", "each outcome needs a name of its own")
		}
		labels[strings.ToLower(p.Label)] = true
		for _, way := range o.Directions {
			p.Directions = append(p.Directions, string(way))
		}
		for _, t := range o.CallTypeIds {
			if !types[t] {
				return nil, wrong(field+"call_type_ids", "there is no such call type")
			}
		}
		if o.ID == nil {
			p.ID = store.NewID()
		} else if _, known := f.outcome(*o.ID); !known || ids[*o.ID] {
			return nil, wrong(field+"label", "there is no such outcome")
		} else {
			p.ID = *o.ID
		}
		ids[p.ID] = true
		list, err := d.cleanEffects(ctx, f, field, o.Effects)
		if err != nil {
			return nil, err
		}
		if p.Effects, err = json.Marshal(list); err != nil {
			return nil, err
		}
		rows = append(rows, p)
	}
	for _, o := range f.outcomes {
		if !ids[o.ID] {
			rows = append(rows, db.PutOutcomeParams{ID: o.ID, Label: o.Label, Position: len(rows), Reached: o.Reached, LeftMessage: o.LeftMessage, NeedsNotes: o.NeedsNotes, NeedsFollowUp: o.NeedsFollowUp,
				Directions: o.Directions, Teams: o.Teams, CallTypeIds: o.CallTypeIds, Effects: o.Outcome.Effects})
		}
	}
	return rows, nil
}

// cleanEffects checks effects: each by itself, and that what it names is there.
func (d *Desk) cleanEffects(ctx context.Context, f *firm, field string, set []contract.Effect) ([]outcome.Effect, error) {
	list := make([]outcome.Effect, len(set))
	for i, e := range set {
		list[i] = effectOf(e)
		at := fmt.Sprintf("%seffects.%d.", field, i)
		err := outcome.Check(i, list[i])
		var item *outcome.ItemError
		if errors.As(err, &item) {
			return nil, &FieldError{at + item.Field, err}
		}
		if _, done := effects[list[i].Kind]; !done {
			return nil, wrong(at+"kind", "there is no such effect")
		}
		if unknown := wording.Unknown(list[i].Text); len(unknown) > 0 && list[i].Kind != outcome.AddTag {
			return nil, wrong(at+"text", "there is no place {"+unknown[0]+"}; there are {"+strings.Join(wording.Places, "}, {")+"}")
		}
		if err := stageThere(list[i]); err != nil {
			return nil, &FieldError{at + "value", err}
		}
	}
	for i, e := range list {
		names := map[string]string{} // of this one: a template for text messages is none for mails
		if err := d.targetNames(ctx, d.Store.Queries, f, list[i:i+1], names); err != nil {
			return nil, err
		}
		if _, there := names[e.Target]; e.Target != "" && !there {
			return nil, wrong(fmt.Sprintf("%seffects.%d.target", field, i), "this is no longer there")
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
			return nil, wrong(fmt.Sprintf("holidays.%d.date", i), "this is no date")
		}
		holidays = append(holidays, workday.Holiday{Date: h.Date, Name: cleanText(h.Name)})
	}
	slices.SortStableFunc(holidays, func(x, y workday.Holiday) int { return strings.Compare(x.Date, y.Date) })
	return slices.CompactFunc(holidays, func(x, y workday.Holiday) bool { return x.Date == y.Date }), nil
}

// PreviewOutcome says what an outcome would do now, with a person who is made up for it. Errors: ErrForbidden, *FieldError.
func (d *Desk) PreviewOutcome(ctx context.Context, a Actor, o contract.OutcomeSetting) (contract.FilingPlan, error) {
	if !a.mayDo(SetUp) {
		return contract.FilingPlan{}, ErrForbidden
	}
	f, err := d.firm(ctx)
	if err != nil {
		return contract.FilingPlan{}, err
	}
	list, err := d.cleanEffects(ctx, f, "", o.Effects)
	if err != nil {
		return contract.FilingPlan{}, err
	}
	s, err := d.situation(ctx, d.Store.Queries, a, f, db.PlanOfRow{PersonName: "the person", Given: "Given", Family: "Family", CompanyName: "their company", Matters: json.RawMessage(`[]`), Theirs: json.RawMessage(`[]`)},
		&firmOutcome{Outcome: db.Outcome{Label: o.Label}, Effects: list})
	if err != nil {
		return contract.FilingPlan{}, err
	}
	s.Person, s.Deal, s.Case = &outcome.Named{Name: "the person"}, &outcome.Named{Name: "their deal"}, &outcome.Named{Name: "their case"}
	s.Number, s.Next, s.Mail, s.Sequence = &outcome.Number{Label: "the number of the call"}, &outcome.Number{Label: "their next number"}, "their address", 1
	return planView(outcome.Plan(list, s), s), nil
}
