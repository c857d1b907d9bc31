package outreach

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/outcome"
	"trundo/internal/core/sequence"
	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// stepDueMembers does what is due, each step by one server and in one transaction with where its member stands.
func (ou *Outreach) stepDueMembers(ctx context.Context) error {
	f, err := ou.Settings(ctx)
	if err != nil {
		return err
	}
	for {
		n := 0
		var touched []uuid.UUID
		err := ou.Store.Tx(ctx, func(q *db.Queries) error {
			now := ou.Clock.Now()
			rows, err := q.DueMembers(ctx, &now)
			if err != nil {
				return err
			}
			n = len(rows)
			for _, m := range rows {
				if err := ou.step(ctx, q, f, m); err != nil {
					return err
				}
				touched = append(touched, m.RecordID)
			}
			return nil
		})
		if err != nil || n == 0 {
			return err
		}
		ou.PublishRecord(touched...)
		ou.PublishHistory(nil, touched...)
		ou.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindLane})
		ou.Posted(nil)
	}
}

// step does one step of a member's sequence.
func (ou *Outreach) step(ctx context.Context, q *db.Queries, f *firm.Settings, m db.DueMembersRow) error {
	now := ou.Clock.Now()
	end := func(why sequence.Reason) error {
		return q.EndMember(ctx, db.EndMemberParams{ID: m.ID, Why: string(why), At: &now})
	}
	steps, err := stepsOf(m.Steps)
	if err != nil {
		return err
	}
	_, err = firm.LockRecord(ctx, q, m.RecordID)
	switch {
	case errors.Is(err, firm.ErrNotFound), errors.Is(err, firm.ErrGone):
		return end(sequence.Gone)
	case err != nil:
		return err
	case m.Step >= len(steps):
		return end(sequence.Finished)
	}
	owner, err := firm.ActorWithin(ctx, q, m.OwnerID)
	if err != nil {
		return end(sequence.CannotDo) // its rep is no longer here
	}
	s := steps[m.Step]
	if s.Act == sequence.Call {
		id := store.NewID()
		if err := q.InsertFollowUp(ctx,
			db.InsertFollowUpParams{ID: id, RecordID: m.RecordID, OwnerID: m.OwnerID, Kind: outcome.Call,
				Text:  fmt.Sprintf("%s (%s, step %d of %d)", s.Text, m.Name, m.Step+1, len(steps)),
				DueAt: &now, CreatedBy: &m.OwnerID, CreatedAt: now}); err != nil {
			return err
		}
		if err := q.SetFollowUpMember(ctx, db.SetFollowUpMemberParams{ID: id, MemberID: &m.ID}); err != nil {
			return err
		}
		if err := q.AddHistory(ctx, db.AddHistoryParams{RecordID: m.RecordID, At: now, Kind: "follow_up",
			RefID: id}); err != nil {
			return err
		}
		return q.MoveMember(ctx, db.MoveMemberParams{ID: m.ID, Step: m.Step})
	}
	template, err := uuid.Parse(s.Template)
	if err != nil {
		return end(sequence.CannotDo)
	}
	l, err := ou.Addressed(ctx, q, owner, f,
		contract.NewMessage{Channel: contract.Channel(s.Act), RecordID: &m.RecordID})
	var bad *firm.FieldError
	if errors.As(err, &bad) {
		return end(sequence.CannotDo)
	} else if err != nil {
		return err
	}
	if l.Problem != "" {
		return end(sequence.OptedOut)
	}
	subject, body, err := ou.FromTemplate(ctx, q, owner, f, l, template, nil)
	if errors.As(err, &bad) {
		return end(sequence.CannotDo)
	} else if err != nil {
		return err
	}
	id := store.NewID()
	if err := ou.WriteDown(ctx, q, owner, l, id, nil, subject, body, 0); err != nil {
		return err
	}
	if err := q.SetMessageMember(ctx, db.SetMessageMemberParams{ID: id, MemberID: &m.ID}); err != nil {
		return err
	}
	return ou.moveOn(ctx, q, f, owner.Location(), m.RecordID, m.ID, steps, m.Step+1)
}

// moveOn sets when a member's next step is due, or ends it after the last.
func (ou *Outreach) moveOn(ctx context.Context, q *db.Queries, f *firm.Settings, usual *time.Location, record,
	member uuid.UUID, steps []sequence.Step, next int) error {
	places, err := q.PlacesOf(ctx, []uuid.UUID{record})
	if err != nil {
		return err
	}
	var place db.PlacesOfRow
	if len(places) > 0 {
		place = places[0]
	}
	due, there := sequence.Due(steps, next, ou.placed(f, usual, place))
	if !there {
		now := ou.Clock.Now()
		return q.EndMember(ctx, db.EndMemberParams{ID: member, Why: string(sequence.Finished), At: &now})
	}
	return q.MoveMember(ctx, db.MoveMemberParams{ID: member, Step: next, NextAt: &due})
}

// WakeSteps implements book.FollowUpDone.
func (ou *Outreach) WakeSteps() { wake(ou.stepped) }

// FollowUpDone implements book.FollowUpDone: it goes on with a sequence whose call in the lane has been settled.
func (ou *Outreach) FollowUpDone(ctx context.Context, q *db.Queries, a firm.Actor, followUp uuid.UUID) error {
	m, err := q.MemberOfFollowUp(ctx, followUp)
	if store.NotFound(err) {
		return nil
	} else if err != nil {
		return err
	}
	f, err := ou.SettingsWithin(ctx)
	if err != nil {
		return err
	}
	steps, err := stepsOf(m.Steps)
	if err != nil {
		return err
	}
	return ou.moveOn(ctx, q, f, a.Location(), m.RecordID, m.ID, steps, m.Step+1)
}

// Spoke ends the sequences of the people with whom a conversation took place.
func (ou *Outreach) Spoke(ctx context.Context, q *db.Queries, call uuid.UUID) error {
	people, err := q.InSequencesOfCall(ctx, call)
	for _, p := range people {
		if err := ou.endSequences(ctx, q, p, sequence.Spoke); err != nil {
			return err
		}
	}
	return err
}
