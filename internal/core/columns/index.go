package columns

import "encoding/binary"

// index finds the first row of a group. It keeps numbers of rows alone, a fifth of what a map of ids would take: the
// ids
// stand in the table. Open addressing, linear probing; never more than two thirds full.
type index struct {
	slots      []uint32 // 0: free; 1: was dropped; else the row's number + 2
	used, live int
}

const (
	free    = 0
	dropped = 1
	offset  = 2
)

// hash takes the part of an id that is drawn by chance.
func hash(id ID) uint64 { return binary.LittleEndian.Uint64(id[8:]) * 0x9E3779B97F4A7C15 }

func (x *index) find(ids []ID, id ID) (row int, there bool) {
	if len(x.slots) == 0 {
		return 0, false
	}
	mask := uint64(len(x.slots) - 1)
	for at := hash(id) >> 20 & mask; ; at = (at + 1) & mask {
		switch s := x.slots[at]; {
		case s == free:
			return 0, false
		case s != dropped && ids[s-offset] == id:
			return int(s - offset), true
		}
	}
}

func (x *index) add(ids []ID, row int) {
	if 3*(x.used+1) > 2*len(x.slots) {
		x.rebuild(ids)
	}
	x.insert(ids, row)
	x.live++
}

func (x *index) insert(ids []ID, row int) {
	mask := uint64(len(x.slots) - 1)
	at := hash(ids[row]) >> 20 & mask
	for x.slots[at] != free {
		at = (at + 1) & mask
	}
	x.slots[at] = uint32(row) + offset
	x.used++
}

func (x *index) drop(ids []ID, id ID) {
	mask := uint64(len(x.slots) - 1)
	for at := hash(id) >> 20 & mask; ; at = (at + 1) & mask {
		if s := x.slots[at]; s != dropped && ids[s-offset] == id {
			x.slots[at] = dropped
			x.live--
			return
		}
	}
}

func (x *index) rebuild(ids []ID) {
	old := x.slots
	size := 16
	for 3*(x.live+1) > size {
		size *= 2
	}
	x.slots, x.used = make([]uint32, size), 0
	for _, s := range old {
		if s > dropped {
			x.insert(ids, int(s-offset))
		}
	}
}
