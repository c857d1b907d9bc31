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
func (b *Book) Count(a Asked) int { return b.t.CountGroups(b.rows(a)) }

// Selection are the calls that are meant by a question. It holds as long as nothing is put into the book.
type Selection struct {
	asked Asked
	rows  columns.Bits
}

// Select finds the calls that are meant.
func (b *Book) Select(a Asked) Selection { return Selection{a, b.rows(a)} }

// Find lists n of the calls that are meant, in an order, after a place (nil: from the beginning), and how many there
// are.
func (b *Book) Find(a Asked, order string, after *columns.Place, n int) (places []columns.Place, count int) {
	return b.FindIn(b.Select(a), order, after, n)
}

// FindIn is Find among calls that were selected.
func (b *Book) FindIn(s Selection, order string, after *columns.Place, n int) (places []columns.Place, count int) {
	key := b.t.At
	if c, by := orders[order]; by {
		key = func(i int) int64 { return int64(b.t.Measure(c, i)) }
	}
	return b.t.Top(s.rows, key, after, n), b.t.CountGroups(s.rows)
}

// All are the ids of up to n of the calls that are meant, the newest first.
func (b *Book) All(a Asked, n int) []ID {
	places, _ := b.Find(a, "", nil, n)
	ids := make([]ID, len(places))
	for i, p := range places {
		ids[i] = p.ID
	}
	return ids
}

// FacetIn counts the calls of each value of a facet. A condition on the facet itself does not hold for it, so that it
// can be
// chosen otherwise; conditions that leave out do, and those of marks and topics, of which a call has several.
func (b *Book) FacetIn(s Selection, key string) Counted {
	f, there := FacetOf(key)
	if !there {
		return Counted{Facet: key, Values: []ValueCount{}}
	}
	rows := s.rows
	if others := s.asked.without(f); len(others.Where) < len(s.asked.Where) {
		rows = b.rows(others)
	}
	return b.facet(f, s.asked, rows)
}

// Facet is FacetIn of what is asked.
func (b *Book) Facet(key string, a Asked) Counted { return b.FacetIn(b.Select(a), key) }

// without leaves out the conditions that do not hold for a facet itself.
func (a Asked) without(f Facet) Asked {
	others := a
	others.Where = nil
	for _, c := range a.Where {
		if c.Facet != f.Key || c.Not || f.Kind == Marks || f.Kind == Topics {
			others.Where = append(others.Where, c)
		}
	}
	return others
}

func (b *Book) facet(f Facet, a Asked, rows columns.Bits) Counted {
	counted := Counted{Facet: f.Key, Values: []ValueCount{}}
	add := func(keys []string, counts []int) {
		for n, count := range counts {
			if count > 0 {
				counted.Values = append(counted.Values, ValueCount{keys[n], count})
			}
		}
	}
	switch {
	case f.Kind == Marks:
		masks, wants := make([]uint32, len(marks)), make([]uint32, len(marks))
		for i, m := range marks {
			masks[i], wants[i] = m.mask, m.want
		}
		add(MarkKeys(), b.t.CountFlags(rows, masks, wants))
	case f.Kind == Topics:
		said := b.heard(b.t.Flagged(rows, Transcribed, Transcribed), a)
		counts := make([]int, len(b.topic))
		for code := range b.topic {
			counts[code] = b.t.CountTag(said, uint16(code))
		}
		add(b.topic, counts)
	case f.Kind == Keys:
		add(b.keys[f.column], b.t.CountValues(rows, f.column, len(b.keys[f.column])))
	case f.Kind == Bands:
		add(f.bandKeys(), b.t.CountSmall(rows, f.column, len(f.Edges)+2)[1:])
	case f.Key == "hour":
		add(hourKeys(), b.t.CountSmall(rows, atHour, 24))
	case f.Key == "weekday":
		counts := b.t.CountSmall(rows, onWeekday, 7)
		add(b.cal.weekdayKeys(), append(slices.Clone(counts[b.cal.first:]), counts[:b.cal.first]...))
	}
	return counted
}

// Orders are all by what found calls can be put into an order.
func Orders() []string { return slices.Sorted(maps.Keys(orders)) }
