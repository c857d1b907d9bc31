package book

import (
	"context"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/datetime"
	"trundo/internal/core/promise"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// Due is when a follow-up is due for a reader: one that is for a whole day is for the same date wherever it is read.
func Due(at *time.Time, dayOnly bool, zone string, reader *time.Location) *time.Time {
	if at == nil || !dayOnly || zone == "" {
		return at
	}
	from, err := time.LoadLocation(zone)
	if err != nil {
		return at
	}
	due := datetime.SameDate(*at, from, reader)
	return &due
}

// FollowUpView is a follow-up as a reads it.
func (bk *Book) FollowUpView(f db.FollowUpsByIDsRow, a firm.Actor) contract.FollowUp {
	f.DueAt = Due(f.DueAt, f.DayOnly, f.DueZone, a.Location())
	return contract.FollowUp{Promise: promised(f, a, bk.Clock.Now()), ID: f.ID, RecordID: f.RecordID,
		RecordName: f.RecordName,
		OwnerID:    f.OwnerID, OwnerName: f.OwnerName, Kind: contract.FollowUpKind(f.Kind), Text: f.Text,
		Promised: f.Promised, DueAt: f.DueAt, DayOnly: f.DayOnly, State: contract.FollowUpState(f.State),
		NumberID: f.NumberID, Zone: &f.DueZone, Version: f.Version}
}

// PromisePatience is for how long after its time a promise still counts as kept.
const PromisePatience = 5 * time.Minute

// promised tells how a follow-up that was promised stands.
func promised(f db.FollowUpsByIDsRow, a firm.Actor, now time.Time) contract.FollowUpPromise {
	if !f.Promised {
		return contract.FollowUpPromiseNone
	}
	p := promise.Promise{DayOnly: f.DayOnly, GivenUp: f.State == "cancelled", Patience: PromisePatience}
	if f.DueAt != nil {
		p.Due = f.DueAt.In(a.Location())
	}
	if f.DoneAt != nil && f.State == "done" {
		p.Done = *f.DoneAt
	}
	return contract.FollowUpPromise(p.At(now))
}

// AddFollowUp makes a follow-up of a's on a record. The same key gets the same one. Errors: *FieldError, ErrNotFound,
// ErrKeyReused.
func (bk *Book) AddFollowUp(ctx context.Context, a firm.Actor, record uuid.UUID, key string,
	n contract.NewFollowUp) (contract.FollowUp, error) {
	n.Text = firm.CleanText(n.Text)
	if n.Text == "" {
		return contract.FollowUp{}, firm.Wrong("text", "say in a few words what is to be done")
	}
	if n.DueAt != nil && (n.DueAt.Year() < 2000 || n.DueAt.Year() > 2200) {
		return contract.FollowUp{}, firm.Wrong("due_at", "this date is too far away")
	}
	id, now, hash := store.NewID(), bk.Clock.Now(), firm.HashRequest(struct {
		Record uuid.UUID
		N      contract.NewFollowUp
	}{record, n})
	p := db.InsertFollowUpParams{ID: id, RecordID: record, OwnerID: a.ID, Kind: "call", Text: n.Text, DueAt: n.DueAt,
		DueZone: a.Location().String(), CreatedBy: &a.ID, CreatedAt: now}
	if n.Kind != nil {
		p.Kind = string(*n.Kind)
	}
	p.Promised = n.Promised != nil && *n.Promised
	p.DayOnly = n.DayOnly != nil && *n.DayOnly
	err := bk.Store.Tx(ctx, func(q *db.Queries) error {
		r, err := q.LockRecord(ctx, record)
		if store.NotFound(err) {
			return firm.ErrNotFound
		} else if err != nil {
			return err
		}
		if r.DeletedAt != nil {
			return firm.ErrGone
		}
		if err := q.InsertFollowUp(ctx, p); err != nil {
			return err
		}
		if err := q.AddHistory(ctx, db.AddHistoryParams{RecordID: record, At: now, Kind: "follow_up",
			RefID: id}); err != nil {
			return err
		}
		return bk.Remember(ctx, q, a, key, "add_follow_up", hash, id)
	})
	if store.Duplicate(err) {
		earlier, found, again := bk.EarlierAnswer(ctx, a, key, "add_follow_up", hash)
		if again != nil || !found {
			return contract.FollowUp{}, firm.ErrKeyReused
		}
		id, err = earlier, nil
	}
	if err != nil {
		return contract.FollowUp{}, err
	}
	bk.PublishHistory(nil, record)
	bk.PublishLane(a.ID)
	return bk.followUp(ctx, a, id)
}

func (bk *Book) followUp(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.FollowUp, error) {
	found, err := bk.Store.FollowUpsByIDs(ctx, []uuid.UUID{id})
	if err != nil {
		return contract.FollowUp{}, err
	}
	if len(found) == 0 {
		return contract.FollowUp{}, firm.ErrNotFound
	}
	return bk.FollowUpView(found[0], a), nil
}

// FollowUpDone is told what goes on when a follow-up is settled.
type FollowUpDone interface {
	// FollowUpDone is called in the transaction that settles a follow-up.
	FollowUpDone(ctx context.Context, q *db.Queries, a firm.Actor, followUp uuid.UUID) error
	// WakeSteps lets what came due by it be done now.
	WakeSteps()
}

// ChangeFollowUp marks a follow-up done, cancelled or open again, puts it off, or gives it away, which can be taken
// back. Errors: ErrNotFound, ErrForbidden, ErrChangedElse, *FieldError.
func (bk *Book) ChangeFollowUp(ctx context.Context, a firm.Actor, id uuid.UUID,
	c contract.FollowUpChange) (contract.FollowUp, error) {
	settings, err := bk.Settings(ctx)
	if err != nil {
		return contract.FollowUp{}, err
	}
	if optional.Value(c.PutOff) {
		now := bk.Clock.Now().In(a.Location())
		next, wholeDay := settings.Workdays.After(now, 1), true
		c.DueAt, c.DayOnly = &next, &wholeDay
	}
	var record, owner, given uuid.UUID
	err = bk.Store.Tx(ctx, func(q *db.Queries) error {
		f, err := q.LockFollowUp(ctx, id)
		switch {
		case store.NotFound(err):
			return firm.ErrNotFound
		case err != nil:
			return err
		case !bk.MayOf(ctx, a, rights.ChangeFollowUps, &f.OwnerID) && !takesBack(f, a, c):
			return firm.ErrForbidden
		case f.Version != c.Version:
			return firm.ErrChangedElse
		}
		record, owner = f.RecordID, f.OwnerID
		p := db.UpdateFollowUpParams{ID: id, State: f.State, Kind: f.Kind, Text: f.Text, OwnerID: f.OwnerID,
			DueAt: f.DueAt, DayOnly: f.DayOnly, DueZone: f.DueZone}
		if c.Text != nil {
			if p.Text = firm.CleanText(*c.Text); p.Text == "" {
				return firm.Wrong("text", "say in a few words what is to be done")
			}
		}
		if c.OwnerID != nil {
			if _, err := q.User(ctx, *c.OwnerID); store.NotFound(err) {
				return firm.Wrong("owner_id", "nobody of the firm is meant by this")
			} else if err != nil {
				return err
			}
			if p.OwnerID, given = *c.OwnerID, *c.OwnerID; given != f.OwnerID {
				p.GivenBy = &a.ID
			}
		}
		if c.State != nil {
			p.State = string(*c.State)
		}
		if c.Kind != nil {
			p.Kind = string(*c.Kind)
		}
		if c.DueAt != nil {
			p.DueAt, p.DayOnly, p.DueZone = c.DueAt, c.DayOnly != nil && *c.DayOnly, a.Location().String()
		}
		if c.ClearDue != nil && *c.ClearDue {
			p.DueAt, p.DayOnly = nil, false
		}
		if p.State != "open" {
			now := bk.Clock.Now()
			p.DoneAt = &now
		}
		if err := q.UpdateFollowUp(ctx, p); err != nil || p.State == "open" || f.State != "open" {
			return err
		}
		return bk.followUpDone.FollowUpDone(ctx, q, a, id)
	})
	if err != nil {
		return contract.FollowUp{}, err
	}
	bk.followUpDone.WakeSteps()
	bk.PublishHistory(nil, record)
	bk.PublishLane(owner)
	if given != uuid.Nil && given != owner {
		bk.PublishLane(given)
	}
	return bk.followUp(ctx, a, id)
}

// takesBack tells whether a change does nothing but take back what a has given away, before anybody has changed it.
func takesBack(f db.LockFollowUpRow, a firm.Actor, c contract.FollowUpChange) bool {
	return f.GivenBy != nil && *f.GivenBy == a.ID && c.OwnerID != nil && *c.OwnerID == a.ID && c.State == nil &&
		c.DueAt == nil && c.Text == nil
}

// FollowUps lists follow-ups: a's own or everybody's, open ones by their time or done ones newest first.
func (bk *Book) FollowUps(ctx context.Context, a firm.Actor, mine, open bool) ([]contract.FollowUp, error) {
	var owner *uuid.UUID
	if mine {
		owner = &a.ID
	}
	read := bk.Store.DoneFollowUps
	if open {
		read = bk.Store.OpenFollowUps
	}
	ids, err := read(ctx, owner)
	if err != nil {
		return nil, err
	}
	rows, err := bk.Store.FollowUpsByIDs(ctx, ids)
	if err != nil {
		return nil, err
	}
	views := make([]contract.FollowUp, 0, len(rows))
	for _, id := range ids {
		for _, r := range rows {
			if r.ID == id {
				views = append(views, bk.FollowUpView(r, a))
			}
		}
	}
	return views, nil
}
