// Package lane ranks what a rep owes somebody into one list and says, in words, why each entry stands
// where it stands.
//
// It must not know the database or who asks. Times in words are in the reader's zone, which comes in.
package lane

import (
	"fmt"
	"sort"
	"time"

	"trundo/internal/core/datetime"
)

// Kind is what is owed.
type Kind string

// The kinds of entry so far.
const (
	UnfiledSlip Kind = "slip"
	FollowUp    Kind = "follow_up"
	MissedCall  Kind = "missed"  // and nobody has come back to it
	Note        Kind = "note"    // a colleague's line
	Message     Kind = "message" // somebody wrote, and nobody has read or answered it
	Round       Kind = "round"   // a round that was begun and is paused
)

// Item is something owed, as the store knows it.
type Item struct {
	Kind     Kind
	ID       string
	Promised bool      // the customer was told
	Due      time.Time // of a follow-up; zero means without a date
	DayOnly  bool      // due on that day, at no particular time
	Since    time.Time // of a slip: when the rep's part ended, or was made
	Text     string    // what is to be done
	HasNotes bool      // of a slip
	Closes   time.Time // of a follow-up: when its number can no longer be called today; zero: not soon, or not known
	Value    int64     // of a follow-up: the largest open deal, in minor units; 0 is none
	From     string    // of a note: who wrote it; of a message: the colleague who handed a call over with it
	Left     int       // of a round: people who are not done with
	Why      string    // of a round: why it is paused, where its rep did not do it

	// Of a missed call; the line of a message too.
	Line      string        // that was called
	Voicemail time.Duration // how long a message they left, 0 without one
	Times     int           // how often they have called since somebody last spoke with them
	Tries     int           // how often we have tried to come back
	TakenBy   string        // who has taken it on, or ""
	TakenByMe bool
	// CallingNow is who is calling them back at this moment, or "".
	CallingNow string
	OptedOut   bool // they want no text messages
}

// Tone tells how an entry's reason is meant, so that it can be shown by more than a colour.
type Tone string

// The tones of a reason.
const (
	Late  Tone = "late"
	Now   Tone = "now"
	Later Tone = "later"
)

// Entry is an item with its place in the lane.
type Entry struct {
	Item
	Reason string // "promised 14:30"
	Late   string // what of the reason presses: "12 minutes late"; "" where nothing does
	Tone   Tone
	When   string // a word or time for the corner: "14:30", "today", "Thu 3 Dec"
}

// group is the first rule of the order. Lower comes first.
func group(it Item, now time.Time) int {
	switch {
	case it.Kind == UnfiledSlip:
		return 1 // a minute's work, and the details fade
	case it.Kind == MissedCall && (it.TakenBy != "" && !it.TakenByMe || it.CallingNow != ""):
		return 4 // a colleague sees to it
	case it.Kind == MissedCall || it.Kind == Note || it.Kind == Message:
		return 2
	case it.Kind == Round:
		return 3 // with what is due today
	case it.Due.IsZero():
		return 5
	case it.Promised && !it.Due.After(now.Add(soon)):
		return 0 // promise before habit
	case !it.DayOnly && !it.Due.After(now.Add(soon)):
		return 2
	case it.Due.Before(now) || sameDay(it.Due, now):
		return 3
	default:
		return 4
	}
}

// soon is how long before its time an entry counts as due now.
const soon = 10 * time.Minute

// closing is within what time the end of a number's calling hours moves an entry up.
const closing = time.Hour

// closes tells whether an entry that is due can be called for less than an hour still.
func (it Item) closes(now time.Time) bool {
	return !it.Closes.IsZero() && it.Closes.After(now) && it.Closes.Sub(now) < closing && group(it, now) <= 3
}

// Reader is who reads the lane: in which zone, and how times and days are written for them.
type Reader struct {
	Zone  *time.Location
	Dates datetime.Style
}

// Rank orders items at now for a reader. The rule: promises that are late or due within ten minutes, oldest
// first; slips not yet filed, oldest first; missed calls that nobody has come back to, and follow-ups late or due
// within ten minutes, by their time (missed calls that a colleague has taken on come with the later days); the rest of
// today, those at a time before those without one; later days; those without a date. Within each of these, those whose
// number can be called for less than an hour still go first, and of those due at the same time the one with the larger
// open deal. Equal ones by id, so that nothing moves by chance. A colleague's note stands among the missed calls, a
// paused round among what is due today. Items due later than horizon after now are left out (zero: none is left out).
func Rank(items []Item, now time.Time, r Reader, horizon time.Duration) []Entry {
	now = now.In(r.Zone)
	entries := make([]Entry, 0, len(items))
	for _, it := range items {
		if !it.Due.IsZero() {
			it.Due = it.Due.In(r.Zone)
			if horizon > 0 && it.Due.After(now.Add(horizon)) && !sameDay(it.Due, now) {
				continue
			}
		}
		entries = append(entries, explain(it, now, r.Dates))
	}
	sort.Slice(entries, func(i, j int) bool {
		a, b := entries[i].Item, entries[j].Item
		if ga, gb := group(a, now), group(b, now); ga != gb {
			return ga < gb
		}
		if ca, cb := a.closes(now), b.closes(now); ca != cb {
			return ca
		}
		if a.DayOnly != b.DayOnly && sameDay(a.Due, b.Due) {
			return b.DayOnly
		}
		if ta, tb := a.time(), b.time(); !ta.Equal(tb) {
			return ta.Before(tb)
		}
		if a.Value != b.Value {
			return a.Value > b.Value
		}
		return a.ID < b.ID
	})
	return entries
}

func (it Item) time() time.Time {
	if it.Kind == UnfiledSlip || it.Kind == MissedCall || it.Kind == Note || it.Kind == Message || it.Kind == Round {
		return it.Since
	}
	return it.Due
}

// written says when somebody wrote: "from Odile at 14:30", "wrote at 14:30 on Sales, nobody has answered", "handed over by
// Odile at 14:30 on Sales, nobody has answered".
func written(it Item, now time.Time, w datetime.Style) Entry {
	since := it.Since.In(now.Location())
	e := Entry{Item: it, Tone: Now, When: w.Time(since), Reason: "at " + w.Time(since)}
	if !sameDay(since, now) {
		e.When, e.Reason = w.Day(since), "on "+w.Weekday(since)
	}
	if it.Kind == Note {
		e.Reason = "from " + it.From + " " + e.Reason
		return e
	}
	if it.From != "" {
		e.Reason = "handed over by " + it.From + " " + e.Reason
	} else {
		e.Reason = "wrote " + e.Reason
	}
	if it.Line != "" {
		e.Reason += " on " + it.Line
	}
	if e.Late = "nobody has answered"; now.Sub(since) >= time.Hour {
		e.Tone = Late
	}
	return e
}

// paused says how a round stands: "53 left, paused at 11:09", "20 left, handed over by Ines at 9:00".
func paused(it Item, now time.Time, w datetime.Style) Entry {
	since := it.Since.In(now.Location())
	e := Entry{Item: it, Tone: Later, When: fmt.Sprintf("%d left", it.Left), Reason: "round paused"}
	if it.Why != "" {
		e.Reason, e.Tone = "round "+it.Why, Now
		if it.Why == "you were away" {
			e.Reason = "round paused, " + it.Why
		}
	}
	if sameDay(since, now) {
		e.Reason += " at " + w.Time(since)
	} else {
		e.Reason += " on " + w.Weekday(since)
	}
	return e
}

// missed says why a missed call stands there: "missed at 9:12 on Service, 2 times, nobody called back".
func missed(it Item, now time.Time, w datetime.Style) Entry {
	since := it.Since.In(now.Location())
	e := Entry{Item: it, Tone: Late, When: w.Time(since)}
	e.Reason = "missed"
	if s := int(it.Voicemail.Round(time.Second).Seconds()); s > 0 {
		e.Reason = fmt.Sprintf("left a message of %d:%02d", s/60, s%60)
	}
	if sameDay(since, now) {
		e.Reason += " at " + w.Time(since)
	} else {
		e.When = w.Day(since)
		e.Reason += " on " + w.Weekday(since)
	}
	if it.Line != "" {
		e.Reason += " on " + it.Line
	}
	if it.Times > 1 {
		e.Reason += fmt.Sprintf(", %d times", it.Times)
	}
	if it.OptedOut {
		e.Reason += ", wants no texts"
	}
	switch {
	case it.CallingNow != "":
		e.Reason, e.Tone = e.Reason+", "+it.CallingNow+" is calling them now", Later
	case it.TakenByMe:
		e.Reason += ", you have taken it on"
	case it.TakenBy != "":
		e.Reason, e.Tone = e.Reason+", "+it.TakenBy+" has taken it on", Later
	case it.Tries == 1:
		e.Reason += ", tried once"
	case it.Tries > 1:
		e.Reason += fmt.Sprintf(", tried %d times", it.Tries)
	default:
		e.Late = "nobody called back"
	}
	return e
}

func explain(it Item, now time.Time, w datetime.Style) Entry {
	if it.Kind == MissedCall {
		return missed(it, now, w)
	}
	if it.Kind == Note || it.Kind == Message {
		return written(it, now, w)
	}
	if it.Kind == Round {
		return paused(it, now, w)
	}
	e := Entry{Item: it, Tone: Later}
	if it.Kind == UnfiledSlip {
		since := now.Sub(it.Since)
		e.Reason, e.When = "not filed yet, ended "+ago(since), w.Time(it.Since.In(now.Location()))
		if since < time.Minute {
			e.Reason = "not filed yet, just ended"
		}
		if it.HasNotes {
			e.Reason += ", with notes"
		}
		if since >= time.Hour {
			e.Tone = Late
		} else {
			e.Tone = Now
		}
		return e
	}
	verb := "due"
	if it.Promised {
		verb = "promised"
	}
	switch today := sameDay(it.Due, now); {
	case it.Due.IsZero():
		e.Reason, e.When = "no date", ""
	case it.DayOnly && today:
		e.Reason, e.When, e.Tone = verb+" today", "today", Now
	case it.DayOnly && it.Due.Before(now):
		e.When, e.Tone = day(it.Due, now, w), Late
		e.Reason, e.Late = verb+" "+e.When, late(days(it.Due, now), "day")
	case today && it.Due.After(now.Add(soon)):
		e.Reason, e.When = verb+" at "+w.Time(it.Due), w.Time(it.Due)
	case today && !it.Due.Before(now):
		e.Reason, e.When, e.Tone = verb+" at "+w.Time(it.Due), w.Time(it.Due), Now
	case it.Due.Before(now):
		e.When, e.Tone = w.Time(it.Due), Late
		if !today {
			e.When = day(it.Due, now, w)
		}
		e.Reason, e.Late = verb+" "+e.When, lateBy(now.Sub(it.Due))
	default:
		e.Reason, e.When = verb+" "+day(it.Due, now, w), day(it.Due, now, w)
	}
	if it.closes(now) {
		e.Reason += ", callable for " + plural(max(1, int(it.Closes.Sub(now).Minutes())), "more minute")
	}
	return e
}

func lateBy(d time.Duration) string {
	switch {
	case d < time.Minute:
		return "now"
	case d < time.Hour:
		return late(int(d.Minutes()), "minute")
	case d < 24*time.Hour:
		return late(int(d.Hours()), "hour")
	default:
		return late(int(d.Hours()/24), "day")
	}
}

func late(n int, unit string) string { return plural(n, unit) + " late" }

func ago(d time.Duration) string {
	switch {
	case d < time.Hour:
		return plural(int(d.Minutes()), "minute") + " ago"
	case d < 24*time.Hour:
		return plural(int(d.Hours()), "hour") + " ago"
	default:
		return plural(int(d.Hours()/24), "day") + " ago"
	}
}

func plural(n int, unit string) string {
	if n == 1 {
		return "1 " + unit
	}
	return fmt.Sprintf("%d %ss", n, unit)
}

func sameDay(a, b time.Time) bool {
	b = b.In(a.Location())
	return a.Year() == b.Year() && a.YearDay() == b.YearDay()
}

// days is the number of midnights between two times of one zone.
func days(from, to time.Time) int {
	a := time.Date(from.Year(), from.Month(), from.Day(), 0, 0, 0, 0, time.UTC)
	b := time.Date(to.Year(), to.Month(), to.Day(), 0, 0, 0, 0, time.UTC)
	return int(b.Sub(a).Hours() / 24)
}

// day names the day of t as seen from now: "yesterday", "tomorrow", "Thu 3 Dec".
func day(t, now time.Time, w datetime.Style) string {
	switch days(now, t) {
	case -1:
		return "yesterday"
	case 0:
		return "today"
	case 1:
		return "tomorrow"
	}
	return w.Weekday(t)
}
