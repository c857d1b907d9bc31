package columns_test

import (
	"encoding/binary"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/columns"
)

func id(n int) (id columns.ID) {
	binary.BigEndian.PutUint64(id[8:], uint64(n)*0x9E3779B97F4A7C15)
	return id
}

func row(at int64, value uint16, measure int32, tags ...uint16) columns.Row {
	return columns.Row{At: at, Values: []uint16{value}, Measures: []int32{measure}, Tags: tags}
}

func Example() {
	t := columns.New(columns.Schema{Values: 1, Measures: 1})
	t.Put(id(1), []columns.Row{row(100, 7, 30), row(100, 8, 20)}) // two had a part in it
	t.Put(id(2), []columns.Row{row(200, 7, 10)})
	sevens := t.With(t.All(), 0, []uint16{7})
	fmt.Println(t.CountGroups(t.All()), t.CountGroups(sevens))
	// Output: 2 2
}

func TestGroupsAreCountedOnceAndReplaced(t *testing.T) {
	tab := columns.New(columns.Schema{Values: 1, Measures: 1})
	tab.Put(id(1), []columns.Row{row(100, 7, 30, 1), row(100, 7, 20, 1), row(100, 8, 10, 1)})
	tab.Put(id(2), []columns.Row{row(200, 7, 10)})
	assert.Equal(t, 2, tab.CountGroups(tab.All()))
	assert.Equal(t, []int{0, 0, 0, 0, 0, 0, 0, 2, 1}, tab.CountValues(tab.All(), 0, 9))
	assert.Equal(t, 1, tab.CountTag(tab.All(), 1))
	late := tab.Where(tab.All(), func(i int) bool { return tab.Measure(0, i) < 20 }) // the third row of 1, and 2
	assert.Equal(t, 2, tab.CountGroups(late))

	tab.Put(id(1), []columns.Row{row(100, 8, 30, 2)}) // one part was taken away
	assert.Equal(t, 2, tab.Groups())
	assert.Equal(t, []int{0, 0, 0, 0, 0, 0, 0, 1, 1}, tab.CountValues(tab.All(), 0, 9))
	assert.Equal(t, 0, tab.CountTag(tab.All(), 1))
	assert.Equal(t, 1, tab.CountTag(tab.All(), 2))
	tab.Put(id(2), nil)
	assert.Equal(t, 1, tab.Groups())
	assert.Equal(t, 1, tab.CountGroups(tab.All()))
	assert.Zero(t, tab.Of([]columns.ID{id(2), id(3)}).Count())
}

func TestTop(t *testing.T) {
	tab := columns.New(columns.Schema{Values: 1, Measures: 1})
	for n := range 10 {
		rows := []columns.Row{row(int64(n%5), 0, int32(n))}
		if n%3 == 0 {
			rows = append(rows, row(int64(n%5), 0, 100))
		}
		tab.Put(id(n), rows)
	}
	var all []columns.ID
	var after *columns.Place
	for range 10 {
		page := tab.Top(tab.All(), tab.At, after, 3)
		for _, p := range page {
			all = append(all, p.ID)
		}
		if len(page) < 3 {
			break
		}
		after = &page[2]
	}
	require.Len(t, all, 10, "each once, over pages of three")
	assert.Len(t, slices.Compact(slices.SortedFunc(slices.Values(all), func(a, b columns.ID) int {
		return slices.Compare(a[:], b[:])
	})), 10)
	first := tab.Top(tab.All(), tab.At, nil, 2)
	assert.Equal(t, int64(4), first[0].Key)
	assert.Equal(t, int64(4), first[1].Key)
}

// TestAgainstAMap puts, replaces and takes away by chance, and holds every count against plain maps.
func TestAgainstAMap(t *testing.T) {
	for seed := range uint64(30) {
		r := rand.New(rand.NewPCG(seed, 1))
		tab := columns.New(columns.Schema{Values: 1, Measures: 1})
		plain := map[columns.ID][]columns.Row{}
		for range 400 {
			g := id(r.IntN(120))
			var rows []columns.Row
			for range r.IntN(4) {
				rows = append(rows, row(r.Int64N(1000), uint16(r.IntN(5)), int32(r.IntN(50)), uint16(r.IntN(3))))
			}
			tab.Put(g, rows)
			if plain[g] = rows; len(rows) == 0 {
				delete(plain, g)
			}
		}
		require.Equal(t, len(plain), tab.Groups())
		fits := func(r columns.Row) bool { return r.At >= 200 && r.At < 800 && r.Values[0] != 2 }
		rows := tab.With(tab.Between(tab.All(), 200, 800), 0, []uint16{0, 1, 3, 4})
		want, byValue, tagged := 0, make([]int, 5), 0
		for _, parts := range plain {
			of, tag, any := map[uint16]bool{}, false, false
			for _, p := range parts {
				if fits(p) {
					any, tag = true, tag || p.Tags[0] == 1
					of[p.Values[0]] = true
				}
			}
			for v := range of {
				byValue[v]++
			}
			if any {
				want++
			}
			if tag {
				tagged++
			}
		}
		assert.Equal(t, want, tab.CountGroups(rows), seed)
		assert.Equal(t, byValue, tab.CountValues(rows, 0, 5), seed)
		assert.Equal(t, tagged, tab.CountTag(rows, 1), seed)
		assert.Len(t, tab.Top(rows, tab.At, nil, 1000), want, seed)
	}
}
