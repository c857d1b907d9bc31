// Package whom ranks the colleagues of a firm for a call in which somebody needs help: who owns the caller, who spoke
// with them last, who knows what it is about, who is free.
//
// It must not know where any of that is stored, nor how it is said on the screen but for the reason.
package whom

import (
	"cmp"
	"maps"
	"slices"
	"strings"
	"time"
)

// Colleague is somebody who could be asked.
type Colleague struct {
	ID       string
	Name     string
	Owns     bool           // the caller's record is theirs
	SpokeAt  time.Time      // when they last spoke with the caller; zero: never
	Skills   map[string]int // what they know, each from 1 (some) to 3 (well)
	SameTeam bool
	Free     bool // nothing is disturbed by asking them
	Rings    bool // it would ring for them: they are free, write up, or speak in one call
}

// Choice is a colleague in their place, with why, in a few words; "" where nothing speaks for them in particular.
type Choice struct {
	ID     string
	Reason string
}

// What speaks for somebody, in points; ours, from what a rep looks for: first somebody who answers, then somebody who
// knows the caller, then somebody who knows the matter.
const (
	pointsRings = 8
	pointsFree  = 2
	pointsOwner = 6
	pointsSpoke = 5 // yesterday; less the longer ago, nothing after recently
	pointsSkill = 2 // for each level
	pointsTeam  = 1

	recently = 90 * 24 * time.Hour
)

// Rank puts colleagues in the order in which they should be asked; about is what is known of the matter: subject, type of
// call, notes. Those who are alike come by name.
func Rank(colleagues []Colleague, about string, now time.Time) []Choice {
	type ranked struct {
		Choice
		name   string
		points float64
	}
	about = " " + strings.ToLower(about) + "  " // what is looked for has a neighbour on both sides
	list := make([]ranked, 0, len(colleagues))
	for _, c := range colleagues {
		points, reason := pointsOf(c, about, now)
		list = append(list, ranked{Choice{c.ID, reason}, c.Name, points})
	}
	slices.SortFunc(list, func(a, b ranked) int {
		return cmp.Or(cmp.Compare(b.points, a.points), cmp.Compare(a.name, b.name), cmp.Compare(a.ID, b.ID))
	})
	choices := make([]Choice, len(list))
	for i, r := range list {
		choices[i] = r.Choice
	}
	return choices
}

func pointsOf(c Colleague, about string, now time.Time) (points float64, reason string) {
	best := 0.0
	says := func(p float64, why string) {
		points += p
		if p > best {
			best, reason = p, why
		}
	}
	if c.Owns {
		says(pointsOwner, "looks after them")
	}
	if ago := now.Sub(c.SpokeAt); !c.SpokeAt.IsZero() && ago < recently {
		says(pointsSpoke*(1-float64(max(0, ago))/float64(recently)), "has spoken with them lately")
	}
	for _, skill := range slices.Sorted(maps.Keys(c.Skills)) {
		if named(about, skill) {
			why := "knows " + skill
			if c.Skills[skill] > 2 {
				why += " well"
			}
			says(float64(pointsSkill*c.Skills[skill]), why)
		}
	}
	if c.Rings {
		points += pointsRings
	}
	if c.Free {
		points += pointsFree
	}
	if c.SameTeam {
		points += pointsTeam
	}
	return points, reason
}

// named tells whether a skill is named in a text: its words in their order, the last of them maybe in the plural.
func named(about, skill string) bool {
	skill = strings.ToLower(strings.TrimSpace(skill))
	at := strings.Index(about, skill)
	for from := 0; skill != "" && at >= 0; at = indexFrom(about, skill, from) {
		before, after := about[at-1], about[at+len(skill):]
		if !letter(before) && (!letter(after[0]) || after[0] == 's' && !letter(after[1])) {
			return true
		}
		from = at + 1
	}
	return false
}

func indexFrom(text, part string, from int) int {
	if at := strings.Index(text[from:], part); at >= 0 {
		return from + at
	}
	return -1
}

func letter(b byte) bool { return b >= 'a' && b <= 'z' || b >= 0x80 }
