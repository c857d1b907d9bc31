package call_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/call"
)

var comesIn = call.Arrive{From: "+14135550142", Line: "+14135550100"}

func TestAttending(t *testing.T) {
	const sec = time.Second
	attended := []step{{0, comesIn}, {1 * sec, call.Attend{}}}
	tests := []struct {
		name   string
		steps  []step
		phase  call.Phase
		reason call.Reason
		check  func(*testing.T, *call.State)
	}{
		{"it is picked up, and still rings for us", attended, call.PhaseRinging, "", func(t *testing.T, s *call.State) {
			assert.True(t, s.Attended())
			assert.True(t, s.Answered().IsZero())
			assert.Equal(t, call.Up, s.Outside().State)
			assert.Equal(t, call.Times{}, s.TimesOf(1, s.Last))
		}},
		{
			"somebody answers: the wait was a ring, not talk",
			append(
				attended,
				step{5 * sec, call.Offer{To: []string{"ines"}}},
				step{
					8 * sec,
					call.Answer{By: "ines"},
				},
				step{20 * sec, call.HangUp{By: "ines"}},
			),
			call.PhaseEnded,
			call.EndedByUs,
			func(t *testing.T, s *call.State) {
				assert.Equal(t, call.Parts{Ringing: 8 * sec, Talking: 12 * sec}, s.PartsAt(s.Last))
				assert.Equal(t, call.Times{Hold: 7 * sec, Talk: 12 * sec}, s.TimesOf(1, s.Last))
				assert.Equal(t, []string{"ines"}, s.Takers())
			},
		},
		{"they decline: the caller waits on", append(attended, step{5 * sec, call.Offer{To: []string{"ines"}}},
			step{8 * sec, call.Decline{By: "ines"}}), call.PhaseRinging, "", nil},
		{"the caller gives up", append(attended, step{30 * sec, call.CarrierEnded{Leg: 1, Reason: call.EndedByThem}}),
			call.PhaseEnded, call.Abandoned, nil},
		{
			"the caller hangs up at the moment of the offer",
			append(attended, step{30 * sec, call.Offer{To: []string{"ines"}}},
				step{30 * sec, call.CarrierEnded{Leg: 1, Reason: call.EndedByThem}}),
			call.PhaseEnded,
			call.Abandoned,
			nil,
		},
		{"who was told what they called for is owed nothing", append(attended, step{9 * sec, call.Serve{}},
			step{10 * sec, call.CarrierEnded{Leg: 1, Reason: call.EndedByThem}}), call.PhaseEnded, call.Announced, nil},
		{
			"a callback was taken",
			append(attended, step{9 * sec, call.Conclude{Reason: call.CallbackTaken}}),
			call.PhaseEnded,
			call.CallbackTaken,
			nil,
		},
		{
			"voicemail takes it",
			append(attended, step{9 * sec, call.MachineTakes{Device: call.Voicemail}}, step{12 * sec, call.Beep{}},
				step{20 * sec, call.CarrierEnded{Leg: 1, Reason: call.EndedByThem}}),
			call.PhaseEnded,
			call.LeftMessage,
			func(t *testing.T, s *call.State) {
				assert.Equal(t, 8*sec, s.Message())
				assert.Equal(t, call.Parts{Ringing: 9 * sec, Machine: 11 * sec}, s.PartsAt(s.Last))
			},
		},
		{"an outside number answers", append(attended, step{9 * sec, call.Forward{Address: "+14135550188"}},
			step{12 * sec, call.CarrierAnswered{Leg: 3}}), call.PhaseSpeaking, "", func(t *testing.T, s *call.State) {
			assert.False(t, s.Attended())
			assert.True(t, s.Hears(1, 3) && s.Hears(3, 1))
		}},
		{
			"and hangs up",
			append(
				attended,
				step{9 * sec, call.Forward{Address: "+14135550188"}},
				step{12 * sec, call.CarrierAnswered{Leg: 3}},
				step{
					20 * sec,
					call.CarrierEnded{Leg: 3, Reason: call.EndedByThem},
				},
			),
			call.PhaseEnded,
			call.EndedByThem,
			nil,
		},
		{
			"an outside number does not answer: the caller is still there",
			append(
				attended,
				step{9 * sec, call.Forward{Address: "+14135550188"}},
				step{
					12 * sec,
					call.CarrierEnded{Leg: 3, Reason: call.Busy},
				},
			),
			call.PhaseRinging,
			"",
			func(t *testing.T, s *call.State) {
				assert.True(t, s.Attended())
			},
		},
		{
			"it is given up",
			append(attended, step{9 * sec, call.Forward{Address: "+14135550188"}}, step{12 * sec, call.Unforward{}}),
			call.PhaseRinging,
			"",
			func(t *testing.T, s *call.State) { assert.Equal(t, call.GivenUp, s.Leg(3).Reason) },
		},
		{
			"given to a queue by a rep",
			append(
				attended,
				step{5 * sec, call.Offer{To: []string{"ines"}}},
				step{8 * sec, call.Answer{By: "ines"}},
				step{
					10 * sec,
					call.Park{By: "ines"},
				},
				step{10 * sec, call.Attend{}},
				step{15 * sec, call.Offer{To: []string{"tomas"}}},
				step{18 * sec, call.Answer{By: "tomas"}},
			),
			call.PhaseSpeaking,
			"",
			func(t *testing.T, s *call.State) {
				assert.Equal(t, 8*sec, s.PartsAt(s.Last).Ringing)
				assert.Equal(t, []string{"ines", "tomas"}, s.Takers())
				assert.Equal(t, "customer+tomas", who(s))
			},
		},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			s, _, _, err := run(t, tt.steps...)
			require.NoError(t, err)
			require.NoError(t, call.Check(s))
			assert.Equal(
				t,
				tt.reason == call.Abandoned || tt.reason == call.LeftMessage,
				s.Phase() == call.PhaseEnded && s.Owed(),
			)
			assert.Equal(t, tt.phase, s.Phase())
			assert.Equal(t, tt.reason, s.Reason)
			if tt.check != nil {
				tt.check(t, &s)
			}
		})
	}
	_, _, effects, err := run(t, attended...)
	require.NoError(t, err)
	assert.Equal(t, []call.Effect{call.Pick{Leg: 1}}, effects)
	for _, in := range []call.Input{call.Forward{Address: "+1"}, call.Unforward{}, call.Serve{}, call.Conclude{}} {
		_, _, _, err := run(t, step{0, comesIn}, step{0, in})
		assert.ErrorIs(t, err, call.ErrUnattended)
	}
	_, _, _, err = run(t, then(spoken, call.Attend{})...)
	assert.Error(t, err, "somebody speaks in it")
}

func TestACustomerIsAskedAboutTheCall(t *testing.T) {
	const sec = time.Second
	asked := []step{{0, comesIn}, {1 * sec, call.Offer{To: []string{"ines"}}}, {3 * sec, call.Answer{By: "ines"}},
		{20 * sec, call.HangUp{By: "ines", Survey: true}}}
	s, _, _, err := run(t, asked...)
	require.NoError(t, err)
	assert.True(t, s.Surveyed())
	assert.True(t, s.HasLeft("ines"), "the slip can be filed")
	require.NotNil(t, s.LeftAt("ines"))
	assert.False(t, s.Left(), "nobody waits for somebody")
	_, _, _, err = run(t, append(asked, step{21 * sec, call.Offer{To: []string{"tomas"}}})...)
	require.ErrorIs(t, err, call.ErrTaken)
	for name, end := range map[string]call.Input{"it is over": call.Conclude{Reason: call.EndedByUs},
		"they hang up": call.CarrierEnded{Leg: 1, Reason: call.EndedByThem}} {
		s, _, _, err = run(t, append(asked, step{40 * sec, end})...)
		require.NoError(t, err, name)
		assert.Equal(t, call.EndedByUs, s.Reason, name)
		assert.Equal(t, call.Parts{Ringing: 3 * sec, Talking: 17 * sec, Machine: 20 * sec}, s.PartsAt(s.Last), name)
	}
	s, _, _, err = run(t, step{0, comesIn}, step{1 * sec, call.Offer{To: []string{"ines"}}}, step{3 * sec, call.Answer{By: "ines"}},
		step{5 * sec, call.CarrierEnded{Leg: 1, Reason: call.EndedByThem}}, step{5 * sec, call.HangUp{By: "ines", Survey: true}})
	require.ErrorIs(t, err, call.ErrOver)
	assert.Equal(t, call.EndedByThem, s.Reason, "they were quicker")
}
