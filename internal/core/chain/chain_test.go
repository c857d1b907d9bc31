package chain_test

import (
	"encoding/hex"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/chain"
)

// The first link by hand: SHA-256 of 32 zero bytes, the number 1 and "a" with its length, each number in eight bytes.
// printf '%064d0000000000000001000000000000000161' 0 | xxd -r -p | sha256sum
func TestALinkIsWhatItSays(t *testing.T) {
	t.Parallel()
	got := chain.Link(chain.Hash{}, 1, "a")
	assert.Equal(t, "b7faa19b55fb88614c32ba7edfedfc8103194d8c8327003d316e8783f52671f3", hex.EncodeToString(got[:]))
	assert.NotEqual(t, chain.Link(chain.Hash{}, 1, "ab", "c"), chain.Link(chain.Hash{}, 1, "a", "bc"))
	assert.NotEqual(t, chain.Link(chain.Hash{}, 1, "a"), chain.Link(chain.Hash{}, 2, "a"))
	assert.NotEqual(t, chain.Link(chain.Hash{}, 1), chain.Link(chain.Hash{}, 1, ""))
}

func TestWhatIsDoneToAChainIsFound(t *testing.T) {
	t.Parallel()
	type entry struct {
		n    int64
		text string
		hash chain.Hash
	}
	sealed := func() []entry {
		var all []entry
		var last chain.Hash
		for i, text := range []string{"made", "changed", "removed", "restored"} {
			last = chain.Link(last, int64(i+1), text)
			all = append(all, entry{int64(i + 1), text, last})
		}
		return all
	}
	for what, x := range map[string]struct {
		do   func([]entry) []entry
		want error
		at   string
	}{
		"nothing":            {func(e []entry) []entry { return e }, nil, ""},
		"a text":             {func(e []entry) []entry { e[1].text = "seen"; return e }, chain.ErrChanged, "entry 2 "},
		"one left out":       {func(e []entry) []entry { return append(e[:1], e[2:]...) }, chain.ErrMissing, "entry 2 "},
		"two changed places": {func(e []entry) []entry { e[1].text, e[2].text = e[2].text, e[1].text; return e }, chain.ErrChanged, "entry 2 "},
		"one sealed anew": {func(e []entry) []entry {
			e[1].text = "seen"
			e[1].hash = chain.Link(e[0].hash, 2, "seen")
			return e
		}, chain.ErrChanged, "entry 3 "},
		"the first left out": {func(e []entry) []entry { return e[1:] }, chain.ErrMissing, "entry 1 "},
	} {
		c := chain.From(0, chain.Hash{})
		var err error
		for _, e := range x.do(sealed()) {
			if err = c.Check(e.n, e.hash, e.text); err != nil {
				break
			}
		}
		require.ErrorIs(t, err, x.want, what)
		if x.want != nil {
			assert.Contains(t, fmt.Sprint(err), x.at, what)
		}
	}
}

func ExampleFrom() {
	first := chain.Link(chain.Hash{}, 1, "hired Wren")
	second := chain.Link(first, 2, "changed the role of Wren")
	c := chain.From(0, chain.Hash{})
	fmt.Println(c.Check(1, first, "hired Wren"))
	fmt.Println(c.Check(2, second, "did nothing at all"))
	// Output:
	// <nil>
	// entry 2 does not fit its seal: it was changed, or put there
}
