package call_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/call"
)

func TestWhoComesToAConversation(t *testing.T) {
	t.Parallel()
	asks := then(spoken, askTomas)
	asked := then(asks, tomasIn)
	expert := then(spoken, askExpert, call.CarrierAnswered{Leg: 3})
	listens := then(spoken, call.Listen{By: "odile", To: "ines", As: call.Listening})
	for name, c := range map[string]struct {
		steps       []step
		came, asked []call.LegNo
		beside      bool
	}{
		"the first two":                      {spoken, []call.LegNo{2}, nil, false},
		"who is only rung":                   {asks, nil, nil, false},
		"who is asked":                       {asked, nil, []call.LegNo{3}, false},
		"an expert outside":                  {expert, nil, []call.LegNo{3}, false},
		"to the one and back":                {then(asked, call.Swap{By: "ines"}), nil, nil, false},
		"who is joined":                      {then(asked, call.Join{By: "ines"}), []call.LegNo{3}, nil, true},
		"an expert is joined":                {then(expert, call.Join{By: "ines"}), []call.LegNo{3}, nil, true},
		"who takes the call on":              {then(spoken, giveTomas, tomasIn), []call.LegNo{3}, nil, false},
		"who listens":                        {listens, nil, nil, false},
		"who steps in":                       {then(listens, call.StepIn{By: "odile"}), []call.LegNo{4}, nil, true},
		"the customer leaves while one asks": {then(asked, hungUp), []call.LegNo{3}, nil, false},
	} {
		_, before, _, err := run(t, c.steps[:len(c.steps)-1]...)
		require.NoError(t, err, name)
		s, facts, _, err := run(t, c.steps...)
		require.NoError(t, err, name)
		last := facts[len(before):]
		assert.Equal(t, c.came, call.Came(last, &s), name)
		assert.Equal(t, c.asked, call.AskedNow(last, &s), name)
		assert.Equal(t, c.beside, call.CameBeside(last, &s), name)
		assert.Equal(t, name == "who is asked" || name == "an expert outside" || name == "to the one and back",
			s.Consulting(), name)
	}
}
