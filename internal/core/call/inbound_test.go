package call_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/call"
)

var (
	arrive = step{0, call.Arrive{From: "+14135550142", Line: "+14135550120"}}
	offer  = step{0, call.Offer{To: []string{"ines", "tomas"}, Device: "browser"}}
)

func TestEveryEndOfACallThatCameIn(t *testing.T) {
	const s = time.Second
	tests := []struct {
		name   string
		steps  []step
		reason call.Reason
		parts  call.Parts
	}{
		{"answered, we hang up", []step{offer, {8 * s, call.Answer{By: "tomas"}}, {60 * s, call.HangUp{By: "tomas"}}},
			call.EndedByUs, call.Parts{Ringing: 8 * s, Talking: 52 * s}},
		{"answered, they hang up", []step{offer, {8 * s, call.Answer{By: "ines"}},
			{30 * s, call.CarrierEnded{Leg: 1, Reason: call.EndedByThem}}}, call.EndedByThem,
			call.Parts{Ringing: 8 * s, Talking: 22 * s}},
		{"they hang up while it rings", []step{offer, {5 * s, call.CarrierEnded{Leg: 1, Reason: call.EndedByThem}}},
			call.Abandoned, call.Parts{Ringing: 5 * s}},
		{"they hang up at once, before anybody was rung",
			[]step{{0, call.CarrierEnded{Leg: 1, Reason: call.EndedByThem}}}, call.Abandoned, call.Parts{}},
		{"all decline, and nobody is left",
			[]step{offer, {2 * s, call.Decline{By: "ines"}}, {3 * s, call.HangUp{By: "tomas"}}, {3 * s, call.Miss{}}},
			call.Missed, call.Parts{Ringing: 3 * s}},
		{"it rings long enough, then for the next",
			[]step{{0, call.Offer{To: []string{"ines"}}}, {20 * s, call.Withdraw{From: "ines"}},
				{20 * s, call.Offer{To: []string{"tomas"}}},
				{25 * s, call.Answer{By: "tomas"}}, {26 * s, call.HangUp{By: "tomas"}}}, call.EndedByUs,
			call.Parts{Ringing: 25 * s, Talking: s}},
		{"nobody is there", []step{{0, call.Miss{}}}, call.Missed, call.Parts{}},
		{"the server is lost while it rings", []step{offer, {4 * s, call.Lost{}}}, call.CutOff,
			call.Parts{Ringing: 4 * s}},
		{"held and resumed", []step{offer, {8 * s, call.Answer{By: "ines"}}, {18 * s, call.Hold{By: "ines"}},
			{28 * s, call.Resume{By: "ines"}}, {38 * s, call.HangUp{By: "ines"}}}, call.EndedByUs,
			call.Parts{Ringing: 8 * s, Talking: 30 * s}},
		{"they hang up while they are held",
			[]step{offer, {8 * s, call.Answer{By: "ines"}}, {18 * s, call.Hold{By: "ines"}},
				{28 * s, call.CarrierEnded{Leg: 1, Reason: call.EndedByThem}}}, call.EndedByThem,
			call.Parts{Ringing: 8 * s, Talking: 20 * s}},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			state, facts, _, err := run(t, append([]step{arrive}, tt.steps...)...)
			require.NoError(t, err)
			assert.Equal(t, call.PhaseEnded, state.Phase())
			assert.Equal(t, tt.reason, state.Reason)
			assert.Equal(t, tt.parts, state.PartsAt(start.Add(time.Hour)))
			assert.Equal(t, state, call.Replay(facts))
			assert.True(t, state.HasLeft("ines") && state.HasLeft("tomas"))
		})
	}
}

func TestOneGetsTheCallAndTheOthersAreTold(t *testing.T) {
	ringing, _, _, err := run(t, arrive, offer)
	require.NoError(t, err)
	assert.Equal(t, []string{"ines", "tomas"}, ringing.RungNow())
	s, _, effects, err := run(t, arrive, offer, step{8, call.Answer{By: "tomas"}})
	require.NoError(t, err)
	assert.Equal(t, []call.Effect{call.Pick{Leg: 1}}, effects)
	assert.Equal(t, call.Elsewhere, s.Legs[1].Reason)
	assert.Equal(t, []string{"tomas"}, s.Takers())
	assert.Empty(t, s.RungNow())
	_, _, err = call.Decide(s, call.Answer{By: "ines"}, start)
	require.ErrorIs(t, err, call.ErrTaken)
	again, _, err := call.Decide(s, call.Answer{By: "tomas"}, start)
	require.NoError(t, err, "from another window of the same rep")
	assert.Empty(t, again)
	_, _, err = call.Decide(s, call.Offer{To: []string{"ines"}}, start)
	require.ErrorIs(t, err, call.ErrTaken)
}

func TestHoldPartsTheBridge(t *testing.T) {
	const s = time.Second
	held, _, _, err := run(t, arrive, offer, step{8 * s, call.Answer{By: "ines"}}, step{18 * s, call.Hold{By: "ines"}})
	require.NoError(t, err)
	assert.True(t, held.OnHold)
	for _, l := range held.Legs {
		for _, sp := range l.Spans {
			assert.Equal(t, start.Add(18*s), sp.To, "nobody hears anybody")
		}
	}
	_, _, err = call.Decide(held, call.Hold{By: "ines"}, start)
	require.ErrorIs(t, err, call.ErrHeld)
	_, _, err = call.Decide(held, call.Resume{By: "tomas"}, start)
	require.ErrorIs(t, err, call.ErrNotThere)
	back, _, _, err := run(t, arrive, offer, step{8 * s, call.Answer{By: "ines"}}, step{18 * s, call.Hold{By: "ines"}},
		step{28 * s, call.Resume{By: "ines"}})
	require.NoError(t, err)
	assert.False(t, back.OnHold)
	assert.Len(t, back.Legs[0].Spans, 2)
	assert.Equal(t, call.BridgeNo(2), back.Legs[0].Spans[1].Bridge)
	_, _, _, err = run(t, place, step{1, call.Hold{By: "ines"}})
	require.ErrorIs(t, err, call.ErrNoSpeech)
	out, _, _, err := run(t, place, step{1, call.CarrierAnswered{Leg: 2}}, step{2, call.Hold{By: "ines"}})
	require.NoError(t, err, "a call that was made is held as well")
	assert.True(t, out.OnHold)
}

func TestWhatTheNetworkSaysOfACallThatCameInIsNoAnswer(t *testing.T) {
	s, _, _, err := run(t, arrive, offer, step{1, call.CarrierAnswered{Leg: 1}}, step{2, call.CarrierRinging{Leg: 1}})
	require.NoError(t, err)
	assert.Equal(t, call.PhaseRinging, s.Phase())
	for name, in := range map[string]call.Input{"answering": call.Answer{By: "odile"},
		"offering a call that was made": call.Offer{To: []string{"ines"}}} {
		from := s
		if name != "answering" {
			from, _, _, err = run(t, place)
			require.NoError(t, err)
		}
		_, _, err := call.Decide(from, in, start)
		require.Error(t, err, name)
	}
}
