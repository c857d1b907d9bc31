package queue

import (
	"strconv"
	"time"
)

// Limits of a time that a caller chooses for a callback.
const (
	soonest    = 5 * time.Minute // from now
	daysAhead  = 7
	slotEvery  = 30 * time.Minute
	slotsAhead = 3 // days on which slots are offered
)

// MayChoose tells whether somebody can be called back at a time that they wish for: soon enough, not at once, and when
// open says that somebody can call.
func MayChoose(at, now time.Time, open func(time.Time) bool) bool {
	return at.Sub(now) >= soonest && !at.After(now.AddDate(0, 0, daysAhead+1)) && open(at)
}

// ChosenTime is the next time at which the clock of now's zone shows digits ("1430", "930" or "9") and open says that
// somebody can call, within the next seven days. Hours from 1 to 12 are read as before and after noon, whichever comes
// first. False: digits are no time of day, or nobody calls then.
func ChosenTime(digits string, now time.Time, open func(time.Time) bool) (time.Time, bool) {
	n, err := strconv.ParseUint(digits, 10, 16)
	if err != nil || len(digits) > 4 {
		return time.Time{}, false
	}
	hour, minute := int(n), 0
	if len(digits) > 2 {
		hour, minute = int(n/100), int(n%100)
	}
	if hour > 23 || minute > 59 {
		return time.Time{}, false
	}
	hours := []int{hour}
	if hour >= 1 && hour <= 12 {
		hours = []int{hour % 12, hour%12 + 12}
	}
	for day := range daysAhead + 1 {
		for _, h := range hours {
			at := time.Date(now.Year(), now.Month(), now.Day()+day, h, minute, 0, 0, now.Location())
			// An hour that a change of the clock leaves out is not shown by any clock.
			if at.Hour() == h && MayChoose(at, now, open) {
				return at, true
			}
		}
	}
	return time.Time{}, false
}

// Slots are the half hours of today and the next days, on the clock of now's zone, at which somebody can call: those that
// are offered to whoever asks for a call.
func Slots(now time.Time, open func(time.Time) bool) []time.Time {
	var slots []time.Time
	midnight := time.Date(now.Year(), now.Month(), now.Day(), 0, 0, 0, 0, now.Location())
	end := midnight.AddDate(0, 0, slotsAhead)
	for at := midnight; at.Before(end); at = at.Add(slotEvery) {
		if MayChoose(at, now, open) {
			slots = append(slots, at)
		}
	}
	return slots
}
