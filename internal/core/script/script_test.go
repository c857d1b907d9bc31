package script_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/script"
)

const tanks = `
# Opening
Good day **{given name}**, this is {rep}.

? Do you have a tank already? [has_tank]
- Yes -> Size
- No -> Need
- Does not want to talk -> End

# Size
? How many litres does it hold? [litres]
= number
-> End

# Need
- more room
- less water
? What is it for? [use]
- Garden
- House

# End
Thank you.
`

func TestAScriptIsReadAndLeadsOn(t *testing.T) {
	t.Parallel()
	steps, err := script.Parse(tanks)
	require.NoError(t, err)
	require.Len(t, steps, 4)
	assert.Equal(t, "Good day **{given name}**, this is {rep}.", steps[0].Text)
	assert.Equal(t, []script.Choice{{"Yes", "Size"}, {"No", "Need"}, {"Does not want to talk", "End"}},
		steps[0].Choices)
	assert.Equal(t, "number", steps[1].Free)
	assert.Equal(t, "- more room\n- less water", steps[2].Text, "a list before a question is only a list")
	for _, x := range []struct {
		answers map[string]string
		want    []int
	}{
		{nil, []int{0}},
		{map[string]string{"has_tank": "Yes"}, []int{0, 1}},
		{map[string]string{"has_tank": "Yes", "litres": "4000"}, []int{0, 1, 3}},
		{map[string]string{"has_tank": "No"}, []int{0, 2}},
		{map[string]string{"has_tank": "No", "use": "Garden"}, []int{0, 2, 3}},
		{map[string]string{"has_tank": "Does not want to talk"}, []int{0, 3}},
		{map[string]string{"has_tank": ""}, []int{0}},
		{map[string]string{"litres": "4000"}, []int{0}},
	} {
		assert.Equal(t, x.want, script.Path(steps, x.answers), x.answers)
	}
	around, err := script.Parse("# A\n-> B\n# B\n-> A")
	require.NoError(t, err)
	assert.Equal(t, []int{0, 1}, script.Path(around, nil), "in a circle each step stands once")
}

func TestWhatCannotBeReadNamesItsLine(t *testing.T) {
	t.Parallel()
	for body, want := range map[string]string{
		"":         "a script begins with a title: # Opening",
		"Hello":    "a script begins with a title: # Opening",
		"# A\n# A": "line 2: there is a step “A” already",
		"# A\n? What": "line 2: a question ends with its key: ? Do you have a tank? " +
			"[has_tank]",
		"# A\n? What? [k]":                       "line 1: the question of “A” has no answers: - Yes, or = text",
		"# A\n? What? [k]\n= date":               "line 3: a free answer is = text or = number, without choices",
		"# A\n? What? [k]\n- x\n= text":          "line 4: a free answer is = text or = number, without choices",
		"# A\n? What? [k]\n= text\n- x":          "line 4: a question is answered freely or by choices, not both",
		"# A\n? W? [k]\n- x\n? W? [l]":           "line 4: a step asks one question: begin another step",
		"# A\n-> B":                              "line 2: there is no step “B”",
		"# A\n? W? [k]\n- x -> B":                "line 3: there is no step “B”",
		"# A\n? W? [k]\n- x\n# B\n? V? [k]\n- y": "line 5: the key “k” is used twice",
	} {
		_, err := script.Parse(body)
		require.Error(t, err, body)
		assert.Equal(t, want, err.Error(), body)
	}
}

func FuzzParse(f *testing.F) {
	f.Add(tanks)
	f.Add("# A\n? x [k]\n- y -> A")
	f.Fuzz(func(t *testing.T, body string) {
		steps, err := script.Parse(body)
		if err != nil {
			return
		}
		answers := map[string]string{}
		for _, s := range steps {
			if len(s.Choices) > 0 {
				answers[s.Key] = s.Choices[0].Label
			}
		}
		path := script.Path(steps, answers)
		assert.NotEmpty(t, path)
		assert.LessOrEqual(t, len(path), len(steps), "no step stands twice")
	})
}

func ExamplePath() {
	steps, _ := script.Parse("# Ask\n? Tank? [tank]\n- Yes -> Big\n- No\n# Small\n-> End\n# Big\n# End")
	for _, i := range script.Path(steps, map[string]string{"tank": "Yes"}) {
		fmt.Println(steps[i].Title)
	}
	// Output:
	// Ask
	// Big
	// End
}
