package columns

import "slices"

// All are all rows.
func (t *Table) All() Bits { return t.alive.Clone() }

// Where are the rows for which fits holds. It is asked of those in among alone.
func (t *Table) Where(among Bits, fits func(i int) bool) Bits {
	b := newBits(len(t.at))
	among.Each(func(i int) {
		if fits(i) {
			b.set(i)
		}
	})
	return b
}

// Between are the rows of among from a second on, before another.
func (t *Table) Between(among Bits, from, until int64) Bits {
	return t.Where(among, func(i int) bool { at := int64(t.at[i]); return at >= from && at < until })
}

// With are the rows of among that have one of the codes in a column.
func (t *Table) With(among Bits, column int, codes []uint16) Bits {
	c := t.values[column]
	if len(codes) == 1 {
		return t.Where(among, func(i int) bool { return c[i] == codes[0] })
	}
	wanted := map[uint16]bool{}
	for _, code := range codes {
		wanted[code] = true
	}
	return t.Where(among, func(i int) bool { return wanted[c[i]] })
}

// Flagged are the rows of among whose flags under mask are want.
func (t *Table) Flagged(among Bits, mask, want uint32) Bits {
	return t.Where(among, func(i int) bool { return t.flags[i]&mask == want })
}

// Tagged are the rows of among that have one of the tags.
func (t *Table) Tagged(among Bits, tags []uint16) Bits {
	b := newBits(len(t.at))
	for _, code := range tags {
		for i, w := range t.tags[code] {
			b[i] |= w
		}
	}
	return b.And(among)
}

// Tags are the codes of all tags that any row has had, sorted.
func (t *Table) Tags() []uint16 {
	codes := make([]uint16, 0, len(t.tags))
	for code := range t.tags {
		codes = append(codes, code)
	}
	slices.Sort(codes)
	return codes
}

// Of are all rows of the groups.
func (t *Table) Of(ids []ID) Bits {
	b := newBits(len(t.at))
	for _, id := range ids {
		if first, there := t.index.find(t.ids, id); there {
			for i := first; i < first+t.rowsOf(first); i++ {
				b.set(i)
			}
		}
	}
	return b
}

// First tells whether no row of the same group before i is in the set: to count groups, count the rows for which it holds.
func (t *Table) First(b Bits, i int) bool {
	for ; t.goesOn.Has(i); i-- {
		if b.Has(i - 1) {
			return false
		}
	}
	return true
}

// CountGroups is how many groups have a row in the set.
func (t *Table) CountGroups(b Bits) (n int) {
	for at, w := range b {
		if w&t.goesOn[at] == 0 { // each row of this word begins a group
			n += Bits{w}.Count()
			continue
		}
		Bits{w}.Each(func(i int) {
			if t.First(b, at*wordBits+i) {
				n++
			}
		})
	}
	return n
}

// CountValues is how many groups have a row in the set with each value. value gives a row's; a negative one counts
// nowhere. n is how many values there are.
func (t *Table) CountValues(b Bits, n int, value func(i int) int) []int {
	counts := make([]int, n)
	b.Each(func(i int) {
		v := value(i)
		if v < 0 {
			return
		}
		if t.goesOn.Has(i) && t.before(b, i, v, value) {
			return
		}
		counts[v]++
	})
	return counts
}

// before tells whether an earlier row of the group of row i in the set has the value v.
func (t *Table) before(b Bits, i, v int, value func(i int) int) bool {
	for ; t.goesOn.Has(i); i-- {
		if b.Has(i-1) && value(i-1) == v {
			return true
		}
	}
	return false
}

// CountTag is how many groups have a row in the set with a tag.
func (t *Table) CountTag(b Bits, code uint16) int {
	return t.CountGroups(t.Tagged(b, []uint16{code}))
}
