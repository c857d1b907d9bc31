package match_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/match"
)

func TestRank(t *testing.T) {
	person, other := match.Candidate{Record: "berit"}, match.Candidate{Record: "aron"}
	company := match.Candidate{Record: "vesper", Company: true}
	tests := []struct {
		name       string
		candidates []match.Candidate
		ext        string
		want       []string
		reason     string
	}{
		{"nobody", nil, "", []string{}, ""},
		{"a person before the company", []match.Candidate{company, person}, "", []string{"berit", "vesper"}, "the same number"},
		{"the owner's own first", []match.Candidate{other, {Record: "berit", OwnerIsMe: true}}, "", []string{"berit", "aron"}, "the same number"},
		{"equal ones in a fixed order", []match.Candidate{person, other}, "", []string{"aron", "berit"}, "the same number"},
		{"the exact extension before all", []match.Candidate{other, {Record: "vesper", Company: true, Ext: "12"}}, "12", []string{"vesper", "aron"}, "the same number and extension"},
		{"without an extension, those with one come last", []match.Candidate{{Record: "berit", Ext: "12"}, company}, "", []string{"vesper", "berit"}, "the company's number"},
		{"only one with an extension", []match.Candidate{{Record: "berit", Ext: "12"}}, "", []string{"berit"}, "the same number, extension 12"},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			got := match.Rank(tt.candidates, tt.ext)
			order := []string{}
			for _, m := range got {
				order = append(order, m.Record)
			}
			assert.Equal(t, tt.want, order)
			if len(got) > 0 {
				assert.Equal(t, tt.reason, got[0].Reason)
			}
		})
	}
}

func TestAttach(t *testing.T) {
	one := match.Rank([]match.Candidate{{Record: "berit"}}, "")
	two := match.Rank([]match.Candidate{{Record: "berit"}, {Record: "aron"}}, "")
	tests := []struct {
		name    string
		matches []match.Match
		open    string
		record  string
		ask     bool
	}{
		{"the only one", one, "", "berit", false},
		{"the open record is one of them", two, "berit", "berit", false},
		{"another record is open", one, "fenna", "", true},
		{"several and none is open", two, "", "", true},
		{"nobody", nil, "", "", true},
		{"nobody, and a record is open", nil, "fenna", "", true},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			record, ask := match.Attach(tt.matches, tt.open)
			assert.Equal(t, tt.record, record)
			assert.Equal(t, tt.ask, ask)
		})
	}
}

func ExampleRank() {
	for _, m := range match.Rank([]match.Candidate{{Record: "the nursery", Company: true}, {Record: "Berit", OwnerIsMe: true}}, "") {
		fmt.Println(m.Record, "·", m.Reason)
	}
	// Output:
	// Berit · the same number
	// the nursery · the company's number
}
