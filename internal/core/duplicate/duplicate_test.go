package duplicate_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/duplicate"
)

func TestJudge(t *testing.T) {
	number := func(n ...duplicate.Number) []duplicate.Number { return n }
	berit := duplicate.Record{Name: "Berit Osterlund", Mail: "berit@vesper.example", CompanyID: "vesper",
		Numbers: number(duplicate.Number{E164: "+14135550142"})}
	tests := map[string]struct {
		a, b    duplicate.Record
		score   int
		reasons []string
	}{
		"nothing in common": {berit, duplicate.Record{Name: "Una Bracken"}, 0, nil},
		"a person and a company": {berit,
			duplicate.Record{Company: true, Name: "Berit Osterlund", Mail: berit.Mail}, 0, nil},
		"the same mail": {berit, duplicate.Record{Name: "B. O.", Mail: "BERIT@vesper.example"}, 60,
			[]string{"the same mail address"}},
		"no mail is not the same mail": {duplicate.Record{Name: "A B"}, duplicate.Record{Name: "C D"}, 0, nil},
		"the same number, misspelt": {berit, duplicate.Record{Name: "Berit Ostrlund", Numbers: berit.Numbers},
			75, []string{"the same number", "a similar name"}},
		"the same number, somebody else": {berit,
			duplicate.Record{Name: "Ansel Brightwater", Numbers: berit.Numbers}, 20, []string{"a shared line"}},
		"only an extension apart": {berit,
			duplicate.Record{Name: "Berit Osterlund",
				Numbers: number(duplicate.Number{E164: "+14135550142", Ext: "2"})}, 60,
			[]string{"a shared line", "the same name"}},
		"the same name in the same company": {berit, duplicate.Record{Name: "osterlund, berit", CompanyID: "vesper"},
			55, []string{"the same name", "in the same company"}},
		"the same name elsewhere": {berit, duplicate.Record{Name: "Berit Osterlund", CompanyID: "other"}, 40,
			[]string{"the same name"}},
		"everything": {berit, berit, 100,
			[]string{"the same mail address", "the same number", "the same name", "in the same company"}},
		"numbers that are none do not count": {duplicate.Record{Name: "A B", Numbers: number(duplicate.Number{})},
			duplicate.Record{Name: "C D", Numbers: number(duplicate.Number{})}, 0, nil},
	}
	for name, tt := range tests {
		t.Run(name, func(t *testing.T) {
			for _, j := range []duplicate.Judgement{duplicate.Judge(tt.a, tt.b), duplicate.Judge(tt.b, tt.a)} {
				assert.Equal(t, tt.score, j.Score)
				assert.Equal(t, tt.reasons, j.Reasons)
			}
		})
	}
}

func TestSimilarity(t *testing.T) {
	// "abc" has the pieces "  a", " ab", "abc", "bc "; "abd" shares two of six.
	assert.InDelta(t, 2.0/6, duplicate.Similarity("abc", "abd"), 1e-9)
	assert.InDelta(t, 1, duplicate.Similarity("Berit Osterlund", "OSTERLUND, Berit"), 1e-9)
	assert.Less(t, duplicate.Similarity("aaa", "aaaa"), 1.0, "alike is not the same")
	assert.Zero(t, duplicate.Similarity("", "x"))
	assert.Zero(t, duplicate.Similarity("…", "…"))
}

func ExampleJudge() {
	a := duplicate.Record{Name: "Berit Osterlund", Numbers: []duplicate.Number{{E164: "+14135550142"}}}
	b := duplicate.Record{Name: "Berit Ostrlund", Numbers: []duplicate.Number{{E164: "+14135550142"}}}
	fmt.Println(duplicate.Judge(a, b))
	// Output: {75 [the same number a similar name]}
}

func TestACompanyIsItsNameWithoutItsLegalForm(t *testing.T) {
	for name, want := range map[string]string{
		"Vesper Hollow Nursery, Inc.": "vesper hollow nursery", "VESPER HOLLOW NURSERY": "vesper hollow nursery", "Tall Ash Co.": "tall ash",
		"B.V. Inc.": "bv inc", "Llc": "llc", "": "", "Stonebeck GmbH & Co. KG": "stonebeck",
	} {
		assert.Equal(t, want, duplicate.Firm(name), name)
	}
	same := duplicate.Judge(duplicate.Record{Company: true, Name: "Vesper Hollow Nursery"},
		duplicate.Record{Company: true, Name: "Vesper Hollow Nursery, LLC"})
	assert.Equal(t, []string{"the same name"}, same.Reasons)
}
