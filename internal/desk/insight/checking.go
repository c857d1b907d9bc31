package insight

import (
	"context"
	"time"

	"trundo/internal/desk/firm"
	"trundo/internal/store"
	"trundo/internal/store/db"
)

// Checked is what a check of all figures has found.
type Checked struct {
	Calls int // that are over
	Wrong int // whose figures were not what their facts say
}

// CheckFigures makes the figures of all calls anew, month by month, and holds them against those that are kept. What is
// wrong is made anew by whichever server looks next. Calls of which a change waits to be counted are not wrong.
func CheckFigures(ctx context.Context, s *store.Store) (found Checked, err error) {
	var set firm.FirmSettings
	if err := firm.ReadSetting(ctx, s.Queries, "firm", &set); err != nil {
		return found, err
	}
	wrap := set.Wrap()
	for {
		var made int
		if err := s.Tx(ctx, func(q *db.Queries) (err error) {
			made, err = makeFigures(ctx, q, wrap)
			return err
		}); err != nil {
			return found, err
		}
		if made < atOnce {
			break
		}
	}
	times, err := s.CallTimes(ctx)
	if err != nil {
		return found, err
	}
	found.Calls = int(times.Ended)
	first := times.First.UTC()
	for month := time.Date(first.Year(), first.Month(), 1, 0, 0, 0, 0, time.UTC); !month.After(times.Last); {
		next := month.AddDate(0, 1, 0)
		wrong, err := s.WrongFigures(ctx, month, next, wrap)
		if err != nil {
			return found, err
		}
		if found.Wrong += len(wrong); len(wrong) > 0 {
			if err := s.FiguresDueAgain(ctx, wrong); err != nil {
				return found, err
			}
		}
		month = next
	}
	return found, nil
}
