// Package workday counts business days: those of the week on which the firm works, without its holidays.
//
// It must not know the database, calling hours or who asks. What a public holiday is comes from a library, rickar/cal.
package workday

import (
	"sort"
	"time"

	"github.com/rickar/cal/v2"
	"github.com/rickar/cal/v2/au"
	"github.com/rickar/cal/v2/fr"
	"github.com/rickar/cal/v2/gb"
	"github.com/rickar/cal/v2/us"
)

// Holiday is a day on which the firm does not work.
type Holiday struct {
	Date string `json:"date"` // yyyy-mm-dd
	Name string `json:"name"`
}

// Calendar knows the firm's business days. The zero value works from Monday to Friday. It may be used by several
// goroutines.
type Calendar struct{ days *cal.BusinessCalendar }

// New is a calendar of a week from Monday to Friday, without these days. Those that are no date are passed over.
func New(holidays []Holiday) Calendar {
	c := cal.NewBusinessCalendar()
	for _, h := range holidays {
		day, err := time.Parse(time.DateOnly, h.Date)
		if err != nil {
			continue
		}
		c.AddHoliday(&cal.Holiday{Name: h.Name, Month: day.Month(), Day: day.Day(), StartYear: day.Year(),
			EndYear: day.Year(), Func: cal.CalcDayOfMonth})
	}
	return Calendar{c}
}

var weekdaysOnly = New(nil)

func (c Calendar) calendar() *cal.BusinessCalendar {
	if c.days == nil {
		return weekdaysOnly.days
	}
	return c.days
}

// Works tells whether the day of t, in t's zone, is a business day.
func (c Calendar) Works(t time.Time) bool { return c.calendar().IsWorkday(t) }

// Holiday is the name of the holiday on the day of t, in t's zone; "" where there is none.
func (c Calendar) Holiday(t time.Time) string {
	if _, _, h := c.calendar().IsHoliday(t); h != nil {
		return h.Name
	}
	return ""
}

// After is the nth business day after the day of t, at midnight in t's zone. With n = 0 it is that day, or the next
// business day after it.
func (c Calendar) After(t time.Time, n int) time.Time {
	day := time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, t.Location())
	if n <= 0 {
		if c.Works(day) {
			return day
		}
		n = 1
	}
	return c.calendar().WorkdaysFrom(day, n)
}

// Public are the public holidays of a region (ISO 3166: US, GB, AU, FR) in a year, in their order, on the days on which
// they are kept. Of any other region none are known.
func Public(region string, year int) []Holiday {
	known := map[string][]*cal.Holiday{"US": us.Holidays, "GB": gb.Holidays, "AU": au.HolidaysNSW,
		"FR": fr.Holidays}[region]
	holidays := []Holiday{}
	for _, h := range known {
		if _, kept := h.Calc(year); !kept.IsZero() {
			holidays = append(holidays, Holiday{Date: kept.Format(time.DateOnly), Name: h.Name})
		}
	}
	sort.SliceStable(holidays, func(i, j int) bool { return holidays[i].Date < holidays[j].Date })
	return holidays
}
