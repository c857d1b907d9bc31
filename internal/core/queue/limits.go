package queue

import "time"

// Limits are what a queue takes: 0 is no limit.
type Limits struct {
	Length int           // how many may wait
	Wait   time.Duration // for how long somebody may
}

// Refusal is why a queue does not take a caller, or keeps them no longer; "" where it does.
type Refusal string

// The refusals.
const (
	Closed  Refusal = "the queue is closed"
	Full    Refusal = "as many wait as may"
	TooLong Refusal = "the longest wait is over"
	Nobody  Refusal = "nobody of the queue is there"
)

// Admits tells whether a queue takes one more, when waiting already wait in it and members are there, at work or free.
func (l Limits) Admits(open bool, waiting, members int) Refusal {
	switch {
	case !open:
		return Closed
	case members == 0:
		return Nobody
	case l.Length > 0 && waiting >= l.Length:
		return Full
	}
	return ""
}

// Keeps tells for how long a caller who has waited may wait on; 0: no longer. Without a limit it is a day.
func (l Limits) Keeps(waited time.Duration) time.Duration {
	if l.Wait == 0 {
		return 24 * time.Hour
	}
	return max(0, l.Wait-waited)
}

// ShortAbandon is until when somebody who hangs up counts as having changed their mind, and not as abandoned by us: five
// seconds, the usual threshold of service level reports.
const ShortAbandon = 5 * time.Second

// ServiceLevel is the share of offered calls that were answered within the target, 0 to 1; short ones that hung up do
// not count. It is 1 where nothing was offered.
func ServiceLevel(answeredInTime, offered, short int) float64 {
	if offered-short <= 0 {
		return 1
	}
	return float64(answeredInTime) / float64(offered-short)
}

// Late is how what waits stands to its target.
type Late string

// How something stands.
const (
	InTime Late = "in time"
	Soon   Late = "soon late" // three quarters of the target are over
	TooOld Late = "late"
)

// LateAt tells how something that has waited stands to a target; without one it is in time.
func LateAt(waited, target time.Duration) Late {
	switch {
	case target <= 0 || waited < target*3/4:
		return InTime
	case waited < target:
		return Soon
	}
	return TooOld
}

// MissesUntilAway is how many calls somebody may leave unanswered one after the other before they are set away, by a
// queue that says nothing else.
const MissesUntilAway = 3
