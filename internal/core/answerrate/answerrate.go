// Package answerrate says how often calls that show a number are answered, fairly: a number that is shown in the evening,
// for a cold list, or by one rep is measured against calls like its own.
//
// It must not know the database, lines or clocks.
package answerrate

import "math"

// Stratum is a kind of call: those of one are alike in what makes people answer, whichever number is shown.
type Stratum string

// Calls are calls of one number in one stratum.
type Calls struct {
	Number   string
	Stratum  Stratum
	Made     int
	Answered int
}

// Rate is how a number stands.
type Rate struct {
	Made, Answered int
	// Raw is the share that was answered, from 0 to 1.
	Raw float64
	// Expected is how many would have been answered, had each been answered as often as calls of its kind are.
	Expected float64
	// Fair is the share that would be answered if the number were shown for the firm's usual mix of calls, with the bounds
	// in which it lies with a certainty of 95 in 100.
	Fair, Low, High float64
	// Falls: it is answered less often than its calls would be, and that is no chance.
	Falls bool
	// Enough: there are enough calls to say something.
	Enough bool
}

// enough is how many calls a number needs before anything is said of it.
const enough = 50

// z is the normal deviate of 95 in 100, two-sided.
const z = 1.959964

// Rates tells how each number stands, by indirect standardization: the answered calls of a number over those that would
// be expected from the rates of all numbers in the same strata, times the rate of all. The bounds are those of a Poisson
// count by Byar's approximation (Breslow and Day, Statistical Methods in Cancer Research II, 1987, 2.3). A number is in
// the rates of its own strata, which draws it a little toward the others: what is said to fall falls rather more.
func Rates(all []Calls) map[string]Rate {
	type sum struct{ made, answered int }
	strata, total := map[Stratum]sum{}, sum{}
	for _, c := range all {
		s := strata[c.Stratum]
		strata[c.Stratum] = sum{s.made + c.Made, s.answered + c.Answered}
		total = sum{total.made + c.Made, total.answered + c.Answered}
	}
	rates := map[string]Rate{}
	for _, c := range all {
		r := rates[c.Number]
		r.Made += c.Made
		r.Answered += c.Answered
		if s := strata[c.Stratum]; s.made > 0 {
			r.Expected += float64(c.Made) * float64(s.answered) / float64(s.made)
		}
		rates[c.Number] = r
	}
	for number, r := range rates {
		if r.Made > 0 {
			r.Raw = float64(r.Answered) / float64(r.Made)
		}
		if r.Enough = r.Made >= enough && r.Expected > 0; r.Enough {
			usual := float64(total.answered) / float64(total.made)
			low, high := Byar(r.Answered)
			r.Fair = min(usual*float64(r.Answered)/r.Expected, 1)
			r.Low, r.High = min(usual*low/r.Expected, 1), min(usual*high/r.Expected, 1)
			r.Falls = high < r.Expected
		}
		rates[number] = r
	}
	return rates
}

// Byar gives the bounds of a Poisson count with a certainty of 95 in 100.
func Byar(n int) (low, high float64) {
	x := float64(n)
	if n > 0 {
		low = x * math.Pow(1-1/(9*x)-z/(3*math.Sqrt(x)), 3)
	}
	x++
	return max(low, 0), x * math.Pow(1-1/(9*x)+z/(3*math.Sqrt(x)), 3)
}
