package absence_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/absence"
)

func day(text string) time.Time {
	d, err := time.Parse(time.DateOnly, text)
	if err != nil {
		panic(err)
	}
	return d
}

func TestFromWhenUntilWhen(t *testing.T) {
	t.Parallel()
	zone, err := time.LoadLocation("America/New_York")
	require.NoError(t, err)
	for _, x := range []struct {
		span       absence.Span
		begin, end string
	}{
		{absence.Span{From: day("2026-03-02"), Until: day("2026-03-03")}, "2026-03-02T00:00:00-05:00", "2026-03-04T00:00:00-05:00"},
		{absence.Span{From: day("2026-03-02"), Until: day("2026-03-02"), FromNoon: true}, "2026-03-02T12:00:00-05:00", "2026-03-03T00:00:00-05:00"},
		{absence.Span{From: day("2026-03-02"), Until: day("2026-03-02"), UntilNoon: true}, "2026-03-02T00:00:00-05:00", "2026-03-02T12:00:00-05:00"},
		// clocks go forward on the 8th: the day has 23 hours
		{absence.Span{From: day("2026-03-08"), Until: day("2026-03-08")}, "2026-03-08T00:00:00-05:00", "2026-03-09T00:00:00-04:00"},
		{absence.Span{From: day("2026-02-28"), Until: day("2026-02-28")}, "2026-02-28T00:00:00-05:00", "2026-03-01T00:00:00-05:00"},
	} {
		begin, end := x.span.Bounds(zone)
		assert.Equal(t, x.begin, begin.Format(time.RFC3339))
		assert.Equal(t, x.end, end.Format(time.RFC3339))
		require.NoError(t, x.span.Check())
	}
	require.ErrorIs(t, absence.Span{From: day("2026-03-03"), Until: day("2026-03-02")}.Check(), absence.ErrOrder)
	require.ErrorIs(t, absence.Span{From: day("2026-03-02"), Until: day("2026-03-02"), FromNoon: true,
		UntilNoon: true}.Check(), absence.ErrOrder, "no time is left")
}

func TestWhoStandsIn(t *testing.T) {
	t.Parallel()
	away := map[string]absence.Away{"ines": {Deputy: "maren"}, "maren": {Deputy: "tomas"}, "pilar": {},
		"hedda": {
			Deputy: "gunnar",
		}, "gunnar": {Deputy: "hedda"}, "desmond": {Deputy: "desmond"}, "bastian": {Deputy: "pilar"}}
	for who, want := range map[string]string{"ines": "tomas", "maren": "tomas", "tomas": "", "pilar": "", "hedda": "",
		"gunnar": "", "desmond": "", "bastian": ""} {
		assert.Equal(t, want, absence.Deputy(away, who), who)
	}
}

func ExampleDeputy() {
	away := map[string]absence.Away{"Ines": {Deputy: "Maren"}, "Maren": {Deputy: "Tomas"}}
	fmt.Println(absence.Deputy(away, "Ines"))
	// Output: Tomas
}
