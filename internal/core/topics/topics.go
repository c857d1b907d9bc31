// Package topics finds in what was said the sets of phrases that a firm looks for. A phrase is words, and nothing else:
// no
// letter of it has another meaning, but for a star at the end of a word, which stands for however the word goes on.
//
// It must not know where words are kept, who may read them, or who wrote them down.
package topics

import (
	"errors"
	"slices"
	"strings"
	"unicode"
)

// Phrase is words that are looked for.
type Phrase struct {
	Words string `json:"words"`
	// Near is how many other words may stand between the first and the last of them, at most MaxNear.
	Near     int  `json:"near,omitempty"`
	AnyOrder bool `json:"any_order,omitempty"`
	By       By   `json:"by,omitempty"`
	When     When `json:"when,omitempty"`
	// Not: where it is said the topic was not.
	Not bool `json:"not,omitempty"`
}

// By is whose words count.
type By string

// The sides.
const (
	Anybody By = ""
	Ours    By = "ours"
	Theirs  By = "theirs"
)

// When is which part of a recording counts.
type When string

// The parts.
const (
	AnyTime     When = ""
	FirstMinute When = "first_minute"
	LastMinute  When = "last_minute"
)

// MaxNear is how many other words may stand between those of a phrase.
const MaxNear = 30

const minuteMs = 60_000

// Said is something that was said without a break.
type Said struct {
	FromMs, ToMs int
	Ours         bool
	Text         string
}

// Place is where a topic was said.
type Place struct {
	FromMs, ToMs int
	Ours         bool
	Text         string // of what was said there
}

// ErrNoWords is told by Check of a phrase without a word; ErrNothingSaid of a topic whose phrases are all such as must
// not
// be said.
var (
	ErrNoWords     = errors.New("there is no word in it")
	ErrNothingSaid = errors.New("at least one phrase has to be one that is said")
)

// Check tells whether phrases can be looked for. Errors: ErrNoWords, ErrNothingSaid.
func Check(phrases []Phrase) error {
	said := false
	for _, p := range phrases {
		if len(wantedWords(p.Words)) == 0 {
			return ErrNoWords
		}
		said = said || !p.Not
	}
	if !said {
		return ErrNothingSaid
	}
	return nil
}

// Words are those of a text, in small letters: letters, digits and the apostrophes within.
func Words(text string) []string {
	return split(text, func(r rune) bool { return !within(r) })
}

func within(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) || r == '\'' || r == '’' }

func split(text string, apart func(r rune) bool) []string {
	all := strings.FieldsFunc(strings.ToLower(text), apart)
	for i, w := range all {
		all[i] = strings.ReplaceAll(strings.Trim(w, "'’"), "’", "'")
	}
	return slices.DeleteFunc(all, func(w string) bool { return w == "" })
}

// wantedWords are those of a phrase; a star at the end of one stays.
func wantedWords(phrase string) (all []string) {
	for _, piece := range strings.FieldsFunc(phrase, func(r rune) bool { return !within(r) && r != '*' }) {
		of := Words(piece)
		if n := len(of); n > 0 && strings.HasSuffix(piece, "*") {
			of[n-1] += "*"
		}
		all = append(all, of...)
	}
	return all
}

// word is one that was said.
type word struct {
	text string
	in   int // which of what was said
}

// Find tells where a topic was said in a recording of a length in milliseconds: nowhere where a phrase that must not be
// said was. Each place is told once.
func Find(phrases []Phrase, said []Said, totalMs int) []Place {
	var streams [2][]word // theirs and ours: a phrase may go on over a breath
	for i, s := range said {
		for _, w := range Words(s.Text) {
			streams[side(s.Ours)] = append(streams[side(s.Ours)], word{w, i})
		}
	}
	var places []Place
	for _, p := range phrases {
		wanted := wantedWords(p.Words)
		for ours, stream := range streams {
			if p.By == Ours && ours == 0 || p.By == Theirs && ours == 1 {
				continue
			}
			for _, span := range matches(p, wanted, stream) {
				first, last := said[stream[span[0]].in], said[stream[span[1]].in]
				if !p.When.holds(first.FromMs, totalMs) {
					continue
				}
				if p.Not {
					return nil
				}
				places = append(places, Place{first.FromMs, last.ToMs, first.Ours, first.Text})
			}
		}
	}
	slices.SortFunc(places, func(a, b Place) int { return a.FromMs - b.FromMs })
	return slices.CompactFunc(places, func(a, b Place) bool { return a.FromMs == b.FromMs && a.Ours == b.Ours })
}

func side(ours bool) int {
	if ours {
		return 1
	}
	return 0
}

func (w When) holds(fromMs, totalMs int) bool {
	switch w {
	case FirstMinute:
		return fromMs < minuteMs
	case LastMinute:
		return fromMs >= totalMs-minuteMs
	}
	return true
}

func is(wanted, said string) bool {
	if begins, star := strings.CutSuffix(wanted, "*"); star {
		return strings.HasPrefix(said, begins)
	}
	return wanted == said
}

// matches are the first and last words of where a phrase stands in a stream.
func matches(p Phrase, wanted []string, stream []word) (spans [][2]int) {
	if len(wanted) == 0 {
		return nil
	}
	reach := len(wanted) + min(max(p.Near, 0), MaxNear)
	for i := 0; i < len(stream); i++ {
		window := stream[i:min(len(stream), i+reach)]
		last, there := -1, false
		if p.AnyOrder {
			last, there = anyOrder(wanted, window)
		} else {
			last, there = inOrder(wanted, window)
		}
		if there {
			spans = append(spans, [2]int{i, i + last})
			i += last
		}
	}
	return spans
}

// inOrder tells whether the words stand in a window in their order, the first at its beginning, and where the last is.
func inOrder(wanted []string, window []word) (last int, there bool) {
	if !is(wanted[0], window[0].text) {
		return 0, false
	}
	next := 1
	for i := 1; i < len(window) && next < len(wanted); i++ {
		if is(wanted[next], window[i].text) {
			next, last = next+1, i
		}
	}
	return last, next == len(wanted)
}

// anyOrder tells whether each of the words stands in a window, one of them at its beginning.
func anyOrder(wanted []string, window []word) (last int, there bool) {
	used := make([]bool, len(window))
	for _, w := range wanted {
		at := slices.IndexFunc(window, func(x word) bool { return is(w, x.text) })
		for at >= 0 && used[at] { // the same word twice needs two
			rest := slices.IndexFunc(window[at+1:], func(x word) bool { return is(w, x.text) })
			if rest < 0 {
				return 0, false
			}
			at += 1 + rest
		}
		if at < 0 {
			return 0, false
		}
		used[at] = true
		last = max(last, at)
	}
	return last, used[0]
}
