// Package queue says who gets what waits: live callers first, then written work, each by its place in the line, to
// whoever fits best.
//
// The order is by arrival with a head start: each step of priority counts as HeadStart more of waiting. So what came
// first is passed only by what came within Passing after it, and nothing waits for ever, however much of higher
// priority comes in (the usual aging of priority queues, as a shift of the arrival).
//
// It must not know calls, the database, clocks, or how somebody is reached.
package queue

import (
	"cmp"
	"slices"
	"time"
)

const (
	// HeadStart is how much of waiting a step of priority is worth.
	HeadStart = time.Minute
	// Steps of priority: from -MostPriority to MostPriority.
	MostPriority = 3
	// Passing is how long after something what passes it can have come at the latest.
	Passing = 2 * MostPriority * HeadStart
	// MostLevel is the highest level of a skill.
	MostLevel = 5
)

// Work is something that waits for somebody: a caller, a callback that is due, a message.
type Work struct {
	ID       string
	Queue    string
	Voice    bool           // a caller who is on the line, or is to be called back; else written work
	Since    time.Time      // its place in the line
	Priority int            // -MostPriority to MostPriority
	Needs    map[string]int // skills with their levels, 1 to MostLevel
	Prefers  []Preference   // who should have it, best first, for as long as the queue's rule says
	Due      time.Time      // not before; zero: now
	Refused  []string       // who has declined it, or did not answer
}

// Preference is somebody who should have it, and why.
type Preference struct{ ID, Why string }

// Person is somebody who may be given work.
type Person struct {
	ID        string
	Queues    []string       // of which they are a member
	Skills    map[string]int // with their levels
	Free      bool           // a caller may ring for them now
	There     bool           // they take calls, and speak or write up just now, or are free
	IdleSince time.Time
	Writing   int // how many more pieces of written work they may have
}

// Rule is how a queue is served.
type Rule struct {
	PreferFor  time.Duration // for how long it waits for whom it prefers, while they are there
	RelaxAfter time.Duration // after each such time one level less of every skill is asked for; 0: never
	Ring       int           // how many are rung at once; 0 is one
}

// Assignment is who is to have something, and why.
type Assignment struct {
	Work string
	To   []string
	Why  string
}

// Reasons of an assignment, where no preference is one.
const (
	WhyIdle  = "free for longest"
	WhySkill = "knows it best"
	WhyAll   = "whoever is free"
)

// place is where something stands in the line: the time from which it would have waited without a head start.
func (w *Work) place() time.Time { return w.Since.Add(-time.Duration(w.Priority) * HeadStart) }

// Compare orders what waits: voices before written work, then by place.
func Compare(a, b Work) int {
	return compare(&placed{&a, a.place()}, &placed{&b, b.place()})
}

// placed is something that waits with its place, which is asked for very often.
type placed struct {
	*Work
	at time.Time
}

func compare(a, b *placed) int {
	if a.Voice != b.Voice {
		if a.Voice {
			return -1
		}
		return 1
	}
	if c := a.at.Compare(b.at); c != 0 {
		return c
	}
	return cmp.Or(a.Since.Compare(b.Since), cmp.Compare(a.ID, b.ID))
}

// needs is the level of a skill that something asks for at now: less with each time that it has waited.
func (w *Work) needs(level int, r Rule, now time.Time) int {
	if r.RelaxAfter <= 0 {
		return level
	}
	return level - int(max(0, now.Sub(w.Since))/r.RelaxAfter)
}

// Fits tells whether somebody may be given something at now, whether they are free or not.
func Fits(w Work, p Person, r Rule, now time.Time) bool {
	if !slices.Contains(p.Queues, w.Queue) || slices.Contains(w.Refused, p.ID) {
		return false
	}
	for skill, level := range w.Needs {
		if p.Skills[skill] < w.needs(level, r, now) {
			return false
		}
	}
	return true
}

// Assign gives what waits to who is free, at most one voice to each. rules are by queue. Neither slice is changed.
func Assign(waiting []Work, people []Person, rules map[string]Rule, now time.Time) []Assignment {
	a := newAssigner(people, now)
	line := make([]placed, len(waiting))
	for i := range waiting {
		line[i] = placed{&waiting[i], waiting[i].place()}
	}
	slices.SortFunc(line, func(x, y placed) int { return compare(&x, &y) })
	for i := range line {
		if len(a.free) == 0 {
			break
		}
		w := line[i].Work
		if w.Due.IsZero() || !w.Due.After(now) {
			a.give(w, rules[w.Queue])
		}
	}
	return a.all
}

// assigner holds who is left while work is given out. Skills are numbered, since they are compared very often.
type assigner struct {
	now    time.Time
	free   []candidate // who has been free for longest first
	byID   map[string]*Person
	skills map[string]int
	none   map[kind]bool // of which nobody who is left may have anything: there will be nobody, since who is left only goes
	all    []Assignment
}

// kind is what all that asks for the same has in common, of what asks for one skill at most.
type kind struct {
	queue string
	voice bool
	want  demand
}

type candidate struct {
	*Person
	levels []int // by the number of a skill
}

func newAssigner(people []Person, now time.Time) *assigner {
	a := &assigner{now: now, byID: make(map[string]*Person, len(people)), skills: map[string]int{},
		none: map[kind]bool{}}
	for i := range people {
		p := &people[i]
		a.byID[p.ID] = p
		if p.Free {
			a.free = append(a.free, candidate{Person: p})
		}
		for skill := range p.Skills {
			if _, known := a.skills[skill]; !known {
				a.skills[skill] = len(a.skills)
			}
		}
	}
	slices.SortStableFunc(a.free, func(x, y candidate) int {
		return cmp.Or(x.IdleSince.Compare(y.IdleSince), cmp.Compare(x.ID, y.ID))
	})
	for i := range a.free {
		c := &a.free[i]
		c.levels = make([]int, len(a.skills))
		for skill, level := range c.Skills {
			c.levels[a.skills[skill]] = level
		}
	}
	return a
}

// demand is a skill that something asks for now, by its number; -1 is one that nobody has.
type demand struct{ skill, level int }

func (a *assigner) demands(w *Work, r Rule) []demand {
	all := make([]demand, 0, len(w.Needs))
	for skill, level := range w.Needs {
		no, known := a.skills[skill]
		if !known {
			no = -1
		}
		all = append(all, demand{no, w.needs(level, r, a.now)})
	}
	return all
}

// knows is how well a candidate knows what is asked for; false: not well enough.
func (c *candidate) knows(wants []demand) (level int, enough bool) {
	for _, d := range wants {
		has := 0
		if d.skill >= 0 {
			has = c.levels[d.skill]
		}
		if has < d.level {
			return 0, false
		}
		level += has
	}
	return level, true
}

// may tells whether a candidate may have something, whatever they know.
func (c *candidate) may(w *Work) bool {
	return (w.Voice || c.Writing > 0) && slices.Contains(c.Queues, w.Queue) && !slices.Contains(w.Refused, c.ID)
}

// give gives one thing to whom it prefers, else to who fits; it waits on where somebody it prefers will be free soon.
func (a *assigner) give(w *Work, r Rule) {
	if a.now.Sub(w.Since) < r.PreferFor {
		waits := false
		for _, pref := range w.Prefers {
			p := a.byID[pref.ID]
			switch {
			case p == nil || slices.Contains(w.Refused, p.ID):
			case a.isLeft(p.ID) && (w.Voice || p.Writing > 0):
				a.assign(w, pref.Why, p.ID)
				return
			case p.There:
				waits = true
			}
		}
		if waits {
			return
		}
	}
	wants := a.demands(w, r)
	of, alike := kind{queue: w.Queue, voice: w.Voice}, len(wants) < 2 && len(w.Refused) == 0
	if len(wants) == 1 {
		of.want = wants[0]
	}
	if alike && a.none[of] {
		return
	}
	if r.Ring > 1 && w.Voice {
		var to []string
		for i := range a.free {
			if _, enough := a.free[i].knows(wants); enough && len(to) < r.Ring && a.free[i].may(w) {
				to = append(to, a.free[i].ID)
			}
		}
		if len(to) > 0 {
			a.assign(w, WhyAll, to...)
		}
		return
	}
	if best, why := a.best(w, wants); best >= 0 {
		id := a.free[best].ID
		a.free = slices.Delete(a.free, best, best+1)
		a.all = append(a.all, Assignment{Work: w.ID, To: []string{id}, Why: why})
	} else if alike {
		a.none[of] = true
	}
}

// best is who knows most of what is asked for, by their place among those who are left; among those who know the same, who
// has been free for longest. -1: nobody may have it.
func (a *assigner) best(w *Work, wants []demand) (at int, why string) {
	at = -1
	most, first := -1, -1
	for i := range a.free {
		level, enough := a.free[i].knows(wants)
		if !enough || level <= most || !a.free[i].may(w) {
			continue
		}
		if first < 0 {
			first = level
		}
		most, at = level, i
		if len(wants) == 0 {
			break
		}
	}
	if why = WhyIdle; most > first {
		why = WhySkill
	}
	return at, why
}

func (a *assigner) isLeft(id string) bool {
	return slices.ContainsFunc(a.free, func(c candidate) bool { return c.ID == id })
}

func (a *assigner) assign(w *Work, why string, to ...string) {
	a.free = slices.DeleteFunc(a.free, func(c candidate) bool { return slices.Contains(to, c.ID) })
	a.all = append(a.all, Assignment{Work: w.ID, To: to, Why: why})
}
