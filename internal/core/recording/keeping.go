package recording

import "time"

// Notice is for how long at least it is said beforehand that a recording will be deleted.
const Notice = 7 * 24 * time.Hour

// Policy is for how long recordings are kept: so many days of conversations and of messages that were left; 0: without
// end.
type Policy struct{ CallDays, MessageDays int }

// Ends is when a recording that began at began has been kept for long enough; the zero time: never.
func (p Policy) Ends(began time.Time, message bool) time.Time {
	days := p.CallDays
	if message {
		days = p.MessageDays
	}
	if days <= 0 {
		return time.Time{}
	}
	return began.AddDate(0, 0, days)
}

// Expiry is when a recording is deleted: at its end, and never sooner than Notice after it was first said so. Told is
// when it is said to be deleted now, the zero time where nothing was said yet. A held recording is not deleted at all.
// The zero time: nothing is to be said yet.
func (p Policy) Expiry(now, began, told time.Time, message, held bool) time.Time {
	end := p.Ends(began, message)
	switch {
	case end.IsZero() || held || end.After(now.Add(Notice)):
		return time.Time{}
	case !told.IsZero() && !told.Before(end):
		return told
	case end.Before(now.Add(Notice)):
		return now.Add(Notice)
	}
	return end
}

// Overlap tells whether something that was said from one moment of a recording to another was said, in part at least,
// within a gap of it: then it is kept nowhere.
func Overlap(from, to, gapFrom, gapTo time.Duration) bool { return from < gapTo && to > gapFrom }
