package workday_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/workday"
)

func TestBusinessDays(t *testing.T) {
	t.Parallel()
	c := workday.New([]workday.Holiday{{Date: "2026-11-26", Name: "Thanksgiving"},
		{Date: "2026-12-25", Name: "Christmas"}, {Date: "not a date"}})
	at := func(s string) time.Time {
		zone, err := time.LoadLocation("America/Denver")
		require.NoError(t, err)
		day, err := time.ParseInLocation("2006-01-02 15:04", s, zone)
		require.NoError(t, err)
		return day
	}
	for _, x := range []struct {
		from string
		n    int
		want string
	}{
		{"2026-11-25 23:59", 1, "2026-11-27"}, // over the holiday
		{"2026-11-25 09:00", 2, "2026-11-30"}, // and the weekend
		{"2026-11-25 09:00", 0, "2026-11-25"},
		{"2026-11-26 09:00", 0, "2026-11-27"}, // today is none: the next
		{"2026-11-28 09:00", 0, "2026-11-30"},
		{"2026-11-28 09:00", 1, "2026-11-30"},
		{"2026-12-24 09:00", 1, "2026-12-28"},
		{"2026-12-31 09:00", 1, "2027-01-01"}, // no holiday unless the firm says so
		{"2027-11-25 09:00", 1, "2027-11-26"}, // a holiday is of its year alone
		{"2026-03-06 12:00", 1, "2026-03-09"}, // over the change to summer time
		{"2026-11-25 09:00", 20, "2026-12-24"},
	} {
		got := c.After(at(x.from), x.n)
		assert.Equal(t, x.want+" 00:00", got.Format("2006-01-02 15:04"), "%d after %s", x.n, x.from)
	}
	assert.Equal(t, "Thanksgiving", c.Holiday(at("2026-11-26 23:00")))
	assert.Empty(t, c.Holiday(at("2026-11-27 00:00")))
	assert.True(t, workday.Calendar{}.Works(at("2026-11-26 09:00")), "the zero value knows no holidays")
	assert.False(t, workday.Calendar{}.Works(at("2026-11-28 09:00")))
}

func TestPublicHolidays(t *testing.T) {
	t.Parallel()
	dates := func(region string, year int) map[string]string {
		of := map[string]string{}
		for _, h := range workday.Public(region, year) {
			of[h.Date] = h.Name
		}
		return of
	}
	us := dates("US", 2026) // 4 July 2026 is a Saturday and kept on the Friday
	for _, day := range []string{"2026-01-01", "2026-01-19", "2026-05-25", "2026-07-03", "2026-09-07", "2026-11-26",
		"2026-12-25"} {
		assert.Contains(t, us, day)
	}
	assert.Contains(t, dates("GB", 2027), "2027-03-26") // Good Friday
	assert.Contains(t, dates("FR", 2026), "2026-07-14")
	assert.Contains(t, dates("AU", 2026), "2026-01-26")
	assert.Empty(t, dates("XX", 2026))
}

func ExampleCalendar_After() {
	c := workday.New([]workday.Holiday{{Date: "2026-12-25", Name: "Christmas"}})
	fmt.Println(c.After(time.Date(2026, 12, 24, 17, 0, 0, 0, time.UTC), 1).Format("Monday 2 January"))
	// Output: Monday 28 December
}
