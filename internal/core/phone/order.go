package phone

import (
	"sort"
	"strings"
)

// Labels are the labels that are offered for a number, in the order in which numbers are tried where no order is set.
var Labels = []string{"mobile", "office", "direct", "main", "home", "pump house", "fax"}

// Order tells in which order numbers with these labels are tried: by the record's own order where it has one, else by
// the firm's, else by Labels. Labels that an order does not name come after it, in the order given. The answer holds
// indexes into labels.
func Order(labels, own, firm []string) []int {
	order := firm
	if len(order) == 0 {
		order = Labels
	}
	rank := func(label string, in []string) int {
		for i, l := range in {
			if strings.EqualFold(l, label) {
				return i
			}
		}
		return len(in)
	}
	at := make([]int, len(labels))
	for i := range at {
		at[i] = i
	}
	sort.SliceStable(at, func(x, y int) bool {
		a, b := labels[at[x]], labels[at[y]]
		if ra, rb := rank(a, own), rank(b, own); ra != rb {
			return ra < rb
		}
		return rank(a, order) < rank(b, order)
	})
	return at
}
