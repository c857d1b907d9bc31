// Package match decides to which records a number belongs, ranked, with reasons in words, and whether a
// call to a typed number can be put on a record without asking.
//
// It must not know how candidates are looked up, nor the database.
package match

import "sort"

// Candidate is a record that has the number.
type Candidate struct {
	Record    string // record id
	Company   bool   // the record is a company
	Ext       string // the extension stored with the number there
	OwnerIsMe bool
}

// Match is a candidate with its rank.
type Match struct {
	Candidate
	Score  int
	Reason string
}

// Rank orders candidates for a number dialed with ext, best first; equal ones by record id, so that the
// order never changes by chance. A person's own number goes before a company's main line, the exact
// extension before all, an owner before others.
func Rank(candidates []Candidate, ext string) []Match {
	matches := make([]Match, 0, len(candidates))
	for _, c := range candidates {
		m := Match{Candidate: c, Reason: "the same number"}
		switch {
		case c.Ext == ext && ext != "":
			m.Score, m.Reason = 40, "the same number and extension"
		case c.Ext == ext:
			m.Score = 20
		case c.Ext != "" && ext == "":
			m.Reason = "the same number, extension " + c.Ext
		}
		if !c.Company {
			m.Score += 10
		} else if m.Score < 40 {
			m.Reason = "the company's number"
		}
		if c.OwnerIsMe {
			m.Score++
		}
		matches = append(matches, m)
	}
	sort.Slice(matches, func(i, j int) bool {
		if matches[i].Score != matches[j].Score {
			return matches[i].Score > matches[j].Score
		}
		return matches[i].Record < matches[j].Record
	})
	return matches
}

// Attach tells on which record a call to a typed number can go without asking: the only one that has
// it, unless another record is open on the screen. Otherwise it is asked, with the answers to offer.
func Attach(matches []Match, openRecord string) (record string, ask bool) {
	for _, m := range matches {
		if m.Record == openRecord {
			return openRecord, false
		}
	}
	if openRecord == "" && len(matches) == 1 {
		return matches[0].Record, false
	}
	return "", true
}
