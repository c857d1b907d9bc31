package switchboard_test

import (
	"log/slog"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jonboulle/clockwork"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/carrier"
	"trundo/internal/carrier/sim"
	"trundo/internal/core/call"
	"trundo/internal/media"
	"trundo/internal/switchboard"
)

// notebook is a listener that writes down what it hears.
type notebook struct {
	mu    sync.Mutex
	facts map[uuid.UUID][]call.Fact
	state map[uuid.UUID]call.State

	incoming []carrier.Ref
}

func (n *notebook) CallChanged(id uuid.UUID, facts []call.Fact, state call.State) {
	n.mu.Lock()
	defer n.mu.Unlock()
	n.facts[id] = append(n.facts[id], facts...)
	n.state[id] = state
}

func (n *notebook) Voices(uuid.UUID, []byte, []byte, map[int]int) {}

func (n *notebook) Keyed(uuid.UUID, string) {}

func (n *notebook) CallIncoming(ref carrier.Ref, _, _ string) {
	n.mu.Lock()
	defer n.mu.Unlock()
	n.incoming = append(n.incoming, ref)
}

func (n *notebook) of(id uuid.UUID) *call.State {
	n.mu.Lock()
	defer n.mu.Unlock()
	s := n.state[id]
	return &s
}

func newBoard(t *testing.T, behaviour sim.Behaviour) (*switchboard.Switchboard, *sim.Sim, *notebook) {
	t.Helper()
	n := &notebook{facts: map[uuid.UUID][]call.Fact{}, state: map[uuid.UUID]call.State{}}
	s := sim.New(clockwork.NewRealClock(), "US", func(string) sim.Behaviour { return behaviour })
	studio := media.NewStudio()
	t.Cleanup(studio.Close)
	return switchboard.New(s, studio, clockwork.NewRealClock(), n, slog.New(slog.DiscardHandler)), s, n
}

// place starts a call of ines to address.
func place(t *testing.T, b *switchboard.Switchboard, n *notebook, address string) uuid.UUID {
	t.Helper()
	id := uuid.New()
	var state call.State
	facts, effects, err := call.Decide(state, call.Place{By: "ines", Device: "browser", Address: address}, time.Now())
	require.NoError(t, err)
	for _, f := range facts {
		state = call.Evolve(state, f)
	}
	n.CallChanged(id, facts, state)
	b.Start(id, state, effects)
	return id
}

func eventually(t *testing.T, ok func() bool, what string) {
	t.Helper()
	require.Eventually(t, ok, 5*time.Second, time.Millisecond, what)
}

func TestACallIsDrivenFromTheDialToTheEnd(t *testing.T) {
	b, s, n := newBoard(t, sim.Behaviour{RingsOn: true})
	id := place(t, b, n, "+14135550142")
	eventually(t, func() bool { st, _ := b.Snapshot(id); return st.Phase() == call.PhaseRinging }, "ringing")
	require.True(t, s.TheyAnswer("+14135550142"))
	eventually(t, func() bool { st, _ := b.Snapshot(id); return st.Phase() == call.PhaseSpeaking }, "speaking")
	require.ErrorIs(t, b.HangUp(t.Context(), id, "tomas"), call.ErrNotThere)
	require.NoError(t, b.HangUp(t.Context(), id, "ines"))
	eventually(t, func() bool { return b.Count() == 0 }, "over")
	require.ErrorIs(t, b.HangUp(t.Context(), id, "ines"), call.ErrOver)
	assert.Equal(t, call.EndedByUs, n.of(id).Reason)
	assert.False(t, s.TheyEnd("+14135550142", carrier.HungUp), "the carrier was asked to end its leg")
	assert.Equal(t, *n.of(id), call.Replay(n.facts[id]), "the listener heard every fact, in order")
}

func TestWhatTheCarrierRefusesEndsAsRefused(t *testing.T) {
	b, _, n := newBoard(t, sim.Behaviour{})
	id := place(t, b, n, "911")
	eventually(t, func() bool { return n.of(id).Phase() == call.PhaseEnded }, "over")
	assert.Equal(t, call.Refused, n.of(id).Reason)
}

func TestManyCallsAtOnceDoNotDisturbEachOther(t *testing.T) {
	b, _, n := newBoard(t, sim.Behaviour{HangsUp: 5 * time.Millisecond})
	var group sync.WaitGroup
	ids := make([]uuid.UUID, 200)
	for i := range ids {
		group.Add(1)
		go func() {
			defer group.Done()
			ids[i] = place(t, b, n, "+14135550142")
			if i%3 == 0 {
				_ = b.HangUp(t.Context(), ids[i], "ines") // it may be over by now
			}
		}()
	}
	group.Wait()
	eventually(t, func() bool { return b.Count() == 0 }, "all over")
	for _, id := range ids {
		require.Equal(t, call.PhaseEnded, n.of(id).Phase())
		require.NoError(t, call.Check(*n.of(id)))
	}
}

func TestCloseEndsWhatIsLeftAsCutOff(t *testing.T) {
	b, _, n := newBoard(t, sim.Behaviour{RingsOn: true})
	id := place(t, b, n, "+14135550142")
	b.Close()
	assert.Equal(t, call.CutOff, n.of(id).Reason)
	assert.Zero(t, b.Count())
}

func TestEventsForNoCallOfOursAreLeftAlone(t *testing.T) {
	b, s, _ := newBoard(t, sim.Behaviour{})
	require.NoError(t, s.Dial(carrier.Dialing{Ref: "nonsense", To: "+14135550101"}))
	require.NoError(t, s.Dial(carrier.Dialing{Ref: carrier.Ref(uuid.NewString() + "/2"), To: "+14135550102"}))
	eventually(t, func() bool { return s.TheyEnd("+14135550102", carrier.HungUp) }, "the leg")
	assert.Zero(t, b.Count())
}

// takes makes the call of a leg that came in, and offers it to ines.
func takes(t *testing.T, b *switchboard.Switchboard, n *notebook, ref carrier.Ref) uuid.UUID {
	t.Helper()
	id := uuid.New()
	var state call.State
	facts, _, err := call.Decide(state, call.Arrive{From: "+14135550142", Line: "+14135550100"}, time.Now())
	require.NoError(t, err)
	for _, f := range facts {
		state = call.Evolve(state, f)
	}
	n.CallChanged(id, facts, state)
	b.Take(id, ref, state)
	return id
}

func TestACallThatComesInIsAnsweredHeldAndEnded(t *testing.T) {
	b, s, n := newBoard(t, sim.Behaviour{})
	ref, err := s.CallIn("+14135550142", "+14135550100")
	require.NoError(t, err)
	require.Equal(t, []carrier.Ref{carrier.Ref(ref)}, n.incoming)
	id := takes(t, b, n, carrier.Ref(ref))
	require.NoError(t, b.Do(t.Context(), id, call.Offer{To: []string{"ines", "tomas"}}))
	require.NoError(t, b.Do(t.Context(), id, call.Answer{By: "ines"}))
	require.ErrorIs(t, b.Do(t.Context(), id, call.Answer{By: "tomas"}), call.ErrTaken)
	eventually(t, func() bool { legs := s.OutsideLegs(); return len(legs) == 1 && legs[0].Answered },
		"the carrier answered")
	require.NoError(t, b.Do(t.Context(), id, call.Hold{By: "ines"}))
	require.True(t, s.OutsideHangsUp(ref))
	eventually(t, func() bool { return b.Count() == 0 }, "over")
	assert.Equal(t, call.EndedByThem, n.of(id).Reason)
	assert.Equal(t, *n.of(id), call.Replay(n.facts[id]))
}

func TestWhoHangsUpBeforeTheCallIsTakenOverIsNotForgotten(t *testing.T) {
	b, s, n := newBoard(t, sim.Behaviour{})
	ref, err := s.CallIn("", "+14135550100")
	require.NoError(t, err)
	require.True(t, s.OutsideHangsUp(ref))
	id := takes(t, b, n, carrier.Ref(ref))
	eventually(t, func() bool { return n.of(id).Phase() == call.PhaseEnded }, "over")
	assert.Equal(t, call.Abandoned, n.of(id).Reason)
	ref, err = s.CallIn("", "+14135550100")
	require.NoError(t, err)
	b.Refuse(carrier.Ref(ref))
	assert.Empty(t, s.OutsideLegs())
}
