package report

import "time"

// MonthCost is what something cost in a month, in minor units of a currency.
type MonthCost struct {
	Month  time.Time // its first day; only year and month count
	Amount int64
}

// Cost is what something cost within a window: of a month of which only some days are in it, as many parts as days.
// Rounded to the nearest.
func (w Window) Cost(months []MonthCost) (total int64) {
	day := func(t time.Time) int64 {
		return time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, time.UTC).Unix() / daySeconds
	}
	from, to := day(w.From), day(w.To)
	for _, m := range months {
		first := time.Date(m.Month.Year(), m.Month.Month(), 1, 0, 0, 0, 0, time.UTC)
		begins, ends := day(first), day(first.AddDate(0, 1, 0))
		if in := min(to, ends) - max(from, begins); in > 0 {
			whole := ends - begins
			total += (m.Amount*in + whole/2) / whole
		}
	}
	return total
}
