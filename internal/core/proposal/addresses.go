package proposal

import (
	"net/mail"
	"regexp"
	"strings"

	"trundo/internal/core/phone"
)

// Address is a telephone number or a mail address that stands in notes.
type Address struct {
	Mail  string       // a mail address in lower case; "" for a number
	Phone phone.Number // of a number
	Label string       // what was written before or behind a number: "mobile", "office"; "" for nothing
}

// mostAddresses is how many are offered at once.
const mostAddresses = 3

var (
	mailText   = regexp.MustCompile(`[A-Za-z0-9._%+-]+@[A-Za-z0-9-]+(?:\.[A-Za-z0-9-]+)+`)
	numberText = regexp.MustCompile(`(?i)(?:\b(mobile|cell|office|work|home|direct|assistant)(?: (?:is|number))?:? *)?` +
		`((?:\+|\(|\b)\d[\d ().-]{6,22}\d(?: *(?:ext\.?|x) *\d{1,6})?)(?: *\((mobile|cell|office|work|home|direct|assistant)\))?`)
)

// Addresses finds the telephone numbers and mail addresses in notes, in their order, each once, at most three: numbers
// as they are dialed in region that have at least the length of a whole one there. Dates, times, amounts and shorter
// runs of digits are none.
func Addresses(notes, region string) []Address {
	var found []Address
	seen := map[string]bool{}
	add := func(key string, a Address) {
		if !seen[key] && len(found) < mostAddresses {
			seen[key] = true
			found = append(found, a)
		}
	}
	for _, m := range numberText.FindAllStringSubmatch(notes, -1) {
		digits := len(phone.Digits(m[2]))
		n, err := phone.Parse(m[2], region)
		if err != nil || !n.Possible || digits < 10 || digits > 15+6 {
			continue
		}
		label := strings.ToLower(m[1] + m[3])
		if label == "cell" {
			label = "mobile"
		}
		add(n.Key(), Address{Phone: n, Label: label})
	}
	for _, text := range mailText.FindAllString(notes, -1) {
		if a, err := mail.ParseAddress(text); err == nil {
			address := strings.ToLower(a.Address)
			add(address, Address{Mail: address})
		}
	}
	return found
}
