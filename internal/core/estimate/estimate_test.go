package estimate_test

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/estimate"
)

// even are handling times of the same length.
func even(n int, each time.Duration) []time.Duration { return slices.Repeat([]time.Duration{each}, n) }

func TestOf(t *testing.T) {
	uneven := slices.Repeat([]time.Duration{0, 6 * time.Minute}, 20) // mean 3 minutes, deviation 3·√(40/39) minutes
	tests := []struct {
		name   string
		line   estimate.Line
		mean   time.Duration
		spread float64
		known  bool
		sure   bool
		says   int
	}{
		{
			"next, and all are equally long",
			estimate.Line{Ahead: 0, People: 3, Handling: even(10, 3*time.Minute)},
			time.Minute,
			0,
			true,
			true,
			1,
		},
		{
			"five before",
			estimate.Line{Ahead: 5, People: 3, Handling: even(10, 3*time.Minute)},
			6 * time.Minute,
			0,
			true,
			true,
			7,
		},
		{"uneven, next", estimate.Line{Ahead: 0, People: 3, Handling: uneven}, time.Minute, 1.0127, true, false, 1},
		{
			"uneven, eight before",
			estimate.Line{Ahead: 8, People: 3, Handling: uneven},
			9 * time.Minute,
			0.3376,
			true,
			true,
			10,
		},
		{
			"only the newest count",
			estimate.Line{Ahead: 0, People: 1, Handling: append(even(100, time.Hour), even(60, time.Minute)...)},
			time.Minute,
			0,
			true,
			true,
			1,
		},
		{"nobody is there", estimate.Line{People: 0, Handling: even(10, time.Minute)}, 0, 0, false, true, 1},
		{"too few times", estimate.Line{People: 1, Handling: even(9, time.Minute)}, 0, 0, false, true, 1},
		{"no time at all", estimate.Line{People: 1, Handling: even(20, 0)}, 0, 0, false, true, 1},
		{
			"a very long one",
			estimate.Line{Ahead: 99, People: 1, Handling: even(10, 3*time.Minute)},
			300 * time.Minute,
			0,
			true,
			true,
			120,
		},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			got, known := estimate.Of(tt.line)
			assert.Equal(t, tt.known, known)
			assert.InDelta(t, tt.mean.Seconds(), got.Mean.Seconds(), 0.001)
			assert.InDelta(t, tt.spread, got.Spread, 0.0001)
			assert.Equal(t, tt.sure, got.Sure())
			assert.Equal(t, tt.says, got.Minutes())
		})
	}
}

func TestError(t *testing.T) {
	// Off by 1 and 3 of 4 and 12 minutes: 4 / 16.
	assert.InDelta(t, 0.25, estimate.Error([]time.Duration{5 * time.Minute, 9 * time.Minute},
		[]time.Duration{4 * time.Minute, 12 * time.Minute}), 1e-9)
	assert.Zero(t, estimate.Error(nil, nil))
}

// With eight before, three at work and conversations of three minutes, the wait is nine minutes, said as ten.
func Example() {
	e, known := estimate.Of(estimate.Line{Ahead: 8, People: 3, Handling: even(10, 3*time.Minute)})
	fmt.Println(e.Mean, known, e.Sure(), e.Minutes())
	// Output: 9m0s true true 10
}
