package staff

import (
	"context"
	"errors"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// Belongings is what somebody would leave behind. Errors: firm.ErrForbidden, firm.ErrNotFound.
func (sf *Staff) Belongings(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.Belongings, error) {
	if !a.MayDo(rights.Staff) {
		return contract.Belongings{}, firm.ErrForbidden
	}
	if _, err := sf.member(ctx, id); err != nil {
		return contract.Belongings{}, err
	}
	return belongings(ctx, sf.Store.Queries, id)
}

func belongings(ctx context.Context, q *db.Queries, id uuid.UUID) (contract.Belongings, error) {
	has, err := q.Belongings(ctx, id)
	if err != nil {
		return contract.Belongings{}, err
	}
	inCall, err := q.InCall(ctx, id)
	return contract.Belongings{Slips: has.Slips, FollowUps: has.FollowUps, Records: has.Records, Rounds: has.Rounds,
		Notes: has.Notes, InCall: inCall}, err
}

func nothing(b contract.Belongings) bool { return b.Slips+b.FollowUps+b.Records+b.Rounds+b.Notes == 0 }

// SwitchOff lets somebody in no more. What they leave behind goes to a colleague, who must be named where there is
// something; nothing that they have written changes. Who is in a call leaves when it is over. Errors:
// firm.ErrForbidden,
// firm.ErrNotFound, *firm.FieldError.
func (sf *Staff) SwitchOff(ctx context.Context, a firm.Actor, id uuid.UUID,
	l contract.Leaving) (contract.Member, error) {
	if !a.MayDo(rights.Staff) {
		return contract.Member{}, firm.ErrForbidden
	}
	if err := sf.receiver(ctx, id, l.To); err != nil {
		return contract.Member{}, err
	}
	err := sf.Store.Tx(ctx, func(q *db.Queries) error {
		admins, err := q.LockAdmins(ctx)
		if err != nil {
			return err
		}
		u, err := lock(ctx, q, id)
		switch {
		case err != nil:
			return err
		case !u.Active || u.LeavingSince != nil:
			return nil // somebody else has just done that
		case firm.MayGive(ctx, q, a, u.Role) != nil:
			return firm.ErrForbidden
		case isLast(admins, id):
			return firm.Wrong("role", "this is the last admin: make somebody else one first")
		}
		has, err := belongings(ctx, q, id)
		switch {
		case err != nil:
			return err
		case l.To == nil && !nothing(has):
			return firm.Wrong("to", "say who gets what they leave behind")
		}
		if err := sf.hand(ctx, q, id, l.To); err != nil {
			return err
		}
		now := sf.Clock.Now()
		if has.InCall {
			err = q.LeaveAfterCall(ctx, db.LeaveAfterCallParams{ID: id, At: &now, Receiver: l.To})
		} else {
			err = q.SwitchOff(ctx, db.SwitchOffParams{ID: id, At: &now})
		}
		if err != nil {
			return err
		}
		return sf.Audited(ctx, q, a, "member", id, "switched off", map[string]string{},
			map[string]string{"to": optional.ID(l.To)})
	})
	if err != nil {
		return contract.Member{}, err
	}
	if err := sf.giveUpRounds(ctx, a, id, l.To); err != nil {
		return contract.Member{}, err
	}
	sf.handed(id, l.To)
	return sf.member(ctx, id)
}

// receiver checks who is to get what somebody leaves behind. Error: *firm.FieldError.
func (sf *Staff) receiver(ctx context.Context, from uuid.UUID, to *uuid.UUID) error {
	if to == nil {
		return nil
	}
	p, err := sf.member(ctx, *to)
	if err != nil && !errors.Is(err, firm.ErrNotFound) {
		return err
	}
	if err != nil || *to == from || !p.Active || p.Leaving {
		return firm.Wrong("to", "choose a colleague who is there")
	}
	return nil
}

// hand gives what somebody leaves behind to a colleague. Whom they had taken on to call back is anybody's again.
func (sf *Staff) hand(ctx context.Context, q *db.Queries, from uuid.UUID, to *uuid.UUID) error {
	if err := q.FreeTaken(ctx, &from); err != nil || to == nil {
		return err
	}
	if err := q.HandSlips(ctx, db.HandSlipsParams{UserID: from, Receiver: to}); err != nil {
		return err
	}
	if err := q.HandFollowUps(ctx, db.HandFollowUpsParams{UserID: from, Receiver: *to}); err != nil {
		return err
	}
	if _, err := q.HandRecords(ctx, db.HandRecordsParams{UserID: &from, Receiver: to}); err != nil {
		return err
	}
	return q.HandNotes(ctx, db.HandNotesParams{UserID: from, Receiver: *to})
}

// giveUpRounds takes somebody who leaves out of their rounds.
func (sf *Staff) giveUpRounds(ctx context.Context, a firm.Actor, id uuid.UUID, to *uuid.UUID) error {
	rounds, err := sf.Store.RoundsOfRep(ctx, id)
	if err != nil {
		return err
	}
	who := firm.Actor{
		ID:     id,
		Name:   a.Name,
		Rights: rights.Shipped(rights.RoleAdmin),
	} // handed over by whoever switches them off
	for _, r := range rounds {
		if err := sf.rounds.GiveUp(ctx, who, r, to); err != nil {
			return err
		}
	}
	return nil
}

// handed tells the windows of those concerned.
func (sf *Staff) handed(id uuid.UUID, to *uuid.UUID) {
	sf.changed(id)
	if to != nil {
		sf.PublishLane(*to)
		sf.PublishRecord()
	}
}

// LetGo switches those off whose last call is over, and hands on what it has left behind.
func (sf *Staff) LetGo(ctx context.Context) error {
	leaving, err := sf.Store.Leaving(ctx)
	if err != nil || len(leaving) == 0 {
		return err
	}
	for _, id := range leaving {
		var to *uuid.UUID
		err := sf.Store.Tx(ctx, func(q *db.Queries) error {
			u, err := lock(ctx, q, id)
			if err != nil || u.LeavingSince == nil {
				return err
			}
			if to = u.LeavingTo; to == nil { // whom they talked with is somebody else's now, whoever may lead
				admins, err := q.LockAdmins(ctx)
				if err != nil {
					return err
				}
				if has, err := belongings(ctx, q, id); err != nil {
					return err
				} else if !nothing(has) && len(admins) > 0 {
					to = &admins[0]
				}
			}
			if err := sf.hand(ctx, q, id, to); err != nil {
				return err
			}
			now := sf.Clock.Now()
			return q.SwitchOff(ctx, db.SwitchOffParams{ID: id, At: &now})
		})
		if err != nil {
			return err
		}
		sf.handed(id, to)
	}
	return nil
}

// SwitchOn lets somebody in again who was switched off; what was given to others stays with them. Errors:
// firm.ErrForbidden, firm.ErrNotFound, *firm.FieldError.
func (sf *Staff) SwitchOn(ctx context.Context, a firm.Actor, id uuid.UUID) (contract.Member, error) {
	if !a.MayDo(rights.Staff) {
		return contract.Member{}, firm.ErrForbidden
	}
	err := sf.Store.Tx(ctx, func(q *db.Queries) error {
		u, err := lock(ctx, q, id)
		if err != nil || u.Active && u.LeavingSince == nil {
			return err
		}
		if err := firm.MayGive(ctx, q, a, u.Role); err != nil {
			return err
		}
		if err := q.SwitchOn(ctx, id); store.DuplicateOf(err) != "" {
			return firm.Wrong("extension", "somebody else has their extension by now: change it first")
		} else if err != nil {
			return err
		}
		return sf.Audited(ctx, q, a, "member", id, "switched on", map[string]string{}, map[string]string{})
	})
	if err != nil {
		return contract.Member{}, err
	}
	sf.changed(id)
	return sf.member(ctx, id)
}
