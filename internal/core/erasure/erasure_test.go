package erasure_test

import (
	"fmt"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/erasure"
)

var berit = erasure.Traces{Names: []string{"Berit Osterlund"}, Numbers: []string{"+14135550142", "+441632960118"},
	Mails: []string{"b.osterlund@vesper.example"}, CountryCode: "1"}

func erased(t erasure.Traces, text string) string {
	p := t.Pattern(`\b`)
	if p == "" {
		return text
	}
	return regexp.MustCompile("(?i)"+p).ReplaceAllString(text, erasure.Mark)
}

func TestSomebodyIsFoundHoweverTheyAreWritten(t *testing.T) {
	t.Parallel()
	for text, want := range map[string]string{
		"Called Berit Osterlund today":        "Called [erased] today",
		"BERIT  OSTERLUND":                    "[erased]",
		"Osterlund, Berit":                    "[erased]",
		"Berit is ill":                        "Berit is ill", // a given name is many people's
		"Berit Osterlunda":                    "Berit Osterlunda",
		"+14135550142":                        "+[erased]",
		"call 413 555 0142.":                  "call [erased].",
		"(413) 555-0142":                      "([erased]",
		"1-413-555-0142":                      "[erased]",
		"4135550142":                          "[erased]",
		"24135550142":                         "24135550142", // another one
		"41355501423":                         "41355501423",
		"+44 1632 960118":                     "+[erased]",
		`{"to":"+14135550142"}`:               `{"to":"+[erased]"}`,
		"mail B.Osterlund@vesper.example!":    "mail [erased]!",
		"bb.osterlund@vesper.example":         "bb.osterlund@vesper.example",
		"b-osterlund@vesper.example":          "b-osterlund@vesper.example",
		"Berit Osterlund and Berit Osterlund": "[erased] and [erased]",
	} {
		assert.Equal(t, want, erased(berit, text), text)
	}
}

func TestWhatIsTooShortIsNotLookedFor(t *testing.T) {
	t.Parallel()
	assert.Empty(t, erasure.Traces{}.Pattern(`\b`))
	assert.Empty(t, erasure.Traces{Names: []string{"Berit", ""}, Numbers: []string{"+1413", ""}, Mails: []string{" "},
		CountryCode: "1"}.Pattern(`\b`))
	odd := erasure.Traces{Names: []string{`Jo "the (pump" O'Hara*`}}
	assert.Equal(t, "[erased]*", erased(erasure.Traces{Names: []string{`Jo "x" O'Hara`}}, `Jo "x" O'Hara*`))
	assert.Equal(
		t,
		`{"n":"[erased]"}`,
		erased(erasure.Traces{Names: []string{`Jo "x" O'Hara`}}, `{"n":"Jo \"x\" O'Hara"}`),
	)
	assert.NotPanics(t, func() { erased(odd, "anything") })
}

func FuzzPattern(f *testing.F) {
	f.Add("Berit Osterlund", "+14135550142", "a@b.example")
	f.Add(`a\ b(`, "+1[", "[")
	f.Fuzz(func(t *testing.T, name, number, mail string) {
		p := erasure.Traces{
			Names:       []string{name},
			Numbers:     []string{number},
			Mails:       []string{mail},
			CountryCode: "1",
		}.Pattern(
			`\b`,
		)
		if _, err := regexp.Compile("(?i)" + p); err != nil {
			t.Fatal(err)
		}
	})
}

func ExampleTraces_Pattern() {
	find := regexp.MustCompile("(?i)" + erasure.Traces{Names: []string{"Berit Osterlund"},
		Numbers: []string{"+14135550142"}, CountryCode: "1"}.Pattern(`\b`))
	fmt.Println(find.ReplaceAllString("Ring berit osterlund on 413 555 0142 after six", erasure.Mark))
	// Output: Ring [erased] on [erased] after six
}
