package wording_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/wording"
)

func TestFilling(t *testing.T) {
	t.Parallel()
	values := map[string]string{"given name": "Berit", "company": "", "rep": "Odile Marchetti"}
	for text, want := range map[string]string{
		"Good day {given name}, this is {rep}.": "Good day Berit, this is Odile Marchetti.",
		"{Given Name}":                          "Berit",
		"You of {company} know":                 "You of know",
		"{company} first":                       " first",
		"{weather} today":                       "{weather} today",
		"a {} b {given name":                    "a {} b {given name",
		"{{given name}}":                        "{Berit}",
		"":                                      "",
	} {
		assert.Equal(t, want, wording.Fill(text, values), text)
	}
	assert.Equal(t, []string{"weather"}, wording.Unknown("{weather} {name} {weather} {rep}"))
	assert.Empty(t, wording.Unknown("{ Fill me {name}"))
}

// A value is never read as a template itself.
func FuzzFill(f *testing.F) {
	f.Add("Good day {name}", "{rep}")
	f.Fuzz(func(t *testing.T, text, value string) {
		got := wording.Fill(text, map[string]string{"name": value, "rep": "x"})
		if !strings.Contains(strings.ToLower(text), "{") {
			assert.Equal(t, text, got)
		}
		once := wording.Fill("{name}", map[string]string{"name": value, "rep": "x"})
		assert.Equal(t, value, once)
	})
}

func ExampleFill() {
	fmt.Println(wording.Fill("Thank you, {given name}.", map[string]string{"given name": "Berit"}))
	// Output: Thank you, Berit.
}
