package round

import "time"

// recent is how many of the last people the pace is taken from, and longest what counts of one: a break is no work.
const (
	recent  = 20
	longest = 15 * time.Minute
)

// Average is the time that one person takes, from the times at which people were settled, oldest first; zero while
// fewer than two are.
func Average(settled []time.Time) time.Duration {
	if len(settled) > recent+1 {
		settled = settled[len(settled)-recent-1:]
	}
	if len(settled) < 2 {
		return 0
	}
	var sum time.Duration
	for i := 1; i < len(settled); i++ {
		sum += min(max(0, settled[i].Sub(settled[i-1])), longest)
	}
	return sum / time.Duration(len(settled)-1)
}

// DoneAt is when a round with so many people left will be done at a pace, by so many reps; zero where the pace is not
// known.
func DoneAt(now time.Time, left int, each time.Duration, reps int) time.Time {
	if each <= 0 || left <= 0 {
		return time.Time{}
	}
	return now.Add(time.Duration(left) * each / time.Duration(max(1, reps)))
}
