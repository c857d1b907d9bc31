package columns

import "math/bits"

// combos are the sets of flags that rows have, each with a code: of millions of rows there are a few hundred of them,
// and
// they are counted as a value is. Beyond MaxCode of them rows are counted one by one.
type combos struct {
	codes map[uint32]uint16
	flags []uint32
	of    []uint16 // of each row
	many  bool
}

func (c *combos) set(i int, flags uint32) {
	code, there := c.codes[flags]
	if !there {
		if len(c.flags) > MaxCode {
			c.many = true
			return
		}
		if c.codes == nil {
			c.codes = map[uint32]uint16{}
		}
		code = uint16(len(c.flags))
		c.codes[flags] = code
		c.flags = append(c.flags, flags)
	}
	c.of[i] = code
}

// CountFlags is for each pair of a mask and what is wanted under it how many groups have a row in the set that has it.
func (t *Table) CountFlags(b Bits, masks, wants []uint32) []int {
	counts := make([]int, len(masks))
	add := func(i, n int, flags uint32, first bool) {
		for k, m := range masks {
			if flags&m == wants[k] && (first || !t.flaggedBefore(b, i, m, wants[k])) {
				counts[k] += n
			}
		}
	}
	of := make([]int, len(t.combos.flags))
	for at, w := range b {
		from := at * wordBits
		for firsts := w &^ t.goesOn[at]; firsts != 0; firsts &= firsts - 1 {
			i := from + bits.TrailingZeros64(firsts)
			if t.combos.many {
				add(i, 1, t.flags[i], true)
			} else {
				of[t.combos.of[i]]++
			}
		}
		for further := w & t.goesOn[at]; further != 0; further &= further - 1 {
			i := from + bits.TrailingZeros64(further)
			add(i, 1, t.flags[i], false)
		}
	}
	for code, n := range of {
		if n > 0 {
			add(0, n, t.combos.flags[code], true)
		}
	}
	return counts
}
