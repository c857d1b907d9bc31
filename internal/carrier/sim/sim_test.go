package sim_test

import (
	"testing"
	"time"

	"github.com/jonboulle/clockwork"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/carrier"
	"trundo/internal/carrier/carriertest"
	"trundo/internal/carrier/sim"
)

func people(to string) sim.Behaviour {
	return map[string]sim.Behaviour{
		carriertest.Answers:      {RingsAfter: time.Second, After: 3 * time.Second},
		carriertest.Busy:         {Then: carrier.Busy, After: time.Second},
		carriertest.Declines:     {RingsAfter: time.Second, Then: carrier.Declined, After: 2 * time.Second},
		carriertest.NoAnswer:     {RingsAfter: time.Second, Then: carrier.NoAnswer, After: 30 * time.Second},
		carriertest.OutOfService: {Then: carrier.OutOfService, After: time.Second},
		carriertest.HangsUp:      {After: time.Second, HangsUp: 5 * time.Second},
		carriertest.RingsOn:      {RingsOn: true},
	}[to]
}

func TestSimIsACarrier(t *testing.T) {
	carriertest.Run(t, func(*testing.T) (carrier.Carrier, carriertest.Outside, func()) {
		clock := clockwork.NewFakeClock()
		s := sim.New(clock, "US", people)
		return s, s, func() { clock.Advance(time.Second) }
	})
}

func TestPeopleKeepToTheirTimes(t *testing.T) {
	clock := clockwork.NewFakeClock()
	s := sim.New(clock, "US", people)
	events := make(chan carrier.Event, 10)
	s.Handle(func(e carrier.Event) { events <- e })
	require.NoError(t, s.Dial(carrier.Dialing{Ref: "a", To: carriertest.Answers}))
	clock.Advance(999 * time.Millisecond)
	assert.Empty(t, events)
	clock.Advance(time.Millisecond)
	assert.Equal(t, carrier.Ringing, (<-events).Kind)
	require.NoError(t, clock.BlockUntilContext(t.Context(), 1))
	clock.Advance(2999 * time.Millisecond)
	assert.Empty(t, events)
	clock.Advance(time.Millisecond)
	assert.Equal(t, carrier.Answered, (<-events).Kind)
}

func TestTheOutsideCanBePlayed(t *testing.T) {
	s := sim.New(clockwork.NewFakeClock(), "US", people)
	events := make(chan carrier.Event, 10)
	s.Handle(func(e carrier.Event) { events <- e })
	require.NoError(t, s.Dial(carrier.Dialing{Ref: "a", To: carriertest.RingsOn}))
	assert.Equal(t, carrier.Event{Ref: "a", Kind: carrier.Ringing}, <-events)
	assert.True(t, s.TheyAnswer(carriertest.RingsOn))
	assert.Equal(t, carrier.Event{Ref: "a", Kind: carrier.Answered}, <-events)
	assert.True(t, s.TheyEnd(carriertest.RingsOn, carrier.Lost))
	assert.Equal(t, carrier.Event{Ref: "a", Kind: carrier.Ended, Reason: carrier.Lost}, <-events)
	assert.False(t, s.TheyEnd(carriertest.RingsOn, carrier.Lost))
	assert.False(t, s.TheyAnswer("+14135550199"))
	assert.Empty(t, events)
}

func TestSomebodyPlaysTheOutside(t *testing.T) {
	s := sim.New(clockwork.NewFakeClock(), "US", people)
	events := make(chan carrier.Event, 10)
	s.Handle(func(e carrier.Event) { events <- e })
	s.Man(carriertest.Answers, true)
	require.NoError(t, s.Dial(carrier.Dialing{Ref: "a", To: carriertest.Answers, CallerID: "+14135550100"}))
	require.Equal(t, carrier.Ringing, (<-events).Kind)
	require.Equal(t, []sim.OutsideLeg{{Ref: "a", FromUs: true, From: "+14135550100", To: carriertest.Answers,
		Ringing: true}}, s.OutsideLegs())
	require.True(t, s.OutsideAnswers("a"))
	require.Equal(t, carrier.Answered, (<-events).Kind)
	require.False(t, s.OutsideAnswers("a"), "only once")
	require.True(t, s.OutsideHangsUp("a"))
	require.Equal(t, carrier.HungUp, (<-events).Reason)
	require.NoError(t, s.Dial(carrier.Dialing{Ref: "b", To: carriertest.Answers}))
	<-events
	require.True(t, s.OutsideHangsUp("b"))
	require.Equal(t, carrier.Declined, (<-events).Reason, "what only rang was declined")
	ref, err := s.CallIn("", "+14135550100")
	require.NoError(t, err)
	require.False(t, s.OutsideAnswers(ref), "that is ours to answer")
	s.Close()
	_, err = s.CallIn("", "+14135550100")
	require.ErrorIs(t, err, carrier.ErrClosed)
}
