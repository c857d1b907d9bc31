package scorecard_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/scorecard"
)

var questions = []scorecard.Question{
	{ID: "hello", Text: "Said who is speaking", Points: 2},
	{ID: "need", Text: "Asked what is needed", Points: 5},
	{ID: "card", Text: "No card number was written down", Points: 1, Must: true},
}

func marks(hello, need, card int) []scorecard.Mark {
	return []scorecard.Mark{
		{Question: "need", Points: need},
		{Question: "hello", Points: hello},
		{Question: "card", Points: card},
	}
}

func Example() {
	r, _ := scorecard.Score(questions, marks(2, 3, 1))
	fmt.Println(r.Percent, r.Failed)
	// Output: 75 false
}

func TestScore(t *testing.T) {
	for name, c := range map[string]struct {
		marks []scorecard.Mark
		want  scorecard.Result
		err   error
	}{
		"everything":                        {marks(2, 5, 1), scorecard.Result{Percent: 100}, nil},
		"6 of 8, and a half is rounded up":  {marks(2, 3, 1), scorecard.Result{Percent: 75}, nil},
		"5 of 8, 62.5":                      {marks(1, 3, 1), scorecard.Result{Percent: 63}, nil},
		"5 of 6, without what is not asked": {marks(scorecard.NotAsked, 4, 1), scorecard.Result{Percent: 83}, nil},
		"a must-have that is not there":     {marks(2, 5, 0), scorecard.Result{Percent: 88, Failed: true}, nil},
		"a must-have that was not asked":    {marks(2, 5, scorecard.NotAsked), scorecard.Result{Percent: 100}, nil},
		"more points than there are":        {marks(3, 5, 1), scorecard.Result{}, scorecard.ErrMark},
		"fewer than none":                   {marks(2, -2, 1), scorecard.Result{}, scorecard.ErrMark},
		"one is missing":                    {marks(2, 5, 1)[:2], scorecard.Result{}, scorecard.ErrMark},
		"one twice":                         {append(marks(2, 5, 1)[:2], marks(2, 5, 1)[0]), scorecard.Result{}, scorecard.ErrMark},
		"nothing is asked":                  {marks(-1, -1, -1), scorecard.Result{}, scorecard.ErrNothingAsked},
	} {
		got, err := scorecard.Score(questions, c.marks)
		assert.ErrorIs(t, err, c.err, name)
		assert.Equal(t, c.want, got, name)
	}
}

func TestDifferences(t *testing.T) {
	d := scorecard.Differences(questions, marks(2, 5, 1), marks(1, 2, 1), marks(2, scorecard.NotAsked, 1))
	require.Len(t, d, 2)
	assert.Equal(t, scorecard.Difference{Question: questions[1], Low: scorecard.NotAsked, High: 5}, d[0])
	assert.Equal(t, scorecard.Difference{Question: questions[0], Low: 1, High: 2}, d[1])
	assert.Empty(t, scorecard.Differences(questions, marks(2, 5, 1)))
}

func TestDrawingIsFair(t *testing.T) {
	candidates := []scorecard.Candidate{{"1", "ines", "offer"}, {"2", "ines", "service"}, {"3", "tomas", "offer"},
		{"4", "tomas", "service"}, {"5", "gunnar", ""}}
	scored := []scorecard.Scored{{"ines", "offer", 2}, {"tomas", "offer", 1}, {"gunnar", "", 4}}
	assert.Equal(
		t,
		"4",
		scorecard.Draw(candidates, scored).Call,
		"the rep with the fewest, and their type with the fewest",
	)
	assert.Equal(t, "1", scorecard.Draw(candidates, nil).Call)
	assert.Zero(t, scorecard.Draw(nil, scored))
	// Drawn again and again, everybody has their turn.
	turns := map[string]int{}
	for range 30 {
		c := scorecard.Draw(candidates, scored)
		turns[c.Rep]++
		scored = append(scored, scorecard.Scored{Rep: c.Rep, Type: c.Type, Calls: 1})
	}
	assert.Equal(t, map[string]int{"ines": 11, "tomas": 11, "gunnar": 8}, turns) // 13, 12 and 12 in all
}
