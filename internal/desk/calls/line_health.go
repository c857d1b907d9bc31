package calls

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/answerrate"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
	"trundo/internal/store/db"
)

// healthDays is how far back it is looked how often calls were answered.
const healthDays = 28

// Health is how often calls are answered that show each of the firm's active lines, by calls like their own. Error:
// firm.ErrForbidden.
func (ls *Lines) Health(ctx context.Context, a firm.Actor) ([]contract.LineHealth, error) {
	if !a.MayDo(rights.Telephony) {
		return nil, firm.ErrForbidden
	}
	f, err := ls.Settings(ctx)
	if err != nil {
		return nil, err
	}
	rows, err := ls.Store.AnswersOfLines(ctx, db.AnswersOfLinesParams{Zone: f.Zone.String(),
		Since: ls.Clock.Now().AddDate(0, 0, -healthDays)})
	if err != nil {
		return nil, err
	}
	made := make([]answerrate.Calls, len(rows))
	for i, r := range rows {
		made[i] = answerrate.Calls{Number: r.LineID.String(), Made: r.Made, Answered: r.Answered,
			Stratum: answerrate.Stratum(fmt.Sprint(r.Block, r.ListID, r.Rep))}
	}
	rates := answerrate.Rates(made)
	all := []contract.LineHealth{}
	for _, l := range f.Lines {
		r := rates[l.ID]
		v := contract.LineHealth{LineID: uuid.MustParse(l.ID), Label: l.Label, Made: r.Made, Answered: r.Answered,
			Percent: percent(r.Raw), Enough: r.Enough, Falls: r.Falls, RestsUntil: l.RestsUntil}
		if r.Enough {
			v.FairPercent, v.LowPercent, v.HighPercent = new(percent(r.Fair)), new(percent(r.Low)), new(percent(r.High))
		}
		all = append(all, v)
	}
	return all, nil
}

func percent(share float64) float32 { return float32(int(share*1000+0.5)) / 10 }

// Rest lets a line not be shown for some days, unless somebody chooses it for a call; 0 lets it be shown again. Errors:
// firm.ErrForbidden, firm.ErrNotFound.
func (ls *Lines) Rest(ctx context.Context, a firm.Actor, id uuid.UUID, days int) ([]contract.LineHealth, error) {
	if !a.MayDo(rights.Telephony) {
		return nil, firm.ErrForbidden
	}
	var until *time.Time
	if days > 0 {
		until = optional.Time(ls.Clock.Now().AddDate(0, 0, days))
	}
	err := ls.Store.Tx(ctx, func(q *db.Queries) error {
		n, err := q.RestLine(ctx, db.RestLineParams{ID: id, Until: until})
		switch {
		case err != nil:
			return err
		case n == 0:
			return firm.ErrNotFound
		}
		return ls.Audited(ctx, q, a, "line", id, "rests", map[string]string{},
			map[string]string{"rests for": fmt.Sprintf("%d days", days)})
	})
	if err != nil {
		return nil, err
	}
	ls.BookChanged()
	return ls.Health(ctx, a)
}
