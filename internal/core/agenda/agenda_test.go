package agenda_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/agenda"
)

func TestADayIsInOrder(t *testing.T) {
	ny, err := time.LoadLocation("America/New_York")
	if err != nil {
		t.Fatal(err)
	}
	at := func(day, hour, minute int) time.Time { return time.Date(2026, 3, day, hour, minute, 0, 0, ny) }
	items := []agenda.Item{
		{ID: "at three", Due: at(4, 15, 0)},
		{ID: "tomorrow", Due: at(5, 0, 0)},
		{ID: "some time today", Due: at(4, 0, 0), DayOnly: true},
		{ID: "never"},
		{ID: "yesterday", Due: at(3, 0, 0), DayOnly: true},
		{ID: "at nine", Due: at(4, 9, 0)},
		{ID: "the day before, at nine", Due: at(2, 9, 0)},
		{ID: "also at three", Due: at(4, 15, 0).UTC()},
		{ID: "the last minute", Due: at(4, 23, 59)},
	}
	want := []agenda.Entry{
		{ID: "the day before, at nine", Place: agenda.Before, Late: true},
		{ID: "yesterday", Place: agenda.Before, Late: true},
		{ID: "some time today", Place: agenda.WholeDay},
		{ID: "at nine", Place: agenda.AtHour, Late: true},
		{ID: "at three", Place: agenda.AtHour},
		{ID: "also at three", Place: agenda.AtHour},
		{ID: "the last minute", Place: agenda.AtHour},
	}
	assert.Equal(t, want, agenda.Day(items, at(4, 10, 30)))
	assert.Empty(t, agenda.Day(nil, at(4, 10, 30)))
}

func TestTheDayOfAChangedClockHasItsOwnLength(t *testing.T) {
	ny, err := time.LoadLocation("America/New_York")
	if err != nil {
		t.Fatal(err)
	}
	// On 8 March 2026 the clock goes from two to three: the day has 23 hours.
	late := agenda.Item{ID: "x", Due: time.Date(2026, 3, 8, 23, 30, 0, 0, ny)}
	next := agenda.Item{ID: "y", Due: time.Date(2026, 3, 9, 0, 0, 0, 0, ny)}
	got := agenda.Day([]agenda.Item{next, late}, time.Date(2026, 3, 8, 1, 0, 0, 0, ny))
	assert.Equal(t, []agenda.Entry{{ID: "x", Place: agenda.AtHour}}, got)
}

func TestWhatIsUsual(t *testing.T) {
	day := func(calls, conversations, seconds int) agenda.Figures {
		return agenda.Figures{Calls: calls, Conversations: conversations, Talk: time.Duration(seconds) * time.Second}
	}
	_, known := agenda.Usual([]agenda.Figures{day(4, 2, 60), day(5, 1, 60), day(0, 0, 0)})
	assert.False(t, known, "two days are no habit")
	// (10 + 20 + 31) / 3 = 20.33, (4 + 5 + 8) / 3 = 5.67, (600 + 700 + 801) / 3 = 700.33
	got, known := agenda.Usual([]agenda.Figures{day(10, 4, 600), day(0, 0, 0), day(20, 5, 700), day(31, 8, 801)})
	assert.True(t, known)
	assert.Equal(t, day(20, 6, 700), got)
	// Only the last twenty days with calls count.
	many := make([]agenda.Figures, 0, 40)
	for range 20 {
		many = append(many, day(10, 1, 10))
	}
	for range 20 {
		many = append(many, day(100, 50, 1000))
	}
	got, _ = agenda.Usual(many)
	assert.Equal(t, day(10, 1, 10), got)
}

func ExampleDay() {
	now := time.Date(2026, 3, 4, 10, 30, 0, 0, time.UTC)
	for _, e := range agenda.Day([]agenda.Item{
		{ID: "visit", Due: now.Add(time.Hour)},
		{ID: "offer", Due: now.AddDate(0, 0, -1)},
	}, now) {
		fmt.Println(e.ID, e.Place, e.Late)
	}
	// Output:
	// offer before true
	// visit hour false
}
