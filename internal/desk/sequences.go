package desk

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/outcome"
	"trundo/internal/core/sequence"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// Sequences are the firm's, in their order.
func (d *Desk) Sequences(ctx context.Context) ([]contract.Sequence, error) {
	rows, err := d.Store.Sequences(ctx)
	if err != nil {
		return nil, err
	}
	views := []contract.Sequence{}
	for _, r := range rows {
		steps, err := stepsOf(r.Steps)
		if err != nil {
			return nil, err
		}
		view := contract.Sequence{ID: &r.ID, Name: r.Name, Active: r.Active, Members: &r.Members, Steps: []contract.SequenceStep{}}
		for _, s := range steps {
			x := contract.SequenceStep{Act: contract.SequenceStepAct(s.Act), Count: s.After.Count, Unit: contract.SequenceStepUnit(s.After.Unit), At: s.After.At, Text: &s.Text}
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

// SetSequences keeps the sequences, in their order. One left out takes nobody in any more; who is in it goes on. Errors: ErrForbidden, *FieldError.
func (d *Desk) SetSequences(ctx context.Context, a Actor, set []contract.Sequence) ([]contract.Sequence, error) {
	if !a.mayDo(SetUp) {
		return nil, ErrForbidden
	}
	before, err := d.Store.Sequences(ctx)
	if err != nil {
		return nil, err
	}
	templates, err := d.Store.Templates(ctx)
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
		p := db.PutSequenceParams{ID: store.NewID(), Name: cleanText(s.Name), Active: s.Active, Position: i}
		if p.Name == "" {
			return nil, wrong(field+"name", "a sequence needs a name")
		}
		if len(s.Steps) == 0 {
			return nil, wrong(field+"steps", "a sequence has a step at least")
		}
		steps := make([]sequence.Step, len(s.Steps))
		for j, x := range s.Steps {
			steps[j] = sequence.Step{Act: string(x.Act), After: outcome.After{Count: x.Count, Unit: outcome.Unit(x.Unit), At: x.At}, Template: text(x.TemplateID), Text: cleanText(value(x.Text))}
			at := fmt.Sprintf("%ssteps.%d.", field, j)
			var item *outcome.ItemError
			if err := sequence.Check(j, steps[j]); errors.As(err, &item) {
				return nil, &FieldError{at + item.Field, err}
			}
			if steps[j].Act != sequence.Call && channels[steps[j].Template] != steps[j].Act {
				return nil, wrong(at+"template_id", "this template is gone, or is for something else")
			}
		}
		if p.Steps, err = json.Marshal(steps); err != nil {
			return nil, err
		}
		if s.ID != nil {
			if _, there := known[*s.ID]; !there {
				return nil, wrong(field+"name", "there is no such sequence")
			}
			p.ID = *s.ID
			delete(known, p.ID)
		}
		rows = append(rows, p)
	}
	for id, r := range known {
		rows = append(rows, db.PutSequenceParams{ID: id, Name: r.Name, Steps: r.Steps, Position: len(rows)})
	}
	err = d.Store.Tx(ctx, func(q *db.Queries) error {
		for _, p := range rows {
			if err := q.PutSequence(ctx, p); err != nil {
				return err
			}
		}
		return d.audited(ctx, q, a, "settings", uuid.Nil, "sequences", map[string]int{"sequences": len(before)}, map[string]int{"sequences": len(set)})
	})
	if err != nil {
		return nil, err
	}
	return d.Sequences(ctx)
}

// Enrol takes somebody, or everybody of a hand-made list who may be called, into a sequence. Errors: *FieldError, ErrNotFound, ErrGone.
func (d *Desk) Enrol(ctx context.Context, a Actor, id uuid.UUID, e contract.Enrolment) (contract.Enrolled, error) {
	var result contract.Enrolled
	steps, err := d.activeSteps(ctx, id)
	if err != nil {
		return result, err
	}
	people, err := d.whomToEnrol(ctx, a, e)
	if err != nil {
		return result, err
	}
	f, err := d.firm(ctx)
	if err != nil {
		return result, err
	}
	places, err := d.Store.PlacesOf(ctx, people)
	if err != nil {
		return result, err
	}
	if e.RecordID != nil && len(places) == 0 {
		return result, ErrNotFound
	}
	p := db.EnrolParams{SequenceID: id, OwnerID: a.ID, At: d.Clock.Now().Truncate(time.Microsecond)}
	for _, x := range places {
		due, there := sequence.Due(steps, 0, d.placed(f, a.zone(), x))
		if !there {
			continue
		}
		if soonest := p.At.Add(sendDelay); due.Before(soonest) {
			due = soonest // until then it can be undone before anything has gone out
		}
		p.Ids, p.Records, p.NextAts = append(p.Ids, store.NewID()), append(p.Records, x.ID), append(p.NextAts, due)
	}
	n, err := d.Store.Enrol(ctx, p)
	if err != nil {
		return contract.Enrolled{}, err
	}
	result.Enrolled, result.Skipped, result.At = int(n), len(people)-int(n), p.At
	wake(d.stepped)
	if e.RecordID != nil {
		d.publishRecord(*e.RecordID)
	}
	return result, nil
}

// UndoEnrolment takes out of a sequence whom a has taken in at a time, which is the answer of Enrol; what it has written and not sent yet is not sent.
func (d *Desk) UndoEnrolment(ctx context.Context, a Actor, id uuid.UUID, at time.Time) error {
	now := d.Clock.Now()
	if _, err := d.Store.EndMembersOf(ctx, db.EndMembersOfParams{SequenceID: &id, EnrolledAt: &at, OwnerID: &a.ID, Why: string(sequence.ByHand), At: &now}); err != nil {
		return err
	}
	d.publishRecord()
	d.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindLane})
	return nil
}

// PreviewSequence tells what would be done with somebody who came into a sequence now, and when, if nobody answers. Errors: ErrNotFound, ErrGone.
func (d *Desk) PreviewSequence(ctx context.Context, a Actor, id uuid.UUID, whom contract.Enrolment) ([]contract.PlannedStep, error) {
	people, err := d.whomToEnrol(ctx, a, whom)
	if err != nil {
		return nil, err
	}
	if len(people) == 0 {
		return nil, wrong("list_id", "nobody of this list may be called")
	}
	record := people[0]
	steps, err := d.activeSteps(ctx, id)
	if err != nil {
		return nil, err
	}
	f, err := d.firm(ctx)
	if err != nil {
		return nil, err
	}
	places, err := d.Store.PlacesOf(ctx, []uuid.UUID{record})
	if err != nil {
		return nil, err
	}
	if len(places) == 0 {
		return nil, ErrNotFound
	}
	planned := make([]contract.PlannedStep, len(steps))
	at := d.placed(f, a.zone(), places[0])
	for i, s := range steps {
		due, _ := sequence.Due(steps, i, at)
		at.Now = due
		planned[i] = contract.PlannedStep{Act: contract.PlannedStepAct(s.Act), At: due, Text: s.Text}
		if s.Act == sequence.Call {
			continue
		}
		subject, body, err := d.stepMessage(ctx, d.Store.Queries, a, f, s, record)
		switch refused := (*FieldError)(nil); {
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
func (d *Desk) stepMessage(ctx context.Context, q *db.Queries, a Actor, f *firm, s sequence.Step, record uuid.UUID) (subject, body string, err error) {
	template, err := uuid.Parse(s.Template)
	if err != nil {
		return "", "", wrong("template_id", "the template is gone")
	}
	l, err := d.addressed(ctx, q, a, f, contract.NewMessage{Channel: contract.Channel(s.Act), RecordID: &record})
	if err != nil {
		return "", "", err
	}
	if l.problem != "" {
		return "", "", wrong("record_id", l.problem)
	}
	return d.fromTemplate(ctx, q, a, f, l, template, nil)
}

// activeSteps are the steps of a sequence that takes people in. Error: ErrNotFound.
func (d *Desk) activeSteps(ctx context.Context, id uuid.UUID) ([]sequence.Step, error) {
	rows, err := d.Store.Sequences(ctx)
	if err != nil {
		return nil, err
	}
	for _, r := range rows {
		if r.ID == id && r.Active {
			return stepsOf(r.Steps)
		}
	}
	return nil, ErrNotFound
}

// whomToEnrol are a record, or the people of a list that a may read.
func (d *Desk) whomToEnrol(ctx context.Context, a Actor, e contract.Enrolment) ([]uuid.UUID, error) {
	switch {
	case e.RecordID != nil:
		return []uuid.UUID{*e.RecordID}, nil
	case e.ListID == nil:
		return nil, wrong("record_id", "say whom")
	}
	if _, err := d.book.List(ctx, a, *e.ListID); err != nil {
		return nil, err
	}
	return d.Store.ListPeople(ctx, *e.ListID)
}

// placed is what is known for computing times at a record's place; usual is where nothing is known of it.
func (d *Desk) placed(f *firm, usual *time.Location, x db.PlacesOfRow) outcome.Situation {
	s := outcome.Situation{Now: d.Clock.Now(), Zone: usual, Hours: d.Hours, Workdays: f.workdays}
	switch {
	case x.Zone != "":
		s.Zone, s.Zones = zoneNamed(x.Zone), []string{x.Zone}
	case len(x.Zones) > 0:
		s.Zone, s.Zones = zoneNamed(x.Zones[0]), x.Zones
	}
	return s
}

// Memberships are the sequences that somebody is or was in, those going on first.
func (d *Desk) Memberships(ctx context.Context, record uuid.UUID) ([]contract.Membership, error) {
	rows, err := d.Store.MembershipsOf(ctx, record)
	if err != nil {
		return nil, err
	}
	views := []contract.Membership{}
	for _, r := range rows {
		steps, err := stepsOf(r.Steps)
		if err != nil {
			return nil, err
		}
		view := contract.Membership{ID: r.ID, SequenceID: r.SequenceID, Name: r.Name, Step: min(r.Step+1, len(steps)), Steps: len(steps), NextAt: r.NextAt, Active: r.State == "active", Why: r.Why,
			Owner: r.OwnerName}
		if view.Active && r.Step < len(steps) {
			view.Next = map[string]string{sequence.Call: "a call", sequence.Mail: "a mail", sequence.Text: "a text message"}[steps[r.Step].Act]
			if r.NextAt == nil {
				view.Next = "the call in the lane"
			}
		}
		views = append(views, view)
	}
	return views, nil
}

// EndMemberships takes somebody by hand out of one sequence, or out of every one where none is named. What the one has written and not sent
// yet is not sent.
func (d *Desk) EndMemberships(ctx context.Context, record uuid.UUID, of *uuid.UUID, replied bool) error {
	why := sequence.ByHand
	if replied {
		why = sequence.Replied
	}
	now := d.Clock.Now()
	if _, err := d.Store.EndMembersOf(ctx, db.EndMembersOfParams{RecordID: &record, SequenceID: of, Why: string(why), At: &now}); err != nil {
		return err
	}
	d.publishHistory(nil, record)
	d.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindLane})
	return nil
}

// endSequences ends what a record is in; who calls it tells everybody when that is committed.
func (d *Desk) endSequences(ctx context.Context, q *db.Queries, record uuid.UUID, why sequence.Reason) error {
	now := d.Clock.Now()
	_, err := q.EndMembersOf(ctx, db.EndMembersOfParams{RecordID: &record, Why: string(why), At: &now})
	return err
}

// stepDueMembers does what is due, each step by one server and in one transaction with where its member stands.
func (d *Desk) stepDueMembers(ctx context.Context) error {
	f, err := d.firm(ctx)
	if err != nil {
		return err
	}
	for {
		n := 0
		var touched []uuid.UUID
		err := d.Store.Tx(ctx, func(q *db.Queries) error {
			now := d.Clock.Now()
			rows, err := q.DueMembers(ctx, &now)
			if err != nil {
				return err
			}
			n = len(rows)
			for _, m := range rows {
				if err := d.step(ctx, q, f, m); err != nil {
					return err
				}
				touched = append(touched, m.RecordID)
			}
			return nil
		})
		if err != nil || n == 0 {
			return err
		}
		d.publishRecord(touched...)
		d.publishHistory(nil, touched...)
		d.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindLane})
		d.posted(nil)
	}
}

// step does one step of a member's sequence.
func (d *Desk) step(ctx context.Context, q *db.Queries, f *firm, m db.DueMembersRow) error {
	now := d.Clock.Now()
	end := func(why sequence.Reason) error {
		return q.EndMember(ctx, db.EndMemberParams{ID: m.ID, Why: string(why), At: &now})
	}
	steps, err := stepsOf(m.Steps)
	if err != nil {
		return err
	}
	_, err = lockRecord(ctx, q, m.RecordID)
	switch {
	case errors.Is(err, ErrNotFound), errors.Is(err, ErrGone):
		return end(sequence.Gone)
	case err != nil:
		return err
	case m.Step >= len(steps):
		return end(sequence.Finished)
	}
	owner, err := d.Actor(ctx, m.OwnerID)
	if err != nil {
		return end(sequence.CannotDo) // its rep is no longer here
	}
	s := steps[m.Step]
	if s.Act == sequence.Call {
		id := store.NewID()
		if err := q.InsertFollowUp(ctx, db.InsertFollowUpParams{ID: id, RecordID: m.RecordID, OwnerID: m.OwnerID, Kind: outcome.Call, Text: fmt.Sprintf("%s (%s, step %d of %d)", s.Text, m.Name, m.Step+1, len(steps)),
			DueAt: &now, CreatedBy: &m.OwnerID, CreatedAt: now}); err != nil {
			return err
		}
		if err := q.SetFollowUpMember(ctx, db.SetFollowUpMemberParams{ID: id, MemberID: &m.ID}); err != nil {
			return err
		}
		if err := q.AddHistory(ctx, db.AddHistoryParams{RecordID: m.RecordID, At: now, Kind: "follow_up", RefID: id}); err != nil {
			return err
		}
		return q.MoveMember(ctx, db.MoveMemberParams{ID: m.ID, Step: m.Step})
	}
	template, err := uuid.Parse(s.Template)
	if err != nil {
		return end(sequence.CannotDo)
	}
	l, err := d.addressed(ctx, q, owner, f, contract.NewMessage{Channel: contract.Channel(s.Act), RecordID: &m.RecordID})
	var bad *FieldError
	if errors.As(err, &bad) {
		return end(sequence.CannotDo)
	} else if err != nil {
		return err
	}
	if l.problem != "" {
		return end(sequence.OptedOut)
	}
	subject, body, err := d.fromTemplate(ctx, q, owner, f, l, template, nil)
	if errors.As(err, &bad) {
		return end(sequence.CannotDo)
	} else if err != nil {
		return err
	}
	id := store.NewID()
	if err := d.post(ctx, q, owner, l, id, nil, subject, body, 0); err != nil {
		return err
	}
	if err := q.SetMessageMember(ctx, db.SetMessageMemberParams{ID: id, MemberID: &m.ID}); err != nil {
		return err
	}
	return d.moveOn(ctx, q, f, owner.zone(), m.RecordID, m.ID, steps, m.Step+1)
}

// moveOn sets when a member's next step is due, or ends it after the last.
func (d *Desk) moveOn(ctx context.Context, q *db.Queries, f *firm, usual *time.Location, record, member uuid.UUID, steps []sequence.Step, next int) error {
	places, err := q.PlacesOf(ctx, []uuid.UUID{record})
	if err != nil {
		return err
	}
	var place db.PlacesOfRow
	if len(places) > 0 {
		place = places[0]
	}
	due, there := sequence.Due(steps, next, d.placed(f, usual, place))
	if !there {
		now := d.Clock.Now()
		return q.EndMember(ctx, db.EndMemberParams{ID: member, Why: string(sequence.Finished), At: &now})
	}
	return q.MoveMember(ctx, db.MoveMemberParams{ID: member, Step: next, NextAt: &due})
}

// WakeSteps implements book.FollowUpDone.
func (d *Desk) WakeSteps() { wake(d.stepped) }

// FollowUpDone implements book.FollowUpDone: it goes on with a sequence whose call in the lane has been settled.
func (d *Desk) FollowUpDone(ctx context.Context, q *db.Queries, a Actor, followUp uuid.UUID) error {
	m, err := q.MemberOfFollowUp(ctx, followUp)
	if store.NotFound(err) {
		return nil
	} else if err != nil {
		return err
	}
	f, err := d.firmWithin(ctx)
	if err != nil {
		return err
	}
	steps, err := stepsOf(m.Steps)
	if err != nil {
		return err
	}
	return d.moveOn(ctx, q, f, a.zone(), m.RecordID, m.ID, steps, m.Step+1)
}

// spoke ends the sequences of the people with whom a conversation took place.
func (d *Desk) spoke(ctx context.Context, q *db.Queries, call uuid.UUID) error {
	people, err := q.InSequencesOfCall(ctx, call)
	for _, p := range people {
		if err := d.endSequences(ctx, q, p, sequence.Spoke); err != nil {
			return err
		}
	}
	return err
}
