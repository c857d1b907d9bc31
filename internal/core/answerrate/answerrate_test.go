package answerrate_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/answerrate"
)

// Exact bounds of a Poisson count, from the chi-squared distribution: what Byar's come near to.
func TestBoundsOfACount(t *testing.T) {
	t.Parallel()
	for n, want := range map[int][2]float64{0: {0, 3.689}, 1: {0.025, 5.572}, 10: {4.795, 18.390}, 50: {37.111, 65.919},
		100: {81.364, 121.627}} {
		low, high := answerrate.Byar(n)
		assert.InDelta(t, want[0], low, 0.05, n)
		assert.InDelta(t, want[1], high, 0.1, n)
	}
}

func TestANumberIsMeasuredAgainstCallsLikeItsOwn(t *testing.T) {
	t.Parallel()
	// In the evening people answer half as often, and B is shown in the evening only: both are as good.
	rates := answerrate.Rates([]answerrate.Calls{
		{"A", "morning", 400, 200}, {"A", "evening", 100, 25}, {"B", "evening", 400, 100}})
	assert.InDelta(t, 0.45, rates["A"].Raw, 1e-9)
	assert.InDelta(t, 0.25, rates["B"].Raw, 1e-9)
	// all: 325 of 900 = 0.3611; expected of B: 400 * 125/500 = 100, of A: 400*0.5 + 100*0.25 = 225
	assert.InDelta(t, 100, rates["B"].Expected, 1e-9)
	assert.InDelta(t, 225, rates["A"].Expected, 1e-9)
	assert.InDelta(t, 0.3611, rates["A"].Fair, 1e-4)
	assert.InDelta(t, 0.3611, rates["B"].Fair, 1e-4)
	assert.False(t, rates["B"].Falls, "the hour does it, not the number")
	assert.Less(t, rates["B"].Low, rates["B"].Fair)
	assert.Greater(t, rates["B"].High, rates["B"].Fair)
}

func TestANumberThatFallsIsFoundAndChanceIsNot(t *testing.T) {
	t.Parallel()
	rates := answerrate.Rates([]answerrate.Calls{{"A", "x", 500, 250}, {"B", "x", 500, 150}, {"C", "x", 500, 245},
		{"D", "x", 30, 1}, {"E", "y", 60, 0}, {"F", "x", 0, 0}})
	assert.True(t, rates["B"].Falls)
	assert.False(t, rates["A"].Falls)
	assert.False(t, rates["C"].Falls, "five of five hundred less are chance")
	assert.False(t, rates["D"].Enough, "too few calls")
	assert.False(t, rates["D"].Falls)
	assert.False(t, rates["E"].Enough, "nobody answers such calls, whatever is shown")
	assert.Zero(t, rates["F"].Raw)
	assert.Empty(t, answerrate.Rates(nil))
}

func ExampleRates() {
	r := answerrate.Rates([]answerrate.Calls{{"+14135550100", "cold, evening", 200, 30}, {"+14135550110",
		"cold, evening", 200, 70}})
	fmt.Println(r["+14135550100"].Falls, r["+14135550110"].Falls)
	// Output: true false
}
