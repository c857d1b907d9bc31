// Package callerid decides which of the firm's numbers is shown to the person who is called.
//
// It must not know the database or the carrier.
package callerid

import (
	"errors"
	"time"
)

// Line is a number of the firm that can be shown.
type Line struct {
	ID     string
	E164   string
	Label  string
	Region string // ISO 3166
	Main   bool   // the firm's main number
	// RestsUntil: it is not shown until then, unless it is chosen by hand or they called it; nil: it does not rest.
	RestsUntil *time.Time
	Rests      bool // it rests now
}

// Request is what the choice depends on.
type Request struct {
	ByHand  string // id of the line chosen for this call, or ""
	RepLine string // id of the line bound to the rep, or ""
	Owed    string // id of the line on which they called in vain, and nobody has come back to them yet, or ""
	Region  string // where the called number is, ISO 3166, or ""
}

// Rule is how a line is chosen for many calls.
type Rule string

// The rules.
const (
	ByRep     Rule = "rep"     // as for a single call
	ByList    Rule = "list"    // the list's line
	OneLine   Rule = "line"    // one line for all
	ByNearest Rule = "nearest" // the line whose number begins most like theirs
	ByKnown   Rule = "known"   // the line by which they were last spoken with
)

// ManyRequest is what the choice for one of many calls depends on.
type ManyRequest struct {
	Request
	Rule  Rule
	Named string         // id of the list's line, or of the one line
	Known string         // id of the line they know, or ""
	E164  string         // the called number
	Shown map[string]int // how often each line was shown today
	Max   int            // how often each may be; 0: without limit
}

// Choice is the line to show, and why in words.
type Choice struct {
	Line   Line
	Reason string
	Owed   bool // it is that on which they called in vain
}

// Errors of Choose.
var (
	ErrNoLine      = errors.New("the firm has no active line to call from")
	ErrUnknownLine = errors.New("this line does not exist or is not active")
	ErrWornOut     = errors.New("every line has been shown as often today as it may be")
)

// Choose picks from the firm's active lines, in this order: the one chosen by hand; the one on which they called in
// vain; the rep's own, unless only another line is in the called country; one in the called country; the rep's own; the
// main number; the first. Errors: ErrNoLine, ErrUnknownLine (by hand only).
func Choose(lines []Line, r Request) (Choice, error) {
	if len(lines) == 0 {
		return Choice{}, ErrNoLine
	}
	if r.ByHand != "" {
		if l, ok := find(lines, func(l Line) bool { return l.ID == r.ByHand }); ok {
			return Choice{Line: l, Reason: "chosen by hand"}, nil
		}
		return Choice{}, ErrUnknownLine
	}
	if l, ok := find(lines, func(l Line) bool { return r.Owed != "" && l.ID == r.Owed }); ok {
		return Choice{Line: l, Reason: "the line that they called", Owed: true}, nil
	}
	lines = awake(lines)
	own, hasOwn := find(lines, func(l Line) bool { return l.ID == r.RepLine })
	if hasOwn && (r.Region == "" || own.Region == r.Region) {
		return Choice{Line: own, Reason: "your line"}, nil
	}
	if l, ok := find(lines, func(l Line) bool { return r.Region != "" && l.Region == r.Region && !hasOwn }); ok &&
		l.Main {
		return Choice{Line: l, Reason: "the main number"}, nil
	}
	if l, ok := find(lines, func(l Line) bool { return r.Region != "" && l.Region == r.Region }); ok {
		return Choice{Line: l, Reason: "a line in their country"}, nil
	}
	if hasOwn {
		return Choice{Line: own, Reason: "your line"}, nil
	}
	if l, ok := find(lines, func(l Line) bool { return l.Main }); ok {
		return Choice{Line: l, Reason: "the main number"}, nil
	}
	return Choice{Line: lines[0], Reason: "the first line"}, nil
}

// awake are the lines that do not rest; where all do, none is left out.
func awake(lines []Line) []Line {
	there := make([]Line, 0, len(lines))
	for _, l := range lines {
		if !l.Rests {
			there = append(there, l)
		}
	}
	if len(there) == 0 {
		return lines
	}
	return there
}

// ChooseMany picks a line for one of many calls by its rule, among those that may still be shown today. Where the
// rule's own line may not, or there is none, it is as for a single call, and where that one may not either, the
// nearest. Errors: ErrNoLine, ErrWornOut.
func ChooseMany(lines []Line, r ManyRequest) (Choice, error) {
	if len(lines) == 0 {
		return Choice{}, ErrNoLine
	}
	left := make([]Line, 0, len(lines))
	for _, l := range awake(lines) {
		if r.Max <= 0 || r.Shown[l.ID] < r.Max {
			left = append(left, l)
		}
	}
	if len(left) == 0 {
		return Choice{}, ErrWornOut
	}
	named := func(id, why string) (Choice, bool) {
		l, there := find(left, func(l Line) bool { return id != "" && l.ID == id })
		return Choice{Line: l, Reason: why}, there
	}
	switch r.Rule {
	case ByList, OneLine:
		why := "the list's line"
		if r.Rule == OneLine {
			why = "the round's line"
		}
		if c, there := named(r.Named, why); there {
			return c, nil
		}
	case ByKnown:
		if c, there := named(r.Known, "the line they know"); there {
			return c, nil
		}
	case ByNearest:
		return nearest(left, r.E164), nil
	}
	usual, err := Choose(lines, r.Request)
	if err != nil {
		return usual, err
	}
	if c, there := named(usual.Line.ID, usual.Reason); there {
		return c, nil
	}
	return nearest(left, r.E164), nil
}

// nearest is the line whose number has the longest beginning in common with another; of equal ones the main number,
// then the first.
func nearest(lines []Line, e164 string) Choice {
	best, most := 0, -1
	for i, l := range lines {
		n := 0
		for n < len(l.E164) && n < len(e164) && l.E164[n] == e164[n] {
			n++
		}
		if n > most || n == most && l.Main && !lines[best].Main {
			best, most = i, n
		}
	}
	return Choice{Line: lines[best], Reason: "the nearest"}
}

func find(lines []Line, ok func(Line) bool) (Line, bool) {
	for _, l := range lines {
		if ok(l) {
			return l, true
		}
	}
	return Line{}, false
}
