package finding_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/finding"
)

func TestRank(t *testing.T) {
	today := time.Date(2026, 11, 23, 14, 0, 0, 0, time.UTC)
	hits := []finding.Hit{
		{ID: "stranger", Text: "berit"},
		{ID: "longer", Text: "berit aalto"},
		{ID: "own", Text: "berit okafor-lindqvist", Own: true},
		{ID: "open", Text: "berit zimmer", Open: true, Own: true},
		{ID: "last week", Text: "berit ostman", Spoke: today.Add(-7 * 24 * time.Hour)},
		{ID: "a minute ago", Text: "tall berit osterlund", Spoke: today.Add(-time.Minute)},
		{ID: "in a word", Text: "wilberit", Spoke: today},
		{ID: "by company", Text: "berit osterlund", Company: "vesper hollow nurseries"},
		{ID: "case", Text: "beritol leaks", Minor: true},
	}
	for q, want := range map[string][]string{
		"berit": {"a minute ago", "last week", "open", "own", "stranger", "longer", "by company", "case", "in a word"},
		"zzz":   {"in a word", "a minute ago", "last week", "open", "own", "case", "stranger", "longer", "by company"},
	} {
		var got []string
		for _, h := range finding.Rank(q, hits) {
			got = append(got, h.ID)
		}
		assert.Equal(t, want, got, q)
	}
	assert.Equal(t, []string{"berit", "vesper"}, finding.Words("  berit  vesper "))
}

func TestTheOrderOfWordsAndTheCompanyDoNotMatter(t *testing.T) {
	hits := []finding.Hit{{ID: "inside", Text: "albert vesperman"},
		{ID: "company", Text: "berit osterlund", Company: "vesper hollow nurseries"}}
	assert.Equal(t, "company", finding.Rank("vesper berit", hits)[0].ID)
}
