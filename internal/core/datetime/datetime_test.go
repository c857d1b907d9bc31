package datetime_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/datetime"
)

func TestTimesAndDaysAreWrittenAsInTheirRegion(t *testing.T) {
	morning := time.Date(2026, 11, 7, 7, 5, 0, 0, time.UTC)
	evening := time.Date(2026, 11, 27, 19, 45, 0, 0, time.UTC)
	for region, want := range map[string][]string{
		"US": {"7:05 AM", "7:45 PM", "Nov 7", "Fri, Nov 27", "November 27", "Saturday, November 7", "Nov 27, 2026",
			"November 7, 2026"},
		"GB": {"07:05", "19:45", "7 Nov", "Fri 27 Nov", "27 November", "Saturday 7 November", "27 Nov 2026",
			"7 November 2026"},
		"": {"07:05", "19:45", "7 Nov", "Fri 27 Nov", "27 November", "Saturday 7 November", "27 Nov 2026",
			"7 November 2026"},
	} {
		s := datetime.In(region)
		assert.Equal(t, want, []string{s.Time(morning), s.Time(evening), s.Day(morning), s.Weekday(evening),
			s.LongDay(evening), s.LongWeekday(morning), s.Date(evening), s.LongDate(morning)}, region)
	}
	noon := time.Date(2026, 11, 7, 12, 0, 0, 0, time.UTC)
	assert.Equal(t, "12:00 PM", datetime.In("US").Time(noon))
	assert.Equal(t, "12:00 AM", datetime.In("US").Time(noon.Add(12*time.Hour)))
}

func TestADayIsTheSameDateElsewhere(t *testing.T) {
	london, err := time.LoadLocation("Europe/London")
	if err != nil {
		t.Fatal(err)
	}
	newYork, err := time.LoadLocation("America/New_York")
	if err != nil {
		t.Fatal(err)
	}
	// Midnight of 5 March in London is the evening of the 4th in New York, where the 5th begins five hours later.
	meant := time.Date(2026, 3, 5, 0, 0, 0, 0, london)
	assert.Equal(t, time.Date(2026, 3, 5, 0, 0, 0, 0, newYork), datetime.SameDate(meant, london, newYork))
	assert.Equal(t, meant, datetime.SameDate(meant, london, london))
	assert.Equal(t, meant, datetime.SameDate(meant.UTC(), london, london), "whatever zone it comes in")
}

func Example() {
	t := time.Date(2026, 11, 27, 15, 5, 0, 0, time.UTC)
	fmt.Println(datetime.In("US").Weekday(t), "at", datetime.In("US").Time(t))
	fmt.Println(datetime.In("GB").Weekday(t), "at", datetime.In("GB").Time(t))
	// Output:
	// Fri, Nov 27 at 3:05 PM
	// Fri 27 Nov at 15:05
}
