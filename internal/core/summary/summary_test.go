package summary_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/summary"
	"trundo/internal/core/topics"
)

func Example() {
	s := summary.Of([]topics.Said{{FromMs: 1000, Text: "Hello. When can somebody come?"},
		{FromMs: 4000, Ours: true, Text: "Let me look. I'll call you back before noon."}})
	fmt.Println(s.Questions[0].Text, s.Promises[0].Text)
	// Output: When can somebody come? I'll call you back before noon.
}

func TestWhatIsAQuestionAndWhatAPromise(t *testing.T) {
	for text, c := range map[string]struct{ question, promise bool }{
		"What does it cost?":                   {true, false},
		"Pardon?":                              {false, false},
		"It costs 4.50 a litre.":               {false, false},
		"I will send the offer today.":         {false, true},
		"We'll also arrange a visit.":          {false, true},
		"I promise to call on Monday.":         {false, true},
		"I will not send anything.":            {false, false},
		"We will be happy.":                    {false, false},
		"I think the pump will run.":           {false, false},
		"Shall I say that I will call?":        {true, false},
		"She said that they will send it.":     {false, false},
		"Will you send it by e-mail, or what?": {true, false},
	} {
		theirs := summary.Of([]topics.Said{{Text: text}})
		ours := summary.Of([]topics.Said{{Text: text, Ours: true}})
		assert.Equal(t, c.question, len(theirs.Questions) == 1, text)
		assert.Equal(t, c.promise, len(ours.Promises) == 1, text)
		assert.Empty(t, theirs.Promises, text)
		assert.Empty(t, ours.Questions, text)
	}
	many := summary.Of(
		[]topics.Said{
			{Text: "Is it so? Is it so? Is it so? Is it so? Is it so? Is it so? Is it so? Is it so? Is it so?"},
		},
	)
	assert.Len(t, many.Questions, summary.Most)
}
