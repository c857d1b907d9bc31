package routing

import (
	"fmt"
	"slices"
	"strings"
	"time"
)

// week is the order in which days are written: from Monday on.
var week = []time.Weekday{time.Monday, time.Tuesday, time.Wednesday, time.Thursday, time.Friday, time.Saturday,
	time.Sunday}

// ParseSpans reads opening times as an admin writes them, a line each: days, alone, as a range or both with commas,
// then two times of day, as in "Mon-Wed, Fri 09:00-17:30". Days may be written out. Empty lines are left out. The error
// names the line.
func ParseSpans(text string) ([]Span, error) {
	spans := []Span{}
	for line := range strings.Lines(text) {
		if line = strings.TrimSpace(line); line == "" {
			continue
		}
		span, ok := parseSpan(strings.NewReplacer("–", "-", "—", "-").Replace(line))
		if !ok {
			return nil, fmt.Errorf("“%s” is not an opening time such as Mon-Fri 09:00-17:00", line)
		}
		if err := (Hours{Spans: []Span{span}}).Check(); err != nil {
			return nil, err
		}
		spans = append(spans, span)
	}
	return spans, nil
}

func parseSpan(line string) (s Span, ok bool) {
	digit := strings.IndexAny(line, "0123456789")
	if digit < 0 {
		return s, false
	}
	from, to, between := strings.Cut(line[digit:], "-")
	if s.Days, ok = parseDays(line[:digit]); !ok || !between {
		return s, false
	}
	s.From, s.To = twoDigits(from), twoDigits(to)
	return s, true
}

// twoDigits writes the hour of "9:00" with two digits.
func twoDigits(clock string) string {
	clock = strings.TrimSpace(clock)
	if strings.Index(clock, ":") == 1 {
		return "0" + clock
	}
	return clock
}

func parseDays(text string) (days []time.Weekday, ok bool) {
	for part := range strings.SplitSeq(text, ",") {
		first, last, ranged := strings.Cut(part, "-")
		if !ranged {
			last = first
		}
		from, to := placeInWeek(first), placeInWeek(last)
		if from < 0 || to < from {
			return nil, false
		}
		for _, day := range week[from : to+1] {
			if !slices.Contains(days, day) {
				days = append(days, day)
			}
		}
	}
	return days, true
}

// placeInWeek is where a day's name, or its first three letters, stands in the week; -1 for anything else.
func placeInWeek(name string) int {
	name = strings.ToLower(strings.TrimSpace(name))
	return slices.IndexFunc(week, func(d time.Weekday) bool {
		whole := strings.ToLower(d.String())
		return name == whole || name == whole[:3]
	})
}

// SpansText writes opening times as ParseSpans reads them, days that follow each other as a range.
func SpansText(spans []Span) string {
	lines := make([]string, len(spans))
	for i, s := range spans {
		lines[i] = daysText(s.Days) + " " + s.From + "-" + s.To
	}
	return strings.Join(lines, "\n")
}

func daysText(days []time.Weekday) string {
	var parts []string
	for i := 0; i < len(week); i++ {
		if !slices.Contains(days, week[i]) {
			continue
		}
		first := i
		for i+1 < len(week) && slices.Contains(days, week[i+1]) {
			i++
		}
		part := week[first].String()[:3]
		if i > first {
			part += "-" + week[i].String()[:3]
		}
		parts = append(parts, part)
	}
	return strings.Join(parts, ", ")
}
