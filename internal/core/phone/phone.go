// Package phone reduces every notation of a telephone number to one normal form (E.164 plus extension),
// formats it for reading, tells region and time zones, and recognises emergency numbers.
//
// It must not know records, callers, rights, clocks or the database. The numbering plans come from the
// metadata of github.com/nyaruka/phonenumbers.
package phone

import (
	"errors"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"github.com/nyaruka/phonenumbers"
)

// MaxTyped is the longest text, in bytes, that is looked at as a number. E.164 allows 15 digits; with
// an extension, separators and a tel: prefix nothing real comes near this.
const MaxTyped = 80

// Errors of Parse. They are shown to the user as they are.
var (
	ErrEmpty      = errors.New("no number was given")
	ErrTooLong    = errors.New("this is too long for a telephone number")
	ErrNotANumber = errors.New("this is not a telephone number")
	ErrImpossible = errors.New("no telephone number has this many digits")
)

// Number is a telephone number in normal form.
type Number struct {
	E164  string // "+14135550142", never empty after a Parse without error
	Ext   string // digits of the extension, or ""
	Typed string // what was typed, trimmed, without a label
	// what was written behind it in parentheses, "mobile" in "413 555 0142 (mobile)", in lower case; or ""
	Label    string
	Region   string // ISO 3166 region such as "US", or "" where the plan tells none
	Possible bool   // the length is one that the plan knows
	Valid    bool   // the plan has assigned this range; ranges for fiction are often only possible
}

// Key is the form two numbers are compared by: E.164, then the extension where there is one.
func (n Number) Key() string {
	if n.Ext == "" {
		return n.E164
	}
	return n.E164 + ";ext=" + n.Ext
}

// Parse reduces typed to its normal form. Numbers without a country code are read as dialed in region
// (ISO 3166, "US"). Vanity letters, trunk prefixes, 00 and 011, "ext", "x", ";ext=" and RFC 3966 tel:
// addresses are understood. Errors: ErrEmpty, ErrTooLong, ErrNotANumber, ErrImpossible.
func Parse(typed, region string) (Number, error) {
	typed = strings.TrimSpace(typed)
	switch {
	case typed == "":
		return Number{}, ErrEmpty
	case len(typed) > MaxTyped:
		return Number{}, ErrTooLong
	}
	typed, label := splitLabel(typed)
	parsed, err := phonenumbers.Parse(typed, region)
	if err != nil {
		if errors.Is(err, phonenumbers.ErrNumTooLong) || errors.Is(err, phonenumbers.ErrTooShortNSN) ||
			errors.Is(err, phonenumbers.ErrTooShortAfterIDD) {
			return Number{}, ErrImpossible
		}
		return Number{}, ErrNotANumber
	}
	n := Number{
		E164:     phonenumbers.Format(parsed, phonenumbers.E164),
		Ext:      parsed.GetExtension(),
		Typed:    typed,
		Label:    label,
		Region:   phonenumbers.GetRegionCodeForNumber(parsed),
		Possible: phonenumbers.IsPossibleNumber(parsed),
	}
	n.Valid = phonenumbers.IsValidNumberForRegion(parsed, n.Region)
	if n.Region == "" {
		n.Region = mainRegion(parsed)
	}
	// Some plans drop a trunk zero that stands after the country code too; the normal form is the one
	// that reads back as itself. Each turn drops a digit, so this ends. What the plan has given out reads back.
	if n.Valid {
		return n, nil
	}
	if again, err := phonenumbers.Parse(n.E164, ""); n.Possible &&
		(err != nil || again.GetNationalNumber() != parsed.GetNationalNumber() ||
			phonenumbers.Format(again, phonenumbers.E164) != n.E164) {
		if err != nil {
			return Number{}, ErrImpossible
		}
		shorter, err := Parse(phonenumbers.Format(again, phonenumbers.E164), "")
		shorter.Typed, shorter.Label, shorter.Ext = n.Typed, n.Label, n.Ext
		return shorter, err
	}
	if !n.Possible {
		return n, ErrImpossible
	}
	return n, nil
}

// labelled is a number with a word behind it in parentheses: letters, spaces and hyphens, at most 20.
var labelled = regexp.MustCompile(`^(.*\d.*?)\s*\(\s*(\pL[\pL -]{0,19})\)$`)

// splitLabel takes a label off the end of a typed number.
func splitLabel(typed string) (number, label string) {
	if !strings.HasSuffix(typed, ")") {
		return typed, "" // nearly always
	}
	m := labelled.FindStringSubmatch(typed)
	if m == nil {
		return typed, ""
	}
	return m[1], strings.ToLower(strings.TrimSpace(m[2]))
}

func mainRegion(parsed *phonenumbers.PhoneNumber) string {
	if r := phonenumbers.GetRegionCodeForCountryCode(int(parsed.GetCountryCode())); r != "001" && r != "ZZ" {
		return r
	}
	return ""
}

// Emergency tells whether typed, dialed in region, reaches emergency services ("911", "112", "9-1-1").
// Such a call is never put in a round and never blocked by do-not-call.
func Emergency(typed, region string) bool {
	typed = strings.TrimPrefix(strings.TrimSpace(typed), "tel:")
	if len(typed) > MaxTyped {
		return false
	}
	return phonenumbers.IsEmergencyNumber(typed, region)
}

// Style is how a number is written for a reader.
type Style string

// The two styles a reader can prefer.
const (
	National      Style = "national"      // numbers of the reader's own country without its code
	International Style = "international" // every number with its country code
)

// Format writes e164 and ext for a reader in the home region: "413 555 0142", "+44 7700 900123 ext 12".
// In National style only numbers of the home country lose their country code. A text that is no number
// comes back as it is.
func Format(e164, ext, home string, style Style) string {
	code := phonenumbers.GetCountryCodeForRegion(home)
	if style == National && code == 1 && len(e164) == 12 && e164[:2] == "+1" && allDigits(e164[1:]) {
		// Most numbers that are shown; the library would take fifty times as long for the same.
		text := e164[2:5] + " " + e164[5:8] + " " + e164[8:]
		if ext != "" {
			text += " ext " + ext
		}
		return text
	}
	parsed, err := phonenumbers.Parse(e164, home)
	if err != nil {
		return e164
	}
	var text string
	switch {
	case style == National && int(parsed.GetCountryCode()) == code && code == 1:
		// Three groups parted by spaces read best aloud; the plan's own form has brackets and a dash.
		d := phonenumbers.GetNationalSignificantNumber(parsed)
		if len(d) == 10 {
			text = d[:3] + " " + d[3:6] + " " + d[6:]
		} else {
			text = d
		}
	case style == National && int(parsed.GetCountryCode()) == code:
		text = phonenumbers.Format(parsed, phonenumbers.NATIONAL)
	default:
		text = phonenumbers.Format(parsed, phonenumbers.INTERNATIONAL)
		text = strings.ReplaceAll(text, "-", " ")
	}
	if ext != "" {
		text += " ext " + ext
	}
	return text
}

func allDigits(s string) bool {
	for i := range len(s) {
		if s[i] < '0' || s[i] > '9' {
			return false
		}
	}
	return true
}

// CountryCode is the calling code of a region: "1" for the United States; "" where there is none.
func CountryCode(region string) string {
	if code := phonenumbers.GetCountryCodeForRegion(region); code > 0 {
		return strconv.Itoa(code)
	}
	return ""
}

// Regions are all that numbers can be read in, by their codes (ISO 3166), in order.
func Regions() []string {
	return slices.Sorted(maps.Keys(phonenumbers.GetSupportedRegions()))
}

// Zones names the IANA time zones in which e164 may be, from its country and area code. More than one
// means that the prefix spans several: the stricter has to hold. Nil where nothing is known.
func Zones(e164 string) []string {
	parsed, err := phonenumbers.Parse(e164, "")
	if err != nil {
		return nil
	}
	zones, err := phonenumbers.GetTimezonesForNumber(parsed)
	if err != nil {
		return nil
	}
	var known []string // the library hands out its own list: nothing may be written into it
	for _, z := range zones {
		if z != "" && z != "Etc/Unknown" {
			known = append(known, z)
		}
	}
	return known
}

// Digits keeps the decimal digits of text, as ASCII, whatever script they are written in.
func Digits(text string) string {
	var b strings.Builder
	for _, r := range text {
		switch {
		case r >= '0' && r <= '9':
			b.WriteRune(r)
		case unicode.IsDigit(r):
			if d := digitValue(r); d >= 0 {
				b.WriteByte(byte('0' + d))
			}
		}
	}
	return b.String()
}

// digitValue relies on Unicode keeping each script's digits in runs of ten that start at a zero.
func digitValue(r rune) int {
	zero := r
	for unicode.IsDigit(zero-1) && r-zero < 9 {
		zero--
	}
	return int(r - zero)
}

// Reverse turns digits round, so that "ends in 0142" becomes a look-up of the prefix "2410".
func Reverse(digits string) string {
	b := []byte(digits)
	for i, j := 0, len(b)-1; i < j; i, j = i+1, j-1 {
		b[i], b[j] = b[j], b[i]
	}
	return string(b)
}

// LooksLikeNumber tells whether text typed into a field that also takes names is meant as a number: at
// least three digits and nothing a name would have.
func LooksLikeNumber(text string) bool {
	text, _ = splitLabel(strings.TrimSpace(text))
	if strings.HasPrefix(strings.ToLower(text), "tel:") {
		return true
	}
	if len(Digits(text)) < 3 {
		return false
	}
	rest := strings.ToLower(text)
	for _, word := range []string{"ext.", "ext", "x", "#"} {
		if before, after, found := strings.Cut(rest, word); found && len(Digits(before)) > 0 {
			rest = before + after
			break
		}
	}
	for _, r := range rest {
		if !unicode.IsDigit(r) && !strings.ContainsRune("+-()./ \u00a0;=*", r) {
			return false
		}
	}
	return true
}
