package columns

import "math/bits"

const wordBits = 64

// Bits are a set of rows, by their number. All sets of one table have the same length.
type Bits []uint64

func newBits(rows int) Bits { return make(Bits, (rows+wordBits-1)/wordBits) }

// Has tells whether row i is in the set.
func (b Bits) Has(i int) bool { return b[i/wordBits]&(1<<(i%wordBits)) != 0 }

func (b Bits) set(i int)   { b[i/wordBits] |= 1 << (i % wordBits) }
func (b Bits) clear(i int) { b[i/wordBits] &^= 1 << (i % wordBits) }

// Count is how many rows there are in the set.
func (b Bits) Count() (n int) {
	for _, w := range b {
		n += bits.OnesCount64(w)
	}
	return n
}

// And takes from b what is not in other, and returns b.
func (b Bits) And(other Bits) Bits {
	for i := range b {
		b[i] &= other[i]
	}
	return b
}

// AndNot takes from b what is in other, and returns b.
func (b Bits) AndNot(other Bits) Bits {
	for i := range b {
		b[i] &^= other[i]
	}
	return b
}

// Or adds what is in other to b, and returns b.
func (b Bits) Or(other Bits) Bits {
	for i := range b {
		b[i] |= other[i]
	}
	return b
}

// Clone is a copy that can be changed.
func (b Bits) Clone() Bits { return append(Bits(nil), b...) }

// Each calls f with the number of each row in the set, in their order.
func (b Bits) Each(f func(i int)) {
	for at, w := range b {
		for ; w != 0; w &= w - 1 {
			f(at*wordBits + bits.TrailingZeros64(w))
		}
	}
}
