// Package estimate says how long somebody in a queue will probably wait, and whether that is sure enough to be said.
//
// The estimate: with k ahead, one of k+1 conversations has to end for each of them and for oneself. With c people at
// work who each take h on the average, one ends every h/c, so the wait is (k+1)·h/c. Its spread, where conversations
// end independently of each other, is that of a sum of k+1 gaps: (k+1)·h/c · v/√(k+1), with v the coefficient of
// variation of the handling times (1 for exponential ones: an Erlang distribution). This is the conditional wait of an
// M/M/c queue (L. Kleinrock, Queueing Systems I, 1975, 3.5), with v put in for other distributions.
//
// It must not know calls, queues, clocks or how a wait is said.
package estimate

import (
	"math"
	"time"
)

const (
	// FewestTimes is how many handling times have to be known.
	FewestTimes = 10
	// MostTimes is how many of the newest count: older ones tell of another day.
	MostTimes = 60
	// SureEnough is the largest spread, as a share of the wait, with which a wait is said.
	SureEnough = 0.35
)

// Line is a queue as somebody who waits sees it.
type Line struct {
	Ahead    int             // who gets their turn before
	People   int             // who is at work in the queue: speaking, writing up, or free
	Handling []time.Duration // recent times of conversation and writing up, oldest first
}

// Wait is an estimate.
type Wait struct {
	Mean   time.Duration
	Spread float64 // standard deviation as a share of Mean
}

// Of estimates the wait in a line; false where too little is known.
func Of(l Line) (Wait, bool) {
	times := l.Handling[max(0, len(l.Handling)-MostTimes):]
	if l.People <= 0 || l.Ahead < 0 || len(times) < FewestTimes {
		return Wait{}, false
	}
	sum, squares := 0.0, 0.0
	for _, t := range times {
		sum += t.Seconds()
	}
	mean := sum / float64(len(times))
	if mean <= 0 {
		return Wait{}, false
	}
	for _, t := range times {
		squares += (t.Seconds() - mean) * (t.Seconds() - mean)
	}
	variation := math.Sqrt(squares/float64(len(times)-1)) / mean
	turns := float64(l.Ahead + 1)
	return Wait{Mean: time.Duration(turns * mean / float64(l.People) * float64(time.Second)),
		Spread: variation / math.Sqrt(turns)}, true
}

// Sure tells whether a wait is sure enough to be said.
func (w Wait) Sure() bool { return w.Spread <= SureEnough }

// round are the figures that are said, in minutes.
var round = []int{1, 2, 3, 4, 5, 7, 10, 15, 20, 30, 45, 60, 90, 120}

// Minutes is a wait in round figures, rounded up, since nobody minds having waited for less; at most the last figure.
func (w Wait) Minutes() int {
	minutes := w.Mean.Minutes()
	for _, m := range round {
		if minutes <= float64(m)+1.0/6 { // ten seconds more are no further minute
			return m
		}
	}
	return round[len(round)-1]
}

// Error is how far estimates that were said lay from what came, as a share of what came on the average: the mean of
// |said - real|, over the mean of real; 0 without any.
func Error(said, real []time.Duration) float64 {
	off, all := 0.0, 0.0
	for i := range said {
		off += math.Abs((said[i] - real[i]).Seconds())
		all += real[i].Seconds()
	}
	if all == 0 {
		return 0
	}
	return off / all
}
