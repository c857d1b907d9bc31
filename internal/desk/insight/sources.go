package insight

import (
	"context"
	"fmt"
	"strings"
	"time"

	"trundo/internal/contract"
	"trundo/internal/core/money"
	"trundo/internal/core/report"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/store/db"
)

// Sources are what came of each source in the last days, up to and with today: deals by the day they were won, and what
// it
// cost. Error: firm.ErrForbidden.
func (in *Insight) Sources(ctx context.Context, a firm.Actor, days int) ([]contract.Source, error) {
	if !a.MayDo(rights.SeeFigures) {
		return nil, firm.ErrForbidden
	}
	f, err := in.Settings(ctx)
	if err != nil {
		return nil, err
	}
	window, err := report.Period(fmt.Sprintf("%dd", days)).Window(in.Clock.Now(), calendar(f))
	if err != nil {
		return nil, firm.About("days", err)
	}
	rows, err := in.Store.Sources(ctx, db.SourcesParams{Since: window.From, Currency: f.Currency})
	if err != nil {
		return nil, err
	}
	costs, err := in.Store.SourceCosts(ctx)
	amount := func(minor int64) string { return money.Amount{Minor: minor, Currency: f.Currency}.String() }
	views := []contract.Source{}
	for _, r := range rows {
		v := contract.Source{Source: r.Source, Calls: r.Calls, People: r.People, Deals: r.Deals, Won: r.Won,
			Earned: amount(r.Earned)}
		var months []report.MonthCost
		entered := []contract.SourceCost{}
		for _, c := range costs {
			if c.Source == r.Source {
				months = append(months, report.MonthCost{Month: c.Month, Amount: c.AmountMinor})
				entered = append(
					entered,
					contract.SourceCost{Month: c.Month.Format("2006-01"), Amount: amount(c.AmountMinor)},
				)
			}
		}
		v.Months = &entered
		if cost := window.Cost(months); cost > 0 {
			v.Cost, v.Times = new(amount(cost)), new(float64(r.Earned)/float64(cost))
		}
		views = append(views, v)
	}
	return views, err
}

// SetSourceCost says what a source cost in a month; an empty amount: nothing was entered. Errors: firm.ErrForbidden,
// *firm.FieldError.
func (in *Insight) SetSourceCost(ctx context.Context, a firm.Actor, v contract.CostOfSource) error {
	if !a.MayDo(rights.SetUpFirm) {
		return firm.ErrForbidden
	}
	month, err := time.Parse("2006-01", v.Month)
	if err != nil {
		return firm.About("month", err)
	}
	f, err := in.Settings(ctx)
	if err != nil {
		return err
	}
	text := strings.TrimSpace(v.Amount)
	var cost money.Amount
	if text != "" {
		if cost, err = money.Parse(text, f.Currency); err != nil {
			return firm.About("amount", err)
		}
		if cost.Currency != f.Currency || cost.Minor < 0 {
			return firm.Wrong("amount", "enter it in "+f.Currency)
		}
	}
	return in.Store.Tx(ctx, func(q *db.Queries) error {
		if text == "" {
			err = q.DropSourceCost(ctx, db.DropSourceCostParams{Source: v.Source, Month: month})
		} else {
			err = q.PutSourceCost(ctx, db.PutSourceCostParams{Source: v.Source, Month: month, AmountMinor: cost.Minor})
		}
		if err != nil {
			return err
		}
		return in.Audited(ctx, q, a, "settings", a.ID, "source cost", nil,
			map[string]string{"source cost": v.Source + ", " + v.Month + ": " + firm.OrNone(text)})
	})
}
