package topics_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/topics"
)

func Example() {
	said := []topics.Said{
		{FromMs: 0, ToMs: 2000, Ours: true, Text: "Good morning, Lindenfall Cisterns."},
		{FromMs: 2100, ToMs: 5000, Text: "Hello. Our pump has run dry again."},
	}
	for _, p := range topics.Find([]topics.Phrase{{Words: "pump* dry", Near: 3}}, said, 60_000) {
		fmt.Println(p.FromMs, p.Text)
	}
	// Output: 2100 Hello. Our pump has run dry again.
}

func TestFind(t *testing.T) {
	said := []topics.Said{
		{FromMs: 1_000, ToMs: 4_000, Ours: true, Text: "We'll send you the price by Thursday."},
		{FromMs: 5_000, ToMs: 8_000, Text: "The filter is clogged, and the overflow leaks."},
		{FromMs: 9_000, ToMs: 9_500, Text: "It leaks"},
		{FromMs: 9_600, ToMs: 12_000, Text: "badly. A price (net) would help."},
		{FromMs: 115_000, ToMs: 118_000, Ours: true, Text: "I promise: Thursday, the price."},
	}
	const total = 120_000
	for name, c := range map[string]struct {
		phrases []topics.Phrase
		at      []int
	}{
		"a word":                       {[]topics.Phrase{{Words: "price"}}, []int{1_000, 9_600, 115_000}},
		"of one side":                  {[]topics.Phrase{{Words: "price", By: topics.Theirs}}, []int{9_600}},
		"of the other":                 {[]topics.Phrase{{Words: "PRICE", By: topics.Ours}}, []int{1_000, 115_000}},
		"in the first minute":          {[]topics.Phrase{{Words: "price", When: topics.FirstMinute}}, []int{1_000, 9_600}},
		"in the last":                  {[]topics.Phrase{{Words: "price", When: topics.LastMinute}}, []int{115_000}},
		"no part of a word":            {[]topics.Phrase{{Words: "leak"}}, nil},
		"however it goes on":           {[]topics.Phrase{{Words: "leak*"}}, []int{5_000, 9_000}},
		"words in their order":         {[]topics.Phrase{{Words: "the price"}}, []int{1_000, 115_000}},
		"not in another":               {[]topics.Phrase{{Words: "price the"}}, nil},
		"in any order":                 {[]topics.Phrase{{Words: "price the", AnyOrder: true}}, []int{1_000, 115_000}},
		"near":                         {[]topics.Phrase{{Words: "filter overflow", Near: 4}}, []int{5_000}},
		"not so near":                  {[]topics.Phrase{{Words: "filter overflow", Near: 3}}, nil},
		"over a breath":                {[]topics.Phrase{{Words: "leaks badly"}}, []int{9_000}},
		"not over to the other side":   {[]topics.Phrase{{Words: "Thursday the filter", Near: 10}}, nil},
		"unless something else is":     {[]topics.Phrase{{Words: "price"}, {Words: "clogged", Not: true}}, nil},
		"unless it is, by one side":    {[]topics.Phrase{{Words: "price", By: topics.Ours}, {Words: "clogged", By: topics.Ours, Not: true}}, []int{1_000, 115_000}},
		"an apostrophe is of the word": {[]topics.Phrase{{Words: "we’ll send"}}, []int{1_000}},
		"an expression is a text":      {[]topics.Phrase{{Words: "pr.ce"}, {Words: "(net)"}, {Words: "[a-z]+"}}, []int{9_600}},
		"the same place once":          {[]topics.Phrase{{Words: "price"}, {Words: "price net"}}, []int{1_000, 9_600, 115_000}},
		"the same word twice":          {[]topics.Phrase{{Words: "price price", AnyOrder: true, Near: 3}}, nil},
		"a star alone is no word":      {[]topics.Phrase{{Words: "*"}}, nil},
	} {
		var at []int
		for _, p := range topics.Find(c.phrases, said, total) {
			at = append(at, p.FromMs)
		}
		assert.Equal(t, c.at, at, name)
	}
}

func TestCheck(t *testing.T) {
	assert.NoError(t, topics.Check([]topics.Phrase{{Words: "a"}, {Words: "b", Not: true}}))
	assert.ErrorIs(t, topics.Check([]topics.Phrase{{Words: "…*"}}), topics.ErrNoWords)
	assert.ErrorIs(t, topics.Check([]topics.Phrase{{Words: "b", Not: true}}), topics.ErrNothingSaid)
	assert.ErrorIs(t, topics.Check(nil), topics.ErrNothingSaid)
}

// FuzzFind: a phrase that is a text's own words is found in it, whatever the text is; and nothing else breaks.
func FuzzFind(f *testing.F) {
	f.Add("The filter is clogged", "filter", 2, true)
	f.Add("a a a", "a a", 0, false)
	f.Add("**", "*", 31, true)
	f.Fuzz(func(t *testing.T, text, phrase string, near int, any bool) {
		said := []topics.Said{{FromMs: 10, ToMs: 20, Text: text}}
		for _, p := range topics.Find([]topics.Phrase{{Words: phrase, Near: near, AnyOrder: any}}, said, 100) {
			if p.FromMs != 10 || p.ToMs != 20 {
				t.Fatalf("%+v", p)
			}
		}
		own := topics.Words(text)
		if len(own) > 0 && len(topics.Find([]topics.Phrase{{Words: strings.Join(own, " ")}}, said, 100)) != 1 {
			t.Fatalf("%q is not found in itself", text)
		}
	})
}
