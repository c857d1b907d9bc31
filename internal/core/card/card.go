// Package card finds what looks like a payment card number in a text, so that none is kept by mistake.
//
// A number is taken for a card's when it has the length and the first digits that card schemes use (ISO/IEC 7812-1: the
// issuer identification number) and its last digit fits the Luhn formula of ISO/IEC 7812-1, annex B. Digits may stand
// in groups, apart by one space or hyphen. A telephone number in its international form is not taken for one.
//
// It must not know where a text comes from, or what is done with it.
package card

import (
	"regexp"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Found is a number that was found: how it was written, and what stands in its place.
type Found struct{ Text, Mask string }

var candidate = regexp.MustCompile(`\d(?:[ -]?\d){12,18}`)

// Find gives what looks like card numbers in a text, in order, each once.
func Find(text string) []Found {
	var found []Found
	seen := map[string]bool{}
	for _, at := range spans(text) {
		written := text[at[0]:at[1]]
		if !seen[written] {
			seen[written] = true
			found = append(found, Found{Text: written, Mask: mask(written)})
		}
	}
	return found
}

// mask is what stands in the place of a number.
func mask(written string) string {
	d := digits(written)
	return "•••• " + d[len(d)-4:]
}

// spans gives where card numbers stand in a text, in order.
func spans(text string) (found [][2]int) {
	for at := 0; at < len(text); {
		span := candidate.FindStringIndex(text[at:])
		if span == nil {
			break
		}
		from, to := at+span[0], at+span[1]
		at = to
		if longer(text, from, to) || from > 0 && text[from-1] == '+' {
			for at < len(text) && text[at] >= '0' && text[at] <= '9' {
				at++
			}
			continue
		}
		if from > 0 && letter(text[:from], true) {
			at = from + 1
			continue
		}
		// The number may end before the last digits, which belong to what follows: 4111 1111 1111 1111 12/27.
		for end := to; end-from >= 13; end-- {
			written := text[from:end]
			if last := written[len(written)-1]; last < '0' || last > '9' || end < to && text[end] >= '0' &&
				text[end] <= '9' || letter(text[end:], false) {
				continue
			}
			if !isCard(digits(written)) {
				continue
			}
			found = append(found, [2]int{from, end})
			at = end
			break
		}
	}
	return found
}

// letter tells whether a text ends, or begins, with a letter: digits beside one are part of a reference, and of no
// card.
func letter(text string, end bool) bool {
	r, _ := utf8.DecodeRuneInString(text)
	if end {
		r, _ = utf8.DecodeLastRuneInString(text)
	}
	return unicode.IsLetter(r)
}

// Mask is a text in which everything that looks like a card number is hidden but its last four digits.
func Mask(text string) string {
	var b strings.Builder
	last := 0
	for _, at := range spans(text) {
		b.WriteString(text[last:at[0]])
		b.WriteString(mask(text[at[0]:at[1]]))
		last = at[1]
	}
	if last == 0 {
		return text
	}
	b.WriteString(text[last:])
	return b.String()
}

// longer tells whether the digits go on around a span: then it is some other number.
func longer(text string, from, to int) bool {
	return from > 0 && text[from-1] >= '0' && text[from-1] <= '9' || to < len(text) && text[to] >= '0' &&
		text[to] <= '9'
}

func digits(written string) string {
	return strings.Map(func(r rune) rune {
		if r < '0' || r > '9' {
			return -1
		}
		return r
	}, written)
}

// schemes are the first digits that card schemes use, with the lengths of their numbers.
var schemes = []struct {
	first   *regexp.Regexp
	lengths string // of two digits each
}{
	{regexp.MustCompile(`^4`), "13 16 19"},
	{regexp.MustCompile(`^(5[1-5]|222[1-9]|22[3-9]|2[3-6]|27[01]|2720)`), "16"},
	{regexp.MustCompile(`^3[47]`), "15"},
	{regexp.MustCompile(`^3(0[0-5]|[689])`), "14 16 19"},
	{regexp.MustCompile(`^(6011|64[4-9]|65)`), "16 19"},
	{regexp.MustCompile(`^35(2[89]|[3-8])`), "16 17 18 19"},
	{regexp.MustCompile(`^62`), "16 17 18 19"},
	{regexp.MustCompile(`^(50|5[6-9]|6[0-9])`), "13 14 15 16 17 18 19"},
}

func isCard(d string) bool {
	if !luhn(d) {
		return false
	}
	length := string([]byte{'0' + byte(len(d)/10), '0' + byte(len(d)%10)})
	for _, s := range schemes {
		if s.first.MatchString(d) && strings.Contains(s.lengths, length) {
			return true
		}
	}
	return false
}

// luhn tells whether the last digit fits the others.
func luhn(d string) bool {
	sum := 0
	for i := range len(d) {
		n := int(d[len(d)-1-i] - '0')
		if i%2 == 1 {
			if n *= 2; n > 9 {
				n -= 9
			}
		}
		sum += n
	}
	return sum%10 == 0
}
