package promise_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"trundo/internal/core/promise"
)

func TestAt(t *testing.T) {
	zone, err := time.LoadLocation("America/New_York")
	assert.NoError(t, err)
	now := time.Date(2026, 11, 1, 14, 30, 0, 0, zone) // the clock is put back on this day
	day := time.Date(2026, 11, 1, 0, 0, 0, 0, zone)
	const m = time.Minute
	tests := map[string]struct {
		promise promise.Promise
		want    promise.State
	}{
		"no date":                       {promise.Promise{}, promise.Open},
		"no date, done":                 {promise.Promise{Done: now.Add(-m)}, promise.Kept},
		"in an hour":                    {promise.Promise{Due: now.Add(60 * m)}, promise.Open},
		"this very moment":              {promise.Promise{Due: now}, promise.Open},
		"a minute ago":                  {promise.Promise{Due: now.Add(-m)}, promise.Broken},
		"a minute ago, within patience": {promise.Promise{Due: now.Add(-m), Patience: 5 * m}, promise.Open},
		"done before":                   {promise.Promise{Due: now.Add(-m), Done: now.Add(-2 * m)}, promise.Kept},
		"done a little late, within patience": {promise.Promise{Due: now.Add(-10 * m), Done: now.Add(-8 * m),
			Patience: 5 * m}, promise.Kept},
		"done too late": {promise.Promise{Due: now.Add(-10 * m), Done: now.Add(-2 * m),
			Patience: 5 * m}, promise.Late},
		"yesterday, done today": {promise.Promise{Due: day.AddDate(0, 0, -1), DayOnly: true, Done: now},
			promise.Late},
		"given up": {promise.Promise{Due: now.Add(60 * m), GivenUp: true}, promise.Broken},
		"today":    {promise.Promise{Due: day, DayOnly: true}, promise.Open},
		"today, in the last hour of its twentyfive": {promise.Promise{Due: day, DayOnly: true,
			Done: day.Add(24*time.Hour + 30*m)}, promise.Kept},
		"yesterday": {promise.Promise{Due: day.AddDate(0, 0, -1), DayOnly: true}, promise.Broken},
		"yesterday, done then": {promise.Promise{Due: day.AddDate(0, 0, -1), DayOnly: true, Done: day.Add(-m)},
			promise.Kept},
	}
	for name, tt := range tests {
		t.Run(name, func(t *testing.T) { assert.Equal(t, tt.want, tt.promise.At(now)) })
	}
}

func TestTheLedger(t *testing.T) {
	var l promise.Ledger
	_, known := l.Share()
	assert.False(t, known)
	for _, s := range []promise.State{promise.Kept, promise.Kept, promise.Kept, promise.Late, promise.Open, "none"} {
		l.Add(s)
	}
	assert.Equal(t, promise.Ledger{Kept: 3, Late: 1, Open: 1}, l)
	_, known = l.Share()
	assert.False(t, known, "four that were due are too few to speak of a part")
	l.Add(promise.Broken)
	share, known := l.Share()
	assert.True(t, known)
	assert.InDelta(t, 0.6, share, 1e-9, "three of five")
}
