package filing

import (
	"context"
	"encoding/json"
	"errors"
	"slices"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/fields"
	"trundo/internal/core/outcome"
	"trundo/internal/core/phone"
	"trundo/internal/core/rights"
	"trundo/internal/core/wording"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// matter is a deal or a case, as a plan reads it.
type matter struct {
	ID    uuid.UUID   `json:"id"`
	Kind  fields.Kind `json:"kind"`
	Name  string      `json:"name"`
	Stage string      `json:"stage"`
}

// situation is what is known for a plan, in the words of core.
func (fg *Filing) situation(ctx context.Context, q *db.Queries, a firm.Actor, f *firm.Settings, row db.PlanOfRow,
	o *firm.Outcome) (outcome.Situation, error) {
	s := outcome.Situation{Now: fg.Clock.Now(), Hours: fg.Hours, Workdays: f.Workdays, Mail: row.Email,
		Names: map[string]string{}, Round: row.InRound,
		Here: a.Location(), Stages: dealStages()}
	if row.PersonID != uuid.Nil {
		s.Person = &outcome.Named{ID: row.PersonID.String(), Name: row.PersonName}
	}
	if err := theMatters(row, &s); err != nil {
		return s, err
	}
	var numbers []db.NumbersOfRow
	if row.PersonID != uuid.Nil {
		var err error
		if numbers, err = q.NumbersOf(ctx, []uuid.UUID{row.PersonID}); err != nil {
			return s, err
		}
	}
	theNumbers(row, numbers, f, &s)
	switch {
	case row.PersonZone != "":
		s.Zone = firm.ZoneNamed(row.PersonZone)
		s.Zones = []string{row.PersonZone}
	case len(s.Zones) > 0:
		s.Zone = firm.ZoneNamed(s.Zones[0])
	default:
		s.Zone = a.Location()
	}
	if row.PersonID != uuid.Nil &&
		slices.ContainsFunc(o.Effects, func(e outcome.Effect) bool { return e.Kind == outcome.EndSequence }) {
		var err error
		if s.Sequence, err = q.InSequences(ctx, row.PersonID); err != nil {
			return s, err
		}
	}
	if err := fg.targetNames(ctx, q, f, o.Effects, s.Names); err != nil {
		return s, err
	}
	if s.Number != nil && slices.ContainsFunc(o.Effects,
		func(e outcome.Effect) bool { return e.Kind == outcome.Message }) {
		l, err := fg.Outreach.Addressed(ctx, q, a, f,
			contract.NewMessage{Channel: contract.ChannelText, Address: &s.Number.E164})
		if err != nil {
			return s, err
		}
		s.NoText = l.Problem
	}
	number := ""
	if row.RemoteE164 != "" {
		number = phone.Format(row.RemoteE164, row.RemoteExt, f.Region, a.Style)
	}
	values := map[string]string{"name": row.PersonName, "given name": row.Given, "family name": row.Family,
		"company": row.CompanyName, "rep": a.Name, "firm": f.Name,
		"number": number, "outcome": o.Label}
	if row.PersonKind == string(fields.Company) {
		values["company"] = row.PersonName
	}
	s.Fill = func(text string) string { return wording.Fill(text, values) }
	return s, nil
}

// dealStages are the stages of a deal, in their order.
func dealStages() []string {
	stage, _ := fields.Find(fields.BuiltIn(fields.Deal), "stage")
	return stage.Choices
}

// theMatters are the deal and the case: what the call is about, else the person's only open one.
func theMatters(row db.PlanOfRow, s *outcome.Situation) error {
	var about, theirs []matter
	if err := json.Unmarshal(row.Matters, &about); err != nil {
		return err
	}
	if err := json.Unmarshal(row.Theirs, &theirs); err != nil {
		return err
	}
	pick := func(kind fields.Kind) (*outcome.Named, int) {
		of := func(all []matter) []matter {
			return slices.DeleteFunc(slices.Clone(all), func(m matter) bool { return m.Kind != kind })
		}
		mine := of(about)
		isAbout := len(mine) > 0
		if !isAbout {
			mine = of(theirs)
		}
		if len(mine) == 1 {
			return &outcome.Named{ID: mine[0].ID.String(), Name: mine[0].Name, Stage: mine[0].Stage, About: isAbout}, 1
		}
		return nil, len(mine)
	}
	s.Deal, s.Deals = pick(fields.Deal)
	s.Case, s.Cases = pick(fields.Case)
	return nil
}

// theNumbers are the number that was spoken with, and which of the person's comes next by number order.
func theNumbers(row db.PlanOfRow, numbers []db.NumbersOfRow, f *firm.Settings, s *outcome.Situation) {
	if row.RemoteE164 != "" {
		s.Number = &outcome.Number{Label: "this number", E164: row.RemoteE164}
		s.Zones = phone.Zones(row.RemoteE164)
	}
	labels := make([]string, len(numbers))
	for i, n := range numbers {
		labels[i] = n.Label
	}
	order := phone.Order(labels, row.NumberOrder, f.Book.Orders[fields.Kind(row.PersonKind)])
	at := -1
	for place, i := range order {
		if n := numbers[i]; s.Number != nil && n.E164 == row.RemoteE164 && n.Ext == row.RemoteExt {
			s.Number.ID, s.Number.Label, at = n.ID.String(), "the "+n.Label+" number", place
		}
	}
	for _, i := range order[at+1:] {
		if n := numbers[i]; n.E164 != "" && n.E164 != row.RemoteE164 && n.DncAt == nil && n.ListedAt == nil {
			s.Next = &outcome.Number{ID: n.ID.String(), Label: "the " + n.Label + " number", E164: n.E164}
			return
		}
	}
}

// targetNames reads the names of what effects name by an id.
func (fg *Filing) targetNames(ctx context.Context, q *db.Queries, f *firm.Settings, effects []outcome.Effect,
	names map[string]string) error {
	var lists []uuid.UUID
	templates := false
	for _, e := range effects {
		if id, err := uuid.Parse(e.Target); err == nil &&
			(e.Kind == outcome.AddToList || e.Kind == outcome.TakeOffList) {
			lists = append(lists, id)
		}
		templates = templates || e.Kind == outcome.Message || e.Kind == outcome.Mail
	}
	for _, e := range effects {
		for _, h := range f.Webhooks {
			if e.Kind == outcome.Webhook && h.Active && h.ID.String() == e.Target {
				names[e.Target] = h.Name
			}
		}
	}
	if templates {
		rows, err := q.Templates(ctx)
		if err != nil {
			return err
		}
		for _, r := range rows {
			kind := outcome.Message
			if r.Channel == string(contract.ChannelMail) {
				kind = outcome.Mail
			}
			if r.Active && slices.ContainsFunc(effects,
				func(e outcome.Effect) bool { return e.Kind == kind && e.Target == r.ID.String() }) {
				names[r.ID.String()] = r.Name
			}
		}
	}
	if len(lists) > 0 {
		rows, err := q.HandLists(ctx, lists)
		if err != nil {
			return err
		}
		for _, r := range rows {
			names[r.ID.String()] = r.Name
		}
	}
	return nil
}

// plan says what an outcome would do now for a slip.
func (fg *Filing) plan(ctx context.Context, q *db.Queries, a firm.Actor, f *firm.Settings, id uuid.UUID,
	o *firm.Outcome) ([]outcome.Item, outcome.Situation, error) {
	if len(o.Effects) == 0 {
		return nil, outcome.Situation{}, nil
	}
	row, err := q.PlanOf(ctx, id)
	if err != nil {
		return nil, outcome.Situation{}, err
	}
	s, err := fg.situation(ctx, q, a, f, row, o)
	if err != nil {
		return nil, s, err
	}
	return outcome.Plan(o.Effects, s), s, nil
}

// PlanFiling says what an outcome will do once a slip is filed. Errors: ErrNotFound, ErrForbidden, *FieldError.
func (fg *Filing) PlanFiling(ctx context.Context, a firm.Actor, id, outcomeID uuid.UUID) (contract.FilingPlan, error) {
	f, err := fg.Settings(ctx)
	if err != nil {
		return contract.FilingPlan{}, err
	}
	o, there := f.Outcome(outcomeID)
	if !there {
		return contract.FilingPlan{}, firm.Wrong("outcome_id", "there is no such outcome")
	}
	owner, err := fg.Store.SlipOwner(ctx, id)
	switch {
	case store.NotFound(err):
		return contract.FilingPlan{}, firm.ErrNotFound
	case err != nil:
		return contract.FilingPlan{}, err
	case !fg.MayOf(ctx, a, rights.CorrectSlips, &owner):
		return contract.FilingPlan{}, firm.ErrForbidden
	}
	items, s, err := fg.plan(ctx, fg.Store.Queries, a, f, id, o)
	return planView(items, s), err
}

func planView(items []outcome.Item, s outcome.Situation) contract.FilingPlan {
	view := contract.FilingPlan{Items: []contract.PlanItem{}}
	if s.Zone != nil {
		view.Zone = s.Zone.String()
	}
	for _, it := range items {
		view.Items = append(view.Items,
			contract.PlanItem{Effect: it.Effect, Kind: contract.EffectKind(it.Kind), Act: it.Act, Words: it.Words,
				Text: it.Text, DueAt: it.Due, DayOnly: it.DayOnly,
				Record: it.Record, Target: it.Target, Value: it.Value, Number: it.Number, Address: it.Address,
				Problem: it.Problem, Struck: it.Struck})
	}
	return view
}

func itemsOf(shown []contract.PlanItem) []outcome.Item {
	items := make([]outcome.Item, len(shown))
	for i, it := range shown {
		items[i] = outcome.Item{Effect: it.Effect, Kind: outcome.Kind(it.Kind), Act: it.Act, Words: it.Words,
			Text: firm.CleanText(it.Text), Due: it.DueAt, DayOnly: it.DayOnly,
			Record: it.Record, Target: it.Target, Value: it.Value, Number: it.Number, Address: it.Address,
			Problem: it.Problem, Struck: it.Struck}
	}
	return items
}

// settled is the plan as it is to be carried out: as it was shown, or as it is now where nothing was shown. Errors:
// *FieldError, ErrChangedElse.
func (fg *Filing) settled(ctx context.Context, q *db.Queries, a firm.Actor, f *firm.Settings, id uuid.UUID,
	o *firm.Outcome, shown *[]contract.PlanItem) ([]outcome.Item, error) {
	fresh, s, err := fg.plan(ctx, q, a, f, id, o)
	if err != nil || len(fresh) == 0 {
		return nil, err
	}
	items := fresh
	if shown != nil {
		items = itemsOf(*shown)
	}
	items, err = outcome.Settle(items, fresh, s.Now)
	var at *outcome.ItemError
	switch {
	case errors.Is(err, outcome.ErrNotPlanned):
		return nil, firm.About("items", err)
	case errors.As(err, &at):
		return nil, firm.About(at.Field, err)
	}
	return items, err
}
