// Package recording decides whether a call is recorded, and until when what was recorded is kept: from what the firm
// wants of a line, of a rep and of a direction, and from what the places of both sides ask for.
//
// It must not know how sound is kept or heard, nor the store.
package recording

import "strings"

// Rule is what happens with the sound of a call.
type Rule string

// The rules, from the least to the most that is kept.
const (
	Off      Rule = "off"      // nothing is recorded
	Ask      Rule = "ask"      // the rep asks them, and records when they agree
	Announce Rule = "announce" // both sides are told, then it is recorded
	On       Rule = "on"       // it is recorded
)

var strictness = map[Rule]int{Off: 0, Ask: 1, Announce: 2, On: 3}

// Known tells whether r is one of the rules.
func Known(r Rule) bool { _, there := strictness[r]; return there }

// Stricter is the one of two rules that keeps less. An unknown rule is Off.
func Stricter(a, b Rule) Rule {
	if !Known(a) || !Known(b) {
		return Off
	}
	if strictness[a] <= strictness[b] {
		return a
	}
	return b
}

// Place is where a side of a call is, as far as its number says: a country (ISO 3166, "US") and, in the United States,
// a state ("CA"). Both may be empty: not known.
type Place struct{ Region, State string }

// everybody are the states of the United States that ask for the consent of all who speak. Of others it is disputed
// whether they do; the firm can be stricter with a rule of the line's.
var everybody = map[string]string{"CA": "California", "FL": "Florida", "IL": "Illinois", "MD": "Maryland",
	"MA": "Massachusetts", "MT": "Montana",
	"NH": "New Hampshire", "PA": "Pennsylvania", "WA": "Washington"}

// AllMustAgree tells whether the law of a place asks for the consent of everybody who speaks, and how the place is
// called. Federal law in the United States asks for one side's; a place outside, and one that is not known, is taken
// for one that asks for all.
func AllMustAgree(p Place) (name string, all bool) {
	switch {
	case p.Region == "US" && p.State != "":
		name, all = everybody[p.State]
		return name, all
	case p.Region == "US":
		return "an unknown state", true
	case p.Region == "":
		return "an unknown place", true
	}
	return "a place outside the United States", true
}

// Request is what is known of a call when its recording is decided.
type Request struct {
	Line         Rule // of the line, for calls in this direction
	Rep          Rule // of the rep; empty: as the line
	Ours, Theirs Place
	Everybody    Rule // what the firm does where everybody must agree: Off, Ask or Announce
}

// Decision is what happens with a call's sound. Why is said to the rep where it is not simply what the line says: a
// clause for "Recorded: …".
type Decision struct {
	Rule Rule
	Why  string
}

// Decide applies the rep's rule in place of the line's, and the stricter law of both places on top: what the firm wants
// is never more than what the law lets it do.
func Decide(r Request) Decision {
	d := Decision{Rule: r.Line}
	if r.Rep != "" {
		d = Decision{r.Rep, "as it is set for you"}
	}
	if !Known(d.Rule) {
		return Decision{Off, ""}
	}
	for _, p := range []Place{r.Theirs, r.Ours} {
		name, all := AllMustAgree(p)
		if !all || strictness[d.Rule] <= strictness[Announce] && strictness[d.Rule] <= strictness[r.Everybody] {
			continue
		}
		if stricter := Stricter(d.Rule, Stricter(r.Everybody, Announce)); stricter != d.Rule {
			d = Decision{stricter, "in " + strings.TrimSpace(name) + " everybody must agree"}
		}
	}
	return d
}
