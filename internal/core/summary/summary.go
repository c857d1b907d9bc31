// Package summary finds by rule what stands out in a long conversation: what they asked, and what we said that we would
// do.
// It says nothing that was not said: each line is a sentence of somebody's.
//
// It must not know who may read what was said, nor where it is kept. Its rules are for English.
package summary

import (
	"slices"
	"strings"
	"time"

	"trundo/internal/core/topics"
)

// Long is from which length on a conversation has a summary.
const Long = 3 * time.Minute

// Most is how many lines of each kind are given.
const Most = 8

// Line is a sentence that was said.
type Line struct {
	AtMs int
	Ours bool
	Text string
}

// Summary is what stands out.
type Summary struct {
	Questions []Line // of theirs
	Promises  []Line // of ours
}

// Of is the summary of what was said.
func Of(said []topics.Said) (s Summary) {
	for _, p := range said {
		for _, sentence := range sentences(p.Text) {
			line := Line{p.FromMs, p.Ours, sentence}
			switch {
			case !p.Ours && asks(sentence) && len(s.Questions) < Most:
				s.Questions = append(s.Questions, line)
			case p.Ours && promises(sentence) && len(s.Promises) < Most:
				s.Promises = append(s.Promises, line)
			}
		}
	}
	return s
}

// sentences parts a text at full stops, question and exclamation marks that a space or the end follows.
func sentences(text string) (all []string) {
	from := 0
	for i, r := range text {
		if !strings.ContainsRune(".?!", r) || i+1 < len(text) && text[i+1] != ' ' {
			continue
		}
		if s := strings.TrimSpace(text[from : i+1]); s != "" {
			all = append(all, s)
		}
		from = i + 1
	}
	if s := strings.TrimSpace(text[from:]); s != "" {
		all = append(all, s)
	}
	return all
}

// asks tells whether a sentence is a question of three words or more: "Pardon?" is none.
func asks(sentence string) bool {
	return strings.HasSuffix(sentence, "?") && len(topics.Words(sentence)) >= 3
}

// doing are what one says that one will do.
var doing = []string{
	"send",
	"call",
	"ring",
	"check",
	"look",
	"ask",
	"arrange",
	"book",
	"come",
	"email",
	"mail",
	"write",
	"get",
	"make",
	"find",
	"put",
	"see",
	"order",
	"bring",
	"confirm",
	"follow",
	"prepare",
	"quote",
	"text",
	"let",
}

// promises tells whether a sentence says that we will do something: "I'll", "we will", "I promise", and then what.
func promises(sentence string) bool {
	if strings.HasSuffix(sentence, "?") {
		return false
	}
	words := topics.Words(sentence)
	for i, w := range words {
		rest := words[i+1:]
		switch {
		case w == "i'll" || w == "we'll":
		case (w == "i" || w == "we") && len(rest) > 0 && (rest[0] == "will" || rest[0] == "promise"):
			rest = rest[1:]
		default:
			continue
		}
		if len(rest) > 0 && (rest[0] == "not" || rest[0] == "never") {
			continue
		}
		if slices.ContainsFunc(rest[:min(3, len(rest))], func(w string) bool { return slices.Contains(doing, w) }) {
			return true
		}
	}
	return false
}
