package call_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/call"
)

var internal = step{0, call.PlaceInternal{By: "ines", To: "tomas", Device: "browser"}}

func TestEveryEndOfACallThatAMachineTakes(t *testing.T) {
	const s = time.Second
	voicemail := step{20 * s, call.MachineTakes{Device: call.Voicemail}}
	theyHangUp := func(after time.Duration) step {
		return step{after, call.CarrierEnded{Leg: 1, Reason: call.EndedByThem}}
	}
	tests := []struct {
		name    string
		steps   []step
		reason  call.Reason
		message time.Duration
		parts   call.Parts
	}{
		{"a message is left", []step{arrive, offer, voicemail, {25 * s, call.Beep{}}, theyHangUp(59 * s)},
			call.LeftMessage, 34 * s, call.Parts{Ringing: 20 * s, Machine: 39 * s}},
		{"they hang up during the greeting", []step{arrive, offer, voicemail, theyHangUp(22 * s)}, call.Abandoned, 0,
			call.Parts{Ringing: 20 * s, Machine: 2 * s}},
		{"they hang up at the beep", []step{arrive, voicemail, {25 * s, call.Beep{}}, theyHangUp(25*s + s/2)},
			call.Abandoned, 0, call.Parts{Ringing: 20 * s, Machine: 5*s + s/2}},
		{"the hash key ends a message",
			[]step{arrive, voicemail, {25 * s, call.Beep{}}, {35 * s, call.CarrierDigits{Leg: 1, Digits: "#"}}},
			call.LeftMessage, 10 * s, call.Parts{Ringing: 20 * s, Machine: 15 * s}},
		{"as long as it may be", []step{arrive, voicemail, {25 * s, call.Beep{}}, {205 * s, call.MachineEnds{}}},
			call.LeftMessage, 180 * s, call.Parts{Ringing: 20 * s, Machine: 185 * s}},
		{"an announcement is over", []step{arrive, {0, call.MachineTakes{Device: call.Announcement}},
			{6 * s, call.MachineEnds{}}}, call.Announced, 0, call.Parts{Machine: 6 * s}},
		{"they do not hear the announcement out",
			[]step{arrive, {0, call.MachineTakes{Device: call.Announcement}}, theyHangUp(s)}, call.Announced, 0,
			call.Parts{Machine: s}},
		{"a rep sends it there", []step{arrive, offer,
			{3 * s, call.MachineTakes{Device: call.Voicemail, By: "ines", Box: "ines"}}, {8 * s, call.Beep{}},
			theyHangUp(10 * s)}, call.LeftMessage, 2 * s,
			call.Parts{Ringing: 3 * s, Machine: 7 * s}},
		{"a colleague does not answer",
			[]step{internal, voicemail, {25 * s, call.Beep{}}, {30 * s, call.HangUp{By: "ines"}}}, call.LeftMessage,
			5 * s, call.Parts{Ringing: 20 * s, Machine: 10 * s}},
		{"the server is lost in the middle", []step{arrive, voicemail, {25 * s, call.Beep{}}, {30 * s, call.Lost{}}},
			call.CutOff, 5 * s, call.Parts{Ringing: 20 * s, Machine: 10 * s}},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			state, facts, _, err := run(t, tt.steps...)
			require.NoError(t, err)
			assert.Equal(t, call.PhaseEnded, state.Phase())
			assert.Equal(t, tt.reason, state.Reason)
			assert.Equal(t, tt.message, state.Message())
			assert.Equal(t, tt.parts, state.PartsAt(start.Add(time.Hour)))
			assert.Zero(t, state.Answered(), "a machine is nobody")
			assert.True(t, state.HasLeft("ines") && state.HasLeft("tomas"))
			assert.Equal(t, state, call.Replay(facts))
		})
	}
}

func TestAMachineTakesOnlyWhatWaits(t *testing.T) {
	s, _, effects, err := run(t, arrive, offer, step{1, call.MachineTakes{Device: call.Voicemail}})
	require.NoError(t, err)
	assert.Equal(t, call.PhaseMessage, s.Phase())
	assert.Equal(t, []call.Effect{call.Pick{Leg: 1}}, effects)
	assert.Empty(t, s.RungNow(), "it rings no more")
	for name, in := range map[string]call.Input{"a rep": call.Answer{By: "ines"},
		"another machine": call.MachineTakes{Device: call.Announcement}} {
		_, _, err = call.Decide(s, in, start)
		require.ErrorIs(t, err, call.ErrTaken, name)
	}
	_, _, _, err = run(t, arrive, offer, step{1, call.MachineTakes{Device: call.Voicemail, By: "odile"}})
	require.ErrorIs(t, err, call.ErrNoRing, "somebody for whom it does not ring")
	facts, _, err := call.Decide(s, call.MachineEnds{}, start.Add(time.Second))
	require.NoError(t, err)
	assert.NotEmpty(t, facts)
	answered, _, _, err := run(t, arrive, offer, step{1, call.Answer{By: "ines"}})
	require.NoError(t, err)
	for _, in := range []call.Input{call.Beep{}, call.MachineEnds{}} {
		facts, _, err := call.Decide(answered, in, start)
		require.NoError(t, err)
		assert.Empty(t, facts, "no machine has it")
	}
}

func TestEveryEndOfAnInternalCall(t *testing.T) {
	const s = time.Second
	answer := step{4 * s, call.Answer{By: "tomas"}}
	tests := []struct {
		name   string
		steps  []step
		reason call.Reason
		parts  call.Parts
	}{
		{"who called hangs up", []step{answer, {10 * s, call.HangUp{By: "ines"}}}, call.EndedByUs,
			call.Parts{Ringing: 4 * s, Talking: 6 * s}},
		{"who was called hangs up", []step{answer, {10 * s, call.HangUp{By: "tomas"}}}, call.EndedByThem,
			call.Parts{Ringing: 4 * s, Talking: 6 * s}},
		{"given up", []step{{3 * s, call.HangUp{By: "ines"}}}, call.GivenUp, call.Parts{Ringing: 3 * s}},
		{"declined", []step{{3 * s, call.Decline{By: "tomas"}}}, call.Declined, call.Parts{Ringing: 3 * s}},
		{"declined by hanging up", []step{{3 * s, call.HangUp{By: "tomas"}}}, call.Declined,
			call.Parts{Ringing: 3 * s}},
		{"not answered", []step{{20 * s, call.Withdraw{From: "tomas"}}}, call.NoAnswer, call.Parts{Ringing: 20 * s}},
		{"held in between", []step{answer, {5 * s, call.Hold{By: "tomas"}}, {7 * s, call.Resume{By: "ines"}},
			{10 * s, call.HangUp{By: "ines"}}}, call.EndedByUs, call.Parts{Ringing: 4 * s, Talking: 6 * s}},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			state, facts, effects, err := run(t, append([]step{internal}, tt.steps...)...)
			require.NoError(t, err)
			assert.Equal(t, call.PhaseEnded, state.Phase())
			assert.Equal(t, tt.reason, state.Reason)
			assert.Equal(t, tt.parts, state.PartsAt(start.Add(time.Hour)))
			assert.Empty(t, effects, "no carrier is asked")
			assert.Equal(t, state, call.Replay(facts))
		})
	}
	rings, _, _, err := run(t, internal)
	require.NoError(t, err)
	assert.Equal(t, []string{"tomas"}, rings.RungNow())
	_, _, err = call.Decide(rings, call.Offer{To: []string{"odile"}}, start)
	require.Error(t, err)
}

func TestMuteAndKeys(t *testing.T) {
	talking := []step{place, {1, call.CarrierAnswered{Leg: 2}}}
	s, _, effects, err := run(t, append(talking, step{2, call.Mute{By: "ines", On: true}},
		step{3, call.Press{By: "ines", Digits: "12#"}})...)
	require.NoError(t, err)
	assert.True(t, s.Muted("ines"))
	assert.Equal(t, call.SendDigits{Leg: 2, Digits: "12#"}, effects[len(effects)-1])
	facts, effects, err := call.Decide(s, call.Press{By: "ines", Digits: "4711", Hidden: true}, start.Add(time.Minute))
	require.NoError(t, err)
	assert.Equal(t, call.SendDigits{Leg: 2, Digits: "4711"}, effects[0], "what is hidden is sent all the same")
	assert.Equal(t, "••••", facts[0].Digits)
	facts, _, err = call.Decide(s, call.CarrierDigits{Leg: 2, Digits: "77", Hidden: true}, start.Add(time.Minute))
	require.NoError(t, err)
	assert.Equal(t, "••", facts[0].Digits)
	// A card number, key by key: no more than its issuer's digits are kept.
	long, kept := s, ""
	for i, digit := range "4111111111111111" {
		facts, _, err := call.Decide(long, call.Press{By: "ines", Digits: string(digit)},
			start.Add(2*time.Minute+time.Duration(i)*time.Second))
		require.NoError(t, err)
		kept += facts[0].Digits
		long = call.Evolve(long, facts[0])
	}
	assert.Equal(t, "411111••••••••••", kept)
	facts, _, err = call.Decide(long, call.Press{By: "ines", Digits: "42"}, start.Add(3*time.Minute))
	require.NoError(t, err)
	assert.Equal(t, "42", facts[0].Digits, "after a while it is another number")
	facts, _, err = call.Decide(s, call.Press{By: "ines", Digits: "4111111111111111"}, start.Add(2*time.Minute))
	require.NoError(t, err)
	assert.Equal(t, "••••••••••••••••", facts[0].Digits)
	s, _, _, err = run(t, append(talking, step{2, call.Mute{By: "ines", On: true}}, step{3, call.Mute{By: "ines"}})...)
	require.NoError(t, err)
	assert.False(t, s.Muted("ines"))
	wrong := map[string]struct {
		steps []step
		in    call.Input
		want  error
	}{
		"muted twice": {append(talking, step{2, call.Mute{By: "ines", On: true}}),
			call.Mute{By: "ines", On: true}, call.ErrMuted},
		"heard already": {talking, call.Mute{By: "ines"}, call.ErrUnmuted},
		"somebody else": {talking, call.Mute{By: "tomas", On: true}, call.ErrNotThere},
		"no key":        {talking, call.Press{By: "ines", Digits: "1x2"}, call.ErrDigits},
		"nothing":       {talking, call.Press{By: "ines"}, call.ErrDigits},
		"too many": {talking, call.Press{By: "ines", Digits: "111111111111111111111111111111111"},
			call.ErrDigits},
		"keys while it rings": {talking[:1], call.Press{By: "ines", Digits: "1"}, call.ErrNoSpeech},
		"keys while it is held": {append(talking, step{2, call.Hold{By: "ines"}}), call.Press{By: "ines", Digits: "1"},
			call.ErrNoSpeech},
		"mute before an answer": {[]step{arrive, offer}, call.Mute{By: "ines", On: true}, call.ErrNoSpeech},
		"hold before an answer": {[]step{internal}, call.Hold{By: "tomas"}, call.ErrNoSpeech},
		"keys after the end": {append(talking, step{2, call.HangUp{By: "ines"}}),
			call.Press{By: "ines", Digits: "1"}, call.ErrOver},
		"keys without any call":  {nil, call.Press{By: "ines", Digits: "1"}, call.ErrNoCall},
		"a call is placed twice": {talking, call.PlaceInternal{By: "ines", To: "tomas"}, call.ErrPlaced},
	}
	for name, tt := range wrong {
		t.Run(name, func(t *testing.T) {
			s, _, _, err := run(t, tt.steps...)
			require.NoError(t, err)
			_, _, err = call.Decide(s, tt.in, start.Add(time.Minute))
			require.ErrorIs(t, err, tt.want)
		})
	}
}
