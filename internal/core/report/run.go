package report

import (
	"errors"
	"fmt"

	"trundo/internal/core/columns"
)

// Query is a report as it is kept and shared.
type Query struct {
	Figures []string    `json:"figures"` // the first is the one that is drawn
	By      string      `json:"by"`      // the key of a facet; "": all in one
	Where   []Condition `json:"where,omitempty"`
}

// MaxFigures is how many a report may have.
const MaxFigures = 8

// ErrQuery is told by Check of a report that cannot be computed.
var ErrQuery = errors.New("cannot be reported")

// Check tells whether a report can be computed. Errors: ErrQuery, ErrCondition.
func (q Query) Check() error {
	if len(q.Figures) == 0 || len(q.Figures) > MaxFigures {
		return fmt.Errorf("%d figures %w", len(q.Figures), ErrQuery)
	}
	for _, key := range q.Figures {
		if _, there := FigureOf(key); !there {
			return fmt.Errorf("the figure %q %w", key, ErrQuery)
		}
	}
	if f, there := FacetOf(q.By); q.By != "" && (!there || !f.Groups) {
		return fmt.Errorf("by %q %w", q.By, ErrQuery)
	}
	return Check(q.Where)
}

// Cell is one figure of a group. Value is nil where there is nothing to compute it of; Calls are those it is made of.
type Cell struct {
	Value *float64
	Calls int
}

// Group are the figures of one value of the facet that a report is by.
type Group struct {
	Key   string
	Cells []Cell
}

// Result is what a report says.
type Result struct {
	Groups []Group // times in their order, everything else by its first figure, the largest first
	All    []Cell
}

// Run computes figures by a facet.
func (b *Book) Run(q Query, a Asked) Result {
	a.Where = q.Where
	rows := b.rows(a)
	figures := make([]*Figure, len(q.Figures))
	for i, key := range q.Figures {
		figures[i], _ = FigureOf(key)
	}
	one := func(int) int { return 0 }
	r := Result{All: cellsOf(figures, b.sums(rows, figures, 1, one)[0])}
	f, by := FacetOf(q.By)
	if !by {
		return r
	}
	if f.Kind == Topics {
		said := b.heard(b.t.Flagged(rows, Transcribed, Transcribed), a)
		for code, key := range b.topic {
			tagged := b.t.Tagged(said, []uint16{uint16(code)})
			r.Groups = append(r.Groups, Group{key, cellsOf(figures, b.sums(tagged, figures, 1, one)[0])})
		}
	} else {
		value, keys := b.values(f, a)
		for n, sums := range b.sums(rows, figures, len(keys), value) {
			r.Groups = append(r.Groups, Group{keys[n], cellsOf(figures, sums)})
		}
	}
	r.Groups = shown(f, r.Groups)
	return r
}

// sums are what each figure is computed of, for each of n values.
func (b *Book) sums(rows columns.Bits, figures []*Figure, n int, value func(i int) int) [][]sum {
	all := make([][]sum, n)
	for i := range all {
		all[i] = make([]sum, len(figures))
	}
	measures := b.measures()
	rows.Each(func(i int) {
		v := value(i)
		if v < 0 {
			return
		}
		flags := b.t.Flags(i)
		// A call counts once in a group: by the first of its rows that is in it.
		first := !b.t.GoesOn(i) || !b.earlier(rows, i, v, value, nil, nil)
		group := all[v]
		for k, f := range figures {
			s := &group[k]
			above := f.above.of(measures, flags, i)
			counts := above > 0
			if f.parts || first {
				s.above += above
			}
			if f.below != nil {
				below := f.below.of(measures, flags, i)
				counts = below > 0
				if f.parts || first {
					s.below += below
				}
			}
			if counts && (first || !b.earlier(rows, i, v, value, f, measures)) {
				s.calls++
			}
		}
	})
	return all
}

// earlier tells whether an earlier row of the call of row i is among rows and in the group v, and, where a figure is
// given, one that it is made of.
func (b *Book) earlier(rows columns.Bits, i, v int, value func(i int) int, f *Figure, measures [][]int32) bool {
	for ; b.t.GoesOn(i); i-- {
		if rows.Has(i-1) && value(i-1) == v && (f == nil || f.counts(measures, b.t.Flags(i-1), i-1)) {
			return true
		}
	}
	return false
}

func cellsOf(figures []*Figure, sums []sum) []Cell {
	cells := make([]Cell, len(figures))
	for i, f := range figures {
		cells[i] = Cell{f.value(sums[i]), sums[i].calls}
	}
	return cells
}
