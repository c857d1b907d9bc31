package promise

import (
	"strings"
	"time"
	"unicode"
)

// How times are offered.
const (
	Offers  = 3                   // how many at most
	step    = 30 * time.Minute    // they begin on full and half hours
	ahead   = time.Hour           // the first is not before that
	apart   = 3 * time.Hour       // the second is so long after the first
	clash   = 30 * time.Minute    // so far from what else there is to do
	horizon = 14 * 24 * time.Hour // nothing later is offered
)

// Sides are what times for a call are offered from.
type Sides struct {
	Ours   func(time.Time) bool // somebody may call then
	Theirs func(time.Time) bool // they may be called then
	Taken  []time.Time          // for when whoever calls has something to do already
	There  *time.Location       // where they live
}

// Offer gives times for a call, soonest first: the first that suits both sides, one some hours later, and one on a later
// day there. Fewer where there are no more within two weeks.
func Offer(s Sides, now time.Time) []time.Time {
	var offers []time.Time
	for at := now.Add(ahead).Truncate(step).Add(step); at.Before(now.Add(horizon)) && len(offers) < Offers; at = at.Add(step) {
		switch len(offers) {
		case 1:
			if at.Sub(offers[0]) < apart {
				continue
			}
		case 2:
			if sameDay(at.In(s.There), offers[1].In(s.There)) {
				continue
			}
		}
		if s.Free(at) {
			offers = append(offers, at)
		}
	}
	return offers
}

// Free tells whether a call can be at a time.
func (s Sides) Free(at time.Time) bool {
	if !s.Ours(at) || !s.Theirs(at) {
		return false
	}
	for _, t := range s.Taken {
		if at.Sub(t).Abs() < clash {
			return false
		}
	}
	return true
}

func sameDay(a, b time.Time) bool { return a.YearDay() == b.YearDay() && a.Year() == b.Year() }

// numbers are those that people write as words.
var numbers = map[string]int{
	"1":      1,
	"2":      2,
	"3":      3,
	"one":    1,
	"two":    2,
	"three":  3,
	"first":  1,
	"second": 2,
	"third":  3,
	"1st":    1,
	"2nd":    2,
	"3rd":    3,
}

// maxWords is how long an answer is at most that names one of the offers and says nothing else.
const maxWords = 6

// Choice reads which of n offers an answer names, from 1 on; false where it is no such answer: it names none or several,
// says more than that, or a time of its own. Somebody has to read it then.
func Choice(text string, n int) (int, bool) {
	words := strings.FieldsFunc(strings.ToLower(text), func(r rune) bool {
		return !unicode.IsLetter(r) && !unicode.IsDigit(r) && r != ':'
	})
	if len(words) > maxWords {
		return 0, false
	}
	chosen := 0
	for i, w := range words {
		if w == "no" && i+1 < len(words) && numbers[words[i+1]] != 0 ||
			w == "one" && chosen != 0 { // “no. 2”, “the second one”
			continue
		}
		switch w {
		case "am", "pm", "not", "no", "none", "oclock", "neither", "or", "clock", "after", "before":
			return 0, false
		}
		number, is := numbers[w]
		if !is {
			if strings.ContainsFunc(w, unicode.IsDigit) {
				return 0, false
			}
			continue
		}
		if chosen != 0 && chosen != number || number > n {
			return 0, false
		}
		chosen = number
	}
	return chosen, chosen != 0
}
