package report

import (
	"maps"
	"slices"

	"trundo/internal/core/columns"
)

// Counted is how many calls have a value of a facet, all other conditions holding.
type Counted struct {
	Facet  string
	Values []ValueCount
}

// ValueCount is one value with how many calls have it.
type ValueCount struct {
	Key   string
	Count int
}

// Orders of found calls, by what is largest.
var orders = map[string]int{
	"length":        talk,
	"wait":          wait,
	"satisfaction":  satisfaction,
	"silence":       silence,
	"overlap":       overlap,
	"interruptions": interruptions,
	"quality":       quality,
}

// IsOrder tells whether found calls can be put into an order; "" is the newest first.
func IsOrder(key string) bool {
	_, there := orders[key]
	return there || key == ""
}

// Count is how many calls are meant.
func (b *Book) Count(a Asked, cal *Calendar) int { return b.t.CountGroups(b.rows(a, cal)) }

// Find lists n of the calls that are meant, in an order, after a place (nil: from the beginning), and how many there are.
func (b *Book) Find(
	a Asked,
	order string,
	after *columns.Place,
	n int,
	cal *Calendar,
) (places []columns.Place, count int) {
	rows := b.rows(a, cal)
	key := b.t.At
	if c, by := orders[order]; by {
		key = func(i int) int64 { return int64(b.t.Measure(c, i)) }
	}
	return b.t.Top(rows, key, after, n), b.t.CountGroups(rows)
}

// All are the ids of up to n of the calls that are meant, the newest first.
func (b *Book) All(a Asked, n int, cal *Calendar) []ID {
	places, _ := b.Find(a, "", nil, n, cal)
	ids := make([]ID, len(places))
	for i, p := range places {
		ids[i] = p.ID
	}
	return ids
}

// Facet counts the calls of each value of a facet. A condition on the facet itself does not hold for it, so that it can
// be chosen otherwise; conditions that leave out do.
func (b *Book) Facet(key string, a Asked, cal *Calendar) Counted {
	f, there := FacetOf(key)
	counted := Counted{Facet: key, Values: []ValueCount{}}
	if !there {
		return counted
	}
	others := a
	others.Where = nil
	for _, c := range a.Where {
		if c.Facet != key || c.Not || f.Kind == Marks || f.Kind == Topics {
			others.Where = append(others.Where, c)
		}
	}
	rows := b.rows(others, cal)
	add := func(key string, n int) {
		if n > 0 {
			counted.Values = append(counted.Values, ValueCount{key, n})
		}
	}
	switch f.Kind {
	case Marks:
		for _, m := range marks {
			add(m.key, b.t.CountGroups(b.t.Flagged(rows, m.mask, m.want)))
		}
	case Topics:
		said := b.heard(b.t.Flagged(rows, Transcribed, Transcribed), a)
		for code, topic := range b.topic {
			add(topic, b.t.CountTag(said, uint16(code)))
		}
	case Keys, Bands, Times:
		value, keys := b.values(f, a, cal)
		for n, count := range b.t.CountValues(rows, len(keys), value) {
			add(keys[n], count)
		}
	}
	return counted
}

// Orders are all by what found calls can be put into an order.
func Orders() []string { return slices.Sorted(maps.Keys(orders)) }
