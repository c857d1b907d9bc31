package desk

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/fields"
	"trundo/internal/core/outcome"
	"trundo/internal/core/phone"
	"trundo/internal/core/slip"
	"trundo/internal/core/wording"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// undoPatience is for how long after its filing a slip can be opened again with what it did taken back.
const undoPatience = 10 * time.Minute

// ErrTooLate is told who wants to undo a filing that lies back.
var ErrTooLate = errors.New("this was filed more than ten minutes ago: what it did can be changed where it stands")

// ErrNothingToUndo is told who wants to undo a filing that is not there.
var ErrNothingToUndo = errors.New("this slip is not filed")

// matter is a deal or a case, as a plan reads it.
type matter struct {
	ID    uuid.UUID   `json:"id"`
	Kind  fields.Kind `json:"kind"`
	Name  string      `json:"name"`
	Stage string      `json:"stage"`
}

// situation is what is known for a plan, in the words of core.
func (d *Desk) situation(ctx context.Context, q *db.Queries, a Actor, f *firm, row db.PlanOfRow, o *firmOutcome) (outcome.Situation, error) {
	s := outcome.Situation{Now: d.Clock.Now(), Hours: d.Hours, Workdays: f.workdays, Mail: row.Email, Names: map[string]string{}}
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
		s.Zone = zoneNamed(row.PersonZone)
		s.Zones = []string{row.PersonZone}
	case len(s.Zones) > 0:
		s.Zone = zoneNamed(s.Zones[0])
	default:
		s.Zone = a.zone()
	}
	if row.PersonID != uuid.Nil && slices.ContainsFunc(o.Effects, func(e outcome.Effect) bool { return e.Kind == outcome.EndSequence }) {
		var err error
		if s.Sequence, err = q.InSequences(ctx, row.PersonID); err != nil {
			return s, err
		}
	}
	if err := d.targetNames(ctx, q, f, o.Effects, s.Names); err != nil {
		return s, err
	}
	if s.Number != nil && slices.ContainsFunc(o.Effects, func(e outcome.Effect) bool { return e.Kind == outcome.Message }) {
		l, err := d.addressed(ctx, q, a, f, contract.NewMessage{Channel: contract.ChannelText, Address: &s.Number.E164})
		if err != nil {
			return s, err
		}
		s.NoText = l.problem
	}
	number := ""
	if row.RemoteE164 != "" {
		number = phone.Format(row.RemoteE164, row.RemoteExt, f.region, a.Style)
	}
	values := map[string]string{"name": row.PersonName, "given name": row.Given, "family name": row.Family, "company": row.CompanyName, "rep": a.Name, "firm": f.name,
		"number": number, "outcome": o.Label}
	if row.PersonKind == string(fields.Company) {
		values["company"] = row.PersonName
	}
	s.Fill = func(text string) string { return wording.Fill(text, values) }
	return s, nil
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
		if len(mine) == 0 {
			mine = of(theirs)
		}
		if len(mine) == 1 {
			return &outcome.Named{ID: mine[0].ID.String(), Name: mine[0].Name, Stage: mine[0].Stage}, 1
		}
		return nil, len(mine)
	}
	s.Deal, s.Deals = pick(fields.Deal)
	s.Case, s.Cases = pick(fields.Case)
	return nil
}

// theNumbers are the number that was spoken with, and which of the person's comes next by number order.
func theNumbers(row db.PlanOfRow, numbers []db.NumbersOfRow, f *firm, s *outcome.Situation) {
	if row.RemoteE164 != "" {
		s.Number = &outcome.Number{Label: "this number", E164: row.RemoteE164}
		s.Zones = phone.Zones(row.RemoteE164)
	}
	labels := make([]string, len(numbers))
	for i, n := range numbers {
		labels[i] = n.Label
	}
	order := phone.Order(labels, row.NumberOrder, f.book.Orders[fields.Kind(row.PersonKind)])
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
func (d *Desk) targetNames(ctx context.Context, q *db.Queries, f *firm, effects []outcome.Effect, names map[string]string) error {
	var lists []uuid.UUID
	templates := false
	for _, e := range effects {
		if id, err := uuid.Parse(e.Target); err == nil && (e.Kind == outcome.AddToList || e.Kind == outcome.TakeOffList) {
			lists = append(lists, id)
		}
		templates = templates || e.Kind == outcome.Message || e.Kind == outcome.Mail
	}
	for _, e := range effects {
		for _, h := range f.webhooks {
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
			if r.Active && slices.ContainsFunc(effects, func(e outcome.Effect) bool { return e.Kind == kind && e.Target == r.ID.String() }) {
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
func (d *Desk) plan(ctx context.Context, q *db.Queries, a Actor, f *firm, id uuid.UUID, o *firmOutcome) ([]outcome.Item, outcome.Situation, error) {
	if len(o.Effects) == 0 {
		return nil, outcome.Situation{}, nil
	}
	row, err := q.PlanOf(ctx, id)
	if err != nil {
		return nil, outcome.Situation{}, err
	}
	s, err := d.situation(ctx, q, a, f, row, o)
	if err != nil {
		return nil, s, err
	}
	return outcome.Plan(o.Effects, s), s, nil
}

// PlanFiling says what an outcome will do once a slip is filed. Errors: ErrNotFound, ErrForbidden, *FieldError.
func (d *Desk) PlanFiling(ctx context.Context, a Actor, id, outcomeID uuid.UUID) (contract.FilingPlan, error) {
	f, err := d.firm(ctx)
	if err != nil {
		return contract.FilingPlan{}, err
	}
	o, there := f.outcome(outcomeID)
	if !there {
		return contract.FilingPlan{}, wrong("outcome_id", "there is no such outcome")
	}
	owner, err := d.Store.SlipOwner(ctx, id)
	switch {
	case store.NotFound(err):
		return contract.FilingPlan{}, ErrNotFound
	case err != nil:
		return contract.FilingPlan{}, err
	case owner != a.ID && !a.leads():
		return contract.FilingPlan{}, ErrForbidden
	}
	items, s, err := d.plan(ctx, d.Store.Queries, a, f, id, o)
	return planView(items, s), err
}

func planView(items []outcome.Item, s outcome.Situation) contract.FilingPlan {
	view := contract.FilingPlan{Items: []contract.PlanItem{}}
	if s.Zone != nil {
		view.Zone = s.Zone.String()
	}
	for _, it := range items {
		view.Items = append(view.Items, contract.PlanItem{Effect: it.Effect, Kind: contract.EffectKind(it.Kind), Act: it.Act, Words: it.Words, Text: it.Text, DueAt: it.Due, DayOnly: it.DayOnly,
			Record: it.Record, Target: it.Target, Value: it.Value, Number: it.Number, Address: it.Address, Problem: it.Problem, Struck: it.Struck})
	}
	return view
}

func itemsOf(shown []contract.PlanItem) []outcome.Item {
	items := make([]outcome.Item, len(shown))
	for i, it := range shown {
		items[i] = outcome.Item{Effect: it.Effect, Kind: outcome.Kind(it.Kind), Act: it.Act, Words: it.Words, Text: strings.ReplaceAll(it.Text, "\x00", ""), Due: it.DueAt, DayOnly: it.DayOnly,
			Record: it.Record, Target: it.Target, Value: it.Value, Number: it.Number, Address: it.Address, Problem: it.Problem, Struck: it.Struck}
	}
	return items
}

// settled is the plan as it is to be carried out: as it was shown, or as it is now where nothing was shown. Errors: *FieldError, ErrChangedElse.
func (d *Desk) settled(ctx context.Context, q *db.Queries, a Actor, f *firm, id uuid.UUID, o *firmOutcome, shown *[]contract.PlanItem) ([]outcome.Item, error) {
	fresh, s, err := d.plan(ctx, q, a, f, id, o)
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
		return nil, &FieldError{"items", err}
	case errors.As(err, &at):
		return nil, &FieldError{at.Field, err}
	}
	return items, err
}

// filing carries out the plan of a slip that is being filed, in its transaction.
type filing struct {
	desk  *Desk
	q     *db.Queries
	a     Actor
	f     *firm
	slip  db.LockSlipRow
	id    uuid.UUID
	at    time.Time
	rows  []db.InsertFilingEffectsParams
	lanes []uuid.UUID // whose lane has changed
	where []uuid.UUID // records that have changed
	wrote bool        // something waits to be sent
}

// carryOut does what a plan says and keeps what was there before.
func (x *filing) carryOut(ctx context.Context, items []outcome.Item) error {
	if err := x.q.InsertFiling(ctx, db.InsertFilingParams{ID: x.id, SlipID: x.slip.ID, UserID: x.slip.UserID, OutcomeID: x.slip.OutcomeID, At: x.at, Asked: x.slip.AsksWho}); err != nil {
		return err
	}
	for i, it := range items {
		effect, known := effects[it.Kind]
		if !known {
			return &FieldError{"items", outcome.ErrNotPlanned}
		}
		item, err := json.Marshal(it)
		if err != nil {
			return err
		}
		row := db.InsertFilingEffectsParams{FilingID: x.id, Position: i, Item: item, Before: json.RawMessage(`{}`)}
		before, err := effect.do(ctx, x, it, &row)
		if err != nil {
			return err
		}
		if before != nil {
			if row.Before, err = json.Marshal(before); err != nil {
				return err
			}
		}
		x.rows = append(x.rows, row)
	}
	return every(x.q.InsertFilingEffects(ctx, x.rows).Exec)
}

// correct follows a filed slip's new outcome: what the former one did is taken back, and what the new one does is done, as far as the rep says so.
func (x *filing) correct(ctx context.Context, c contract.SlipChange) error {
	if value(c.TakeBack) {
		filings, err := x.q.Filings(ctx, x.slip.ID)
		if err != nil {
			return err
		}
		for _, f := range filings {
			if f.UndoneAt != nil {
				continue
			}
			records, err := x.desk.takeBack(ctx, x.q, x.a, x.slip, f.ID)
			if err != nil {
				return err
			}
			x.where = append(x.where, records...)
			if err := x.q.SetFilingUndone(ctx, db.SetFilingUndoneParams{ID: f.ID, At: &x.at}); err != nil {
				return err
			}
		}
	}
	if c.Items == nil || x.slip.OutcomeID == nil {
		return nil
	}
	o, _ := x.f.outcome(*x.slip.OutcomeID)
	plan, err := x.desk.settled(ctx, x.q, x.a, x.f, x.slip.ID, o, c.Items)
	if err != nil || len(plan) == 0 {
		return err
	}
	return x.carryOut(ctx, plan)
}

func sameID(x, y *uuid.UUID) bool { return x == y || x != nil && y != nil && *x == *y }

// take is an effect that is taken back: what was done, and what is there now.
type take struct {
	desk *Desk
	q    *db.Queries
	a    Actor
	slip db.LockSlipRow
	item outcome.Item
	row  db.FilingEffectsRow
}

// changedSince is why something stays that somebody has changed.
const changedSince = "it has been changed since"

// UndoFiling opens a slip again and takes back what its filing did. What has been changed since stays, and is said. Undoing twice is no mistake.
// Errors: ErrNotFound, ErrForbidden, ErrNothingToUndo, ErrTooLate.
func (d *Desk) UndoFiling(ctx context.Context, a Actor, id uuid.UUID) (contract.Filing, error) {
	var s db.LockSlipRow
	var view contract.Filing
	var where []uuid.UUID
	err := d.Store.Tx(ctx, func(q *db.Queries) error {
		var err error
		if s, err = lockSlip(ctx, q, a, id); err != nil {
			return err
		}
		filings, err := q.Filings(ctx, id)
		if err != nil {
			return err
		}
		if s.State != string(slip.Filed) {
			if len(filings) == 0 || filings[0].UndoneAt == nil {
				return ErrNothingToUndo
			}
			view, err = d.filingView(ctx, q, filings[0])
			return err
		}
		if s.FiledAt == nil || d.Clock.Since(*s.FiledAt) > undoPatience {
			return ErrTooLate
		}
		asks := false
		view = contract.Filing{SlipID: id, At: *s.FiledAt, UndoUntil: s.FiledAt.Add(undoPatience), Undone: true, Effects: []contract.FilingEffect{}}
		for _, f := range filings { // one, and one for each correction
			if f.UndoneAt != nil {
				continue
			}
			records, err := d.takeBack(ctx, q, a, s, f.ID)
			if err != nil {
				return err
			}
			where, asks = append(where, records...), f.Asked
			now := d.Clock.Now()
			if err := q.SetFilingUndone(ctx, db.SetFilingUndoneParams{ID: f.ID, At: &now}); err != nil {
				return err
			}
			f.UndoneAt = &now
			did, err := d.filingView(ctx, q, f)
			if err != nil {
				return err
			}
			did.Effects = append(did.Effects, view.Effects...)
			view = did
		}
		if err := q.ReopenSlip(ctx, db.ReopenSlipParams{ID: id, AsksWho: asks}); err != nil {
			return err
		}
		return d.audited(ctx, q, a, "slip", id, "opened again", map[string]string{}, map[string]string{})
	})
	if err != nil {
		return contract.Filing{}, err
	}
	d.mu.Lock()
	d.slips[id] = slipOwner{s.UserID, s.CallID}
	d.mu.Unlock()
	d.publishSlip(s.UserID, s.CallID, "")
	d.publishLane(s.UserID)
	if len(where) > 0 {
		d.publishRecord(where...)
	}
	_, err = d.tellAndView(ctx, a, s.CallID)
	return view, err
}

// takeBack takes the effects of a filing back, the last one first, and tells which records have changed.
func (d *Desk) takeBack(ctx context.Context, q *db.Queries, a Actor, s db.LockSlipRow, filing uuid.UUID) ([]uuid.UUID, error) {
	rows, err := q.FilingEffects(ctx, filing)
	if err != nil {
		return nil, err
	}
	var where []uuid.UUID
	for i := len(rows) - 1; i >= 0; i-- {
		row := rows[i]
		if row.State != "done" {
			continue
		}
		t := take{desk: d, q: q, a: a, slip: s, row: row}
		if err := json.Unmarshal(row.Item, &t.item); err != nil {
			return nil, err
		}
		why, err := effects[t.item.Kind].undo(ctx, t)
		if err != nil {
			return nil, err
		}
		state := "undone"
		if why != "" {
			state = "stays"
		} else if row.ChangeID != nil {
			if err := q.DropHistory(ctx, db.DropHistoryParams{RefID: *row.ChangeID, Kind: "change"}); err != nil {
				return nil, err
			}
		}
		if err := q.SetFilingEffect(ctx, db.SetFilingEffectParams{FilingID: filing, Position: row.Position, State: state, Why: why}); err != nil {
			return nil, err
		}
		if record, err := uuid.Parse(t.item.Record); err == nil {
			where = append(where, record)
		}
	}
	return where, nil
}

func (d *Desk) filingView(ctx context.Context, q *db.Queries, f db.Filing) (contract.Filing, error) {
	view := contract.Filing{ID: f.ID, SlipID: f.SlipID, At: f.At, UndoUntil: f.At.Add(undoPatience), Undone: f.UndoneAt != nil, Effects: []contract.FilingEffect{}}
	rows, err := q.FilingEffects(ctx, f.ID)
	for _, r := range rows {
		var it outcome.Item
		if err := json.Unmarshal(r.Item, &it); err != nil {
			return view, err
		}
		words := it.Words
		if it.Kind == outcome.FollowUp && it.Text != "" || it.Kind == outcome.NewCase {
			words += ": " + it.Text
		}
		view.Effects = append(view.Effects, contract.FilingEffect{Words: words, DueAt: it.Due, DayOnly: it.DayOnly, State: contract.FilingEffectState(r.State), Why: r.Why})
	}
	return view, err
}

// lastFiling is what the last filing of a slip did; nil where none did anything.
func (d *Desk) lastFiling(ctx context.Context, id uuid.UUID) (*contract.Filing, error) {
	filings, err := d.Store.Filings(ctx, id)
	if err != nil || len(filings) == 0 {
		return nil, err
	}
	view, err := d.filingView(ctx, d.Store.Queries, filings[0])
	return &view, err
}

// hasFollowUp tells whether something is to be done next: by the plan, or noted since the call began.
func (d *Desk) hasFollowUp(ctx context.Context, q *db.Queries, call uuid.UUID, plan []outcome.Item) (bool, error) {
	if slices.ContainsFunc(plan, func(it outcome.Item) bool { return it.Kind == outcome.FollowUp || it.Kind == outcome.Retry }) {
		return true, nil
	}
	return q.HasFollowUpSince(ctx, call)
}

// tellOfFiling tells everybody what a filing has changed.
func (d *Desk) tellOfFiling(x filing) {
	if len(x.where) > 0 {
		d.publishRecord(x.where...)
	}
	if x.wrote {
		d.posted(nil)
	}
}
