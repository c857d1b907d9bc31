package call_test

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/call"
	"trundo/internal/core/slip"
)

var start = time.Date(2026, 3, 2, 15, 0, 0, 0, time.UTC)

// step is an input some seconds after the start.
type step struct {
	after time.Duration
	in    call.Input
}

var place = step{0, call.Place{By: "ines", Device: "browser", Address: "+14135550142", CallerID: "+14135550100"}}

// run plays steps and checks the invariants after each; it stops at the first error.
func run(t require.TestingT, steps ...step) (call.State, []call.Fact, []call.Effect, error) {
	var (
		s       call.State
		facts   []call.Fact
		effects []call.Effect
	)
	for _, st := range steps {
		f, e, err := call.Decide(s, st.in, start.Add(st.after))
		if err != nil {
			return s, facts, effects, err
		}
		for _, fact := range f {
			s = call.Evolve(s, fact)
		}
		require.NoError(t, call.Check(s))
		facts, effects = append(facts, f...), append(effects, e...)
	}
	return s, facts, effects, nil
}

func TestEveryEndOfACall(t *testing.T) {
	const s = time.Second
	ringing := step{2 * s, call.CarrierRinging{Leg: 2}}
	answered := step{9 * s, call.CarrierAnswered{Leg: 2}}
	ended := func(after time.Duration, r call.Reason) step {
		return step{after, call.CarrierEnded{Leg: 2, Reason: r}}
	}
	tests := []struct {
		name   string
		steps  []step
		reason call.Reason
		parts  call.Parts
	}{
		{"we hang up after talking", []step{ringing, answered, {60 * s, call.HangUp{By: "ines"}}},
			call.EndedByUs, call.Parts{Dialing: 2 * s, Ringing: 7 * s, Talking: 51 * s}},
		{"they hang up after talking", []step{ringing, answered, ended(30*s, call.EndedByThem)},
			call.EndedByThem, call.Parts{Dialing: 2 * s, Ringing: 7 * s, Talking: 21 * s}},
		{"the connection is lost while talking", []step{ringing, answered, ended(30*s, call.CutOff)},
			call.CutOff, call.Parts{Dialing: 2 * s, Ringing: 7 * s, Talking: 21 * s}},
		{"answered without a ring", []step{answered, ended(30*s, call.EndedByThem)},
			call.EndedByThem, call.Parts{Dialing: 9 * s, Talking: 21 * s}},
		{"given up while it rings", []step{ringing, {12 * s, call.HangUp{By: "ines"}}},
			call.GivenUp, call.Parts{Dialing: 2 * s, Ringing: 10 * s}},
		{"given up before it rings", []step{{1 * s, call.HangUp{By: "ines"}}},
			call.GivenUp, call.Parts{Dialing: 1 * s}},
		{"busy", []step{ended(1*s, call.Busy)}, call.Busy, call.Parts{Dialing: 1 * s}},
		{"no answer", []step{ringing, ended(32*s, call.NoAnswer)}, call.NoAnswer,
			call.Parts{Dialing: 2 * s, Ringing: 30 * s}},
		{"declined", []step{ringing, ended(6*s, call.Declined)}, call.Declined,
			call.Parts{Dialing: 2 * s, Ringing: 4 * s}},
		{"a hang-up before an answer is a decline", []step{ringing, ended(6*s, call.EndedByThem)}, call.Declined,
			call.Parts{Dialing: 2 * s, Ringing: 4 * s}},
		{"out of service", []step{ended(1*s, call.OutOfService)}, call.OutOfService, call.Parts{Dialing: 1 * s}},
		{"refused by the carrier", []step{ended(0, call.Refused)}, call.Refused, call.Parts{}},
		{"the server is lost", []step{ringing, answered, {20 * s, call.Lost{}}}, call.CutOff,
			call.Parts{Dialing: 2 * s, Ringing: 7 * s, Talking: 11 * s}},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			state, facts, _, err := run(t, append([]step{place}, tt.steps...)...)
			require.NoError(t, err)
			assert.Equal(t, call.PhaseEnded, state.Phase())
			assert.Equal(t, tt.reason, state.Reason)
			assert.Equal(t, tt.parts, state.PartsAt(start.Add(time.Hour)))
			assert.Equal(t, state, call.Replay(facts), "the state is the fold of its facts")
			assert.True(t, state.HasLeft("ines"))
		})
	}
}

func TestWhatTheCarrierIsAsked(t *testing.T) {
	_, _, effects, err := run(t, place, step{time.Second, call.HangUp{By: "ines"}})
	require.NoError(t, err)
	assert.Equal(t, []call.Effect{
		call.Dial{Leg: 2, Address: "+14135550142", CallerID: "+14135550100"},
		call.Release{Leg: 2},
	}, effects)
}

func TestAnEventForACallThatHasEndedChangesNothing(t *testing.T) {
	s, _, _, err := run(t, place, step{time.Second, call.CarrierEnded{Leg: 2, Reason: call.Busy}})
	require.NoError(t, err)
	for _, in := range []call.Input{call.CarrierRinging{Leg: 2}, call.CarrierAnswered{Leg: 2},
		call.CarrierEnded{Leg: 2, Reason: call.NoAnswer}, call.CarrierAnswered{Leg: 7}, call.Lost{}} {
		facts, effects, err := call.Decide(s, in, start.Add(time.Minute))
		require.NoError(t, err)
		assert.Empty(t, facts)
		assert.Empty(t, effects)
	}
}

func TestCommandsThatCannotBeCarriedOut(t *testing.T) {
	_, _, _, err := run(t, step{0, call.HangUp{By: "ines"}})
	assert.ErrorIs(t, err, call.ErrNoCall)
	_, _, _, err = run(t, place, step{1, call.HangUp{By: "tomas"}})
	assert.ErrorIs(t, err, call.ErrNotThere)
	_, _, _, err = run(t, place, step{1, call.HangUp{By: "ines"}}, step{2, call.HangUp{By: "ines"}})
	assert.ErrorIs(t, err, call.ErrOver)
	_, _, _, err = run(t, place, place)
	assert.ErrorIs(t, err, call.ErrPlaced)
}

func TestTimesThatRunBackwardsAreHeldBack(t *testing.T) {
	s, facts, _, err := run(t, place, step{5 * time.Second, call.CarrierRinging{Leg: 2}},
		step{3 * time.Second, call.CarrierAnswered{Leg: 2}})
	require.NoError(t, err)
	assert.Equal(t, start.Add(5*time.Second), s.Answered())
	for i, f := range facts {
		assert.Equal(t, i+1, f.Seq)
	}
}

func TestCheckFindsWhatIsBroken(t *testing.T) {
	good, _, _, err := run(t, place, step{1, call.CarrierAnswered{Leg: 2}}, step{2, call.HangUp{By: "ines"}})
	require.NoError(t, err)
	breakIt := map[string]func(*call.State){
		"two stories about the end":    func(s *call.State) { s.Reason = "" },
		"a leg that outlives its call": func(s *call.State) { s.Legs[1].State = call.Up; s.Legs[1].Ended = time.Time{}; s.Legs[1].Reason = "" },
		"an answer before the start":   func(s *call.State) { s.Legs[1].Answered = start.Add(-time.Second) },
		"a span left open":             func(s *call.State) { s.Legs[1].Spans[0].To = time.Time{} },
	}
	for name, hurt := range breakIt {
		s := good
		s.Legs = append([]call.Leg(nil), good.Legs...)
		for i := range s.Legs {
			s.Legs[i].Spans = append([]call.Span(nil), good.Legs[i].Spans...)
		}
		hurt(&s)
		assert.Error(t, call.Check(s), name)
	}
}

// FuzzCall plays any sequence of commands and carrier events, at any times, and a filing after each.
// Two bytes make a step: what, and how many quarter seconds after the last (the high bit: before it).
func FuzzCall(f *testing.F) {
	f.Add([]byte{0, 0, 2, 8, 3, 20, 1, 100})
	f.Add([]byte{0, 0, 3, 1, 6, 5, 3, 1, 1, 1})
	f.Add([]byte{8, 0, 25, 1, 10, 20, 14, 4, 15, 4, 1, 9})
	f.Add([]byte{8, 0, 9, 1, 11, 20, 25, 4, 12, 4, 13, 9})
	f.Add([]byte{0, 0, 2, 200, 9, 3, 7, 4, 0, 0})
	f.Add([]byte{8, 0, 9, 1, 16, 20, 17, 40, 44, 40, 18, 9})
	f.Add([]byte{22, 0, 33, 20, 19, 4, 20, 4, 14, 4, 15, 4, 1, 9})
	f.Add([]byte{22, 0, 16, 80, 17, 20, 1, 40})
	reasons := []call.Reason{call.Busy, call.NoAnswer, call.Declined, call.OutOfService, call.EndedByThem, call.CutOff,
		"made up", call.EndedByUs}
	f.Fuzz(func(t *testing.T, script []byte) {
		var (
			s     call.State
			facts []call.Fact
			at    = start
			filed bool
		)
		for i := 0; i+1 < len(script); i += 2 {
			gap := time.Duration(script[i+1]&0x7f) * 250 * time.Millisecond
			if script[i+1]&0x80 != 0 {
				gap = -gap
			}
			at = at.Add(gap)
			var in call.Input
			users := []string{"ines", "tomas"}
			switch what := script[i]; what % 25 {
			case 0:
				in = place.in
			case 1:
				in = call.HangUp{By: "ines"}
			case 2:
				in = call.CarrierRinging{Leg: call.LegNo(what/23) % 4}
			case 3:
				in = call.CarrierAnswered{Leg: 2}
			case 4:
				in = call.CarrierEnded{Leg: 2, Reason: reasons[int(what/23)%len(reasons)]}
			case 5:
				in = call.HangUp{By: "tomas"}
			case 6:
				in = call.Lost{}
			case 7:
				in = call.CarrierAnswered{Leg: call.LegNo(what/23) % 4}
			case 8:
				in = call.Arrive{From: "+14135550142", Line: "+14135550100"}
			case 9:
				in = call.Offer{To: users[:1+what/23%2], Device: "browser"}
			case 10:
				in = call.Answer{By: users[what/23%2]}
			case 11:
				in = call.Decline{By: users[what/23%2]}
			case 12:
				in = call.Withdraw{From: users[what/23%2]}
			case 13:
				in = call.Miss{}
			case 14:
				in = call.Hold{By: users[what/23%2]}
			case 15:
				in = call.Resume{By: users[what/23%2]}
			case 16:
				in = call.MachineTakes{Device: []string{call.Voicemail, call.Announcement}[what/23%2],
					By: []string{"", "ines"}[what/46%2]}
			case 17:
				in = call.Beep{}
			case 18:
				in = call.MachineEnds{}
			case 19:
				in = call.Mute{By: users[what/23%2], On: what/46%2 == 0}
			case 20:
				in = call.Press{By: users[what/23%2], Digits: "12#"}
			case 21:
				in = call.CarrierDigits{Leg: call.LegNo(what/23) % 4, Digits: []string{"7", "#", "x"}[what/92%3]}
			case 23:
				in = call.LeavePrepared{By: users[what/23%2], Name: "after the show"}
			case 24:
				in = call.PreparedEnds{}
			case 22:
				in = call.PlaceInternal{By: "ines", To: "tomas", Device: "browser"}
			}
			before := s
			more, effects, err := call.Decide(s, in, at)
			if err != nil {
				require.Empty(t, more)
				require.Empty(t, effects)
			}
			for _, fact := range more {
				require.Equal(t, s.Seq+1, fact.Seq)
				require.False(t, fact.At.Before(s.Last))
				s = call.Evolve(s, fact)
			}
			if !before.Ended.IsZero() {
				require.Equal(t, before, s, "nothing follows the end")
			}
			require.NoError(t, call.Check(s))
			facts = append(facts, more...)
			require.Equal(t, s, call.Replay(facts))
			if slip.CanFile(slip.Slip{State: slip.Open, User: "ines"}, &s, slip.Rules{}) == nil &&
				slices.Contains(s.Takers(), "ines") {
				filed = true
			}
			require.True(t, !filed || s.HasLeft("ines"), "a filed slip's rep has left the call")
		}
		ends := 0
		for _, fact := range facts {
			if fact.Kind == call.CallEnded {
				ends++
			}
		}
		require.LessOrEqual(t, ends, 1)
	})
}

func ExampleDecide() {
	var s call.State
	for i, in := range []call.Input{
		call.Place{By: "ines", Device: "browser", Address: "+14135550142"},
		call.CarrierRinging{Leg: 2}, call.CarrierAnswered{Leg: 2}, call.HangUp{By: "ines"},
	} {
		facts, _, _ := call.Decide(s, in, start.Add(time.Duration(i)*10*time.Second))
		for _, f := range facts {
			s = call.Evolve(s, f)
		}
		fmt.Println(s.Phase(), s.PartsAt(s.Last))
	}
	// Output:
	// dialing {0s 0s 0s 0s}
	// ringing {10s 0s 0s 0s}
	// speaking {10s 10s 0s 0s}
	// ended {10s 10s 10s 0s}
}
