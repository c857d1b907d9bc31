package fields

import (
	"errors"
	"fmt"
	"math/big"
	"net/mail"
	"net/url"
	"sort"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"trundo/internal/core/money"
)

// Limits of what may be typed, in characters.
const (
	MaxText = 300
	MaxLong = 256 << 10 // bytes
	MaxTags = 40
)

// Errors of Parse. They are shown to the user as they are.
var (
	ErrRequired = errors.New("this must not be empty")
	ErrTooLong  = fmt.Errorf("this is too long: %d characters fit", MaxText)
	ErrNumber   = errors.New("this is not a number")
	ErrDate     = errors.New("this is not a date: write it like 2026-11-25")
	ErrTime     = errors.New("this is not a time: write it like 2026-11-25 14:30")
	ErrYesNo    = errors.New("this is neither yes nor no")
	ErrMail     = errors.New("this is not a mail address")
	ErrWeb      = errors.New("this is not a web address: it starts with https:// or http://")
	ErrZone     = errors.New("this is not a time zone: write it like America/New_York")
	ErrTags     = fmt.Errorf("at most %d tags, each of 1 to 40 characters", MaxTags)
	ErrUTF8     = errors.New("this is not readable text")
)

// ChoiceError tells what could have been chosen.
type ChoiceError struct{ Choices []string }

func (e *ChoiceError) Error() string { return "choose one of: " + strings.Join(e.Choices, ", ") }

// Home is what is taken where a text leaves it open.
type Home struct {
	Currency    string         // ISO 4217
	CountryCode string         // of telephone numbers at home, "1"
	Zone        *time.Location // in which times without a zone are meant; nil is UTC
	Slashes     DayOrder       // how a date like 03/04/2026 is meant
}

// DayOrder tells how dates with slashes are meant.
type DayOrder string

// The orders. Without one such a date is only taken where it can mean but one day.
const (
	MonthFirst DayOrder = "month_first"
	DayFirst   DayOrder = "day_first"
)

// Parse reads text into the field's canonical text; "" stays "" unless the field is required. References and users are
// taken as they are: whether they exist is not known here.
func (f Field) Parse(text string, h Home) (string, error) {
	if !utf8.ValidString(text) || strings.ContainsRune(text, 0) {
		return "", ErrUTF8
	}
	if f.Type == Long {
		if len(text) > MaxLong {
			return "", fmt.Errorf("this is too long: %d kB fit", MaxLong>>10)
		}
		return strings.TrimRight(text, " \n\r\t"), nil
	}
	text = strings.TrimSpace(strings.Map(func(r rune) rune {
		if unicode.IsControl(r) {
			return ' '
		}
		return r
	}, text))
	if text == "" {
		if f.Required {
			return "", ErrRequired
		}
		return "", nil
	}
	if utf8.RuneCountInString(text) > MaxText && f.Type != Tags {
		return "", ErrTooLong
	}
	switch f.Type {
	case Number:
		return parseNumber(text)
	case Money:
		a, err := money.Parse(text, h.Currency)
		return a.String(), err
	case Date:
		t, err := parseDate(text, h)
		return t.Format(time.DateOnly), err
	case Time:
		return parseTime(text, h)
	case Choice:
		for _, c := range f.Choices {
			if strings.EqualFold(c, text) {
				return c, nil
			}
		}
		return "", &ChoiceError{f.Choices}
	case YesNo:
		switch strings.ToLower(text) {
		case "yes", "y", "true", "1", "x":
			return "yes", nil
		case "no", "n", "false", "0":
			return "no", nil
		}
		return "", ErrYesNo
	case Mail:
		return parseMail(text)
	case Web:
		return parseWeb(text)
	case Zone:
		if _, err := time.LoadLocation(text); err != nil || text == "Local" {
			return "", ErrZone
		}
		return text, nil
	case Tags:
		return parseTags(text)
	}
	return text, nil
}

func parseNumber(text string) (string, error) {
	plain := strings.NewReplacer(" ", "", "'", "", "\u00a0", "", "\u202f", "").Replace(text)
	if !strings.Contains(plain, ".") && strings.Count(plain, ",") == 1 && len(plain)-strings.Index(plain, ",") != 4 {
		plain = strings.Replace(plain, ",", ".", 1)
	}
	plain = strings.ReplaceAll(plain, ",", "")
	if strings.Trim(plain, "+-.0123456789") != "" || len(plain) > 40 {
		return "", ErrNumber
	}
	r, ok := new(big.Rat).SetString(plain)
	if !ok {
		return "", ErrNumber
	}
	s := r.FloatString(6)
	return strings.TrimSuffix(strings.TrimRight(s, "0"), "."), nil
}

// slashed are dates with slashes: month first, day first.
var slashed = map[DayOrder]string{MonthFirst: "1/2/2006", DayFirst: "2/1/2006"}

func parseDate(text string, h Home) (time.Time, error) {
	for _, layout := range []string{time.DateOnly, "2006/1/2", "2.1.2006", "2 January 2006", "2 Jan 2006",
		"January 2, 2006", "Jan 2, 2006", "20060102"} {
		if t, err := time.Parse(layout, text); err == nil {
			return between(t)
		}
	}
	if order, known := slashed[h.Slashes]; known {
		if t, err := time.Parse(order, text); err == nil {
			return between(t)
		}
		return time.Time{}, ErrDate
	}
	american, err1 := time.Parse(slashed[MonthFirst], text)
	other, err2 := time.Parse(slashed[DayFirst], text)
	switch {
	case err1 == nil && (err2 != nil || american.Equal(other)):
		return between(american)
	case err2 == nil && err1 != nil:
		return between(other)
	case err1 == nil:
		return time.Time{}, errors.New("this date can be read in two ways: write it like " +
			american.Format(time.DateOnly))
	}
	if t, err := time.Parse(time.RFC3339, text); err == nil {
		return between(t)
	}
	return time.Time{}, ErrDate
}

func between(t time.Time) (time.Time, error) {
	if t.Year() < 1800 || t.Year() > 2200 {
		return time.Time{}, ErrDate
	}
	return t, nil
}

func parseTime(text string, h Home) (string, error) {
	zone := h.Zone
	if zone == nil {
		zone = time.UTC
	}
	for _, layout := range []string{time.RFC3339Nano, "2006-01-02 15:04:05Z07:00", "2006-01-02T15:04:05",
		"2006-01-02T15:04", "2006-01-02 15:04:05", "2006-01-02 15:04"} {
		if t, err := time.ParseInLocation(layout, text, zone); err == nil {
			if _, err := between(t); err != nil {
				return "", ErrTime
			}
			return t.UTC().Format(time.RFC3339), nil
		}
	}
	t, err := parseDate(text, h)
	if err != nil {
		return "", ErrTime
	}
	return time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, zone).UTC().Format(time.RFC3339), nil
}

func parseMail(text string) (string, error) {
	a, err := mail.ParseAddress(text)
	if err != nil || strings.ContainsAny(a.Address, " <>\"") || len(a.Address) > 254 {
		return "", ErrMail
	}
	return a.Address, nil
}

func parseWeb(text string) (string, error) {
	if !strings.Contains(text, "://") {
		text = "https://" + text
	}
	u, err := url.Parse(text)
	if err != nil || u.Host == "" || u.User != nil || u.Scheme != "http" && u.Scheme != "https" ||
		!strings.Contains(u.Hostname(), ".") {
		return "", ErrWeb
	}
	return u.String(), nil
}

func parseTags(text string) (string, error) {
	seen := map[string]bool{}
	var list []string
	for _, tag := range strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ';' }) {
		tag = strings.Join(strings.Fields(tag), " ")
		if tag == "" || seen[strings.ToLower(tag)] {
			continue
		}
		if utf8.RuneCountInString(tag) > 40 {
			return "", ErrTags
		}
		seen[strings.ToLower(tag)] = true
		list = append(list, tag)
	}
	if len(list) > MaxTags {
		return "", ErrTags
	}
	sort.Strings(list)
	return strings.Join(list, ", "), nil
}

// SplitTags takes a canonical text of tags apart.
func SplitTags(text string) []string {
	if text == "" {
		return []string{}
	}
	return strings.Split(text, ", ")
}
