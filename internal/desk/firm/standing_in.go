package firm

import (
	"context"
	"time"

	"github.com/google/uuid"

	"trundo/internal/core/absence"
	"trundo/internal/optional"
)

// readAbsences reads who is or will be away.
func (k *Firm) readAbsences(ctx context.Context, f *Settings) error {
	rows, err := k.Store.AbsencesFrom(ctx, k.Clock.Now())
	f.absences = make([]absent, len(rows))
	for i, r := range rows {
		f.absences[i] = absent{r.UserID, r.BeginsAt, r.EndsAt, r.DeputyID}
	}
	return err
}

// absent is an absence that is not over.
type absent struct {
	user       uuid.UUID
	begin, end time.Time
	deputy     *uuid.UUID
}

// Away are those who are away at a moment, by their ids.
func (f *Settings) Away(now time.Time) map[string]absence.Away {
	away := map[string]absence.Away{}
	for _, a := range f.absences {
		if !now.Before(a.begin) && now.Before(a.end) {
			away[a.user.String()] = absence.Away{Until: a.end, Deputy: optional.ID(a.deputy)}
		}
	}
	return away
}

// StandsInFor are those for whom somebody stands in at a moment.
func (f *Settings) StandsInFor(who uuid.UUID, now time.Time) []uuid.UUID {
	var all []uuid.UUID
	away := f.Away(now)
	for id := range away {
		if absence.Deputy(away, id) == who.String() {
			all = append(all, uuid.MustParse(id))
		}
	}
	return all
}
