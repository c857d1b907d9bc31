package report

import (
	"errors"
	"fmt"
	"strings"

	"trundo/internal/core/columns"
)

// Condition keeps the calls that have one of the values of a facet; Not: those that have none of them. "" is having no
// value.
type Condition struct {
	Facet  string   `json:"facet"`
	Values []string `json:"values"`
	Not    bool     `json:"not,omitempty"`
}

// ErrCondition is told by Check of a facet or a value that there is not.
var ErrCondition = errors.New("cannot be asked for")

// MaxValues is how many values a condition may have.
const MaxValues = 500

// Check tells whether conditions can be asked. Error: ErrCondition, with the facet.
func Check(where []Condition) error {
	for _, c := range where {
		f, there := FacetOf(c.Facet)
		if !there || len(c.Values) == 0 || len(c.Values) > MaxValues {
			return fmt.Errorf("%q %w", c.Facet, ErrCondition)
		}
		for _, v := range c.Values {
			if !f.takes(v) {
				return fmt.Errorf("%q of %q %w", v, c.Facet, ErrCondition)
			}
		}
	}
	return nil
}

// takes tells whether a facet may have a value.
func (f Facet) takes(v string) (there bool) {
	switch {
	case f.Kind == Bands:
		_, there = readNumber(v, len(f.Edges)+1)
	case f.Kind == Marks:
		_, _, there = markOf(v)
	case f.Kind == Behind:
		_, there = FigureOf(v)
	case f.Key == "hour":
		_, there = readNumber(v, 24)
	case f.Key == "weekday":
		_, there = readNumber(v, 7)
	case f.Key == "month":
		_, there = readMonth(v)
	case f.Kind == Times:
		_, there = readDay(v)
	default:
		there = len(v) <= 200
	}
	return there
}

// Scope are the rows that somebody may have figures of: those of reps, and those that no rep had a part in.
type Scope struct {
	All    bool
	Reps   []string
	Nobody bool
}

// Everything is the scope of who may see all.
var Everything = Scope{All: true}

// Asked is which calls are meant.
type Asked struct {
	From, To int64 // seconds since 1970; before To
	Where    []Condition
	Scope    Scope
	// Found are, for conditions of words, the calls in which they are.
	Found map[string][]ID
	// Hear are the calls of which somebody may know what was said; nil: all that they may see.
	Hear *Scope
}

// FoundKey names the words of a condition in Found.
func FoundKey(c Condition) string { return c.Facet + "\x00" + strings.Join(c.Values, "\x00") }

// rows are those of the calls that are meant.
func (b *Book) rows(a Asked) columns.Bits {
	rows := b.within(b.t.Between(b.t.All(), a.From, a.To), a.Scope)
	for _, c := range a.Where {
		rows = b.narrow(rows, c, a)
	}
	return rows
}

// within keeps the rows that are in a scope.
func (b *Book) within(rows columns.Bits, s Scope) columns.Bits {
	if s.All {
		return rows
	}
	codes := make([]uint16, 0, len(s.Reps)+1)
	for _, key := range s.Reps {
		if code, there := b.codes[rep][key]; there && key != "" {
			codes = append(codes, code)
		}
	}
	if s.Nobody {
		codes = append(codes, 0)
	}
	return b.t.With(rows, rep, codes)
}

// narrow keeps of rows those that fit a condition. What is not said of a call is looked at for the call as a whole: one
// part in which it was so is enough for the call to be left out.
func (b *Book) narrow(rows columns.Bits, c Condition, a Asked) columns.Bits {
	f, there := FacetOf(c.Facet)
	if !there {
		return b.t.Where(rows, func(int) bool { return false })
	}
	var fits columns.Bits
	switch f.Kind {
	case Keys:
		codes := make([]uint16, 0, len(c.Values))
		for _, key := range c.Values {
			if code, known := b.codes[f.column][key]; known {
				codes = append(codes, code)
			}
		}
		fits = b.t.With(rows, f.column, codes)
	case Marks:
		fits = b.marked(rows, c.Values)
	case Behind:
		fits = b.behind(rows, c.Values)
	case Topics:
		return b.said(rows, c, a)
	case Words:
		fits = b.t.Of(a.Found[FoundKey(c)]).And(rows)
		if c.Facet == "words" {
			fits = b.heard(fits, a)
		}
	case Bands, Times:
		fits = b.valued(rows, f, c.Values)
	}
	if c.Not {
		return rows.Clone().AndNot(fits)
	}
	return fits
}

// heard keeps what somebody may hear.
func (b *Book) heard(rows columns.Bits, a Asked) columns.Bits {
	if a.Hear == nil {
		return rows
	}
	return b.within(rows, *a.Hear)
}

// said keeps the calls in which a topic was said; Not: those whose words are known, and in which none was.
func (b *Book) said(rows columns.Bits, c Condition, a Asked) columns.Bits {
	rows = b.heard(b.t.Flagged(rows, Transcribed, Transcribed), a)
	codes := make([]uint16, 0, len(c.Values))
	for _, key := range c.Values {
		if code, known := b.topics[key]; known {
			codes = append(codes, code)
		}
	}
	tagged := b.t.Tagged(rows, codes)
	if c.Not {
		return rows.AndNot(tagged)
	}
	return tagged
}

func (b *Book) marked(rows columns.Bits, keys []string) columns.Bits {
	all := b.t.Of(nil)
	for _, key := range keys {
		if mask, want, there := markOf(key); there {
			all.Or(b.t.Flagged(rows, mask, want))
		}
	}
	return all
}

// behind keeps the rows that one of the figures is made of.
func (b *Book) behind(rows columns.Bits, keys []string) columns.Bits {
	measures := b.measures()
	return b.t.Where(rows, func(i int) bool {
		for _, key := range keys {
			if f, there := FigureOf(key); there && f.counts(measures, b.t.Flags(i), i) {
				return true
			}
		}
		return false
	})
}

// measures are the columns of all measures.
func (b *Book) measures() [][]int32 {
	all := make([][]int32, measureColumns)
	for c := range all {
		all[c] = b.t.Measures(c)
	}
	return all
}

// valued keeps the rows that have one of some values of bands or times.
func (b *Book) valued(rows columns.Bits, f Facet, wanted []string) columns.Bits {
	var small [columns.MaxSmall + 1]bool
	column := f.column
	for _, key := range wanted {
		n, numbered := readNumber(key, columns.MaxSmall)
		switch {
		case f.Kind == Bands && key == "":
			small[0] = true
		case f.Kind == Bands && numbered:
			small[n+1] = true
		case numbered:
			small[n] = true
		}
	}
	switch f.Key {
	case "hour":
		column = atHour
	case "weekday":
		column = onWeekday
	case "day", "week", "month":
		return b.onDays(rows, f.Key, wanted)
	}
	return b.t.WithSmall(rows, column, &small)
}

// onDays keeps the rows of days, weeks or months.
func (b *Book) onDays(rows columns.Bits, facet string, wanted []string) columns.Bits {
	var days []uint16
	for _, key := range wanted {
		from, until := b.cal.daysOf(facet, key)
		for d := max(from, 0); d < min(until, columns.MaxCode); d++ {
			days = append(days, uint16(d))
		}
	}
	return b.t.With(rows, onDay, days)
}

// Reaches tells whether a call is in a scope; one that is not in the book is not.
func (b *Book) Reaches(s Scope, call ID) bool { return b.within(b.t.Of([]ID{call}), s).Count() > 0 }
