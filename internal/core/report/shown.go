package report

import (
	"cmp"
	"slices"
)

// shown leaves out groups of nothing, but for those of times and bands, which are gaps; and puts the others into order.
func shown(f Facet, groups []Group) []Group {
	if f.Kind == Times || f.Kind == Bands {
		return groups
	}
	groups = slices.DeleteFunc(groups, func(g Group) bool {
		return !slices.ContainsFunc(
			g.Cells,
			func(c Cell) bool { return c.Calls > 0 || c.Value != nil && *c.Value != 0 },
		)
	})
	slices.SortStableFunc(groups, func(a, b Group) int {
		return cmp.Or(compare(b.Cells[0].Value, a.Cells[0].Value), cmp.Compare(a.Key, b.Key))
	})
	return groups
}

// compare puts what is not known before everything.
func compare(a, b *float64) int {
	switch {
	case a == nil && b == nil:
		return 0
	case a == nil:
		return -1
	case b == nil:
		return 1
	}
	return cmp.Compare(*a, *b)
}
