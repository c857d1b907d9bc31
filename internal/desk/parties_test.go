package desk_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/core/slip"
	"trundo/internal/desk/calls"
	"trundo/internal/desk/firm"
)

// asks brings a colleague into a call that ines speaks in.
func (w *world) asks(id uuid.UUID, who firm.Actor, as contract.AskAs, word string) contract.Call {
	w.t.Helper()
	c, err := w.Calls.Parties.Ask(w.t.Context(), w.ines, id, contract.Ask{As: as, ColleagueID: &who.ID, Word: &word})
	require.NoError(w.t, err)
	return c
}

// turns does something by a word.
func (w *world) turns(a firm.Actor, id uuid.UUID, act contract.TurnAct) {
	w.t.Helper()
	_, err := w.Calls.Parties.Turn(w.t.Context(), a, id, act)
	require.NoError(w.t, err)
}

// party is somebody in a call as a sees it, by name.
func (w *world) party(a firm.Actor, id uuid.UUID, name string) contract.Party {
	w.t.Helper()
	c, err := w.Calls.CallView(w.t.Context(), a, id)
	require.NoError(w.t, err)
	require.NotNil(w.t, c.State.Parties)
	for _, p := range *c.State.Parties {
		if p.Name == name {
			return p
		}
	}
	w.t.Fatalf("%s is not in the call: %+v", name, *c.State.Parties)
	return contract.Party{}
}

func (w *world) types(a firm.Actor, c contract.Call, text string) {
	w.t.Helper()
	_, err := w.Calls.SaveNotes(w.t.Context(), a, c.Slip.ID, contract.NotesEdit{Body: text, Base: c.Slip.Notes.Version,
		Writer: "w"})
	require.NoError(w.t, err)
}

// filesAs files somebody's part in a call.
func (w *world) filesAs(a firm.Actor, slip uuid.UUID) {
	w.t.Helper()
	_, err := w.Filing.ChangeSlip(w.t.Context(), a, slip, contract.SlipChange{Version: 1, OutcomeID: &w.sold})
	require.NoError(w.t, err)
	_, err = w.Filing.File(w.t.Context(), a, slip, key(), nil)
	require.NoError(w.t, err)
}

func TestSomebodyIsAskedAndGetsTheCallWithWhatIsKnown(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	w.sits(w.tomas)
	c := w.speaks()
	w.types(w.ines, c, "The pump leaks")
	c = w.asks(c.ID, w.tomas, contract.AskAsConsult, "which seal?")
	assert.Equal(t, contract.PartyStateRinging, w.party(w.ines, c.ID, "tomas").State)
	ring := w.rung(w.tomas)
	assert.Equal(t, "Berit Osterlund", ring.Candidates[0].Record.Name, "who waits")
	require.NotNil(t, ring.Asked)
	assert.Equal(
		t,
		[]string{"ines", "which seal?", "The pump leaks"},
		[]string{ring.Asked.Name, ring.Asked.Word, ring.Asked.Notes},
	)

	got, err := w.Arrivals.AnswerCall(t.Context(), w.tomas, c.ID)
	require.NoError(t, err)
	assert.True(t, w.party(w.ines, c.ID, "tomas").HearsMe)
	assert.False(t, w.party(w.ines, c.ID, "").HearsMe, "the customer waits")
	assert.NotEqual(t, c.Slip.ID, got.Slip.ID, "a slip of his own")
	assert.Equal(t, "The pump leaks", got.HandedFrom.Notes)
	assert.Equal(t, contract.PartyStateWaiting, w.party(w.tomas, c.ID, "").State)
	w.turns(w.ines, c.ID, contract.TurnActSwap)
	assert.True(t, w.party(w.ines, c.ID, "").HearsMe)
	assert.Equal(t, contract.PartyStateWaiting, w.party(w.ines, c.ID, "tomas").State)

	w.turns(w.ines, c.ID, contract.TurnActHandOver)
	assert.True(t, w.party(w.tomas, c.ID, "").HearsMe)
	w.filesAs(w.ines, c.Slip.ID)
	require.NoError(t, w.Calls.HangUp(t.Context(), w.tomas, c.ID))
	w.ended(c.ID)
	w.filesAs(w.tomas, got.Slip.ID)

	page := w.page(c.ID)
	require.NotNil(t, page.Parts)
	var names []string
	for _, p := range *page.Parts {
		names = append(names, p.Name)
	}
	assert.Equal(t, []string{"ines", "Berit Osterlund", "tomas"}, names)
	said := strings.Join(w.facts(c.ID), "\n")
	assert.Contains(t, said, "ines asked tomas: which seal?")
	assert.Contains(t, said, "ines handed the call over to tomas")
}

func TestWhoIsOnlyAskedHasNothingToFile(t *testing.T) {
	w := newWorld(t)
	w.sits(w.tomas)
	c := w.speaks()
	w.asks(c.ID, w.tomas, contract.AskAsConsult, "")
	w.rung(w.tomas)
	_, err := w.Arrivals.AnswerCall(t.Context(), w.tomas, c.ID)
	require.NoError(t, err)
	require.NoError(t, w.Calls.HangUp(t.Context(), w.tomas, c.ID))
	p := w.party(w.ines, c.ID, "tomas")
	assert.Equal(t, []string{"ended", "We hung up"}, []string{string(p.State), p.Why})
	w.turns(w.ines, c.ID, contract.TurnActBack)
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	w.ended(c.ID)
	desk, err := w.Calls.MyDesk(t.Context(), w.tomas)
	require.NoError(t, err)
	assert.Empty(t, desk.Calls)
	desk, err = w.Calls.MyDesk(t.Context(), w.ines)
	require.NoError(t, err)
	assert.Len(t, desk.Calls, 1)
}

func TestAColleagueDeclinesWithAWord(t *testing.T) {
	w := newWorld(t)
	w.sits(w.tomas)
	c := w.speaks()
	w.asks(c.ID, w.tomas, contract.AskAsConsult, "")
	w.rung(w.tomas)
	require.NoError(t, w.Arrivals.DeclineCall(t.Context(), w.tomas, c.ID, "in five minutes"))
	p := w.party(w.ines, c.ID, "tomas")
	assert.Equal(t, []string{"in five minutes", "Declined"}, []string{p.Answer, p.Why})
	view, err := w.Calls.CallView(t.Context(), w.ines, c.ID)
	require.NoError(t, err)
	assert.Contains(t, *view.State.Acts, contract.ActBack)
	w.turns(w.ines, c.ID, contract.TurnActBack)
	assert.True(t, w.party(w.ines, c.ID, "").HearsMe)
}

func TestWhomItIsNoUseToAsk(t *testing.T) {
	w := newWorld(t)
	c := w.speaks()
	ask := func(a contract.Ask) error {
		a.As = contract.AskAsConsult
		_, err := w.Calls.Parties.Ask(t.Context(), w.ines, c.ID, a)
		return err
	}
	typed := func(s string) contract.Ask { return contract.Ask{Typed: &s} }
	require.ErrorIs(t, ask(contract.Ask{ColleagueID: &w.tomas.ID}), calls.ErrNotReached)
	assert.ErrorContains(t, ask(contract.Ask{ColleagueID: &w.tomas.ID}), "tomas is not signed in")
	assert.ErrorContains(t, ask(contract.Ask{ColleagueID: &w.ines.ID}), "already", "herself")
	var field *firm.FieldError
	require.ErrorAs(t, ask(contract.Ask{}), &field)
	require.ErrorAs(t, ask(typed("911")), &field)
	require.ErrorAs(t, ask(typed(mainNumber)), &field, "a line of the firm")
	require.ErrorAs(t, ask(typed("no number")), &field)
	var refused *firm.RefusedError
	require.ErrorAs(t, ask(contract.Ask{NumberID: &w.cannot}), &refused, "do not call holds here, too")
	_, err := w.Calls.Parties.Ask(
		t.Context(),
		w.tomas,
		c.ID,
		contract.Ask{As: contract.AskAsConsult, NumberID: &w.office},
	)
	require.ErrorIs(t, err, call.ErrNotThere)
}

func TestAnOutsideExpertIsAskedAndJoined(t *testing.T) {
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
	w.turns(w.ines, c.ID, contract.TurnActJoin)
	assert.True(t, w.party(w.ines, c.ID, "").HearsMe)
	expert := w.party(w.ines, c.ID, "Berit Osterlund")
	assert.True(t, expert.HearsMe)
	require.NoError(t, w.Calls.Parties.Drop(t.Context(), w.ines, c.ID, expert.Leg))
	require.ErrorIs(t, w.Calls.Parties.Drop(t.Context(), w.ines, c.ID, expert.Leg), call.ErrNotThere)
	assert.True(t, w.party(w.ines, c.ID, "").HearsMe)
}

func TestABlindHandOverComesBackAndIsNeverWithNobody(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	w.sits(w.tomas)
	c := w.speaks()
	w.asks(c.ID, w.tomas, contract.AskAsHanded, "wants a seal")
	w.rung(w.tomas)
	_, err := w.Filing.File(t.Context(), w.ines, c.Slip.ID, key(), nil)
	require.ErrorIs(t, err, slip.ErrNotTaken, "it may come back")
	w.passes("it rings ines", func() bool {
		rings, err := w.Arrivals.Rings(t.Context(), w.ines)
		return err == nil && len(rings) == 1
	})
	ring := w.rung(w.ines)
	assert.Equal(t, "tomas did not answer", ring.Asked.Word)
	got, err := w.Arrivals.AnswerCall(t.Context(), w.ines, c.ID)
	require.NoError(t, err)
	assert.Equal(t, c.Slip.ID, got.Slip.ID, "her own slip again")
	assert.True(t, w.party(w.ines, c.ID, "").HearsMe)

	// Given away again; now she is gone, too, and Tomas does not want it: the line's people, then voicemail.
	w.asks(c.ID, w.tomas, contract.AskAsHanded, "")
	w.rung(w.tomas)
	require.NoError(t, w.Arrivals.DeclineCall(t.Context(), w.tomas, c.ID, ""))
	w.rung(w.ines)
	require.NoError(t, w.Arrivals.DeclineCall(t.Context(), w.ines, c.ID, ""))
	w.passes("the line's people are rung, and decline, until voicemail has it", func() bool {
		_ = w.Arrivals.DeclineCall(t.Context(), w.tomas, c.ID, "")
		return w.Calls.PhaseOf(c.ID) == call.PhaseMessage
	})
}

func TestACallIsParkedAndTakenByAnybody(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	c := w.speaks()
	w.turns(w.ines, c.ID, contract.TurnActPark)
	waiting, err := w.Calls.Parties.Waiting(t.Context(), w.tomas)
	require.NoError(t, err)
	require.Len(t, waiting, 1)
	assert.Equal(
		t,
		[]string{"Berit Osterlund", "1", "ines"},
		[]string{waiting[0].Name, waiting[0].Place, waiting[0].By},
	)
	got, err := w.Calls.Parties.Take(t.Context(), w.tomas, c.ID)
	require.NoError(t, err)
	assert.True(t, w.party(w.tomas, c.ID, "").HearsMe)
	assert.Equal(t, "Berit Osterlund", got.Links[0].Record.Name)
	_, err = w.Calls.Parties.Take(t.Context(), w.odile, c.ID)
	require.Error(t, err)
	waiting, err = w.Calls.Parties.Waiting(t.Context(), w.tomas)
	require.NoError(t, err)
	assert.Empty(t, waiting)

	_, err = w.Calls.Parties.Turn(t.Context(), w.tomas, c.ID, contract.TurnActPark)
	require.NoError(t, err)
	w.passes("who parked it is reminded", func() bool {
		rings, err := w.Arrivals.Rings(t.Context(), w.ines)
		return err == nil && len(rings) == 1
	})
}

func TestWhoLeadsListensWhispersAndStepsIn(t *testing.T) {
	w := newWorld(t)
	w.sits(w.odile)
	c := w.speaks()
	listen := func(a firm.Actor, how contract.ListeningHow) error {
		return w.Calls.Parties.Listen(t.Context(), a, c.ID, contract.Listening{How: how})
	}
	require.ErrorIs(t, listen(w.tomas, contract.ListeningHowListen), firm.ErrForbidden)
	require.NoError(t, listen(w.odile, contract.ListeningHowListen))
	assert.Equal(t, contract.PartyStateListening, w.party(w.ines, c.ID, "odile").State, "who is listened to is told")
	require.NoError(t, listen(w.odile, contract.ListeningHowWhisper))
	assert.Equal(t, contract.PartyRoleWhisper, w.party(w.ines, c.ID, "odile").Role)
	require.NoError(t, listen(w.odile, contract.ListeningHowStepIn))
	assert.True(t, w.party(w.odile, c.ID, "").HearsMe)
	desk, err := w.Calls.MyDesk(t.Context(), w.odile)
	require.NoError(t, err)
	assert.Len(t, desk.Calls, 1, "with a slip")
	require.NoError(t, w.Calls.HangUp(t.Context(), w.odile, c.ID))
	assert.True(t, w.party(w.ines, c.ID, "").HearsMe, "the others go on")
	changes, err := w.Calls.Changes(t.Context(), "call", c.ID, false)
	require.NoError(t, err)
	require.Len(t, changes, 2)
	assert.Equal(t, "listen: to ines", changes[0].Text)

	me := contract.VisibleMe
	_, err = w.Filing.ChangeSlip(t.Context(), w.ines, c.Slip.ID, contract.SlipChange{Visible: &me, Version: 1})
	require.NoError(t, err)
	require.ErrorIs(t, listen(w.odile, contract.ListeningHowListen), firm.ErrForbidden, "not to a private one")
}

func TestACallThatRingsAColleagueIsTaken(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	w.comesIn(mobileNumber)
	ring := w.rung(w.ines)
	_, err := w.Calls.Parties.Take(t.Context(), w.tomas, ring.CallID)
	require.ErrorIs(t, err, firm.ErrForbidden, "of another team")
	waiting, err := w.Calls.Parties.Waiting(t.Context(), w.odile)
	require.NoError(t, err)
	require.Len(t, waiting, 1)
	got, err := w.Calls.Parties.Take(t.Context(), w.odile, ring.CallID)
	require.NoError(t, err)
	assert.Equal(t, contract.PhaseSpeaking, got.State.Phase)
	rings, err := w.Arrivals.Rings(t.Context(), w.ines)
	require.NoError(t, err)
	assert.Empty(t, rings)
}

func TestWhomToAsk(t *testing.T) {
	w := newWorld(t)
	w.sits(w.tomas)
	w.sits(w.odile)
	_, err := w.store.Pool.Exec(t.Context(), `UPDATE users SET skills = '{"pump": 3}' WHERE login = 'odile'`)
	require.NoError(t, err)
	_, err = w.store.Pool.Exec(t.Context(), `UPDATE records SET owner_id = $1 WHERE id = $2`, w.tomas.ID, w.berit)
	require.NoError(t, err)
	c := w.speaks()
	first := func(q string) (list []string) {
		t.Helper()
		found, err := w.Calls.Parties.Whom(t.Context(), w.ines, c.ID, q)
		require.NoError(t, err)
		for _, x := range found.People {
			list = append(list, x.Colleague.Name+": "+x.Reason)
		}
		return list
	}
	assert.Equal(t, []string{"tomas: looks after them", "odile: "}, first(""))
	w.types(w.ines, c, "Her pump, two pumps in fact, leak")
	assert.Equal(t, []string{"odile: knows pump well", "tomas: looks after them"}, first(""))
	assert.Equal(t, []string{"odile: knows pump well"}, first("pu"))
	assert.Equal(t, []string{"tomas: looks after them"}, first("service to"))
	assert.Empty(t, first("nobody"))
}

func TestTheStrictestRuleOfRecordingHoldsFromWhoComesToACall(t *testing.T) {
	w := newWorld(t)
	w.rules(contract.RecordingRuleAnnounce, 0, contract.RepRecording{ID: w.tomas.ID, Rule: "off"})
	w.sits(w.tomas)
	c := w.speaks()
	w.recordingIs(c.ID, contract.CallRecordingStateGoing)
	w.asks(c.ID, w.tomas, contract.AskAsConsult, "")
	w.rung(w.tomas)
	_, err := w.Arrivals.AnswerCall(t.Context(), w.tomas, c.ID)
	require.NoError(t, err)
	w.recordingIs(c.ID, contract.CallRecordingStateGoing) // he is not on it
	w.turns(w.ines, c.ID, contract.TurnActJoin)
	w.recordingIs(c.ID, contract.CallRecordingStateOff)
}

func TestARepIsToldWhoListensUnlessTheFirmAndTheLawSayOtherwise(t *testing.T) {
	w := newWorld(t)
	c := w.speaks() // from Massachusetts to Massachusetts
	listens := func() bool {
		require.NoError(t, w.Calls.Parties.Listen(t.Context(), w.odile, c.ID,
			contract.Listening{How: contract.ListeningHowListen}))
		view, err := w.Calls.CallView(t.Context(), w.ines, c.ID)
		require.NoError(t, err)
		return slices.ContainsFunc(*view.State.Parties, func(p contract.Party) bool { return p.Name == "odile" })
	}
	assert.True(t, listens())
	s := w.rules(contract.RecordingRuleAnnounce, 0)
	s.ListenUntold = new(true)
	_, err := w.Recordings.SetRecordingSettings(t.Context(), w.admin(), s)
	require.NoError(t, err)
	assert.True(t, listens(), "in Massachusetts everybody must agree")
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	w.ended(c.ID)
	_, err = w.store.Pool.Exec(t.Context(), `UPDATE lines SET e164 = '+12125550100'`)
	require.NoError(t, err)
	w.BookChanged()
	typed := "212 555 0187" // from New York to New York
	c, err = w.Calls.PlaceCall(t.Context(), w.ines, key(), contract.NewCall{Typed: &typed})
	require.NoError(t, err)
	w.until("they speak", func() bool {
		return w.sim.TheyAnswer("+12125550187") && w.phase(c.ID) == contract.PhaseSpeaking
	})
	assert.False(t, listens())
}
