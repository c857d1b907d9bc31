// Package finding ranks what was found for a few typed letters: whom somebody means who has thousands of customers is
// nearly always one with whom they have to do.
//
// It must not know how records are searched, nor what a database is. Texts come folded: lower case, without accents.
package finding

import (
	"cmp"
	"slices"
	"strings"
	"time"
)

// Hit is a record that fits the words.
type Hit struct {
	ID      string
	Text    string    // its name first, then what else is searched
	Company string    // the name of its company; "" for none
	Minor   bool      // neither a person nor a company
	Spoke   time.Time // when the asker last had a call with it; zero for never
	Open    bool      // a follow-up, a deal or a case of the asker waits there
	Own     bool      // it is the asker's
}

// How well a text fits, best first.
const (
	whole    = iota // it is the words
	begins          // it begins with them
	wordFits        // each begins a word of it
	inside          // they are somewhere in it
)

// Words are the parts of what was typed.
func Words(q string) []string { return strings.Fields(q) }

// fit is how well h fits q, of which words are the parts. The words may stand in any order, and one of them may be its
// company's.
func (h Hit) fit(q string, words []string) int {
	switch {
	case h.Text == q || strings.HasPrefix(h.Text, q+" "):
		return whole
	case strings.HasPrefix(h.Text, q):
		return begins
	}
	text := " " + h.Text + " " + h.Company
	for _, w := range words {
		if !strings.Contains(text, " "+w) {
			return inside
		}
	}
	return wordFits
}

// near is how much the asker has to do with h: 3 for who was spoken with, 2 for what waits there, 1 for their own.
func (h Hit) near() int {
	switch {
	case !h.Spoke.IsZero():
		return 3
	case h.Open:
		return 2
	case h.Own:
		return 1
	default:
		return 0
	}
}

// Rank orders hits for what was typed, best first: those with whom the asker has to do before strangers, the one spoken
// with last before all; among strangers the better fit, the shorter text. What fits only in the middle of a word comes
// after what fits at its beginning, whoever it is. Equal ones by text and id, so that nothing moves by chance.
func Rank(q string, hits []Hit) []Hit {
	words := Words(q)
	fits := make(map[string]int, len(hits))
	for _, h := range hits {
		fits[h.ID] = h.fit(q, words)
	}
	ranked := slices.Clone(hits)
	slices.SortFunc(ranked, func(a, b Hit) int {
		fa, fb := fits[a.ID], fits[b.ID]
		if (fa == inside) != (fb == inside) {
			return cmp.Compare(fa, fb)
		}
		return cmp.Or(cmp.Compare(b.near(), a.near()), b.Spoke.Compare(a.Spoke), cmp.Compare(fa, fb), minor(a, b),
			cmp.Compare(len(a.Text), len(b.Text)), cmp.Compare(a.Text, b.Text), cmp.Compare(a.ID, b.ID))
	})
	return ranked
}

// minor puts deals and cases first where they fit as well: whoever types their words means them, and there are few.
func minor(a, b Hit) int {
	switch {
	case a.Minor == b.Minor:
		return 0
	case a.Minor:
		return -1
	default:
		return 1
	}
}
