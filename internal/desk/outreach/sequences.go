package outreach

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/outcome"
	"trundo/internal/core/rights"
	"trundo/internal/core/sequence"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// Sequences are the firm's, in their order.
func (ou *Outreach) Sequences(ctx context.Context) ([]contract.Sequence, error) {
	rows, err := ou.Store.Sequences(ctx)
	if err != nil {
		return nil, err
	}
	views := []contract.Sequence{}
	for _, r := range rows {
		steps, err := stepsOf(r.Steps)
		if err != nil {
			return nil, err
		}
		view := contract.Sequence{ID: &r.ID, Name: r.Name, Active: r.Active, Members: &r.Members,
			Steps: []contract.SequenceStep{}}
		for _, s := range steps {
			x := contract.SequenceStep{Act: contract.SequenceStepAct(s.Act), Count: s.After.Count,
				Unit: contract.SequenceStepUnit(s.After.Unit), At: s.After.At, Text: &s.Text}
			if id, err := uuid.Parse(s.Template); err == nil {
				x.TemplateID = &id
			}
			view.Steps = append(view.Steps, x)
		}
		views = append(views, view)
	}
	return views, nil
}

func stepsOf(text json.RawMessage) ([]sequence.Step, error) {
	var steps []sequence.Step
	if err := json.Unmarshal(text, &steps); err != nil {
		return nil, fmt.Errorf("steps of a sequence: %w", err)
	}
	return steps, nil
}

// SetSequences keeps the sequences, in their order. One left out takes nobody in any more; who is in it goes on.
// Errors: ErrForbidden, *FieldError.
func (ou *Outreach) SetSequences(ctx context.Context, a firm.Actor,
	set []contract.Sequence) ([]contract.Sequence, error) {
	if !a.MayDo(rights.Sequences) {
		return nil, firm.ErrForbidden
	}
	before, err := ou.Store.Sequences(ctx)
	if err != nil {
		return nil, err
	}
	templates, err := ou.Store.Templates(ctx)
	if err != nil {
		return nil, err
	}
	channels := map[string]string{}
	for _, t := range templates {
		channels[t.ID.String()] = t.Channel
	}
	known := map[uuid.UUID]db.SequencesRow{}
	for _, r := range before {
		known[r.ID] = r
	}
	var rows []db.PutSequenceParams
	for i, s := range set {
		field := fmt.Sprintf("sequences.%d.", i)
		p := db.PutSequenceParams{ID: store.NewID(), Name: firm.CleanText(s.Name), Active: s.Active, Position: i}
		if p.Name == "" {
			return nil, firm.Wrong(field+"name", "a sequence needs a name")
		}
		if len(s.Steps) == 0 {
			return nil, firm.Wrong(field+"steps", "a sequence has a step at least")
		}
		steps := make([]sequence.Step, len(s.Steps))
		for j, x := range s.Steps {
			steps[j] = sequence.Step{Act: string(x.Act),
				After:    outcome.After{Count: x.Count, Unit: outcome.Unit(x.Unit), At: x.At},
				Template: optional.ID(x.TemplateID), Text: firm.CleanText(optional.Value(x.Text))}
			at := fmt.Sprintf("%ssteps.%d.", field, j)
			var item *outcome.ItemError
			if err := sequence.Check(j, steps[j]); errors.As(err, &item) {
				return nil, firm.About(at+item.Field, err)
			}
			if steps[j].Act != sequence.Call && channels[steps[j].Template] != steps[j].Act {
				return nil, firm.Wrong(at+"template_id", "this template is gone, or is for something else")
			}
		}
		if p.Steps, err = json.Marshal(steps); err != nil {
			return nil, err
		}
		if s.ID != nil {
			if _, there := known[*s.ID]; !there {
				return nil, firm.Wrong(field+"name", "there is no such sequence")
			}
			p.ID = *s.ID
			delete(known, p.ID)
		}
		rows = append(rows, p)
	}
	for id, r := range known {
		rows = append(rows, db.PutSequenceParams{ID: id, Name: r.Name, Steps: r.Steps, Position: len(rows)})
	}
	err = ou.Store.Tx(ctx, func(q *db.Queries) error {
		for _, p := range rows {
			if err := q.PutSequence(ctx, p); err != nil {
				return err
			}
		}
		return ou.Audited(ctx, q, a, "settings", uuid.Nil, "sequences", map[string]int{"sequences": len(before)},
			map[string]int{"sequences": len(set)})
	})
	if err != nil {
		return nil, err
	}
	return ou.Sequences(ctx)
}

// Enrol takes somebody, or everybody of a hand-made list who may be called, into a sequence. Errors: *FieldError,
// ErrNotFound, ErrGone.
func (ou *Outreach) Enrol(ctx context.Context, a firm.Actor, id uuid.UUID,
	e contract.Enrolment) (contract.Enrolled, error) {
	var result contract.Enrolled
	steps, err := ou.activeSteps(ctx, id)
	if err != nil {
		return result, err
	}
	people, err := ou.whomToEnrol(ctx, a, e)
	if err != nil {
		return result, err
	}
	f, err := ou.Settings(ctx)
	if err != nil {
		return result, err
	}
	places, err := ou.Store.PlacesOf(ctx, people)
	if err != nil {
		return result, err
	}
	if e.RecordID != nil && len(places) == 0 {
		return result, firm.ErrNotFound
	}
	p := db.EnrolParams{SequenceID: id, OwnerID: a.ID, At: ou.Clock.Now().Truncate(time.Microsecond)}
	for _, x := range places {
		due, there := sequence.Due(steps, 0, ou.placed(f, a.Location(), x))
		if !there {
			continue
		}
		if soonest := p.At.Add(sendDelay); due.Before(soonest) {
			due = soonest // until then it can be undone before anything has gone out
		}
		p.Ids, p.Records, p.NextAts = append(p.Ids, store.NewID()), append(p.Records, x.ID), append(p.NextAts, due)
	}
	n, err := ou.Store.Enrol(ctx, p)
	if err != nil {
		return contract.Enrolled{}, err
	}
	result.Enrolled, result.Skipped, result.At = int(n), len(people)-int(n), p.At
	wake(ou.stepped)
	if e.RecordID != nil {
		ou.PublishRecord(*e.RecordID)
	}
	return result, nil
}

// UndoEnrolment takes out of a sequence whom a has taken in at a time, which is the answer of Enrol; what it has
// written and not sent yet is not sent.
func (ou *Outreach) UndoEnrolment(ctx context.Context, a firm.Actor, id uuid.UUID, at time.Time) error {
	now := ou.Clock.Now()
	if _, err := ou.Store.EndMembersOf(ctx,
		db.EndMembersOfParams{SequenceID: &id, EnrolledAt: &at, OwnerID: &a.ID, Why: string(sequence.ByHand),
			At: &now}); err != nil {
		return err
	}
	ou.PublishRecord()
	ou.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindLane})
	return nil
}

// PreviewSequence tells what would be done with somebody who came into a sequence now, and when, if nobody answers.
// Errors: ErrNotFound, ErrGone.
func (ou *Outreach) PreviewSequence(ctx context.Context, a firm.Actor, id uuid.UUID,
	whom contract.Enrolment) ([]contract.PlannedStep, error) {
	people, err := ou.whomToEnrol(ctx, a, whom)
	if err != nil {
		return nil, err
	}
	if len(people) == 0 {
		return nil, firm.Wrong("list_id", "nobody of this list may be called")
	}
	record := people[0]
	steps, err := ou.activeSteps(ctx, id)
	if err != nil {
		return nil, err
	}
	f, err := ou.Settings(ctx)
	if err != nil {
		return nil, err
	}
	places, err := ou.Store.PlacesOf(ctx, []uuid.UUID{record})
	if err != nil {
		return nil, err
	}
	if len(places) == 0 {
		return nil, firm.ErrNotFound
	}
	planned := make([]contract.PlannedStep, len(steps))
	at := ou.placed(f, a.Location(), places[0])
	for i, s := range steps {
		due, _ := sequence.Due(steps, i, at)
		at.Now = due
		planned[i] = contract.PlannedStep{Act: contract.PlannedStepAct(s.Act), At: due, Text: s.Text}
		if s.Act == sequence.Call {
			continue
		}
		subject, body, err := ou.stepMessage(ctx, ou.Store.Queries, a, f, s, record)
		switch refused := (*firm.FieldError)(nil); {
		case errors.As(err, &refused):
			planned[i].Problem = err.Error()
		case err != nil:
			return nil, err
		}
		planned[i].Subject, planned[i].Text = &subject, body
	}
	return planned, nil
}

// stepMessage is what a step would write to a record. Error: *FieldError, why it cannot.
func (ou *Outreach) stepMessage(ctx context.Context, q *db.Queries, a firm.Actor, f *firm.Settings, s sequence.Step,
	record uuid.UUID) (subject, body string, err error) {
	template, err := uuid.Parse(s.Template)
	if err != nil {
		return "", "", firm.Wrong("template_id", "the template is gone")
	}
	l, err := ou.Addressed(ctx, q, a, f, contract.NewMessage{Channel: contract.Channel(s.Act), RecordID: &record})
	if err != nil {
		return "", "", err
	}
	if l.Problem != "" {
		return "", "", firm.Wrong("record_id", l.Problem)
	}
	return ou.FromTemplate(ctx, q, a, f, l, template, nil)
}

// activeSteps are the steps of a sequence that takes people in. Error: ErrNotFound.
func (ou *Outreach) activeSteps(ctx context.Context, id uuid.UUID) ([]sequence.Step, error) {
	rows, err := ou.Store.Sequences(ctx)
	if err != nil {
		return nil, err
	}
	for _, r := range rows {
		if r.ID == id && r.Active {
			return stepsOf(r.Steps)
		}
	}
	return nil, firm.ErrNotFound
}

// whomToEnrol are a record, or the people of a list that a may read.
func (ou *Outreach) whomToEnrol(ctx context.Context, a firm.Actor, e contract.Enrolment) ([]uuid.UUID, error) {
	switch {
	case e.RecordID != nil:
		return []uuid.UUID{*e.RecordID}, nil
	case e.ListID == nil:
		return nil, firm.Wrong("record_id", "say whom")
	}
	if _, err := ou.book.List(ctx, a, *e.ListID); err != nil {
		return nil, err
	}
	return ou.Store.ListPeople(ctx, *e.ListID)
}

// placed is what is known for computing times at a record's place; usual is where nothing is known of it.
func (ou *Outreach) placed(f *firm.Settings, usual *time.Location, x db.PlacesOfRow) outcome.Situation {
	s := outcome.Situation{Now: ou.Clock.Now(), Zone: usual, Hours: ou.Hours, Workdays: f.Workdays}
	switch {
	case x.Zone != "":
		s.Zone, s.Zones = firm.ZoneNamed(x.Zone), []string{x.Zone}
	case len(x.Zones) > 0:
		s.Zone, s.Zones = firm.ZoneNamed(x.Zones[0]), x.Zones
	}
	return s
}

// Memberships are the sequences that somebody is or was in, those going on first.
func (ou *Outreach) Memberships(ctx context.Context, record uuid.UUID) ([]contract.Membership, error) {
	rows, err := ou.Store.MembershipsOf(ctx, record)
	if err != nil {
		return nil, err
	}
	views := []contract.Membership{}
	for _, r := range rows {
		steps, err := stepsOf(r.Steps)
		if err != nil {
			return nil, err
		}
		view := contract.Membership{ID: r.ID, SequenceID: r.SequenceID, Name: r.Name, Step: min(r.Step+1, len(steps)),
			Steps: len(steps), NextAt: r.NextAt, Active: r.State == "active", Why: r.Why,
			Owner: r.OwnerName}
		if view.Active && r.Step < len(steps) {
			view.Next = map[string]string{sequence.Call: "a call", sequence.Mail: "a mail",
				sequence.Text: "a text message"}[steps[r.Step].Act]
			if r.NextAt == nil {
				view.Next = "the call in the lane"
			}
		}
		views = append(views, view)
	}
	return views, nil
}

// EndMemberships takes somebody by hand out of one sequence, or out of every one where none is named. What the one has
// written and not sent yet is not sent.
func (ou *Outreach) EndMemberships(ctx context.Context, record uuid.UUID, of *uuid.UUID, replied bool) error {
	why := sequence.ByHand
	if replied {
		why = sequence.Replied
	}
	now := ou.Clock.Now()
	if _, err := ou.Store.EndMembersOf(ctx,
		db.EndMembersOfParams{RecordID: &record, SequenceID: of, Why: string(why), At: &now}); err != nil {
		return err
	}
	ou.PublishHistory(nil, record)
	ou.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindLane})
	return nil
}

// endSequences ends what a record is in; who calls it tells everybody when that is committed.
func (ou *Outreach) endSequences(ctx context.Context, q *db.Queries, record uuid.UUID, why sequence.Reason) error {
	now := ou.Clock.Now()
	_, err := q.EndMembersOf(ctx, db.EndMembersOfParams{RecordID: &record, Why: string(why), At: &now})
	return err
}
