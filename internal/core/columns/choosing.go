package columns

import (
	"math/bits"
	"slices"
)

// All are all rows.
func (t *Table) All() Bits { return t.alive.Clone() }

// Where are the rows of among for which fits holds.
func (t *Table) Where(among Bits, fits func(i int) bool) Bits {
	b := newBits(len(t.at))
	among.Each(func(i int) {
		if fits(i) {
			b.set(i)
		}
	})
	return b
}

// chosen are the rows of among whose value in a column is wanted. It reads the column word by word of the set, and
// leaves
// out where there is nothing.
func chosen[C any](among Bits, column []C, wanted func(C) bool) Bits {
	b := make(Bits, len(among))
	for at, w := range among {
		if w == 0 {
			continue
		}
		var found uint64
		from := at * wordBits
		for i, v := range column[from:min(from+wordBits, len(column))] {
			if wanted(v) {
				found |= 1 << i
			}
		}
		b[at] = found & w
	}
	return b
}

// Between are the rows of among from a second on, before another. Rows come in about the order of time: mostly a whole
// word
// of the set is outside, or within.
func (t *Table) Between(among Bits, from, until int64) Bits {
	b := make(Bits, len(among))
	for at, w := range among {
		first, last := int64(t.since[at]), int64(t.until[at])
		switch {
		case w == 0 || last < from || first >= until:
		case first >= from && last < until:
			b[at] = w
		default:
			start := at * wordBits
			for i, v := range t.at[start:min(start+wordBits, len(t.at))] {
				if int64(v) >= from && int64(v) < until {
					b[at] |= 1 << i
				}
			}
			b[at] &= w
		}
	}
	return b
}

// Earliest is when the first row was, in seconds; 0 where there never was one. A row that has been written over counts
// still.
func (t *Table) Earliest() int64 {
	if len(t.since) == 0 {
		return 0
	}
	return int64(slices.Min(t.since))
}

// With are the rows of among that have one of the codes in a column.
func (t *Table) With(among Bits, column int, codes []uint16) Bits {
	if len(codes) == 1 {
		return chosen(among, t.values[column], func(c uint16) bool { return c == codes[0] })
	}
	var wanted [MaxCode + 1]bool
	for _, code := range codes {
		wanted[code] = true
	}
	return chosen(among, t.values[column], func(c uint16) bool { return wanted[c] })
}

// WithSmall are the rows of among whose code in a column of small values is wanted.
func (t *Table) WithSmall(among Bits, column int, wanted *[MaxSmall + 1]bool) Bits {
	return chosen(among, t.small[column], func(c uint8) bool { return wanted[c] })
}

// Flagged are the rows of among whose flags under mask are want.
func (t *Table) Flagged(among Bits, mask, want uint32) Bits {
	return chosen(among, t.flags, func(f uint32) bool { return f&mask == want })
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

// First tells whether no row of the same group before i is in the set: to count groups, count the rows for which it
// holds.
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
		n += bits.OnesCount64(w &^ t.goesOn[at])
		for w &= t.goesOn[at]; w != 0; w &= w - 1 {
			if t.First(b, at*wordBits+bits.TrailingZeros64(w)) {
				n++
			}
		}
	}
	return n
}

// CountValues is how many groups have a row in the set with each code of a column, of those below n.
func (t *Table) CountValues(b Bits, column, n int) []int {
	return counted(t, b, t.values[column], n)
}

// CountSmall is how many groups have a row in the set with each code of a column of small values, of those below n.
func (t *Table) CountSmall(b Bits, column, n int) []int { return counted(t, b, t.small[column], n) }

// counted counts by two tables by turns: one that is just written to cannot be written to again at once.
func counted[C uint8 | uint16](t *Table, b Bits, column []C, n int) []int {
	counts, others := make([]int32, max(n, 1)), make([]int32, max(n, 1))
	for at, w := range b {
		from := at * wordBits
		further := w & t.goesOn[at]
		switch firsts := w &^ t.goesOn[at]; {
		case firsts == ^uint64(0) && from+wordBits <= len(column):
			for i := from; i < from+wordBits; i += 2 {
				counts[column[i]]++
				others[column[i+1]]++
			}
		default:
			for ; firsts != 0; firsts &= firsts - 1 {
				counts[column[from+bits.TrailingZeros64(firsts)]]++
			}
		}
		for ; further != 0; further &= further - 1 {
			if i := from + bits.TrailingZeros64(further); !before(t, b, i, column) {
				counts[column[i]]++
			}
		}
	}
	sums := make([]int, n)
	for i := range sums {
		sums[i] = int(counts[i] + others[i])
	}
	return sums
}

// before tells whether an earlier row of the group of row i in the set has the same code.
func before[C uint8 | uint16](t *Table, b Bits, i int, column []C) bool {
	v := column[i]
	for ; t.goesOn.Has(i); i-- {
		if b.Has(i-1) && column[i-1] == v {
			return true
		}
	}
	return false
}

func (t *Table) flaggedBefore(b Bits, i int, mask, want uint32) bool {
	for ; t.goesOn.Has(i); i-- {
		if b.Has(i-1) && t.flags[i-1]&mask == want {
			return true
		}
	}
	return false
}

// CountTag is how many groups have a row in the set with a tag.
func (t *Table) CountTag(b Bits, code uint16) int {
	return t.CountGroups(t.Tagged(b, []uint16{code}))
}
