package sequence_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/outcome"
	"trundo/internal/core/sequence"
	"trundo/internal/core/workday"
)

func TestWhenStepsAreDue(t *testing.T) {
	t.Parallel()
	zone, err := time.LoadLocation("America/New_York")
	require.NoError(t, err)
	at := 14 * 60
	steps := []sequence.Step{
		{Act: sequence.Mail, After: outcome.After{Count: 0, Unit: outcome.Minutes}},
		{Act: sequence.Call, After: outcome.After{Count: 2, Unit: outcome.BusinessDays}},
		{Act: sequence.Text, After: outcome.After{Count: 1, Unit: outcome.Days, At: &at}},
	}
	now := time.Date(2026, 11, 24, 22, 30, 0, 0, zone) // a Tuesday evening, before Thanksgiving
	s := outcome.Situation{Now: now, Zone: zone, Workdays: workday.New([]workday.Holiday{{Date: "2026-11-26"}})}
	for n, want := range []string{"2026-11-24 22:30", "2026-11-27 09:00", "2026-11-25 14:00"} {
		due, there := sequence.Due(steps, n, s)
		require.True(t, there)
		assert.Equal(t, want, due.In(zone).Format("2006-01-02 15:04"), "step %d", n)
	}
	_, there := sequence.Due(steps, 3, s)
	assert.False(t, there, "after the last")
	_, there = sequence.Due(steps, -1, s)
	assert.False(t, there)
}

func TestBadSteps(t *testing.T) {
	t.Parallel()
	days, late := outcome.After{Unit: outcome.Days}, 24*60
	for field, s := range map[string]sequence.Step{
		"act":         {Act: "fax", After: days},
		"unit":        {Act: sequence.Call, Text: "x"},
		"count":       {Act: sequence.Call, Text: "x", After: outcome.After{Count: 366, Unit: outcome.Days}},
		"at":          {Act: sequence.Call, Text: "x", After: outcome.After{Unit: outcome.Days, At: &late}},
		"template_id": {Act: sequence.Mail, After: days},
		"text":        {Act: sequence.Call, Text: " ", After: days},
	} {
		var at *outcome.ItemError
		require.ErrorAs(t, sequence.Check(2, s), &at, field)
		assert.Equal(t, field, at.Field)
	}
	assert.NoError(t, sequence.Check(0, sequence.Step{Act: sequence.Call, Text: "Ask", After: days}))
}
