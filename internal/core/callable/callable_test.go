package callable_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/callable"
)

func TestCheck(t *testing.T) {
	// 2 March 2026, winter time everywhere: New York is UTC-5, Denver UTC-7, London UTC.
	at := func(hour, minute int) time.Time { return time.Date(2026, 3, 2, hour, minute, 0, 0, time.UTC) }
	ny, denver := []string{"America/New_York"}, []string{"America/New_York", "America/Denver"}
	tests := []struct {
		name    string
		subject callable.Subject
		now     time.Time
		refused error
		inHours bool
		changes time.Time
	}{
		{"afternoon in New York", callable.Subject{Zones: ny}, at(20, 0), nil, true,
			time.Date(2026, 3, 3, 2, 0, 0, 0, time.UTC)},
		{"one minute before eight", callable.Subject{Zones: ny}, at(12, 59), nil, false, at(13, 0)},
		{"eight sharp is open", callable.Subject{Zones: ny}, at(13, 0), nil, true,
			time.Date(2026, 3, 3, 2, 0, 0, 0, time.UTC)},
		{"nine in the evening is closed", callable.Subject{Zones: ny}, at(2, 0), nil, false, at(13, 0)},
		{"both zones must allow: Denver still sleeps", callable.Subject{Zones: denver}, at(14, 0), nil, false,
			at(15, 0)},
		{"both zones must allow: New York closes first", callable.Subject{Zones: denver}, at(20, 0), nil, true,
			time.Date(2026, 3, 3, 2, 0, 0, 0, time.UTC)},
		{"no zone known", callable.Subject{}, at(3, 0), nil, true, time.Time{}},
		{"a zone that does not exist", callable.Subject{Zones: []string{"Nowhere/At_All"}}, at(3, 0), nil, true,
			time.Time{}},
		{"number marked", callable.Subject{NumberDoNotCall: true, PersonDoNotCall: true}, at(3, 0),
			callable.ErrDoNotCall, true, time.Time{}},
		{"person marked", callable.Subject{PersonDoNotCall: true}, at(3, 0), callable.ErrPersonDoNotCall, true,
			time.Time{}},
		{"emergency numbers are never blocked", callable.Subject{NumberDoNotCall: true, Emergency: true}, at(3, 0), nil,
			true, time.Time{}},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			v := callable.Check(tt.subject, callable.DefaultHours, tt.now)
			assert.ErrorIs(t, v.Refused, tt.refused)
			assert.Equal(t, tt.inHours, v.InHours)
			assert.True(t, tt.changes.Equal(v.Changes), "changes at %v, not %v", tt.changes, v.Changes)
		})
	}
}

func TestASingleCallIsAskedAboutOutsideHours(t *testing.T) {
	evening := time.Date(2026, 3, 3, 2, 37, 0, 0, time.UTC) // 21:37 in New York, 19:37 in Denver
	ny := callable.Check(callable.Subject{Zones: []string{"America/Denver", "America/New_York"}}, callable.DefaultHours,
		evening)
	assert.EqualError(t, callable.Ask(ny, evening, false, false),
		"it is 21:37 there, outside calling hours until 08:00")
	assert.Nil(t, callable.Ask(ny, evening, true, false), "emergency")
	assert.Nil(t, callable.Ask(ny, evening, false, true), "they have called in vain")
	denver := callable.Check(callable.Subject{Zones: []string{"America/Denver"}}, callable.DefaultHours, evening)
	assert.Nil(t, callable.Ask(denver, evening, false, false))
	nowhere := callable.Check(callable.Subject{}, callable.DefaultHours, evening)
	assert.Nil(t, callable.Ask(nowhere, evening, false, false))
}

func TestHoursAreRead(t *testing.T) {
	for text, want := range map[string]callable.Hours{"8:00-21:00": callable.DefaultHours, "0:00-24:00": {To: 1440},
		"09:30-17:05": {From: 570, To: 1025}} {
		got, err := callable.ParseHours(text)
		assert.NoError(t, err, text)
		assert.Equal(t, want, got, text)
	}
	for _, text := range []string{"", "8-21", "21:00-8:00", "8:00-25:00", "8:60-21:00", "8:00-24:01", "-1:00-8:00",
		"8:00"} {
		_, err := callable.ParseHours(text)
		assert.ErrorContains(t, err, "8:00-21:00", text)
	}
}

func TestTheClockChangeMovesTheWindow(t *testing.T) {
	// In New York clocks go forward on 8 March 2026 at 2:00; 8:00 is then 12:00 UTC.
	v := callable.Check(callable.Subject{Zones: []string{"America/New_York"}}, callable.DefaultHours,
		time.Date(2026, 3, 8, 4, 0, 0, 0, time.UTC))
	assert.False(t, v.InHours)
	assert.Equal(t, time.Date(2026, 3, 8, 12, 0, 0, 0, time.UTC), v.Changes.UTC())
}

func TestZonesOfTheSameTimeAreNotAmbiguous(t *testing.T) {
	now := time.Date(2026, 3, 2, 15, 0, 0, 0, time.UTC)
	assert.False(t, callable.Check(callable.Subject{Zones: []string{"Europe/London", "Europe/Guernsey"}},
		callable.DefaultHours, now).Ambiguous)
	assert.True(t, callable.Check(callable.Subject{Zones: []string{"America/Boise", "America/Los_Angeles"}},
		callable.DefaultHours, now).Ambiguous)
}

func ExampleCheck() {
	v := callable.Check(callable.Subject{Zones: []string{"America/New_York"}}, callable.DefaultHours,
		time.Date(2026, 3, 2, 12, 30, 0, 0, time.UTC))
	fmt.Println(v.InHours, "until", v.Changes.In(v.Zone).Format("15:04"))
	// Output: false until 08:00
}
