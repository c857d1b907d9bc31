// Package wording fills the places of a template with what is known: {given name}, {company}. There are no conditions
// and no code: whoever writes letters can write one.
//
// It must not know where the values come from, or what becomes of the text.
package wording

import (
	"regexp"
	"slices"
	"strings"
)

// Places are those that a text can have.
var Places = []string{"given name", "family name", "name", "company", "rep", "firm", "number", "outcome", "date",
	"time"}

var place = regexp.MustCompile(`\{([^{}\n]{1,40})\}`)

// Fill puts values into the places of a text. A place that is not known stays as it is; one without a value becomes
// nothing, and the space before it goes with it.
func Fill(text string, values map[string]string) string {
	out := strings.Builder{}
	last := 0
	for _, at := range place.FindAllStringSubmatchIndex(text, -1) {
		value, known := values[strings.ToLower(text[at[2]:at[3]])]
		if !known {
			continue
		}
		before := text[last:at[0]]
		if value == "" {
			before = strings.TrimSuffix(before, " ")
		}
		out.WriteString(before)
		out.WriteString(value)
		last = at[1]
	}
	out.WriteString(text[last:])
	return out.String()
}

// Missing are the places of a text that are known and have no value, each once: a letter with a hole in it is not sent.
func Missing(text string, values map[string]string) []string {
	var missing []string
	for _, m := range place.FindAllStringSubmatch(text, -1) {
		name := strings.ToLower(m[1])
		if value, known := values[name]; known && value == "" && !slices.Contains(missing, name) {
			missing = append(missing, name)
		}
	}
	return missing
}

// Meeting is the place of a link to a meeting room, which letters can have besides Places.
const Meeting = "meeting"

// Unknown are the places in a text that are none of Places nor of more, each once, as they were written.
func Unknown(text string, more ...string) []string {
	unknown := []string{}
	seen := map[string]bool{}
	for _, m := range place.FindAllStringSubmatch(text, -1) {
		name := strings.ToLower(m[1])
		if !slices.Contains(Places, name) && !slices.Contains(more, name) && !seen[name] {
			seen[name] = true
			unknown = append(unknown, m[1])
		}
	}
	return unknown
}
