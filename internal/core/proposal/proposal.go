// Package proposal reads from notes when somebody is to be called, written to or met again, so that a follow-up can be
// proposed.
//
// The grammar is small on purpose: what it does not know it leaves alone, and nothing is made of it before somebody
// says so. In a sentence, a word that says what is to be done comes first, a word for when follows:
//
//	sentence := … act … when …
//	act      := "call" | "call back" | "ring" | "phone" | "mail" | "write" | "send" | "meet" | "visit" | "follow up" | "remind" | "ask" | "check"
//	when     := day [ ["at"] time ] | ["at"] time [ day ] | "in" count unit
//	day      := "today" | "tonight" | "tomorrow" | ["on" | "this" | "next"] weekday | "next week" | "next month"
//	          | number month | month number | yyyy-mm-dd
//	time     := h "am" | h "pm" | h ":" mm [ "am" | "pm" ] | "noon" | ["in the"] "morning" | "afternoon" | "evening" | "at" h
//	count    := number | "a" | "an" | "one" … "six"
//	unit     := "minute(s)" | "hour(s)" | "day(s)" | "week(s)" | "month(s)"
//
// A weekday is the next one after today; with "next" that of next week. "at 3" is in the afternoon, "at 9" in the
// morning: from one to seven it is the afternoon. A day without a time is for the whole day. A time that today has
// passed is tomorrow's; a date that has passed is next year's; a date that does not exist, and words that name a time
// that lies back, propose nothing.
//
// It must not know records, the store or who reads the notes.
package proposal

import (
	"regexp"
	"strconv"
	"strings"
	"time"
)

// Act is what is to be done.
type Act string

// The acts.
const (
	Call Act = "call"
	Mail Act = "mail"
	Meet Act = "meeting"
	Task Act = "task"
)

// Proposal is a follow-up as the notes say it.
type Proposal struct {
	Act     Act
	Text    string    // the sentence
	Due     time.Time // in the zone of the time that was given
	DayOnly bool      // for the whole day
}

var acts = []struct {
	word *regexp.Regexp
	act  Act
}{
	{regexp.MustCompile(`\b(call|ring|phone)( (him|her|them|me|us|you))?( back| again)?\b`), Call},
	{regexp.MustCompile(`\b(mail|write|send)\b`), Mail},
	{regexp.MustCompile(`\b(meet|visit)\b`), Meet},
	{regexp.MustCompile(`\b(follow up|remind|ask|check)\b`), Task},
}

var (
	sentences = regexp.MustCompile(`[^.!?\n]+(?:\.\d[^.!?\n]*)*`)
	relative  = regexp.MustCompile(`\bin (\d{1,3}|an?|one|two|three|four|five|six) (minute|hour|day|week|month)s?\b`)
	dayWord   = regexp.MustCompile(`\b(today|tonight|tomorrow|next week|next month)\b`)
	weekday   = regexp.MustCompile(`\b(?:(on|this|next) )?(mon|tues?|wed(?:nes)?|thu(?:rs)?|fri|sat(?:ur)?|sun)(?:day)?\b`)
	dayMonth  = regexp.MustCompile(`\b(\d{1,2})(?:st|nd|rd|th)? (?:of )?(jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec)[a-z]*\b`)
	monthDay  = regexp.MustCompile(`\b(jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec)[a-z]* (\d{1,2})(?:st|nd|rd|th)?\b`)
	iso       = regexp.MustCompile(`\b(\d{4})-(\d{2})-(\d{2})\b`)
	clocks    = []*regexp.Regexp{ // the first that is there counts
		regexp.MustCompile(`\b(\d{1,2})(?::(\d{2}))? ?(am|pm)\b`),
		regexp.MustCompile(`\b(\d{1,2}):(\d{2})\b`),
		regexp.MustCompile(`\bat (\d{1,2})\b`),
	}
	dayPart = regexp.MustCompile(`\b(noon|morning|afternoon|evening|tonight)\b`)
)

var counts = map[string]int{"a": 1, "an": 1, "one": 1, "two": 2, "three": 3, "four": 4, "five": 5, "six": 6}

var weekdays = map[string]time.Weekday{"mon": time.Monday, "tue": time.Tuesday, "wed": time.Wednesday,
	"thu": time.Thursday, "fri": time.Friday, "sat": time.Saturday, "sun": time.Sunday}

var months = map[string]time.Month{"jan": 1, "feb": 2, "mar": 3, "apr": 4, "may": 5, "jun": 6, "jul": 7, "aug": 8,
	"sep": 9, "oct": 10, "nov": 11, "dec": 12}

// parts are the hours that a part of the day stands for.
var parts = map[string]int{"morning": 9, "noon": 12, "afternoon": 14, "evening": 18, "tonight": 18}

// maxNotes is how much of notes is read, in bytes.
const maxNotes = 20_000

// Find reads notes, as of now at the place of whoever they are about, and gives the last follow-up that they name;
// false where they name none.
func Find(notes string, now time.Time) (Proposal, bool) {
	if len(notes) > maxNotes {
		notes = notes[len(notes)-maxNotes:]
	}
	found := sentences.FindAllString(notes, -1)
	for i := len(found) - 1; i >= 0; i-- {
		text := strings.Join(strings.Fields(found[i]), " ")
		if p, ok := inSentence(strings.ToLower(text), now); ok {
			p.Text = text
			return p, true
		}
	}
	return Proposal{}, false
}

func inSentence(s string, now time.Time) (Proposal, bool) {
	p := Proposal{}
	from := -1
	for _, a := range acts {
		if at := a.word.FindStringIndex(s); at != nil && (from < 0 || at[0] < from) {
			p.Act, from = a.act, at[0]
		}
	}
	if from < 0 {
		return p, false
	}
	var ok bool
	p.Due, p.DayOnly, ok = when(s[from:], now)
	return p, ok
}

// when reads a day, a time, or both.
func when(s string, now time.Time) (due time.Time, dayOnly, ok bool) {
	if m := relative.FindStringSubmatch(s); m != nil {
		return later(m[1], m[2], now)
	}
	day, dayKnown, sound := dayOf(s, now)
	if !sound {
		return due, false, false
	}
	hour, minute, timed, sound := timeOf(s)
	switch {
	case !sound || !dayKnown && !timed:
		return due, false, false
	case !timed:
		return day, true, true
	case !dayKnown:
		day = midnight(now)
	}
	due = at(day, hour, minute)
	if !due.After(now) {
		if dayKnown && !day.Equal(midnight(now)) {
			return due, false, false
		}
		due = at(day.AddDate(0, 0, 1), hour, minute)
	}
	return due, false, true
}

func later(count, unit string, now time.Time) (time.Time, bool, bool) {
	n, known := counts[count]
	if !known {
		n, _ = strconv.Atoi(count)
	}
	switch {
	case n == 0:
		return now, false, false
	case unit == "minute":
		return now.Add(time.Duration(n) * time.Minute).Truncate(time.Minute), false, true
	case unit == "hour":
		return now.Add(time.Duration(n) * time.Hour).Truncate(time.Minute), false, true
	case unit == "day":
		return midnight(now).AddDate(0, 0, n), true, true
	case unit == "week":
		return midnight(now).AddDate(0, 0, 7*n), true, true
	}
	return addMonths(midnight(now), n), true, true
}

// addMonths keeps to the month: a month after 31 January is the last of February.
func addMonths(day time.Time, n int) time.Time {
	first := time.Date(day.Year(), day.Month()+time.Month(n), 1, 0, 0, 0, 0, day.Location())
	last := first.AddDate(0, 1, -1).Day()
	return first.AddDate(0, 0, min(day.Day(), last)-1)
}

// dayOf reads a day; sound is false for one that does not exist or lies back.
func dayOf(s string, now time.Time) (day time.Time, known, sound bool) {
	today := midnight(now)
	if m := iso.FindStringSubmatch(s); m != nil {
		y, _ := strconv.Atoi(m[1])
		mo, _ := strconv.Atoi(m[2])
		d, _ := strconv.Atoi(m[3])
		day, sound = date(y, time.Month(mo), d, now.Location())
		return day, true, sound && !day.Before(today)
	}
	number, month := "", ""
	if m := dayMonth.FindStringSubmatch(s); m != nil {
		number, month = m[1], m[2]
	} else if m := monthDay.FindStringSubmatch(s); m != nil {
		number, month = m[2], m[1]
	}
	if month != "" {
		d, _ := strconv.Atoi(number)
		day, sound = date(now.Year(), months[month], d, now.Location())
		if sound && day.Before(today) {
			day, sound = date(now.Year()+1, months[month], d, now.Location())
		}
		return day, true, sound
	}
	switch m := dayWord.FindString(s); m {
	case "today", "tonight":
		return today, true, true
	case "tomorrow":
		return today.AddDate(0, 0, 1), true, true
	case "next week":
		return monday(today).AddDate(0, 0, 7), true, true
	case "next month":
		return time.Date(today.Year(), today.Month()+1, 1, 0, 0, 0, 0, now.Location()), true, true
	}
	if m := weekday.FindStringSubmatch(s); m != nil {
		ahead := (int(weekdays[m[2][:3]]-today.Weekday())+6)%7 + 1
		if m[1] == "next" {
			ahead = int((weekdays[m[2][:3]]+6)%7) + int(monday(today).AddDate(0, 0, 7).Sub(today).Hours()+12)/24
		}
		return today.AddDate(0, 0, ahead), true, true
	}
	return day, false, true
}

// timeOf reads a time of the day; sound is false for one that no clock shows.
func timeOf(s string) (hour, minute int, known, sound bool) {
	if m := clocks[0].FindStringSubmatch(s); m != nil {
		hour, _ = strconv.Atoi(m[1])
		minute, _ = strconv.Atoi(m[2])
		if hour < 1 || hour > 12 {
			return 0, 0, true, false
		}
		if hour %= 12; m[3] == "pm" {
			hour += 12
		}
		return hour, minute, true, minute < 60
	}
	if m := clocks[1].FindStringSubmatch(s); m != nil {
		hour, _ = strconv.Atoi(m[1])
		minute, _ = strconv.Atoi(m[2])
		return hour, minute, true, hour < 24 && minute < 60
	}
	if m := clocks[2].FindStringSubmatch(s); m != nil {
		if hour, _ = strconv.Atoi(m[1]); hour >= 1 && hour <= 7 {
			hour += 12
		}
		return hour, 0, true, hour < 24
	}
	if m := dayPart.FindString(s); m != "" {
		return parts[m], 0, true, true
	}
	return 0, 0, false, true
}

func midnight(t time.Time) time.Time {
	return time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, t.Location())
}

// monday is that of the week of a day.
func monday(day time.Time) time.Time { return day.AddDate(0, 0, -int((day.Weekday()+6)%7)) }

// date is a day of the calendar; false for one that it does not have.
func date(y int, m time.Month, d int, zone *time.Location) (time.Time, bool) {
	day := time.Date(y, m, d, 0, 0, 0, 0, zone)
	return day, day.Month() == m && day.Day() == d
}

// at is a time of a day; in the hour that daylight saving skips it is as much later.
func at(day time.Time, hour, minute int) time.Time {
	t := time.Date(day.Year(), day.Month(), day.Day(), hour, minute, 0, 0, day.Location())
	if t.Hour() < hour { // the gap was counted the other way
		t = t.Add(time.Duration(hour-t.Hour()) * time.Hour)
	}
	return t
}
