// Package match decides to which records a number belongs, ranked, with reasons in words, and whether one of them is so
// clearly meant that nobody has to be asked.
//
// It must not know how candidates are looked up, nor the database.
package match

import (
	"slices"
	"sort"
	"strings"
	"time"

	"trundo/internal/core/datetime"
)

// Candidate is a record that has the number, and what speaks for it.
type Candidate struct {
	Record    string    // record id
	Company   bool      // the record is a company
	Ext       string    // the extension stored with the number there
	Past      bool      // the number is not stored there: an earlier call with it was put on the record by hand
	OwnerIsMe bool      // whoever asks owns it
	Learnt    bool      // a rep chose it for this number the last time
	OpenDeal  bool      // a deal is open
	OpenCase  bool      // a case is open
	Spoke     time.Time // last conversation with this number put on the record; zero: never
	Tried     time.Time // last outgoing attempt to this number put on the record; zero: never
}

// Match is a candidate with its rank.
type Match struct {
	Candidate
	Score  int
	Reason string
}

// The weights. What the number itself says comes first, then what was decided by hand, then what is likely. The sum of
// all that is merely likely stays below what one certain sign weighs.
const (
	learnt      = 300 // a rep has said so
	exactExt    = 150 // number and extension
	sameNumber  = 50
	otherExt    = 20 // the number, with an extension where none was dialed
	ownNumber   = 25 // a person's, before a company's main line
	triedLately = 12 // they return our call
	spokeLast   = 8  // of all candidates, the last conversation was with this one
	openCase    = 6
	openDeal    = 5
	mine        = 4

	lead = 20 // by how much the first has to lead for nobody to be asked
)

// lately is for how long an attempt makes it likely that a call is its answer.
const lately = 3 * 24 * time.Hour

// Rank orders candidates for a number that was dialed, or that calls, with ext at now, best first; equal ones by record
// id, so that the order never changes by chance. The weights stand above. A number that a company has, or that has
// extensions, is a shared line: a person who was chosen for it once is not who calls from it for good; that counts for
// a number with its extension, and a person's own.
func Rank(candidates []Candidate, ext string, now time.Time, w datetime.Style) []Match {
	var last time.Time
	for _, c := range candidates {
		if c.Spoke.After(last) {
			last = c.Spoke
		}
	}
	shared := ext == "" && slices.ContainsFunc(candidates,
		func(c Candidate) bool { return !c.Past && (c.Company || c.Ext != "") })
	matches := make([]Match, 0, len(candidates))
	for _, c := range candidates {
		if shared && !c.Company { // one choice says nothing about who calls from it the next time
			c.Learnt = false
		}
		m := Match{Candidate: c}
		var why []string
		add := func(score int, reason string) {
			m.Score += score
			if reason != "" {
				why = append(why, reason)
			}
		}
		if c.Learnt {
			add(learnt, "chosen the last time")
		}
		switch {
		case c.Past:
			add(0, "an earlier call with this number")
		case c.Ext == ext && ext != "":
			add(exactExt, "the same number and extension")
		case c.Ext != "" && ext == "":
			add(otherExt, "the same number, extension "+c.Ext)
		case c.Ext != ext && ext != "" && c.Ext != "":
			add(0, "the same number, extension "+c.Ext)
		case c.Company:
			add(sameNumber, "the company's number")
		default:
			add(sameNumber, "the same number")
		}
		if !c.Company {
			add(ownNumber, "")
		}
		if !c.Tried.IsZero() && now.Sub(c.Tried) < lately {
			add(triedLately, "we called them "+day(c.Tried, now, w))
		}
		if !c.Spoke.IsZero() && c.Spoke.Equal(last) {
			reason := "last spoken with"
			if len(candidates) == 1 {
				reason = ""
			}
			add(spokeLast, reason)
		}
		if c.OpenCase {
			add(openCase, "an open case")
		}
		if c.OpenDeal {
			add(openDeal, "an open deal")
		}
		if c.OwnerIsMe {
			add(mine, "yours")
		}
		m.Reason = strings.Join(why[:min(len(why), 3)], ", ")
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

// day names the day of an attempt in at's zone.
func day(at, now time.Time, w datetime.Style) string {
	at = at.In(now.Location())
	switch y, n := at.YearDay()+at.Year()*366, now.YearDay()+now.Year()*366; {
	case y == n:
		return "today"
	case n-y == 1:
		return "yesterday"
	}
	return "on " + w.Weekday(at)
}

// Winner is the record that is clearly meant: the only one, or the first where it leads by 20. A number that an earlier
// call alone has put there is no clear sign. False: several are to be offered, or there is none.
func Winner(matches []Match) (string, bool) {
	switch {
	case len(matches) == 0 || matches[0].Past && !matches[0].Learnt:
		return "", false
	case len(matches) == 1 || matches[0].Score-matches[1].Score >= lead:
		return matches[0].Record, true
	}
	return "", false
}

// Attach tells on which record a call to a typed number can go without asking: the one that is open on the screen, if
// it has the number, or, with none open, the clear winner. Otherwise it is asked, with the answers to offer.
func Attach(matches []Match, openRecord string) (record string, ask bool) {
	for _, m := range matches {
		if m.Record == openRecord && !m.Past {
			return openRecord, false
		}
	}
	if openRecord == "" {
		if record, ok := Winner(matches); ok {
			return record, false
		}
	}
	return "", true
}
