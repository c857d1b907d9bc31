package columns

import (
	"bytes"
	"cmp"
	"container/heap"
	"math/bits"
	"slices"
)

// Place is where a group stands in an order: by a key, the largest first, then by its id.
type Place struct {
	Key int64
	ID  ID
}

func (p Place) compare(other Place) int {
	return cmp.Or(cmp.Compare(other.Key, p.Key), bytes.Compare(other.ID[:], p.ID[:]))
}

// lasts is a heap with the last place on top.
type lasts []Place

func (l lasts) Len() int           { return len(l) }
func (l lasts) Less(i, j int) bool { return l[i].compare(l[j]) > 0 }
func (l lasts) Swap(i, j int)      { l[i], l[j] = l[j], l[i] }
func (l *lasts) Push(x any)        { *l = append(*l, x.(Place)) }
func (l *lasts) Pop() any          { x := (*l)[len(*l)-1]; *l = (*l)[:len(*l)-1]; return x }

// Top are the first n groups of a set in the order of the keys of their rows, the largest first, after a place; nil:
// from
// the beginning. A group stands where its first row in the set puts it.
func (t *Table) Top(b Bits, key func(i int) int64, after *Place, n int) []Place {
	var top lasts
	look := func(i int) {
		p := Place{key(i), t.ids[i]}
		switch {
		case after != nil && p.compare(*after) <= 0:
		case len(top) == n && p.Key < top[0].Key:
		case len(top) == n && p.compare(top[0]) >= 0:
		case !t.First(b, i):
		case len(top) < n:
			heap.Push(&top, p)
		default:
			top[0] = p
			heap.Fix(&top, 0)
		}
	}
	// From the end: rows come in the order of time, and most stand behind those already there.
	for at := len(b) - 1; at >= 0; at-- {
		for w := b[at]; w != 0; {
			last := wordBits - 1 - bits.LeadingZeros64(w)
			w &^= 1 << last
			look(at*wordBits + last)
		}
	}
	slices.SortFunc(top, Place.compare)
	return top
}
