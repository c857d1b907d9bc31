package insight

import (
	"context"
	"encoding/hex"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"

	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/core/columns"
	"trundo/internal/core/report"
	"trundo/internal/core/rights"
	"trundo/internal/desk/firm"
	"trundo/internal/optional"
)

const usualFound = 50

// Find lists calls that fit conditions, and counts those of each value of each facet. Errors: firm.ErrForbidden,
// *firm.FieldError.
func (in *Insight) Find(ctx context.Context, a firm.Actor, v contract.CallsSought) (contract.CallsFound, error) {
	if !a.MayDo(rights.SeeFigures) {
		return contract.CallsFound{}, firm.ErrForbidden
	}
	order := optional.Value(v.Order)
	if !report.IsOrder(order) {
		return contract.CallsFound{}, firm.Wrong("order", "calls cannot be put into this order")
	}
	after, err := readPlace(optional.Value(v.After))
	if err != nil {
		return contract.CallsFound{}, err
	}
	q, err := in.ask(ctx, a, v.Period, optional.Value(v.Where))
	if err != nil {
		return contract.CallsFound{}, err
	}
	f, err := in.Settings(ctx)
	if err != nil {
		return contract.CallsFound{}, err
	}
	names, err := in.labels(ctx, f)
	if err != nil {
		return contract.CallsFound{}, err
	}
	n := usualFound
	if v.Count != nil {
		n = *v.Count
	}
	view := contract.CallsFound{Facets: []contract.FacetCounts{}, Zone: q.cal.Zone(),
		Reach: contract.CallsFoundReach(q.reach), Counting: q.behind}
	places := in.found(ctx, q, order, after, n, !optional.Value(v.WithoutFacets), names, &view)
	ids := make([]uuid.UUID, len(places))
	for i, p := range places {
		ids[i] = idOf(p.ID)
	}
	if view.Calls, err = in.calls.CallLines(ctx, a, ids); err != nil {
		return contract.CallsFound{}, err
	}
	if len(places) == n {
		view.Next = new(writePlace(places[n-1]))
	}
	return view, ctx.Err()
}

// found counts under the lock of the book, facet by facet, as long as somebody waits for it.
func (in *Insight) found(ctx context.Context, q question, order string, after *columns.Place, n int, facets bool,
	names labels, view *contract.CallsFound) (places []columns.Place) {
	in.mu.RLock()
	defer in.mu.RUnlock()
	selected := in.book.Select(q.asked)
	places, view.Count = in.book.FindIn(selected, order, after, n)
	if !facets {
		return places
	}
	var keys []string
	for _, f := range report.Facets {
		if f.Kind != report.Words && f.Kind != report.Behind && f.Key != "day" && f.Key != "week" && f.Key != "month" {
			keys = append(keys, f.Key)
		}
	}
	// Each processor counts facets of its own.
	view.Facets = make([]contract.FacetCounts, len(keys))
	var next atomic.Int64
	var counting sync.WaitGroup
	for range runtime.GOMAXPROCS(0) {
		counting.Go(func() {
			for ctx.Err() == nil {
				i := int(next.Add(1)) - 1
				if i >= len(keys) {
					return
				}
				view.Facets[i] = facetView(in.book.FacetIn(selected, keys[i]), q.asked.Where, names)
			}
		})
	}
	counting.Wait()
	return places
}

// facetView are the counts of a facet. What was chosen is named, also where it leaves nothing over.
func facetView(counted report.Counted, where []report.Condition, names labels) contract.FacetCounts {
	c := contract.FacetCounts{Key: counted.Facet, Values: []contract.FacetValue{}}
	for _, x := range counted.Values {
		c.Values = append(c.Values,
			contract.FacetValue{Key: x.Key, Label: names.label(c.Key, x.Key), Count: x.Count})
	}
	for _, key := range chosen(where, c.Key) {
		if !slices.ContainsFunc(c.Values, func(v contract.FacetValue) bool { return v.Key == key }) {
			c.Values = append(c.Values, contract.FacetValue{Key: key, Label: names.label(c.Key, key)})
		}
	}
	return c
}

// chosen are the values that conditions name of a facet.
func chosen(where []report.Condition, facet string) (keys []string) {
	for _, c := range where {
		if c.Facet == facet {
			keys = append(keys, c.Values...)
		}
	}
	return keys
}

// A place in the order of found calls, as the next page asks for it.
func writePlace(p columns.Place) string {
	return strconv.FormatInt(p.Key, 10) + "_" + hex.EncodeToString(p.ID[:])
}

func readPlace(text string) (*columns.Place, error) {
	if text == "" {
		return nil, nil
	}
	key, id, _ := strings.Cut(text, "_")
	n, err := strconv.ParseInt(key, 10, 64)
	raw, err2 := hex.DecodeString(id)
	if err != nil || err2 != nil || len(raw) != len(columns.ID{}) {
		return nil, firm.Wrong("after", "this is not a place in the list")
	}
	return &columns.Place{Key: n, ID: columns.ID(raw)}, nil
}
