package outcome_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/outcome"
)

func TestWhichOutcomesAreOffered(t *testing.T) {
	all := []outcome.Offer{
		{ID: "visit", Active: true},
		{ID: "no answer", Active: true, Directions: []string{"outbound"}},
		{ID: "given up", Directions: []string{"outbound"}},
		{ID: "repaired", Active: true, Types: []string{"service"}},
		{ID: "for sales", Active: true, Teams: []string{"Sales"}},
		{ID: "wrong number", Active: true},
	}
	for _, c := range []struct {
		name, direction, callType, team, chosen string
		want                                    []outcome.Offered
	}{
		{"out, of no type", "outbound", "", "Service", "",
			[]outcome.Offered{{ID: "visit", Place: 0}, {ID: "no answer", Place: 1}, {ID: "wrong number", Place: 3}}},
		{"a type adds, and moves nobody", "outbound", "service", "Service", "", []outcome.Offered{{ID: "visit", Place: 0},
			{ID: "no answer", Place: 1}, {ID: "repaired", Place: 2}, {ID: "wrong number", Place: 3}}},
		{"in", "inbound", "", "Sales", "",
			[]outcome.Offered{{ID: "visit", Place: 0}, {ID: "for sales", Place: 2}, {ID: "wrong number", Place: 3}}},
		{"what is chosen stays", "inbound", "", "Service", "given up", []outcome.Offered{{ID: "visit", Place: 0},
			{ID: "given up", Place: 1}, {ID: "wrong number", Place: 3}}},
		{"among colleagues", "internal", "", "Sales", "", nil},
	} {
		assert.Equal(t, c.want, outcome.OfferedFor(all, c.direction, c.callType, c.team, c.chosen), c.name)
	}
}

func TestWhichOutcomesFit(t *testing.T) {
	o := outcome.Offer{Active: true, Directions: []string{"outbound"}, Types: []string{"service"}}
	assert.True(t, o.Fits("outbound", "service"))
	assert.False(t, o.Fits("inbound", "service"))
	assert.False(t, o.Fits("outbound", ""))
	o.Active = false
	assert.False(t, o.Fits("outbound", "service"))
	assert.True(t, outcome.Offer{Active: true}.Fits("inbound", ""))
}
