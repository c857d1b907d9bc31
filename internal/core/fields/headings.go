package fields

import (
	"strings"
	"unicode"
)

// NumberTarget is the prefix of the target of a column that holds telephone numbers; the label follows.
const NumberTarget = "phone:"

// headings are what columns are called elsewhere, for each field.
var headings = map[string][]string{
	"given": {"first name", "forename", "vorname", "prenom"}, "family": {"last name", "surname", "nachname", "nom"},
	"name":    {"full name", "company name", "account", "deal name", "subject", "product name"},
	"job":     {"title", "position", "role", "job title", "function"},
	"company": {"organisation", "organization", "firm", "employer", "account name"},
	"email":   {"e mail", "email", "mail address", "email address", "e mail address"},
	"web":     {"website", "url", "homepage", "web address"},
	"social":  {"social", "profile"}, "address": {"street", "street address"}, "place": {"city", "town"},
	"source": {"lead source", "origin", "campaign"},
	"stage":  {"status", "state", "phase"}, "owner": {"rep", "responsible", "salesperson", "assigned to"},
	"note": {"notes", "comment", "comments", "remark", "remarks", "description"},
	"tags": {"tag", "labels", "categories", "keywords"}, "zone": {"timezone", "tz"},
	"amount":    {"value", "sum", "price", "total"},
	"reference": {"number", "no", "sku", "article", "order no", "quote no", "case no", "id"},
	"due":       {"due date", "close date", "valid until", "deadline", "expected by"},
	"starts":    {"start", "begin", "from"}, "ends": {"end", "to", "until"},
	"person": {"contact", "contact name", "contact person"},
}

// numberHeadings are what columns of numbers are called, for each label.
var numberHeadings = map[string][]string{
	"mobile": {"mobile", "cell", "mobile phone", "cell phone", "mobile number", "handy"}, "office": {"phone",
		"telephone", "work phone", "business phone", "office phone", "office", "tel", "phone number",
		"telephone number"},
	"home":   {"home phone", "private phone", "home"},
	"main":   {"main phone", "main number", "switchboard", "company phone", "main"},
	"direct": {"direct", "direct line", "direct phone"},
	"fax":    {"fax", "fax number"}, "pump house": {"pump house", "pump house phone"},
}

// Guess tells which field a column probably holds, by its heading: the key of one of list, "name" for a person's whole
// name, a NumberTarget with its label, or "".
func Guess(heading string, k Kind, list []Field) string {
	h := plain(heading)
	if label, number := strings.CutPrefix(h, "number "); number {
		return NumberTarget + label
	}
	for _, f := range list {
		if !f.Computed && (h == plain(f.Key) || h == plain(strings.TrimPrefix(f.Key, Custom)) || h == plain(f.Label)) {
			return f.Key
		}
	}
	if k.Person() && h == "name" {
		return "name"
	}
	for label, names := range numberHeadings {
		for _, n := range names {
			if h == n {
				return NumberTarget + label
			}
		}
	}
	for key, names := range headings {
		for _, n := range names {
			if h != n {
				continue
			}
			if _, there := Find(list, key); there || key == "name" && k.Person() {
				return key
			}
		}
	}
	return ""
}

// plain is a heading in lower case, with single spaces for everything that is no letter or digit.
func plain(heading string) string {
	return strings.Join(strings.FieldsFunc(strings.ToLower(heading),
		func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) }), " ")
}

// SplitName parts a person's whole name into given and family name: at a comma, else before the last word.
func SplitName(full string) (given, family string) {
	if family, given, comma := strings.Cut(full, ","); comma {
		return strings.Join(strings.Fields(given), " "), strings.Join(strings.Fields(family), " ")
	}
	words := strings.Fields(full)
	if len(words) < 2 {
		return "", strings.Join(words, " ")
	}
	return strings.Join(words[:len(words)-1], " "), words[len(words)-1]
}
