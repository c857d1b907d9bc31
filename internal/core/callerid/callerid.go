// Package callerid decides which of the firm's numbers is shown to the person who is called.
//
// It must not know the database or the carrier.
package callerid

import "errors"

// Line is a number of the firm that can be shown.
type Line struct {
	ID     string
	E164   string
	Label  string
	Region string // ISO 3166
	Main   bool   // the firm's main number
}

// Request is what the choice depends on.
type Request struct {
	ByHand  string // id of the line chosen for this call, or ""
	RepLine string // id of the line bound to the rep, or ""
	Region  string // where the called number is, ISO 3166, or ""
}

// Choice is the line to show, and why in words.
type Choice struct {
	Line   Line
	Reason string
}

// Errors of Choose.
var (
	ErrNoLine      = errors.New("the firm has no active line to call from")
	ErrUnknownLine = errors.New("this line does not exist or is not active")
)

// Choose picks from the firm's active lines, in this order: the one chosen by hand; the rep's own, unless
// only another line is in the called country; one in the called country; the rep's own; the main
// number; the first. Errors: ErrNoLine, ErrUnknownLine (by hand only).
func Choose(lines []Line, r Request) (Choice, error) {
	if len(lines) == 0 {
		return Choice{}, ErrNoLine
	}
	if r.ByHand != "" {
		if l, ok := find(lines, func(l Line) bool { return l.ID == r.ByHand }); ok {
			return Choice{l, "chosen by hand"}, nil
		}
		return Choice{}, ErrUnknownLine
	}
	own, hasOwn := find(lines, func(l Line) bool { return l.ID == r.RepLine })
	if hasOwn && (r.Region == "" || own.Region == r.Region) {
		return Choice{own, "your line"}, nil
	}
	if l, ok := find(lines, func(l Line) bool { return r.Region != "" && l.Region == r.Region && !hasOwn }); ok && l.Main {
		return Choice{l, "the main number"}, nil
	}
	if l, ok := find(lines, func(l Line) bool { return r.Region != "" && l.Region == r.Region }); ok {
		return Choice{l, "a line in their country"}, nil
	}
	if hasOwn {
		return Choice{own, "your line"}, nil
	}
	if l, ok := find(lines, func(l Line) bool { return l.Main }); ok {
		return Choice{l, "the main number"}, nil
	}
	return Choice{lines[0], "the first line"}, nil
}

func find(lines []Line, ok func(Line) bool) (Line, bool) {
	for _, l := range lines {
		if ok(l) {
			return l, true
		}
	}
	return Line{}, false
}
