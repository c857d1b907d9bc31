package routing_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/datetime"
	"trundo/internal/core/routing"
)

var weekdays = []time.Weekday{time.Monday, time.Tuesday, time.Wednesday, time.Thursday, time.Friday}

func TestHours(t *testing.T) {
	zone, err := time.LoadLocation("America/New_York")
	require.NoError(t, err)
	office := routing.Hours{Spans: []routing.Span{{Days: weekdays, From: "09:00", To: "12:30"},
		{Days: weekdays, From: "13:30", To: "17:00"}}, Off: []string{"2026-12-25"}}
	night := routing.Hours{Spans: []routing.Span{{Days: []time.Weekday{time.Saturday}, From: "22:00", To: "24:00"},
		{Days: []time.Weekday{time.Sunday}, From: "00:00", To: "06:00"}}}
	spring := routing.Hours{Spans: []routing.Span{{Days: []time.Weekday{time.Sunday}, From: "02:30", To: "10:00"}}}
	tests := []struct {
		name  string
		hours routing.Hours
		at    string
		open  bool
		opens string // "" is never
		says  string
	}{
		{"the first minute", office, "2026-11-25 09:00", true, "2026-11-25 09:00", ""},
		{"a minute before", office, "2026-11-25 08:59", false, "2026-11-25 09:00",
			"We are closed. We open today at 09:00."},
		{"the lunch break", office, "2026-11-25 12:30", false, "2026-11-25 13:30",
			"We are closed. We open today at 13:30."},
		{"the last minute", office, "2026-11-25 16:59", true, "2026-11-25 16:59", ""},
		{"after the end", office, "2026-11-25 17:00", false, "2026-11-26 09:00",
			"We are closed. We open on Thursday 26 November at 09:00."},
		{"a weekend", office, "2026-11-28 10:00", false, "2026-11-30 09:00",
			"We are closed. We open on Monday 30 November at 09:00."},
		{"a day off before a weekend", office, "2026-12-25 10:00", false, "2026-12-28 09:00",
			"We are closed. We open on Monday 28 December at 09:00."},
		{"a night, before midnight", night, "2026-11-28 23:59", true, "2026-11-28 23:59", ""},
		{"a night, after midnight", night, "2026-11-29 00:00", true, "2026-11-29 00:00", ""},
		{"a night that is over", night, "2026-11-29 06:00", false, "2026-12-05 22:00",
			"We are closed. We open on Saturday 5 December at 22:00."},
		{"always", routing.Hours{}, "2026-11-29 03:00", true, "2026-11-29 03:00", ""},
		{"always, but for a day off", routing.Hours{Off: []string{"2026-11-29"}}, "2026-11-29 03:00", false,
			"2026-11-30 00:00", "We are closed. We open on Monday 30 November at 00:00."},
		{"in an hour that the clock leaves out", spring, "2026-03-08 01:00", false, "2026-03-08 03:00",
			"We are closed. We open today at 03:00."},
		{"never", routing.Hours{Spans: []routing.Span{{Days: []time.Weekday{time.Friday}, From: "09:00", To: "10:00"}},
			Off: fridays()}, "2026-11-25 10:00", false, "", "We are closed."},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			require.NoError(t, tt.hours.Check())
			at, err := time.ParseInLocation("2006-01-02 15:04", tt.at, zone)
			require.NoError(t, err)
			assert.Equal(t, tt.open, tt.hours.Open(at))
			opens := ""
			if o := tt.hours.Opens(at); !o.IsZero() {
				opens = o.Format("2006-01-02 15:04")
			}
			assert.Equal(t, tt.opens, opens)
			if tt.says != "" {
				assert.Equal(t, tt.says, tt.hours.ClosedText(at, datetime.Style{}))
			}
		})
	}
}

func fridays() []string {
	var days []string
	for d := time.Date(2026, 11, 27, 0, 0, 0, 0, time.UTC); len(days) < 10; d = d.AddDate(0, 0, 7) {
		days = append(days, d.Format(time.DateOnly))
	}
	return days
}

func TestHoursThatCannotBe(t *testing.T) {
	one := func(from, to string, days ...time.Weekday) routing.Hours {
		return routing.Hours{Spans: []routing.Span{{Days: days, From: from, To: to}}}
	}
	for name, h := range map[string]routing.Hours{
		"no time": one("nine", "17:00", 1), "short": one("9:00", "17:00", 1), "backwards": one("17:00", "09:00",
			1), "nothing": one("09:00", "09:00", 1),
		"no day": one("09:00", "17:00"), "an eighth day": one("09:00", "17:00", 7),
		"too late": one("09:00", "24:01", 1), "sixty": one("09:60", "17:00", 1),
		"a day off": {Off: []string{"25.12.2026"}}, "too many": {Off: make([]string, 400)},
	} {
		assert.Error(t, h.Check(), name)
	}
}

func TestSpeaking(t *testing.T) {
	assert.Equal(t, time.Second, routing.Speaking(""))
	assert.Equal(t, 2*time.Second, routing.Speaking("We  are closed\njust now"))
}
