package call_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/call"
)

func TestAPreparedMessageIsLeftWithoutTheRep(t *testing.T) {
	talking := []step{place, {1, call.CarrierAnswered{Leg: 2}}}
	leave := step{4, call.LeavePrepared{By: "ines", Name: "after the show"}}
	s, facts, effects, err := run(t, append(talking, leave)...)
	require.NoError(t, err)
	assert.True(t, s.HasLeft("ines"), "free at once")
	assert.Equal(t, call.PhaseMessage, s.Phase())
	assert.Equal(t, "after the show", s.Machine().Address)
	assert.NotContains(t, effects, call.Release{Leg: 2}, "they are still there")
	assert.False(t, s.Answered().IsZero(), "it was answered")
	_ = facts
	for name, tt := range map[string]struct {
		steps []step
		want  call.Reason
	}{
		"to its end":     {[]step{{9, call.Beep{}}, {20, call.PreparedEnds{}}}, call.MessageLeft},
		"no moment came": {[]step{{64, call.PreparedEnds{}}}, call.NoMoment},
		"they hung up": {[]step{{9, call.Beep{}}, {12, call.CarrierEnded{Leg: 2, Reason: call.EndedByThem}}},
			call.EndedByThem},
		"the line broke":     {[]step{{9, call.CarrierEnded{Leg: 2, Reason: call.CutOff}}}, call.CutOff},
		"the server stopped": {[]step{{9, call.Lost{}}}, call.CutOff},
	} {
		t.Run(name, func(t *testing.T) {
			s, _, _, err := run(t, append(append([]step{}, append(talking, leave)...), tt.steps...)...)
			require.NoError(t, err)
			assert.Equal(t, tt.want, s.Reason)
			assert.Zero(t, s.Message(), "nothing was left with us")
			parts := s.PartsAt(s.Ended)
			assert.EqualValues(t, 3, parts.Talking, "what was spoken before stays talk")
			assert.Equal(t, s.Ended.Sub(s.Started), parts.Whole())
		})
	}
	for name, tt := range map[string]struct {
		steps []step
		in    call.Input
		want  error
	}{
		"before an answer": {[]step{place}, leave.in, call.ErrNoSpeech},
		"by somebody else": {talking, call.LeavePrepared{By: "tomas"}, call.ErrNotThere},
		"twice":            {append(append([]step{}, talking...), leave), leave.in, call.ErrNotThere},
		"after the end": {append(append([]step{}, talking...), step{3, call.HangUp{By: "ines"}}), leave.in,
			call.ErrOver},
		"without a call": {nil, leave.in, call.ErrNoCall},
	} {
		t.Run(name, func(t *testing.T) {
			s, _, _, err := run(t, tt.steps...)
			require.NoError(t, err)
			_, _, err = call.Decide(s, tt.in, start.Add(time.Minute))
			require.ErrorIs(t, err, tt.want)
		})
	}
}
