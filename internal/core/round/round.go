// Package round holds the rules of working through a list of people one call at a time: in what order, who is left out
// and why, which number comes next, when somebody is tried again, when somebody can best be reached, and how far it has
// come.
//
// It must not know the database, who asks, or how a call is made.
package round

import (
	"errors"
	"fmt"
	"slices"
	"time"

	"trundo/internal/core/callable"
)

// Order is whom a round takes first.
type Order string

// The orders.
const (
	Listed   Order = "listed"   // as they stand on the list
	Best     Order = "best"     // who can be reached best at this hour of theirs
	Overdue  Order = "overdue"  // whose open follow-up is due longest
	Valuable Order = "valuable" // who has the largest open deal
)

// Orders are all of them.
var Orders = []Order{Listed, Best, Overdue, Valuable}

// Pace is when the next one is called.
type Pace string

// The paces.
const (
	AtOnce  Pace = "at_once" // when the one before is filed
	Seconds Pace = "seconds" // some seconds after that
	ByKey   Pace = "by_key"
)

// Then is what follows an outcome with which nobody was reached.
type Then string

// What can follow.
const (
	NextNumber Then = "next_number" // their next number at once, and when all were tried, again later
	Again      Then = "again"       // the same person later
	NotAgain   Then = "not_again"   // not in this round
)

// Settings are what a rep has chosen for a round.
type Settings struct {
	Order           Order
	SkipCalledToday bool // by anybody, before the round
	PerDay          int  // attempts a person and day, 1 to 10
	PerRound        int  // attempts a person in the whole round, 1 to 20
	Pace            Pace
	Seconds         int // with the pace Seconds, 1 to 120
	// after how long somebody is tried again where the outcome says nothing of it, 5 to 10,080
	RetryMinutes int
	OtherHour    bool            // not at the hour of the last attempt
	Then         map[string]Then // by outcome id
}

// SettingError names a setting that cannot be.
type SettingError struct {
	Field string // as the API names it
	Text  string
}

func (e *SettingError) Error() string { return e.Text }

// Check tells what is wrong with s. Error: *SettingError.
func (s Settings) Check() error {
	bad := func(field, text string) error { return &SettingError{field, text} }
	switch {
	case !slices.Contains(Orders, s.Order):
		return bad("order", "there is no such order")
	case s.PerDay < 1 || s.PerDay > 10:
		return bad("per_day", "attempts a day are between 1 and 10")
	case s.PerRound < 1 || s.PerRound > 20:
		return bad("per_round", "attempts a round are between 1 and 20")
	case s.Pace != AtOnce && s.Pace != Seconds && s.Pace != ByKey:
		return bad("pace", "there is no such pace")
	case s.Pace == Seconds && (s.Seconds < 1 || s.Seconds > 120):
		return bad("seconds", "the pause is between 1 and 120 seconds")
	case s.RetryMinutes < 5 || s.RetryMinutes > 7*24*60:
		return bad("retry_minutes", "somebody is tried again after 5 minutes to 7 days")
	}
	for _, t := range s.Then {
		if t != NextNumber && t != Again && t != NotAgain {
			return bad("then", "this cannot follow an outcome")
		}
	}
	return nil
}

// Number is one of a person's numbers.
type Number struct {
	ID        string
	Label     string
	Zones     []string // every zone in which it may be
	DoNotCall bool
	Dialable  bool // it is a telephone number, and not one of the emergency services
}

// Person is somebody on a round, with what decides whether they are called now.
type Person struct {
	Numbers     []Number  // in number order
	Gone        bool      // deleted, or merged into another
	DoNotCall   bool      // the person or the company asked for it
	LastCalled  time.Time // by anybody; zero: never
	CallsToday  int       // by anybody
	BeingCalled bool      // by somebody else, just now
	Overdue     time.Time // since when a follow-up is due; zero: none
	Value       int64     // the largest open deal, in minor units
	Attempts    int       // in this round
	Zone        string    // the person's own, or ""
}

// Reason is why somebody is not called now.
type Reason string

// The reasons.
const (
	None        Reason = ""
	Removed     Reason = "removed"
	NoNumber    Reason = "no_number"
	AskedNot    Reason = "do_not_call"
	CalledToday Reason = "called_today"
	ManyToday   Reason = "attempts_today"
	OutOfHours  Reason = "out_of_hours"
	InACall     Reason = "being_called"
	Tried       Reason = "tried_enough"
	InAnother   Reason = "in_another_round"
)

// Times are the times that a judgement depends on.
type Times struct {
	Now      time.Time
	DayStart time.Time // when the reader's day began
	Hours    callable.Hours
}

// Verdict is whether somebody is called now.
type Verdict struct {
	Reason Reason    // None: now
	At     time.Time // when it is worth asking again; zero: never in this round
	Number int       // the place of the number to call
	Until  time.Time // when its calling hours end; zero where not known
}

// ask is how long somebody is left who is being called by somebody else.
const ask = 2 * time.Minute

// Judge tells whether p is called now, by which number, and if not, why and when to ask again. wanted is the id of the
// number to try, or ""; tried are the ids of those that are not to be tried again now.
func Judge(p Person, s Settings, t Times, wanted string, tried []string) Verdict {
	tomorrow := t.DayStart.AddDate(0, 0, 1)
	switch {
	case p.Gone:
		return Verdict{Reason: Removed}
	case !slices.ContainsFunc(p.Numbers, func(n Number) bool { return n.Dialable }):
		return Verdict{Reason: NoNumber}
	case p.DoNotCall || !slices.ContainsFunc(p.Numbers, func(n Number) bool { return n.Dialable && !n.DoNotCall }):
		return Verdict{Reason: AskedNot}
	case p.Attempts >= s.PerRound:
		return Verdict{Reason: Tried}
	case p.BeingCalled:
		return Verdict{Reason: InACall, At: t.Now.Add(ask)}
	case s.SkipCalledToday && p.Attempts == 0 && !p.LastCalled.Before(t.DayStart) && !p.LastCalled.IsZero():
		return Verdict{Reason: CalledToday, At: tomorrow}
	case p.CallsToday >= s.PerDay:
		return Verdict{Reason: ManyToday, At: tomorrow}
	}
	v := Verdict{Reason: OutOfHours, Number: -1}
	for _, i := range callOrder(p.Numbers, wanted, tried) {
		c := callable.Check(callable.Subject{Zones: zonesOf(p, p.Numbers[i])}, t.Hours, t.Now)
		if c.InHours {
			return Verdict{Number: i, Until: c.Changes}
		}
		if v.At.IsZero() || c.Changes.Before(v.At) {
			v.At = c.Changes
		}
	}
	return v
}

func zonesOf(p Person, n Number) []string {
	if len(n.Zones) == 0 && p.Zone != "" {
		return []string{p.Zone}
	}
	return n.Zones
}

// callOrder are the places of the numbers that may be called: the wanted one first, then by number order, those that
// were tried last.
func callOrder(numbers []Number, wanted string, tried []string) []int {
	var order []int
	for i, n := range numbers {
		if n.Dialable && !n.DoNotCall {
			order = append(order, i)
		}
	}
	rank := func(i int) int {
		switch id := numbers[i].ID; {
		case id == wanted:
			return 0
		case slices.Contains(tried, id):
			return 2
		}
		return 1
	}
	slices.SortStableFunc(order, func(a, b int) int { return rank(a) - rank(b) })
	return order
}

// Next is the place of the number that comes after those that were tried, by number order; false where all were.
func Next(numbers []Number, tried []string) (int, bool) {
	for i, n := range numbers {
		if n.Dialable && !n.DoNotCall && !slices.Contains(tried, n.ID) {
			return i, true
		}
	}
	return 0, false
}

// NextAt is the place of the number of p that comes after those that were tried and may be called at a time: one
// outside its calling hours is passed over. False where there is none.
func NextAt(p Person, tried []string, hours callable.Hours, at time.Time) (int, bool) {
	for i, n := range p.Numbers {
		if n.Dialable && !n.DoNotCall && !slices.Contains(tried, n.ID) &&
			callable.Check(callable.Subject{Zones: zonesOf(p, n)}, hours, at).InHours {
			return i, true
		}
	}
	return 0, false
}

// Rank is p's place by an order: lower comes first. position is the place on the list; equal ones stay in the order of
// the list. reach is the chance that somebody answers at this hour, between 0 and 1.
func Rank(o Order, position int, p Person, reach float64) float64 {
	switch o {
	case Best:
		return -reach
	case Overdue:
		if p.Overdue.IsZero() {
			return float64(1 << 40)
		}
		return float64(p.Overdue.Unix())
	case Valuable:
		return -float64(p.Value)
	}
	return float64(position)
}

// words say a reason of so many people.
var words = map[Reason][2]string{
	Removed:     {"is no longer in the book", "are no longer in the book"},
	NoNumber:    {"has no number that can be called", "have no number that can be called"},
	AskedNot:    {"asked not to be called", "asked not to be called"},
	CalledToday: {"was called today", "were called today"},
	ManyToday:   {"was tried often enough today", "were tried often enough today"},
	OutOfHours:  {"is outside calling hours", "are outside calling hours"},
	InACall:     {"is in a call with a colleague", "are in a call with a colleague"},
	Tried:       {"was tried often enough", "were tried often enough"},
	InAnother:   {"is being called in another round", "are being called in another round"},
}

// Words say a reason for one person.
func Words(r Reason) string { return words[r][0] }

// reasonOrder is that of the sentence: who may come later first.
var reasonOrder = []Reason{OutOfHours, CalledToday, ManyToday, InACall, InAnother, Tried, AskedNot, NoNumber, Removed}

// Sentence says how many of a list can be called now, and why the others cannot.
func Sentence(total int, why map[Reason]int) string {
	left := total
	for _, n := range why {
		left -= n
	}
	if total == 0 {
		return "There is nobody on it."
	}
	text := fmt.Sprintf("%s of %s can be called now", count(left), count(total))
	if left == total {
		text = fmt.Sprintf("All %s can be called now", count(total))
		if total == 1 {
			text = "The one on it can be called now"
		}
	}
	sep := ": "
	for _, r := range reasonOrder {
		n := why[r]
		if n == 0 {
			continue
		}
		form := words[r][1]
		if n == 1 {
			form = words[r][0]
		}
		text += sep + count(n) + " " + form
		sep = ", "
	}
	return text + "."
}

// count writes a number as it is read: 12,400.
func count(n int) string {
	if n < 1000 {
		return fmt.Sprint(n)
	}
	return fmt.Sprintf("%s,%03d", count(n/1000), n%1000)
}

// ErrNobody is told who starts a round of nobody.
var ErrNobody = errors.New("there is nobody on it who can be called")
