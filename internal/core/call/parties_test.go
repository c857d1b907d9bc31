package call_test

import (
	"fmt"
	"slices"
	"sort"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/call"
)

// spoken is a call that ines speaks in with a customer, ten seconds after the start.
var spoken = []step{
	place,
	{5 * time.Second, call.CarrierRinging{Leg: 2}},
	{10 * time.Second, call.CarrierAnswered{Leg: 2}},
}

// then adds steps to a call, a second after each other.
func then(before []step, ins ...call.Input) []step {
	steps := slices.Clone(before)
	at := steps[len(steps)-1].after
	for _, in := range ins {
		at += time.Second
		steps = append(steps, step{at, in})
	}
	return steps
}

var (
	askTomas  = call.Ask{By: "ines", To: "tomas", Device: "browser", As: call.Consulted}
	giveTomas = call.Ask{By: "ines", To: "tomas", Device: "browser", As: call.Handed}
	askExpert = call.Ask{By: "ines", Address: "+14135550199", CallerID: "+14135550100", As: call.Consulted}
	tomasIn   = call.Answer{By: "tomas"}
	inesLeft  = call.HangUp{By: "ines"}
	tomasLeft = call.HangUp{By: "tomas"}
	hungUp    = call.CarrierEnded{Leg: 2, Reason: call.EndedByThem}
)

// who says who hears whom: "customer+ines tomas" are two who hear each other and one who hears nobody.
func who(s *call.State) string {
	name := func(l *call.Leg) string {
		switch {
		case l.User != "":
			return l.User
		case l.No <= 2:
			return "customer"
		}
		return "expert"
	}
	var groups []string
	in := map[call.LegNo]bool{}
	for i := range s.Legs {
		l := &s.Legs[i]
		if l.State != call.Up || in[l.No] {
			continue
		}
		group := []string{name(l)}
		for j := range s.Legs {
			if o := &s.Legs[j]; s.Hears(l.No, o.No) {
				group, in[o.No] = append(group, name(o)), true
			}
		}
		sort.Strings(group)
		groups = append(groups, strings.Join(group, "+"))
	}
	sort.Strings(groups)
	return strings.Join(groups, " ")
}

func TestWhoHearsWhom(t *testing.T) {
	consulting := then(spoken, askTomas, tomasIn)
	conference := then(consulting, call.Join{By: "ines"})
	for _, tt := range []struct {
		name  string
		steps []step
		want  string
	}{
		{"a call", spoken, "customer+ines"},
		{"who is asked rings, the customer waits", then(spoken, askTomas), "customer ines"},
		{"consulting", consulting, "customer ines+tomas"},
		{"back with the customer", then(consulting, call.Swap{By: "ines"}), "customer+ines tomas"},
		{"resume is the way back, too", then(consulting, call.Resume{By: "ines"}), "customer+ines tomas"},
		{"and with the colleague again", then(consulting, call.Swap{By: "ines"}, call.Swap{By: "ines"}),
			"customer ines+tomas"},
		{"back before they answer ends the ring", then(spoken, askTomas, call.Resume{By: "ines"}), "customer+ines"},
		{"they decline, and the customer waits until who asked is back", then(spoken, askTomas,
			call.Decline{By: "tomas"}),
			"customer ines"},
		{"back after a decline", then(spoken, askTomas, call.Decline{By: "tomas"}, call.Resume{By: "ines"}),
			"customer+ines"},
		{"they hang up after a consultation", then(consulting, tomasLeft), "customer ines"},
		{"dropped after a consultation, who asked is back", then(consulting, call.Drop{By: "ines", Leg: 3}),
			"customer+ines"},
		{"handed over", then(consulting, call.HandOver{By: "ines"}), "customer+tomas"},
		{"handed over while they speak with the customer", then(consulting, call.Swap{By: "ines"},
			call.HandOver{By: "ines"}),
			"customer+tomas"},
		{"handed over while it rings", then(spoken, askTomas, call.HandOver{By: "ines"}), "customer"},
		{"and then taken", then(spoken, askTomas, call.HandOver{By: "ines"}, tomasIn), "customer+tomas"},
		{"handed over unasked", then(spoken, giveTomas, tomasIn), "customer+tomas"},
		{"who leaves passes the consultation on", then(consulting, inesLeft), "customer+tomas"},
		{"joined", conference, "customer+ines+tomas"},
		{"one steps out, the others go on", then(conference, call.Hold{By: "ines"}), "customer+tomas ines"},
		{"and in again", then(conference, call.Hold{By: "ines"}, call.Resume{By: "ines"}), "customer+ines+tomas"},
		{"one leaves, the others go on", then(conference, inesLeft), "customer+tomas"},
		{"the customer leaves a conference", then(conference, hungUp), "ines+tomas"},
		{"the customer leaves while they wait", then(consulting, hungUp), "ines+tomas"},
		{"the customer leaves while the colleague waits", then(consulting, call.Swap{By: "ines"}, hungUp),
			"ines+tomas"},
		{"a second outside party", then(spoken, askExpert, call.CarrierAnswered{Leg: 3}), "customer expert+ines"},
		{"joined with them", then(spoken, askExpert, call.CarrierAnswered{Leg: 3}, call.Join{By: "ines"}),
			"customer+expert+ines"},
		{"handed to them", then(spoken, askExpert, call.CarrierAnswered{Leg: 3}, call.HandOver{By: "ines"}),
			"customer+expert"},
		{"one of three asks a fourth, two go on", then(conference, call.Ask{By: "ines", To: "odile",
			As: call.Consulted},
			call.Answer{By: "odile"}), "customer+tomas ines+odile"},
		{"parked", then(spoken, call.Park{By: "ines", Place: "1"}), "customer"},
		{"taken from where it was parked", then(spoken, call.Park{By: "ines", Place: "1"}, call.Take{By: "tomas"}),
			"customer+tomas"},
		{"left by a blind hand-over that nobody took, and rung back", then(spoken, giveTomas, call.Decline{By: "tomas"},
			call.Offer{To: []string{"ines"}, As: call.Returned}, call.Answer{By: "ines"}), "customer+ines"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			s, facts, _, err := run(t, tt.steps...)
			require.NoError(t, err)
			assert.Equal(t, tt.want, who(&s))
			assert.Equal(t, s, call.Replay(facts))
		})
	}
}

func TestWhatEndsACallOfMore(t *testing.T) {
	consulting := then(spoken, askTomas, tomasIn)
	for name, tt := range map[string]struct {
		steps  []step
		ends   bool
		reason call.Reason
	}{
		"the customer leaves while somebody is rung for a consultation": {then(spoken, askTomas, hungUp), true,
			call.EndedByThem},
		"the customer leaves while it rings who is to take over": {then(spoken, giveTomas, hungUp), true,
			call.EndedByThem},
		"the last rep leaves": {then(consulting, inesLeft, tomasLeft), true, call.EndedByUs},
		"who asks an outside party leaves": {then(spoken, askExpert, call.CarrierAnswered{Leg: 3}, inesLeft),
			true, call.EndedByUs},
		"two colleagues whom the customer left": {then(consulting, hungUp, inesLeft), true, call.EndedByUs},
		"nobody takes what was handed over":     {then(spoken, giveTomas, call.Withdraw{From: "tomas"}), false, ""},
		"an outside party does not answer": {then(spoken, askExpert, call.HandOver{By: "ines"},
			call.CarrierEnded{Leg: 3, Reason: call.Busy}), false, ""},
		"the one to whom it was handed hangs up": {then(spoken, askExpert, call.CarrierAnswered{Leg: 3},
			call.HandOver{By: "ines"}, call.CarrierEnded{Leg: 3, Reason: call.EndedByThem}), true, call.EndedByThem},
		"parked, and they hang up": {then(spoken, call.Park{By: "ines", Place: "1"}, hungUp), true,
			call.EndedByThem},
	} {
		t.Run(name, func(t *testing.T) {
			s, _, _, err := run(t, tt.steps...)
			require.NoError(t, err)
			assert.Equal(t, tt.ends, !s.Ended.IsZero())
			assert.Equal(t, tt.reason, s.Reason)
			if !tt.ends {
				assert.True(t, s.Left())
				assert.Equal(t, []string{"ines"}, s.Responsible())
			}
		})
	}
}

func TestWhatCannotBeDoneInACallOfMore(t *testing.T) {
	consulting := then(spoken, askTomas, tomasIn)
	for name, tt := range map[string]struct {
		steps []step
		want  error
	}{
		"asking before the answer": {[]step{place, {1, askTomas}}, call.ErrNoSpeech},
		"asking oneself": {then(spoken, call.Ask{By: "ines", To: "ines", As: call.Consulted}),
			call.ErrInIt},
		"asking two at once": {then(consulting, askExpert), call.ErrAsking},
		"asking the customer": {then(spoken, call.Ask{By: "ines", Address: "+14135550142",
			As: call.Consulted}), call.ErrInIt},
		"swapping with nobody":         {then(spoken, call.Swap{By: "ines"}), call.ErrNotAsking},
		"swapping before the answer":   {then(spoken, askTomas, call.Swap{By: "ines"}), call.ErrNoSpeech},
		"joining before the answer":    {then(spoken, askTomas, call.Join{By: "ines"}), call.ErrNoSpeech},
		"handing over to nobody":       {then(spoken, call.HandOver{By: "ines"}), call.ErrNotAsking},
		"who is asked decides nothing": {then(consulting, call.Hold{By: "tomas"}), call.ErrConsulted},
		"dropping oneself":             {then(consulting, call.Drop{By: "ines", Leg: 1}), call.ErrNotThere},
		"dropping a colleague of others": {then(consulting, call.Join{By: "ines"}, call.Drop{By: "tomas",
			Leg: 1}), call.ErrNotYours},
		"parking while asking": {then(consulting, call.Park{By: "ines", Place: "1"}), call.ErrAsking},
		"parking with company": {then(consulting, call.Join{By: "ines"}, call.Park{By: "ines",
			Place: "1"}), call.ErrCompany},
		"taking what somebody speaks in": {then(spoken, call.Take{By: "tomas"}), call.ErrNotInbound},
		"listening to who is in no call": {then(spoken, call.Listen{By: "odile", To: "tomas",
			As: call.Listening}), call.ErrNobodySpeaks},
		"listening to oneself": {then(spoken, call.Listen{By: "ines", To: "ines",
			As: call.Listening}), call.ErrListening},
		"a prepared message with company": {then(consulting, call.LeavePrepared{By: "ines", Name: "x"}),
			call.ErrCompany},
		"stepping in without having listened": {then(spoken, call.StepIn{By: "odile"}), call.ErrNotThere},
	} {
		t.Run(name, func(t *testing.T) {
			_, _, _, err := run(t, tt.steps...)
			assert.ErrorIs(t, err, tt.want)
		})
	}
	full := spoken
	for i := range call.MostParties - 2 {
		user := fmt.Sprintf("rep%d", i)
		full = then(
			full,
			call.Ask{By: "ines", To: user, As: call.Consulted},
			call.Answer{By: user},
			call.Join{By: "ines"},
		)
	}
	_, _, _, err := run(t, full...)
	require.NoError(t, err, "eight are enough")
	_, _, _, err = run(t, then(full, askTomas)...)
	assert.ErrorIs(t, err, call.ErrFull)
}

func TestListening(t *testing.T) {
	listens := then(spoken, call.Listen{By: "odile", To: "ines", As: call.Listening})
	s, _, _, err := run(t, listens...)
	require.NoError(t, err)
	hears := func(s *call.State, pairs string) {
		t.Helper()
		var got []string
		for _, a := range []call.LegNo{1, 2, 3} {
			for _, b := range []call.LegNo{1, 2, 3} {
				if s.Hears(a, b) {
					got = append(got, fmt.Sprintf("%d<%d", a, b))
				}
			}
		}
		assert.Equal(t, pairs, strings.Join(got, " "))
	}
	hears(&s, "1<2 2<1 3<1 3<2")
	assert.Equal(t, map[string]call.Role{"odile": call.Listening}, s.ListenersOf("ines"))
	s, _, _, err = run(t, then(listens, call.Listen{By: "odile", To: "ines", As: call.Whispering})...)
	require.NoError(t, err)
	hears(&s, "1<2 1<3 2<1 3<1 3<2")
	s, _, _, err = run(t, then(listens, call.StepIn{By: "odile"})...)
	require.NoError(t, err)
	assert.Equal(t, "customer+ines+odile", who(&s))
	s, _, _, err = run(t, then(listens, call.HangUp{By: "odile"})...)
	require.NoError(t, err)
	hears(&s, "1<2 2<1")
	s, _, _, err = run(t, then(listens, inesLeft)...)
	require.NoError(t, err)
	assert.Equal(t, call.Ended, s.Leg(3).State, "with the conversation the listening ends")
	s, _, _, err = run(t, then(listens, askTomas, tomasIn, call.HandOver{By: "ines"})...)
	require.NoError(t, err)
	assert.Equal(t, call.LegNo(4), s.Leg(3).For, "who listened goes on with who took over")
}

func TestTimesOfALeg(t *testing.T) {
	const sec = time.Second
	// 10 s answered; 20 asked; 25 Tomas answers; 45 swap; 50 joined; 60 ines leaves; 70 tomas hangs up.
	steps := append(
		slices.Clone(spoken),
		step{20 * sec, askTomas},
		step{25 * sec, tomasIn},
		step{45 * sec, call.Swap{By: "ines"}},
		step{50 * sec, call.Join{By: "ines"}},
		step{60 * sec, inesLeft},
		step{70 * sec, tomasLeft},
	)
	s, _, _, err := run(t, steps...)
	require.NoError(t, err)
	assert.Equal(
		t,
		call.Times{Talk: 15 * sec, Consult: 20 * sec, Conference: 10 * sec, Hold: 15 * sec},
		s.TimesOf(1, s.Last),
		"ines waited for the answer of the call, and of Tomas",
	)
	assert.Equal(t, call.Times{Talk: 25 * sec, Conference: 10 * sec, Hold: 25 * sec}, s.TimesOf(2, s.Last))
	assert.Equal(
		t,
		call.Times{Talk: 10 * sec, Consult: 20 * sec, Conference: 10 * sec, Hold: 5 * sec},
		s.TimesOf(3, s.Last),
	)
	assert.Zero(t, s.TimesOf(9, s.Last))
}

func TestAWordBeforeDeclining(t *testing.T) {
	s, _, _, err := run(
		t,
		then(spoken, askTomas, call.Say{By: "tomas", Word: "in five minutes"}, call.Decline{By: "tomas"})...)
	require.NoError(t, err)
	assert.Equal(t, "in five minutes", s.Leg(3).Answer)
	assert.Equal(t, call.Declined, s.Leg(3).Reason)
	_, _, _, err = run(t, then(spoken, call.Say{By: "tomas", Word: "x"})...)
	assert.ErrorIs(t, err, call.ErrNoRing)
}

// slowBridges is who is on which bridge, from the facts alone.
func slowBridges(facts []call.Fact) map[call.LegNo]call.BridgeNo {
	on := map[call.LegNo]call.BridgeNo{}
	for _, f := range facts {
		switch f.Kind {
		case call.Bridged:
			on[f.Leg] = f.Bridge
		case call.LegEnded:
			delete(on, f.Leg)
		case call.Held:
			if f.Leg == 0 {
				clear(on)
			}
			delete(on, f.Leg)
		}
	}
	return on
}

// FuzzParties plays any sequence of what three reps, four outside parties, somebody who leads, machines and faults can do
// to a call. Two bytes make a step: what is done, and by or to whom.
func FuzzParties(f *testing.F) {
	f.Add([]byte{0, 0, 3, 1, 10, 0, 7, 1, 11, 0, 11, 0, 12, 0, 2, 0})
	f.Add([]byte{0, 0, 3, 1, 10, 4, 7, 1, 13, 0, 4, 1})
	f.Add([]byte{1, 0, 5, 3, 7, 0, 10, 16, 3, 2, 12, 0, 14, 2})
	f.Add([]byte{0, 0, 3, 1, 15, 0, 16, 1, 17, 2, 17, 6, 18, 2, 2, 0})
	f.Add([]byte{0, 0, 3, 1, 10, 8, 8, 1, 5, 0, 7, 0, 6, 0})
	f.Add([]byte{1, 0, 32, 0, 5, 2, 7, 1, 15, 0, 32, 0, 33, 0, 3, 4, 2, 0})
	f.Add([]byte{1, 0, 32, 0, 33, 0, 3, 2, 4, 0, 36, 0})
	users := []string{"ines", "tomas", "odile"}
	f.Fuzz(func(t *testing.T, script []byte) {
		var s call.State
		var facts []call.Fact
		at := start
		for i := 0; i+1 < len(script); i += 2 {
			at = at.Add(time.Duration(script[i]%7) * time.Second)
			n := int(script[i+1])
			by, to, leg := users[n%3], users[n/3%3], call.LegNo(n%8)
			address := ""
			if n&16 != 0 {
				to, address = "", fmt.Sprintf("+1413555019%d", n%4)
			}
			as := []call.Role{call.Consulted, call.Handed}[n/32%2]
			in := []call.Input{place.in, call.Arrive{From: "+14135550142", Line: "+14135550100"}, call.HangUp{By: by},
				call.CarrierAnswered{Leg: leg + 1}, call.CarrierEnded{Leg: leg + 1, Reason: call.EndedByThem},
				call.Offer{To: users[:1+n%3], As: []call.Role{"", call.Returned}[n/4%2]}, call.Hold{By: by},
				call.Answer{By: by},
				call.Decline{By: by}, call.Resume{By: by}, call.Ask{By: by, To: to, Address: address, As: as},
				call.Swap{By: by}, call.Join{By: by}, call.HandOver{By: by}, call.Drop{By: by, Leg: leg},
				call.Park{By: by, Place: "1"}, call.Take{By: by},
				call.Listen{By: "lene", To: by, As: []call.Role{call.Listening, call.Whispering}[n/4%2]},
				call.StepIn{By: "lene"},
				call.HangUp{By: "lene"}, call.PlaceInternal{By: by, To: to}, call.MachineTakes{Device: call.Voicemail},
				call.MachineEnds{}, call.LeavePrepared{By: by, Name: "x"}, call.Mute{By: by, On: n&8 != 0},
				call.Withdraw{From: by}, call.Lost{}, call.Beep{}, call.Press{By: by, Digits: "1"}, call.Miss{},
				call.Adopt{By: by, Addresses: []string{"+14135550177"}}, call.MergeInto{By: by, Call: "other"},
				call.Attend{}, call.Forward{Address: "+14135550188"}, call.Unforward{}, call.Serve{},
				call.Conclude{Reason: call.CallbackTaken}, call.Unattend{}, call.HangUp{By: by, Survey: true},
			}[int(script[i])%39]
			more, effects, err := call.Decide(s, in, at)
			if err != nil {
				require.Empty(t, more)
				require.Empty(t, effects)
			}
			for _, fact := range more {
				s = call.Evolve(s, fact)
			}
			facts = append(facts, more...)
			require.NoError(t, call.Check(s), "%T%+v", in, in)
			require.Equal(t, s, call.Replay(facts))
			on := slowBridges(facts)
			for a := range s.Legs {
				for b := range s.Legs {
					x, y := &s.Legs[a], &s.Legs[b]
					if x.Party == call.Observer || y.Party == call.Observer || x.No == y.No {
						continue
					}
					want := on[x.No] != 0 && on[x.No] == on[y.No] && !y.Muted
					require.Equal(t, want, s.Hears(x.No, y.No), "%d hears %d", x.No, y.No)
					if x.Party == call.Outside && y.As == call.Consulted && x.As != call.Consulted {
						require.False(t, want, "the customer hears a consultation")
					}
				}
			}
		}
	})
}
