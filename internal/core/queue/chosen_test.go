package queue_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/queue"
)

// weekdays is Monday to Friday, from 8:00 to 18:00.
func weekdays(at time.Time) bool {
	return at.Weekday() != time.Saturday && at.Weekday() != time.Sunday && at.Hour() >= 8 && at.Hour() < 18
}

func TestChosenTime(t *testing.T) {
	york, err := time.LoadLocation("America/New_York")
	require.NoError(t, err)
	friday := time.Date(2026, 11, 27, 10, 0, 0, 0, york)
	always := func(time.Time) bool { return true }
	tests := []struct {
		digits string
		now    time.Time
		open   func(time.Time) bool
		want   string // "" for none
	}{
		{"1430", friday, weekdays, "Fri 14:30"},
		{"230", friday, weekdays, "Fri 14:30"}, // 2:30 at night is closed
		{"9", friday, weekdays, "Mon 09:00"},   // today it is over, tonight is closed, and so is the weekend
		{"0900", friday, weekdays, "Mon 09:00"},
		{"11", friday, weekdays, "Fri 11:00"},
		{"1003", friday, weekdays, "Mon 10:03"}, // in three minutes: too soon
		{"1005", friday, weekdays, "Fri 10:05"},
		{"12", friday, weekdays, "Fri 12:00"}, // noon comes before midnight
		{"1200", friday.Add(4 * time.Hour), always, "Sat 00:00"},
		{"0", friday, always, "Sat 00:00"},
		{"9", friday, always, "Fri 21:00"},
		{"2200", friday, weekdays, ""},
		{"2460", friday, always, ""},
		{"24", friday, always, ""},
		{"1260", friday, always, ""},
		{"", friday, always, ""},
		{"12345", friday, always, ""},
		{"1a", friday, always, ""},
		// The night on which the clock jumps from 2:00 to 3:00 has no 2:30; the next day has.
		{"0230", time.Date(2027, 3, 13, 23, 0, 0, 0, york), func(at time.Time) bool { return at.Hour() < 12 }, "Mon 02:30"},
	}
	for _, tt := range tests {
		t.Run(tt.digits, func(t *testing.T) {
			at, ok := queue.ChosenTime(tt.digits, tt.now, tt.open)
			require.Equal(t, tt.want != "", ok)
			if ok {
				assert.Equal(t, tt.want, at.Format("Mon 15:04"))
				assert.True(t, at.After(tt.now))
			}
		})
	}
}

func TestSlots(t *testing.T) {
	york, err := time.LoadLocation("America/New_York")
	require.NoError(t, err)
	slots := queue.Slots(time.Date(2026, 11, 27, 16, 56, 0, 0, york), weekdays)
	var got []string
	for _, at := range slots {
		got = append(got, at.Format("Mon 15:04"))
	}
	assert.Equal(t, []string{"Fri 17:30"}, got, "17:00 is too near, and the weekend follows")
	assert.Len(t, queue.Slots(time.Date(2026, 11, 30, 7, 0, 0, 0, york), weekdays), 60, "three days of ten hours")
	assert.Empty(t, queue.Slots(time.Date(2026, 11, 28, 7, 0, 0, 0, york), func(time.Time) bool { return false }))
}

func TestMayChoose(t *testing.T) {
	now := time.Date(2026, 3, 2, 10, 0, 0, 0, time.UTC)
	always := func(time.Time) bool { return true }
	for after, want := range map[time.Duration]bool{-time.Hour: false, 0: false, 4 * time.Minute: false, 5 * time.Minute: true,
		7 * 24 * time.Hour: true, 8 * 24 * time.Hour: true, 8*24*time.Hour + time.Minute: false} {
		assert.Equal(t, want, queue.MayChoose(now.Add(after), now, always), after)
	}
	assert.False(t, queue.MayChoose(now.Add(time.Hour), now, func(time.Time) bool { return false }))
}
