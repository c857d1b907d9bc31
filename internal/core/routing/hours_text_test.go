package routing_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/routing"
)

func TestHoursAreReadAndWrittenAsAnAdminWritesThem(t *testing.T) {
	tests := map[string]struct {
		text, back string
		days       []time.Weekday
	}{
		"a range":                {"Mon-Fri 09:00-17:00", "Mon-Fri 09:00-17:00", []time.Weekday{1, 2, 3, 4, 5}},
		"one digit and spaces":   {"sat 9:00 - 12:30", "Sat 09:00-12:30", []time.Weekday{6}},
		"both, and a long dash":  {"Mon, Wed-Thu 13:00–24:00", "Mon, Wed-Thu 13:00-24:00", []time.Weekday{1, 3, 4}},
		"written out":            {"Saturday-Sunday 00:00-06:00", "Sat-Sun 00:00-06:00", []time.Weekday{6, 0}},
		"a day named twice":      {"Tue, Mon-Wed 08:00-09:00", "Mon-Wed 08:00-09:00", []time.Weekday{2, 1, 3}},
		"days that follow so on": {"Mon, Tue, Thu 08:00-09:00", "Mon-Tue, Thu 08:00-09:00", []time.Weekday{1, 2, 4}},
	}
	for name, tt := range tests {
		t.Run(name, func(t *testing.T) {
			spans, err := routing.ParseSpans("\n" + tt.text + "\r\n \n")
			require.NoError(t, err)
			require.Len(t, spans, 1)
			assert.Equal(t, tt.days, spans[0].Days)
			assert.Equal(t, tt.back, routing.SpansText(spans))
		})
	}
	none, err := routing.ParseSpans(" \n\n")
	require.NoError(t, err)
	assert.Empty(t, none)
}

func TestALineThatIsNoOpeningTimeIsNamed(t *testing.T) {
	for _, line := range []string{"Mon-Fri", "09:00-17:00", "Funday 09:00-17:00", "Fri-Mon 09:00-17:00", "Mon 09:00",
		"Monkey 09:00-10:00", "never"} {
		_, err := routing.ParseSpans("Mon 09:00-10:00\n" + line)
		require.ErrorContains(t, err, "“"+line+"”")
	}
	for _, line := range []string{"Mon 9-17", "Mon 17:00-09:00", "Mon 09:00-24:30", "Mon 09:00-10:00 or so"} {
		_, err := routing.ParseSpans(line)
		require.Error(t, err, line)
	}
}

// FuzzParseSpans holds what can be read against what it is written as, and read again.
func FuzzParseSpans(f *testing.F) {
	f.Add("Mon-Fri 09:00-17:00\nSat 9:00-12:00")
	f.Add("Mon, Wed - Thu 13:00–24:00")
	f.Add("Sun-Mon 1")
	f.Fuzz(func(t *testing.T, text string) {
		spans, err := routing.ParseSpans(text)
		if err != nil {
			return
		}
		for _, s := range spans {
			require.NoError(t, routing.Hours{Spans: []routing.Span{s}}.Check())
		}
		again, err := routing.ParseSpans(routing.SpansText(spans))
		require.NoError(t, err)
		require.Equal(t, routing.SpansText(spans), routing.SpansText(again))
	})
}
