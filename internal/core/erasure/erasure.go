// Package erasure says by what a person is found in texts, so that nothing of them is left anywhere: their names,
// numbers
// and mail addresses, in whatever form somebody has written them.
//
// It must not know where texts are kept, or whose a name is besides.
package erasure

import (
	"regexp"
	"strings"
	"unicode"
)

// Mark stands where something was erased.
const Mark = "[erased]"

// Traces are what somebody is found by.
type Traces struct {
	Names   []string // whole ones: a given name alone is many people's
	Numbers []string // in their normal form (E.164)
	Mails   []string
	// CountryCode is that of numbers which are written without one, "1" say; empty: not known.
	CountryCode string
}

// shortest is how many digits a number has at least to be looked for: fewer are in every second text.
const shortest = 7

// between is what may stand between two digits of a number.
const between = `[-\s()./]{0,3}`

// Pattern is a regular expression, in the syntax that PostgreSQL (ARE) and Go (RE2) share, that finds traces wherever
// they begin and end a word, with large and small letters alike; "" where there is nothing to look for. A word's border
// is
// written as border, which is \y there and \b here.
func (t Traces) Pattern(border string) string {
	var all []string
	for _, n := range t.Names {
		parts := strings.FieldsFunc(n, func(r rune) bool { return unicode.IsSpace(r) || r == ',' })
		if len(parts) < 2 {
			continue
		}
		all = append(all, spaced(parts))
		last := append([]string{parts[len(parts)-1]}, parts[:len(parts)-1]...)
		all = append(all, spaced(last))
	}
	for _, n := range t.Numbers {
		if p := t.number(n); p != "" {
			all = append(all, p)
		}
	}
	for _, m := range t.Mails {
		if m = strings.TrimSpace(m); m != "" {
			all = append(all, quoted(m))
		}
	}
	if len(all) == 0 {
		return ""
	}
	return border + "(" + strings.Join(all, "|") + ")" + border
}

// spaced finds words one after the other, with spaces or a comma between them.
func spaced(words []string) string {
	for i := range words {
		words[i] = quoted(words[i])
	}
	return strings.Join(words, `[\s,]+`)
}

// quoted finds a text as it stands, also where it stands within JSON.
func quoted(text string) string {
	return strings.ReplaceAll(regexp.QuoteMeta(strings.ToValidUTF8(text, "")), `"`, `\\?"`)
}

func (t Traces) number(e164 string) string {
	digits := strings.TrimPrefix(e164, "+")
	national, country := digits, ""
	if t.CountryCode != "" && strings.HasPrefix(digits, t.CountryCode) {
		country, national = t.CountryCode, digits[len(t.CountryCode):]
	}
	if len(national) < shortest || strings.Trim(digits, "0123456789") != "" {
		return ""
	}
	p := strings.Join(strings.Split(national, ""), between)
	if country != "" {
		// with its country code, with the zero that many countries write instead, or with neither
		p = "(" + strings.Join(strings.Split(country, ""), between) + between + "|0" + between + ")?" + p
	}
	return p
}
