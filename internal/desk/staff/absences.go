package staff

import (
	"context"
	"time"

	"github.com/google/uuid"
	"github.com/oapi-codegen/runtime/types"

	"trundo/internal/contract"
	"trundo/internal/core/absence"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// welcomeFor is for how long after somebody has come back they are told what happened meanwhile.
const welcomeFor = 4 * 24 * time.Hour

// Absences are those that are not over, of everybody, whom one may reckon with.
func (sf *Staff) Absences(ctx context.Context, a firm.Actor) ([]contract.Absence, error) {
	rows, err := sf.Store.AbsencesFrom(ctx, sf.Clock.Now())
	all := []contract.Absence{}
	for _, r := range rows {
		all = append(all, contract.Absence{ID: r.ID, UserID: r.UserID, Name: r.Name, From: types.Date{Time: r.FromOn},
			Until: types.Date{Time: r.UntilOn}, FromNoon: r.FromNoon, UntilNoon: r.UntilNoon, BeginsAt: r.BeginsAt,
			EndsAt: r.EndsAt, DeputyID: r.DeputyID, Deputy: r.Deputy,
			MayChange: r.UserID == a.ID || a.MayDo(rights.Staff)})
	}
	return all, err
}

// AddAbsence says that somebody will be away: oneself, or with the right anybody. The same key says it once. Errors:
// firm.ErrForbidden, *firm.FieldError, firm.ErrKeyReused.
func (sf *Staff) AddAbsence(ctx context.Context, a firm.Actor, key string,
	n contract.NewAbsence) ([]contract.Absence, error) {
	who := a.ID
	if n.UserID != nil {
		who = *n.UserID
	}
	if who != a.ID && !a.MayDo(rights.Staff) {
		return nil, firm.ErrForbidden
	}
	span := absence.Span{From: n.From.Time, Until: n.Until.Time, FromNoon: optional.Value(n.FromNoon),
		UntilNoon: optional.Value(n.UntilNoon)}
	if err := span.Check(); err != nil {
		return nil, firm.About("until", err)
	}
	_, err := sf.Once(ctx, a, key, "add_absence", n, func(q *db.Queries, id uuid.UUID) error {
		away, err := firm.ActorWithin(ctx, q, who)
		if err != nil {
			return firm.Wrong("user_id", "nobody of the firm is meant by this")
		}
		begin, end := span.Bounds(away.Location())
		now := sf.Clock.Now()
		if !end.After(now) {
			return firm.Wrong("until", "that is over already")
		}
		if n.DeputyID != nil {
			if _, err := firm.ActorWithin(ctx, q, *n.DeputyID); err != nil || *n.DeputyID == who {
				return firm.Wrong("deputy_id", "choose a colleague who is there")
			}
		}
		if _, err := q.LockMember(ctx, who); err != nil { // two at once do not overlap
			return err
		}
		others, err := q.AbsencesOf(ctx, db.AbsencesOfParams{UserID: who, At: now})
		if err != nil {
			return err
		}
		for _, o := range others {
			if begin.Before(o.EndsAt) && o.BeginsAt.Before(end) {
				return firm.Wrong("from", "they are away then already")
			}
		}
		if err := q.InsertAbsence(ctx, db.InsertAbsenceParams{ID: id, UserID: who, FromOn: n.From.Time, UntilOn: n.Until.Time,
			FromNoon: span.FromNoon, UntilNoon: span.UntilNoon, BeginsAt: begin, EndsAt: end, DeputyID: n.DeputyID,
			MadeBy: a.ID}); err != nil {
			return err
		}
		return sf.Audited(ctx, q, a, "member", who, "absence", map[string]string{}, map[string]string{
			"away from": n.From.String(), "until": n.Until.String(), "deputy": optional.ID(n.DeputyID)})
	})
	if err != nil {
		return nil, err
	}
	sf.absencesChanged()
	return sf.Absences(ctx, a)
}

// EndAbsence takes an absence back that has not begun, or ends one that has. Errors: firm.ErrForbidden,
// firm.ErrNotFound.
func (sf *Staff) EndAbsence(ctx context.Context, a firm.Actor, id uuid.UUID) error {
	now := sf.Clock.Now()
	err := sf.Store.Tx(ctx, func(q *db.Queries) error {
		x, err := q.Absence(ctx, id)
		switch {
		case store.NotFound(err):
			return firm.ErrNotFound
		case err != nil:
			return err
		case x.UserID != a.ID && !a.MayDo(rights.Staff):
			return firm.ErrForbidden
		case !x.EndsAt.After(now):
			return nil // it is over
		}
		if x.BeginsAt.Before(now) {
			err = q.EndAbsence(ctx, db.EndAbsenceParams{ID: id, At: now})
		} else {
			err = q.DeleteAbsence(ctx, id)
		}
		if err != nil {
			return err
		}
		return sf.Audited(ctx, q, a, "member", x.UserID, "absence ended", map[string]string{}, map[string]string{})
	})
	if err == nil {
		sf.absencesChanged()
	}
	return err
}

// absencesChanged lets everybody see who stands in for whom now.
func (sf *Staff) absencesChanged() {
	sf.BookChanged()
	sf.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindTeam})
	sf.Hub.Publish(contract.LiveEvent{Kind: contract.LiveEventKindLane})
}

// Meanwhile is what colleagues did for a while a was away, for some days after a has come back; nil else.
func (sf *Staff) Meanwhile(ctx context.Context, a firm.Actor) (*contract.Meanwhile, error) {
	now := sf.Clock.Now()
	x, err := sf.Store.LastAbsence(ctx, db.LastAbsenceParams{UserID: a.ID, Now: now, Since: now.Add(-welcomeFor)})
	if store.NotFound(err) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	v := &contract.Meanwhile{Since: x.BeginsAt, Until: x.EndsAt, Done: []contract.MeanwhileDone{}}
	rows, err := sf.Store.Meanwhile(ctx, db.MeanwhileParams{Me: &a.ID, Since: x.BeginsAt, Until: x.EndsAt})
	for _, r := range rows {
		v.Done = append(v.Done, contract.MeanwhileDone{Kind: contract.MeanwhileDoneKind(r.Kind), ID: r.ID, At: r.At,
			Record: contract.RecordRef{ID: r.RecordID, Kind: contract.RecordKind(r.RecordKind),
				Name: r.RecordName}, Who: r.Who, Text: r.Text})
	}
	return v, err
}
