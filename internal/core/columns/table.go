package columns

import (
	"math"
	"slices"
)

// ID names a group.
type ID = [16]byte

// The largest codes of values.
const (
	MaxCode  = math.MaxUint16
	MaxSmall = math.MaxUint8
)

// Schema says how many columns a table has.
type Schema struct {
	Values   int // of codes of two bytes
	Small    int // of codes of one byte
	Measures int // of whole numbers
}

// Row is one row.
type Row struct {
	At       int64    // seconds since 1970, UTC; from 0 to 2106
	Values   []uint16 // a code for each column of values
	Small    []uint8  // likewise
	Measures []int32  // a number for each column of measures
	Flags    uint32
	Tags     []uint16 // any number of codes
}

// Table is a set of rows. Make one with New.
type Table struct {
	at       []uint32
	since    []uint32 // of each word of a set: no row is earlier
	until    []uint32 // likewise: no row is later
	ids      []ID
	values   [][]uint16
	small    [][]uint8
	measures [][]int32
	flags    []uint32
	combos   combos
	tags     map[uint16]Bits
	goesOn   Bits // the row is of the same group as the one before
	alive    Bits
	groups   int
	index    index
}

// New makes an empty table.
func New(s Schema) *Table {
	return &Table{values: make([][]uint16, s.Values), small: make([][]uint8, s.Small),
		measures: make([][]int32, s.Measures), tags: map[uint16]Bits{}}
}

// Rows is how many rows have a number, with those that are no longer there.
func (t *Table) Rows() int { return len(t.at) }

// Groups is how many groups there are.
func (t *Table) Groups() int { return t.groups }

// Put makes rows the rows of a group, in place of those that it had; no rows take the group away.
func (t *Table) Put(id ID, rows []Row) {
	first, there := t.index.find(t.ids, id)
	if there {
		n := t.rowsOf(first)
		if n == len(rows) {
			for i, r := range rows {
				t.write(first+i, r)
			}
			return
		}
		for i := first; i < first+n; i++ {
			t.alive.clear(i)
			t.retag(i, nil)
		}
		t.groups--
		t.index.drop(t.ids, id)
	}
	if len(rows) == 0 {
		return
	}
	t.groups++
	first = len(t.at)
	t.grow(len(rows))
	for i, r := range rows {
		t.ids[first+i] = id
		t.alive.set(first + i)
		if i > 0 {
			t.goesOn.set(first + i)
		}
		t.write(first+i, r)
	}
	t.index.add(t.ids, first)
}

// rowsOf is how many rows there are of the group that begins with row first.
func (t *Table) rowsOf(first int) int {
	n := 1
	for first+n < len(t.at) && t.goesOn.Has(first+n) {
		n++
	}
	return n
}

func (t *Table) grow(n int) {
	size := len(t.at) + n
	t.at = append(t.at, make([]uint32, n)...)
	t.ids = append(t.ids, make([]ID, n)...)
	t.flags = append(t.flags, make([]uint32, n)...)
	t.combos.of = append(t.combos.of, make([]uint16, n)...)
	for i := range t.values {
		t.values[i] = append(t.values[i], make([]uint16, n)...)
	}
	for i := range t.small {
		t.small[i] = append(t.small[i], make([]uint8, n)...)
	}
	for i := range t.measures {
		t.measures[i] = append(t.measures[i], make([]int32, n)...)
	}
	t.goesOn = grown(t.goesOn, size)
	t.alive = grown(t.alive, size)
	for len(t.since) < len(t.alive) {
		t.since, t.until = append(t.since, math.MaxUint32), append(t.until, 0)
	}
}

func grown(b Bits, rows int) Bits {
	for want := (rows + wordBits - 1) / wordBits; len(b) < want; {
		b = append(b, 0)
	}
	return b
}

func (t *Table) write(i int, r Row) {
	t.at[i] = uint32(min(max(r.At, 0), math.MaxUint32))
	word := i / wordBits // a row that is written over leaves them as wide as they were
	t.since[word], t.until[word] = min(t.since[word], t.at[i]), max(t.until[word], t.at[i])
	t.flags[i] = r.Flags
	t.combos.set(i, r.Flags)
	for c := range t.values {
		t.values[c][i] = r.Values[c]
	}
	for c := range t.small {
		t.small[c][i] = r.Small[c]
	}
	for c := range t.measures {
		t.measures[c][i] = r.Measures[c]
	}
	t.retag(i, r.Tags)
}

// retag makes tags those of row i. The bits of a tag may be fewer than the rows: what is beyond them has it not.
func (t *Table) retag(i int, tags []uint16) {
	for code, b := range t.tags {
		if i/wordBits < len(b) && !slices.Contains(tags, code) {
			b.clear(i)
		}
	}
	for _, code := range tags {
		b := grown(t.tags[code], i+1)
		b.set(i)
		t.tags[code] = b
	}
}

// At is when a row was, in seconds.
func (t *Table) At(i int) int64 { return int64(t.at[i]) }

// ID is the group of a row.
func (t *Table) ID(i int) ID { return t.ids[i] }

// Value is the code in a column of values.
func (t *Table) Value(column, i int) uint16 { return t.values[column][i] }

// Small is the code in a column of small values.
func (t *Table) Small(column, i int) uint8 { return t.small[column][i] }

// Measure is the number in a column of measures.
func (t *Table) Measure(column, i int) int32 { return t.measures[column][i] }

// Measures is a column of measures; it must not be changed.
func (t *Table) Measures(column int) []int32 { return t.measures[column] }

// Flags are those of a row.
func (t *Table) Flags(i int) uint32 { return t.flags[i] }

// GoesOn tells whether a row is of the same group as the one before.
func (t *Table) GoesOn(i int) bool { return t.goesOn.Has(i) }

// SetSmall writes a code into a column of small values of a row, and SetValue into one of values.
func (t *Table) SetSmall(column, i int, code uint8) { t.small[column][i] = code }

// SetValue writes a code into a column of values of a row.
func (t *Table) SetValue(column, i int, code uint16) { t.values[column][i] = code }
