package call_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/call"
)

func TestKeysOfATelephoneWithoutAScreen(t *testing.T) {
	for pressed, want := range map[string]struct {
		acts       []call.Act
		send, rest string
	}{
		"":        {},
		"5":       {send: "5"},
		"12#":     {send: "12#"},
		"*1":      {acts: []call.Act{call.ActSwap}},
		"*":       {rest: "*"},
		"5*":      {send: "5", rest: "*"},
		"**":      {send: "*"},
		"*9":      {send: "*9"},
		"1*2*34":  {acts: []call.Act{call.ActJoin, call.ActHandOver}, send: "14"},
		"*7*4**#": {acts: []call.Act{call.ActPark, call.ActBack}, send: "*#"},
	} {
		acts, send, rest := call.ReadKeys(pressed)
		assert.Equal(t, want.acts, acts, pressed)
		assert.Equal(t, want.send, send, pressed)
		assert.Equal(t, want.rest, rest, pressed)
	}
}

func TestTheSwapKeyHoldsWhereThereIsNobodyToSwapWith(t *testing.T) {
	s, _, _, err := run(t, spoken...)
	require.NoError(t, err)
	assert.Equal(t, call.Hold{By: "ines"}, s.InputOf(call.ActSwap, "ines"))
	s, _, _, err = run(t, then(spoken, call.Hold{By: "ines"})...)
	require.NoError(t, err)
	assert.Equal(t, call.Resume{By: "ines"}, s.InputOf(call.ActSwap, "ines"))
	s, _, _, err = run(t, then(spoken, askTomas, tomasIn)...)
	require.NoError(t, err)
	assert.Equal(t, call.Swap{By: "ines"}, s.InputOf(call.ActSwap, "ines"))
	assert.Nil(t, s.InputOf(call.ActAsk, "ines"), "which needs to know whom")
}
