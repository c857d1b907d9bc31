// Package password says which passwords somebody may choose, by OWASP ASVS 5.0, 6.2: long enough, none that everybody
// tries first, none made of what is known of the person; nothing is asked of its letters and digits.
//
// It must not know how passwords are kept or compared.
package password

import (
	_ "embed"
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Bounds of a password, in characters. Whoever wants may use a sentence.
const (
	Shortest = 10
	Longest  = 200
)

// fewest is how many characters must be left of a password when what is known of its owner is taken away.
const fewest = 6

// common are the passwords of ten characters and more among the fifty thousand that are used most (from
// @zxcvbn-ts/language-common 4.1.3, MIT), one in a line, in small letters.
//
//go:embed common.txt
var common string

var tried = func() map[string]bool {
	set := map[string]bool{}
	for _, p := range strings.Fields(common) {
		set[p] = true
	}
	return set
}()

// Check tells why a password must not be chosen: by whom it is chosen is known from words such as a login, a name, an
// address, the name of the firm. nil: it may be.
func Check(password string, known ...string) error {
	switch n := utf8.RuneCountInString(password); {
	case n < Shortest:
		return fmt.Errorf("a password needs at least %d characters; a few words in a row are easy to remember", Shortest)
	case n > Longest:
		return fmt.Errorf("a password has at most %d characters", Longest)
	}
	folded := strings.ToLower(password)
	if tried[folded] || tried[letters(folded)] {
		return fmt.Errorf("this password is one that is tried first everywhere; choose another")
	}
	if few(folded) {
		return fmt.Errorf("this password repeats itself; choose one with more different characters")
	}
	left := folded
	for _, w := range words(known) {
		left = strings.ReplaceAll(left, w, "")
	}
	if left != folded && utf8.RuneCountInString(strings.TrimFunc(left, notLetter)) < fewest {
		return fmt.Errorf("this password is made of your name, your login or the firm's name; choose another")
	}
	return nil
}

// few tells whether a password has fewer than four different characters.
func few(p string) bool {
	runes := []rune(p)
	slices.Sort(runes)
	return len(slices.Compact(runes)) < 4
}

func notLetter(r rune) bool { return !unicode.IsLetter(r) }

// letters is a password without the digits and signs that many put before or behind a word.
func letters(p string) string { return strings.TrimFunc(p, notLetter) }

// words are the parts of what is known that are long enough to be looked for, the longest first.
func words(known []string) []string {
	var all []string
	for _, k := range known {
		for _, w := range strings.FieldsFunc(strings.ToLower(k), func(r rune) bool {
			return !unicode.IsLetter(r) && !unicode.IsDigit(r)
		}) {
			if utf8.RuneCountInString(w) >= 3 {
				all = append(all, w)
			}
		}
	}
	slices.SortFunc(all, func(a, b string) int { return len(b) - len(a) })
	return slices.Compact(all)
}
