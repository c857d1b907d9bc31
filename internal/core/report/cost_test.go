package report

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

func TestCostIsSharedByDays(t *testing.T) {
	day := func(m time.Month, d int) time.Time { return time.Date(2026, m, d, 0, 0, 0, 0, newYork) }
	march := MonthCost{time.Date(2026, 3, 1, 0, 0, 0, 0, time.UTC), 31_000}
	april := MonthCost{time.Date(2026, 4, 1, 0, 0, 0, 0, time.UTC), 100_00}
	for name, c := range map[string]struct {
		from, to time.Time
		want     int64
	}{
		"all of a month":              {day(3, 1), day(4, 1), 31_000},
		"a day of it, of 23 hours":    {day(3, 8), day(3, 9), 1_000},
		"the end of one, all of next": {day(3, 22), day(5, 1), 10_000 + 100_00},
		"a third of April":            {day(4, 1), day(4, 11), 33_33},
		"two thirds":                  {day(4, 11), day(5, 1), 66_67},
		"nothing":                     {day(5, 1), day(6, 1), 0},
	} {
		assert.Equal(t, c.want, Window{c.from, c.to}.Cost([]MonthCost{march, april}), name)
	}
}
