package desk_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/desk/firm"
)

const secondNumber = "+14135550119"

// takesSecond lets somebody call in whom ines answers beside the call that she is in.
func (w *world) takesSecond() contract.Call {
	w.t.Helper()
	w.comesIn(secondNumber)
	ring := w.rung(w.ines)
	c, err := w.Arrivals.AnswerCall(w.t.Context(), w.ines, ring.CallID)
	require.NoError(w.t, err)
	return c
}

func TestASecondCallIsJoinedToTheFirstAndBothHistoriesSaySo(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	first := w.speaks()
	second := w.takesSecond()
	_, err := w.Calls.Parties.JoinCalls(t.Context(), w.ines, first.ID, first.ID)
	require.ErrorIs(t, err, call.ErrSameCall)
	_, err = w.Calls.Parties.JoinCalls(t.Context(), w.tomas, first.ID, second.ID)
	require.ErrorIs(t, err, call.ErrNotThere)
	c, err := w.Calls.Parties.JoinCalls(t.Context(), w.ines, first.ID, second.ID)
	require.NoError(t, err)
	require.NotNil(t, c.State.Parties)
	heard := 0
	for _, p := range *c.State.Parties {
		if p.HearsMe {
			heard++
		}
	}
	assert.Equal(t, 2, heard, "both hear her")
	w.until("the second is over", func() bool { return w.page(second.ID).Call.State.Phase == contract.PhaseEnded })
	assert.Equal(t, "merged", w.page(second.ID).Call.State.EndReason)
	var into string
	require.NoError(
		t,
		w.store.Pool.QueryRow(t.Context(), `SELECT joined_into FROM calls WHERE id = $1`, second.ID).Scan(&into),
	)
	assert.Equal(t, first.ID.String(), into)
	assert.Contains(t, factTexts(w.page(first.ID)), "ines joined another call")
	// The party that came over leaves by itself, and the first goes on; its leg is the carrier's of before.
	require.Equal(t, 1, w.Calls.CallsInProgress())
	for _, l := range w.sim.OutsideLegs() {
		if l.From == secondNumber {
			require.True(t, w.sim.OutsideHangsUp(l.Ref))
		}
	}
	w.until("one is left", func() bool {
		view, err := w.Calls.CallView(t.Context(), w.ines, first.ID)
		require.NoError(t, err)
		heard := 0
		for _, p := range *view.State.Parties {
			if p.HearsMe {
				heard++
			}
		}
		return heard == 1
	})
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, first.ID))
	w.ended(first.ID)
	desk, err := w.Calls.MyDesk(t.Context(), w.ines)
	require.NoError(t, err)
	assert.Len(t, desk.Calls, 2, "each has its slip")
}

func TestACallIsGivenToALineOrAVoicemail(t *testing.T) {
	w := newWorld(t)
	w.sits(w.tomas)
	lines, err := w.Lines.Lines(t.Context(), w.admin())
	require.NoError(t, err)
	c := w.speaks()
	give := func(r contract.Ask) error {
		r.As = contract.AskAsHanded
		_, err := w.Calls.Parties.Ask(t.Context(), w.ines, c.ID, r)
		return err
	}
	var field *firm.FieldError
	require.ErrorAs(t, give(contract.Ask{LineID: &w.berit}), &field)
	require.ErrorAs(t, give(contract.Ask{VoicemailOf: &w.berit}), &field)
	_, err = w.Calls.Parties.Ask(
		t.Context(),
		w.ines,
		c.ID,
		contract.Ask{As: contract.AskAsConsult, LineID: &lines[0].ID},
	)
	require.ErrorAs(t, err, &field)
	w.line(func(l *contract.FirmLine) { l.Hours = "Sun 01:00-02:00" })
	require.ErrorContains(t, give(contract.Ask{LineID: &lines[0].ID}), "is closed now")
	w.line(func(l *contract.FirmLine) { l.Hours = "" })
	require.NoError(t, give(contract.Ask{LineID: &lines[0].ID}))
	ring := w.rung(w.tomas)
	_, err = w.Arrivals.AnswerCall(t.Context(), w.tomas, ring.CallID)
	require.NoError(t, err)
	assert.True(t, w.party(w.tomas, c.ID, "").HearsMe)

	_, err = w.Calls.Parties.Ask(
		t.Context(),
		w.tomas,
		c.ID,
		contract.Ask{As: contract.AskAsHanded, VoicemailOf: &w.odile.ID},
	)
	require.NoError(t, err)
	w.until("it is her voicemail's", func() bool { return w.Calls.PhaseOf(c.ID) == call.PhaseMessage })
}

func TestWhoLeadsIsAskedForHelp(t *testing.T) {
	w := newWorld(t)
	c := w.speaks()
	helps := func(a firm.Actor) bool {
		waiting, err := w.Calls.Parties.Waiting(t.Context(), a)
		require.NoError(t, err)
		return len(waiting) == 1 && waiting[0].Help && waiting[0].By == "ines"
	}
	require.ErrorIs(t, w.Calls.Parties.AskForHelp(w.tomas, c.ID, true), call.ErrNotThere)
	require.NoError(t, w.Calls.Parties.AskForHelp(w.ines, c.ID, true))
	assert.True(t, helps(w.odile))
	assert.False(t, helps(w.tomas), "who may not listen")
	require.NoError(
		t,
		w.Calls.Parties.Listen(t.Context(), w.odile, c.ID, contract.Listening{How: contract.ListeningHowListen}),
	)
	assert.False(t, helps(w.odile), "somebody came")
}

func TestWhoComesToACallCanBeMuted(t *testing.T) {
	w := newWorld(t)
	c := w.speaks()
	_, err := w.Calls.Parties.Ask(
		t.Context(),
		w.ines,
		c.ID,
		contract.Ask{As: contract.AskAsConsult, NumberID: &w.office},
	)
	require.NoError(t, err)
	w.passes("the office answers", func() bool {
		return w.sim.TheyAnswer("+14135550119;ext=12") &&
			w.party(w.ines, c.ID, "Berit Osterlund").State == contract.PartyStateSpeaking
	})
	leg := w.party(w.ines, c.ID, "Berit Osterlund").Leg
	require.NoError(t, w.Calls.Parties.Mute(t.Context(), w.ines, c.ID, leg, true))
	assert.True(t, w.party(w.ines, c.ID, "Berit Osterlund").Muted)
	require.ErrorIs(t, w.Calls.Parties.Mute(t.Context(), w.ines, c.ID, leg, true), call.ErrMuted)
	require.ErrorIs(t, w.Calls.Parties.Mute(t.Context(), w.tomas, c.ID, leg, false), call.ErrNotThere)
	require.NoError(t, w.Calls.Parties.Mute(t.Context(), w.ines, c.ID, leg, false))
}

func TestOneIsToldWhenAColleagueIsFree(t *testing.T) {
	w := newWorld(t)
	told := w.Hub.Subscribe(w.ines.ID, "", 0)
	t.Cleanup(told.Close)
	w.Calls.Team.Watch(w.ines, w.tomas.ID)
	w.sits(w.tomas)
	w.passes("it is told", func() bool {
		for {
			select {
			case e := <-told.Events():
				if e.Kind == contract.LiveEventKindFree {
					return e.Colleague.Name == "tomas"
				}
			default:
				return false
			}
		}
	})
}

func TestACallOfMoreThatACrashCutsOffHasItsSlips(t *testing.T) {
	w := newWorld(t)
	w.sits(w.tomas)
	c := w.speaks()
	w.types(w.ines, c, "The pump leaks")
	w.asks(c.ID, w.tomas, contract.AskAsConsult, "")
	w.rung(w.tomas)
	_, err := w.Arrivals.AnswerCall(t.Context(), w.tomas, c.ID)
	require.NoError(t, err)
	require.NoError(t, w.Calls.Journal.Flush(t.Context()))
	w.Desk.Close()
	w.open()
	page := w.page(c.ID)
	assert.Equal(t, contract.PhaseEnded, page.Call.State.Phase)
	assert.Equal(t, "The pump leaks", page.Call.Slip.Notes.Body)
	desk, err := w.Calls.MyDesk(t.Context(), w.ines)
	require.NoError(t, err)
	assert.Len(t, desk.Calls, 1)
}

func TestATelephoneWithoutAScreenDoesItByKeys(t *testing.T) {
	w := newWorld(t)
	w.sits(w.tomas)
	w.telephone(contract.Telephone{})
	e, err := w.Telephones.DialIn(t.Context(), w.ines)
	require.NoError(t, err)
	ref, err := w.sim.CallIn(ownNumber, mainNumber)
	require.NoError(t, err)
	w.until("a machine answers", func() bool { return w.sim.OutsidePresses(ref, e.Code) })
	w.telephoneIs(contract.TelephoneStateUp)
	c := w.speaks()
	require.True(t, w.sim.OutsidePresses(ref, "*1"))
	onHold := func(on bool) func() bool {
		return func() bool {
			view, err := w.Calls.CallView(t.Context(), w.ines, c.ID)
			return err == nil && view.State.OnHold == on
		}
	}
	w.until("on hold", onHold(true))
	require.True(t, w.sim.OutsidePresses(ref, "*"))
	require.True(t, w.sim.OutsidePresses(ref, "1"))
	w.until("going on", onHold(false))
	require.True(t, w.sim.OutsidePresses(ref, "52"))
	w.until("the other side is sent the rest", func() bool {
		for _, l := range w.sim.OutsideLegs() {
			if l.To == mobileNumber && l.Keys == "52" {
				return true
			}
		}
		return false
	})
	w.asks(c.ID, w.tomas, contract.AskAsConsult, "")
	w.rung(w.tomas)
	_, err = w.Arrivals.AnswerCall(t.Context(), w.tomas, c.ID)
	require.NoError(t, err)
	require.True(t, w.sim.OutsidePresses(ref, "*3"))
	w.until("it is handed over", func() bool { return w.party(w.tomas, c.ID, "").HearsMe })
	w.telephoneIs(contract.TelephoneStateUp) // it stays between calls
}

func TestATelephoneIsHungUpWhenItsRepHasLeftTheCallToOthers(t *testing.T) {
	w := newWorld(t)
	w.sits(w.tomas)
	w.telephone(contract.Telephone{Speaks: true})
	_, err := w.Calls.PlaceCall(t.Context(), w.ines, key(), contract.NewCall{NumberID: &w.mobile})
	require.Error(t, err, "it rings first")
	w.until("it is answered", func() bool { return w.sim.TheyAnswer(ownNumber) })
	var c contract.Call
	w.until("they speak", func() bool {
		desk, err := w.Calls.MyDesk(t.Context(), w.ines)
		if err != nil || len(desk.Calls) == 0 || !w.sim.TheyAnswer(mobileNumber) {
			return false
		}
		c = desk.Calls[0]
		return w.phase(c.ID) == contract.PhaseSpeaking
	})
	w.asks(c.ID, w.tomas, contract.AskAsConsult, "")
	w.rung(w.tomas)
	_, err = w.Arrivals.AnswerCall(t.Context(), w.tomas, c.ID)
	require.NoError(t, err)
	w.turns(w.ines, c.ID, contract.TurnActHandOver)
	w.telephoneIs(contract.TelephoneStateDown)
	assert.True(t, w.party(w.tomas, c.ID, "").HearsMe, "the call goes on")
}

func TestASingleCallIsPlacedAnotherWay(t *testing.T) {
	w := newWorld(t)
	own := contract.NewCall{NumberID: &w.mobile, OwnNumber: new(true)}
	_, err := w.Calls.PlaceCall(t.Context(), w.ines, key(), own)
	var field *firm.FieldError
	require.ErrorAs(t, err, &field, "there is none yet")
	choices, err := w.Telephones.CallingChoices(t.Context(), w.ines)
	require.NoError(t, err)
	assert.Equal(t, []any{"", 1, true}, []any{choices.OwnNumber, len(choices.Lines), choices.Lines[0].Usual})
	w.telephone(contract.Telephone{Speaks: true})
	choices, err = w.Telephones.CallingChoices(t.Context(), w.ines)
	require.NoError(t, err)
	assert.Equal(t, []any{"413 555 0160", true}, []any{choices.OwnNumber, choices.ByTelephone})

	own.Device, own.Unrecorded = new(contract.NewCallDeviceBrowser), new(true)
	c, err := w.Calls.PlaceCall(t.Context(), w.ines, key(), own)
	require.NoError(t, err)
	assert.Equal(t, "browser", c.Device)
	assert.Contains(t, c.Shown, "413 555 0160")
	assert.Equal(t, "your own number", c.ShownReason)
	w.until("she answers", func() bool {
		return w.sim.TheyAnswer(mobileNumber) && w.phase(c.ID) == contract.PhaseSpeaking
	})
	assert.Equal(t, "as it was chosen for this call", w.recordingIs(c.ID, contract.CallRecordingStateOff).Recording.Why)
}
