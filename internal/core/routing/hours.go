package routing

import (
	"fmt"
	"slices"
	"time"

	"trundo/internal/core/datetime"
)

// Span is an opening time on some days of the week.
type Span struct {
	Days []time.Weekday `json:"days"`
	From string         `json:"from"` // "09:00"
	To   string         `json:"to"`   // "17:30", "24:00" at the latest; after From
}

// Hours are a line's opening hours, on the clock of the line's zone. Without spans it is open at any time.
type Hours struct {
	Spans []Span   `json:"spans"`
	Off   []string `json:"off"` // days on which it is closed, "2026-12-25"
}

// MaxSpans and MaxOff bound what an admin can enter.
const (
	MaxSpans = 28
	MaxOff   = 366
)

// minutes reads "09:30" as minutes after midnight.
func minutes(text string) (int, error) {
	var h, m int
	if n, err := fmt.Sscanf(text, "%d:%d", &h, &m); n != 2 || err != nil || len(text) != 5 || h < 0 || m < 0 ||
		m > 59 || h*60+m > 24*60 {
		return 0, fmt.Errorf("“%s” is not a time of day such as 09:00", text)
	}
	return h*60 + m, nil
}

// Check tells what is wrong with hours that somebody has entered.
func (h Hours) Check() error {
	if len(h.Spans) > MaxSpans || len(h.Off) > MaxOff {
		return fmt.Errorf("at most %d opening times and %d days off", MaxSpans, MaxOff)
	}
	for _, s := range h.Spans {
		from, err := minutes(s.From)
		if err != nil {
			return err
		}
		to, err := minutes(s.To)
		switch {
		case err != nil:
			return err
		case to <= from:
			return fmt.Errorf("%s is not after %s: for a night give one time until 24:00 and one from 00:00", s.To,
				s.From)
		case len(s.Days) == 0:
			return fmt.Errorf("%s to %s needs a day", s.From, s.To)
		}
		for _, d := range s.Days {
			if d < time.Sunday || d > time.Saturday {
				return fmt.Errorf("a day is a number from 0, Sunday, to 6, Saturday")
			}
		}
	}
	for _, d := range h.Off {
		if _, err := time.Parse(time.DateOnly, d); err != nil {
			return fmt.Errorf("“%s” is not a day such as 2026-12-25", d)
		}
	}
	return nil
}

// Open tells whether a line is open at a time, whose zone is the line's.
func (h Hours) Open(at time.Time) bool {
	if slices.Contains(h.Off, at.Format(time.DateOnly)) {
		return false
	}
	if len(h.Spans) == 0 {
		return true
	}
	now := at.Hour()*60 + at.Minute()
	for _, s := range h.Spans {
		from, _ := minutes(s.From)
		to, _ := minutes(s.To)
		if slices.Contains(s.Days, at.Weekday()) && now >= from && now < to {
			return true
		}
	}
	return false
}

// horizon is how many days are looked ahead for the next opening.
const horizon = 30

// Opens is when a line that is closed at a time opens next; zero if it does not within 30 days. On a day on which the
// clock is put forward an opening inside the hour that is left out is at the hour's end.
func (h Hours) Opens(at time.Time) time.Time {
	if h.Open(at) {
		return at
	}
	for day := range horizon {
		var first time.Time
		for _, s := range h.spans() {
			from, _ := minutes(s.From)
			opens := time.Date(at.Year(), at.Month(), at.Day()+day, from/60, from%60, 0, 0, at.Location())
			if opens.Hour()*60+opens.Minute() < from%(24*60) { // time.Date has taken the hour before the gap
				opens = opens.Add(time.Hour)
				opens = opens.Add(-time.Duration(opens.Minute()) * time.Minute)
			}
			if slices.Contains(s.Days, opens.Weekday()) && opens.After(at) && h.Open(opens) &&
				(first.IsZero() || opens.Before(first)) {
				first = opens
			}
		}
		if !first.IsZero() {
			return first
		}
	}
	return time.Time{}
}

// spans are the opening times, where none is given the whole of every day.
func (h Hours) spans() []Span {
	if len(h.Spans) > 0 {
		return h.Spans
	}
	return []Span{{Days: []time.Weekday{0, 1, 2, 3, 4, 5, 6}, From: "00:00", To: "24:00"}}
}

// ClosedText says that nobody is there, and when somebody will be.
func (h Hours) ClosedText(at time.Time, w datetime.Style) string {
	opens := h.Opens(at)
	switch {
	case opens.IsZero():
		return "We are closed."
	case opens.YearDay() == at.YearDay() && opens.Year() == at.Year():
		return "We are closed. We open today at " + w.Time(opens) + "."
	}
	return "We are closed. We open on " + w.LongWeekday(opens) + " at " + w.Time(opens) + "."
}

// Speaking is how long a text takes to be said, at 2.5 words a second, the pace of announcements; a second at least.
func Speaking(text string) time.Duration {
	words := 0
	inWord := false
	for _, r := range text {
		letter := r != ' ' && r != '\n' && r != '\t'
		if letter && !inWord {
			words++
		}
		inWord = letter
	}
	return max(time.Second, time.Duration(words)*400*time.Millisecond)
}
