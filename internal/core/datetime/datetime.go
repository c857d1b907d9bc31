// Package datetime writes times of day and days as they are written where a firm is: "3:05 PM" and "Nov 27" in the
// United States, "15:05" and "27 Nov" elsewhere, as the Unicode Common Locale Data Repository has them for English.
//
// It must not know which firm that is, or the clock. A time is written in the zone it comes in.
package datetime

import "time"

// SameDate is when the day begins in to on which t falls in from: what is meant for a day is for that date wherever it is
// read.
func SameDate(t time.Time, from, to *time.Location) time.Time {
	year, month, day := t.In(from).Date()
	return time.Date(year, month, day, 0, 0, 0, 0, to)
}

// Style is how times and days are written. The zero Style has the day before the month and 24 hours.
type Style struct{ us bool }

// In is the style of a region (ISO 3166, "US").
func In(region string) Style { return Style{us: region == "US"} }

func (s Style) write(t time.Time, us, other string) string {
	if s.us {
		return t.Format(us)
	}
	return t.Format(other)
}

// Time is the time of day: "3:05 PM", "15:05".
func (s Style) Time(t time.Time) string { return s.write(t, "3:04 PM", "15:04") }

// Day is a day of this year, short: "Nov 27", "27 Nov".
func (s Style) Day(t time.Time) string { return s.write(t, "Jan 2", "2 Jan") }

// Weekday is a day of this year with its weekday, short: "Fri, Nov 27", "Fri 27 Nov".
func (s Style) Weekday(t time.Time) string { return s.write(t, "Mon, Jan 2", "Mon 2 Jan") }

// LongDay is a day of this year: "November 27", "27 November".
func (s Style) LongDay(t time.Time) string { return s.write(t, "January 2", "2 January") }

// LongWeekday is a day of this year with its weekday: "Friday, November 27", "Friday 27 November".
func (s Style) LongWeekday(t time.Time) string {
	return s.write(t, "Monday, January 2", "Monday 2 January")
}

// Date is a day of any year, short: "Nov 27, 2026", "27 Nov 2026".
func (s Style) Date(t time.Time) string { return s.write(t, "Jan 2, 2006", "2 Jan 2006") }

// LongDate is a day of any year: "November 27, 2026", "27 November 2026".
func (s Style) LongDate(t time.Time) string { return s.write(t, "January 2, 2006", "2 January 2006") }
