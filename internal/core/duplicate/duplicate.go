// Package duplicate judges whether two records are probably the same person or company, and says why.
//
// It must not know how pairs are found, nor the database.
package duplicate

import (
	"sort"
	"strings"
	"unicode"
)

// Number is a telephone number of a record as it is compared.
type Number struct{ E164, Ext string }

// Record is what is compared of a record. Names and mail are compared without regard to case.
type Record struct {
	Company   bool
	Name      string
	Mail      string
	CompanyID string // the company a person belongs to
	Numbers   []Number
}

// Judgement of two records.
type Judgement struct {
	Score   int // 0 to 100; from Likely on they are shown as duplicates
	Reasons []string
}

// Likely is the score from which two records are shown side by side.
const Likely = 50

// Alike is the similarity from which two names are called similar; related, from which the same number is one person's
// more probably than a shared line.
const (
	Alike   = 0.6
	related = 0.35
)

// Judge compares a and b. The same mail address counts 60, the same number 50 (20 where the names are clearly different
// or only an extension differs: a shared line), the same name 40, a similar one 25, and people of the same company 15
// more if their names are alike. People are never compared with companies.
func Judge(a, b Record) Judgement {
	if a.Company != b.Company {
		return Judgement{}
	}
	var j Judgement
	add := func(points int, reason string) {
		j.Score += points
		j.Reasons = append(j.Reasons, reason)
	}
	alike := Similarity(a.Name, b.Name)
	if a.Company {
		alike = Similarity(Firm(a.Name), Firm(b.Name))
	}
	if a.Mail != "" && strings.EqualFold(a.Mail, b.Mail) {
		add(60, "the same mail address")
	}
	switch same, line := sharedNumber(a.Numbers, b.Numbers); {
	case same && alike >= related:
		add(50, "the same number")
	case same || line:
		add(20, "a shared line")
	}
	switch {
	case alike == 1:
		add(40, "the same name")
	case alike >= Alike:
		add(25, "a similar name")
	}
	if alike >= Alike && a.CompanyID != "" && a.CompanyID == b.CompanyID {
		add(15, "in the same company")
	}
	if j.Score > 100 {
		j.Score = 100
	}
	return j
}

// sharedNumber tells whether both have a number with the same extension, or only the same line.
func sharedNumber(a, b []Number) (same, line bool) {
	for _, x := range a {
		for _, y := range b {
			if x.E164 == "" || x.E164 != y.E164 {
				continue
			}
			if x.Ext == y.Ext {
				return true, true
			}
			line = true
		}
	}
	return false, line
}

// Similarity of two names, 0 to 1: the share of three-letter pieces that both have, as pg_trgm counts them. 1 where
// they are the same but for case, punctuation and the order of words.
func Similarity(a, b string) float64 {
	wa, wb := words(a), words(b)
	if len(wa) == 0 || len(wb) == 0 {
		return 0
	}
	if strings.Join(wa, " ") == strings.Join(wb, " ") {
		return 1
	}
	ta, tb := trigrams(wa), trigrams(wb)
	shared := 0
	for t := range ta {
		if tb[t] {
			shared++
		}
	}
	s := float64(shared) / float64(len(ta)+len(tb)-shared)
	if s >= 1 { // the same pieces, yet not the same words
		s = 0.99
	}
	return s
}

// legalForms are what companies add to their names and people leave out.
var legalForms = map[string]bool{"inc": true, "incorporated": true, "llc": true, "llp": true, "lp": true, "ltd": true,
	"limited": true, "corp": true,
	"corporation": true, "co": true, "company": true, "plc": true, "gmbh": true, "ag": true, "kg": true, "sa": true,
	"srl": true, "bv": true, "nv": true,
	"oy": true, "ab": true, "as": true, "pty": true}

// Firm is a company's name as it is compared: its words in lower case, without punctuation and its legal form. A name
// that is nothing but legal forms stays whole.
func Firm(name string) string {
	var kept []string
	all := strings.FieldsFunc(strings.ToLower(strings.ReplaceAll(name, ".", "")),
		func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	for _, w := range all {
		if !legalForms[w] {
			kept = append(kept, w)
		}
	}
	if len(kept) == 0 {
		kept = all
	}
	return strings.Join(kept, " ")
}

// words are a name's words in lower case, sorted.
func words(name string) []string {
	list := strings.FieldsFunc(strings.ToLower(name),
		func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	sort.Strings(list)
	return list
}

func trigrams(words []string) map[string]bool {
	set := map[string]bool{}
	for _, w := range words {
		r := []rune("  " + w + " ")
		for i := 0; i+3 <= len(r); i++ {
			set[string(r[i:i+3])] = true
		}
	}
	return set
}
