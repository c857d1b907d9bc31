package report

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestDaysOfTwentyThreeAndTwentyFiveHours(t *testing.T) {
	detroit, err := time.LoadLocation("America/Detroit")
	require.NoError(t, err)
	cal := NewCalendar(detroit, time.Sunday)
	at := func(text string) int64 {
		moment, err := time.Parse(time.RFC3339, text)
		require.NoError(t, err)
		return moment.Unix()
	}
	for _, c := range []struct {
		at   string
		day  string
		hour int
	}{
		{"2026-03-08T04:59:59Z", "2026-03-07", 23}, // the day that begins a second later has 23 hours
		{"2026-03-08T05:00:00Z", "2026-03-08", 0},
		{"2026-03-08T06:59:59Z", "2026-03-08", 1},
		{"2026-03-08T07:00:00Z", "2026-03-08", 3},
		{"2026-03-09T03:59:59Z", "2026-03-08", 23},
		{"2026-03-09T04:00:00Z", "2026-03-09", 0},
		{"2026-11-01T04:00:00Z", "2026-11-01", 0}, // this one has 25
		{"2026-11-01T05:30:00Z", "2026-11-01", 1},
		{"2026-11-01T06:30:00Z", "2026-11-01", 1}, // once more
		{"2026-11-02T04:59:59Z", "2026-11-01", 23},
		{"2026-11-02T05:00:00Z", "2026-11-02", 0},
	} {
		assert.Equal(t, c.day, dayKey(cal.day(at(c.at))), c.at)
		assert.Equal(t, c.hour, cal.hour(at(c.at)), c.at)
	}
	// 1 March 2026 is a Sunday.
	assert.Equal(t, "2026-03-08", dayKey(cal.weekOf(cal.day(at("2026-03-14T12:00:00Z")))))
	assert.Equal(t, "2026-03-09", dayKey(NewCalendar(detroit, time.Monday).weekOf(cal.day(at("2026-03-14T12:00:00Z")))))
	assert.Equal(t, "2026-03", monthKey(monthOf(cal.day(at("2026-04-01T03:59:59Z")))))
}

func TestPeriods(t *testing.T) {
	london, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	cal := NewCalendar(london, time.Monday)
	now := time.Date(2026, 3, 31, 15, 0, 0, 0, london) // a Tuesday, two days after the clock went forward
	day := func(text string) time.Time {
		d, err := time.ParseInLocation(time.DateOnly, text, london)
		require.NoError(t, err)
		return d
	}
	for period, want := range map[Period][2]string{
		"today": {"2026-03-31", "2026-04-01"}, "yesterday": {"2026-03-30", "2026-03-31"}, "week": {"2026-03-30", "2026-04-01"},
		"last_week": {"2026-03-23", "2026-03-30"}, "month": {"2026-03-01", "2026-04-01"},
		"last_month": {"2026-02-01", "2026-03-01"}, "year": {"2026-01-01", "2026-04-01"}, "7d": {"2026-03-25", "2026-04-01"},
		"2026-03-28/2026-03-29": {"2026-03-28", "2026-03-30"},
	} {
		w, err := period.Window(now, cal)
		require.NoError(t, err, period)
		assert.Equal(t, Window{day(want[0]), day(want[1])}, w, period)
	}
	w, _ := Period("7d").Window(now, cal)
	assert.Equal(
		t,
		Window{day("2026-03-18"), day("2026-03-25")},
		w.Before(),
		"seven days, though one of them had 23 hours",
	)
	w, _ = Period("today").Window(now, cal)
	usual := w.Usual(day("2026-03-12").Add(9 * time.Hour))
	require.Len(t, usual, 2, "no Tuesday before the first call")
	assert.Equal(t, Window{day("2026-03-17"), day("2026-03-18")}, usual[1])
	for _, wrong := range []Period{"", "0d", "99999d", "d", "2026-03-02/2026-03-01", "2026-02-30/2026-03-01", "1900-01-01/1900-01-02",
		"ever"} {
		_, err := wrong.Window(now, cal)
		assert.ErrorIs(t, err, ErrPeriod, wrong)
	}
}
