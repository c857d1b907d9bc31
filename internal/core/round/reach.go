package round

import (
	"fmt"
	"math"
	"time"
)

// Tally counts attempts and how many of them somebody answered.
type Tally struct{ Tries, Answered int }

// History are attempts by the hour of the day at the place that was called.
type History [24]Tally

// Add counts an attempt.
func (h *History) Add(hour int, answered bool) {
	h[hour].Tries++
	if answered {
		h[hour].Answered++
	}
}

// All is the whole of a history.
func (h History) All() (all Tally) {
	for _, t := range h {
		all.Tries += t.Tries
		all.Answered += t.Answered
	}
	return all
}

// The prior of an estimate. Without any history one call in three is answered; what is known of numbers of the same
// kind weighs as much as 12 attempts at every hour, and what is known of their hour as much as four attempts at the
// number itself.
const (
	usual      = 1.0 / 3
	kindWeight = 12.0
	hourWeight = 4.0
	// neighbour is the weight of attempts in the hours before and after: who answers at ten often does at eleven.
	neighbour = 0.5
)

// Estimate is the chance that somebody answers, between 0 and 1, with the bounds between which it lies with 80 % of the
// probability.
type Estimate struct {
	Mean, Low, High float64
	Own             Tally // attempts at the number itself in that hour
}

// Chance estimates the chance that a number answers at an hour of its own day, from its own history and that of numbers
// of its kind.
//
// It is the mean of a beta distribution, the conjugate prior of counts of answered and unanswered attempts (Gelman et
// al., Bayesian Data Analysis, section 2.4): prior a = w m, b = w (1 - m) with the kind's rate m at that hour and the
// weight w of four attempts; after k answers to n attempts the mean is (a + k) / (a + b + n), and the variance mean (1
// - mean) / (a + b + n + 1). The bounds are 1.2816 standard deviations away.
func Chance(own, kind History, hour int) Estimate {
	all := kind.All()
	base := (usual*kindWeight + float64(all.Answered)) / (kindWeight + float64(all.Tries))
	m := (base*kindWeight + float64(kind[hour].Answered)) / (kindWeight + float64(kind[hour].Tries))
	var tries, answered float64
	for d := -1; d <= 1; d++ {
		weight := 1.0
		if d != 0 {
			weight = neighbour
		}
		t := own[(hour+d+24)%24]
		tries += weight * float64(t.Tries)
		answered += weight * float64(t.Answered)
	}
	n := hourWeight + tries
	mean := (hourWeight*m + answered) / n
	far := 1.2816 * math.Sqrt(mean*(1-mean)/(n+1))
	return Estimate{Mean: mean, Low: math.Max(0, mean-far), High: math.Min(1, mean+far), Own: own[hour]}
}

// Window are two hours of the day in which somebody can best be reached.
type Window struct {
	From     int   // an hour; it ends two hours later
	Own      Tally // attempts at the number itself within
	Estimate Estimate
}

// BestWindow are the two hours, within the hours of the day from and to, with the highest chance; of equal ones the
// earliest.
func BestWindow(own, kind History, from, to int) Window {
	var best Window
	for h := from; h+2 <= to; h++ {
		a, b := Chance(own, kind, h), Chance(own, kind, h+1)
		mean := (a.Mean + b.Mean) / 2
		if h == from || mean > best.Estimate.Mean+1e-9 {
			best = Window{From: h, Own: Tally{own[h].Tries + own[h+1].Tries, own[h].Answered + own[h+1].Answered},
				Estimate: Estimate{Mean: mean, Low: (a.Low + b.Low) / 2, High: (a.High + b.High) / 2}}
		}
	}
	return best
}

// Text says it: "best 9 to 11: 5 of 7 answered, 45 to 80 % likely".
func (w Window) Text() string {
	known := "from similar numbers"
	if w.Own.Tries > 0 {
		known = fmt.Sprintf("%d of %d answered", w.Own.Answered, w.Own.Tries)
	}
	return fmt.Sprintf("best %d to %d: %s, %.0f to %.0f %% likely", w.From, w.From+2, known,
		math.Round(w.Estimate.Low*100), math.Round(w.Estimate.High*100))
}

// HourAt is the hour of the day in the first of zones that is known, else in the reader's.
func HourAt(at time.Time, zones []string, reader *time.Location) int {
	for _, name := range zones {
		if zone, err := time.LoadLocation(name); err == nil && name != "" {
			return at.In(zone).Hour()
		}
	}
	return at.In(reader).Hour()
}
