package desk_test

import (
	"bytes"
	"encoding/csv"
	"strings"
	"testing"
	"time"

	"trundo/internal/desk/calls"
	"trundo/internal/desk/firm"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/carrier"
	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/core/rights"
	"trundo/internal/store"
)

// line changes how the firm's only line rings.
func (w *world) line(change func(*contract.FirmLine)) contract.FirmLine {
	w.t.Helper()
	lines, err := w.Lines.Lines(w.t.Context(), w.admin())
	require.NoError(w.t, err)
	change(&lines[0])
	saved, err := w.Lines.UpdateLine(w.t.Context(), w.admin(), lines[0].ID, lines[0])
	require.NoError(w.t, err)
	return saved
}

// passes lets seconds pass until a condition holds.
func (w *world) passes(what string, ok func() bool) {
	w.t.Helper()
	w.until(what, func() bool {
		if ok() {
			return true
		}
		w.clock.Advance(time.Second)
		return false
	})
}

func (w *world) page(id uuid.UUID) contract.CallPageDetail {
	w.t.Helper()
	p, err := w.CallPage(w.t.Context(), w.ines, id)
	require.NoError(w.t, err)
	return p
}

func factTexts(p contract.CallPageDetail) string {
	var texts []string
	for _, f := range p.Facts {
		texts = append(texts, f.Text)
	}
	return strings.Join(texts, "; ")
}

func TestAMessageIsLeftAndOwed(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	w.line(func(l *contract.FirmLine) {
		l.Greeting = "Lindenfall, leave a word"
		l.Reps = []uuid.UUID{w.ines.ID, w.tomas.ID}
	})
	ref := w.comesIn(mobileNumber)
	ring := w.rung(w.ines)
	require.ErrorIs(t, w.Arrivals.SendToVoicemail(t.Context(), w.odile, ring.CallID), call.ErrNoRing)
	assert.Empty(t, w.page(ring.CallID).Call.MissedWhy, "for whom it does not ring changes nothing")
	require.NoError(t, w.Arrivals.SendToVoicemail(t.Context(), w.ines, ring.CallID))
	w.until("the greeting", func() bool {
		return w.Lines.WhatIsHeard(t.Context(),
			carrier.Ref(ref)) == "“Lindenfall, leave a word”"
	})
	w.passes("the beep", func() bool { return strings.Contains(factTexts(w.page(ring.CallID)), "The beep") })
	assert.Equal(t, contract.PhaseMessage, w.phase(ring.CallID))
	w.clock.Advance(34 * time.Second)
	require.True(t, w.sim.OutsideHangsUp(ref))
	ended := w.ended(ring.CallID)
	assert.Equal(t, "left_message", ended.State.EndReason)
	for _, f := range w.page(ring.CallID).Facts {
		if strings.HasPrefix(f.Text, "The beep") {
			assert.Equal(t, ended.State.EndedAt.Sub(f.At).Milliseconds(), ended.MessageMs, "from the beep to the end")
		}
	}
	assert.GreaterOrEqual(t, ended.MessageMs, int64(34_000))
	assert.Nil(t, ended.State.AnsweredAt)
	assert.Equal(t, "ines sent it to voicemail", ended.MissedWhy)
	owed := w.missed(w.tomas)
	require.Len(t, owed, 1)
	assert.Contains(t, owed[0].Reason, "left a message of ")
	require.ErrorIs(t, w.Arrivals.SendToVoicemail(t.Context(), w.ines, ring.CallID), call.ErrOver)
	require.ErrorIs(t, w.Arrivals.SendToVoicemail(t.Context(), w.ines, uuid.New()), firm.ErrNotFound)

	owedCalls, err := w.Calls.Calls(t.Context(), w.odile, calls.CallQuery{Only: "unreturned"})
	require.NoError(t, err)
	require.NotEmpty(t, owedCalls.Calls)
	assert.Equal(t, ring.CallID, owedCalls.Calls[0].ID, "the oldest first")
	w.line(func(l *contract.FirmLine) { l.Reps = []uuid.UUID{w.ines.ID} })
	assert.Len(t, w.missed(w.ines), 1, "the line's reps owe it")
	assert.Empty(t, w.missed(w.tomas))
	assert.Len(t, w.missed(w.odile), 1, "who leads sees all")
}

func TestAClosedLineSaysSo(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	saved := w.line(func(l *contract.FirmLine) { l.Hours = "Tue 9:00-17:00" }) // it is Monday
	assert.Equal(t, "Tue 09:00-17:00", saved.Hours)
	assert.False(t, saved.Open)
	ref := w.comesIn(mobileNumber)
	w.until("the announcement", func() bool {
		return w.Lines.WhatIsHeard(t.Context(),
			carrier.Ref(ref)) == "“We are closed. We open on Tuesday, March 3 at 9:00 AM.”"
	})
	rings, err := w.Arrivals.Rings(t.Context(), w.ines)
	require.NoError(t, err)
	assert.Empty(t, rings)
	w.passes("the end", func() bool { return w.Calls.CallsInProgress() == 0 && len(w.missed(w.ines)) == 1 })
	page := w.page(*w.missed(w.ines)[0].CallID)
	assert.Equal(t, []string{"announced", "the line was closed"},
		[]string{page.Call.State.EndReason, page.Call.MissedWhy})
	assert.Contains(t, factTexts(page), "They heard the announcement")
}

func TestASecondCallHoldsTheFirst(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	first := w.calls()
	require.True(t, w.sim.TheyAnswer(mobileNumber))
	w.until("speaking", func() bool { return w.phase(first.ID) == contract.PhaseSpeaking })
	ref := w.comesIn("+14135550199")
	ring := w.rung(w.ines)
	second, err := w.Arrivals.AnswerCall(t.Context(), w.ines, ring.CallID)
	require.NoError(t, err)
	assert.True(t, w.page(first.ID).Call.State.OnHold)
	mine, err := w.Calls.MyDesk(t.Context(), w.ines)
	require.NoError(t, err)
	assert.Len(t, mine.Calls, 2, "each has a slip of its own")

	third := w.comesIn("+14135550198")
	w.until("a third is not rung", func() bool {
		return strings.Contains(w.Lines.WhatIsHeard(t.Context(), carrier.Ref(third)), "Nobody can take your call")
	})
	require.True(t, w.sim.OutsideHangsUp(third))

	require.NoError(t, w.Arrivals.HoldCall(t.Context(), w.ines, first.ID, false))
	assert.True(t, w.page(second.ID).Call.State.OnHold, "one at a time is heard")
	assert.False(t, w.page(first.ID).Call.State.OnHold)
	require.NoError(t, w.Arrivals.MuteCall(t.Context(), w.ines, first.ID, true))
	assert.True(t, w.page(first.ID).Call.State.Muted)
	require.ErrorIs(t, w.Arrivals.MuteCall(t.Context(), w.ines, first.ID, true), call.ErrMuted)
	require.NoError(t, w.Arrivals.PressKeys(t.Context(), w.ines, first.ID, "12#", false))
	var field *firm.FieldError
	require.ErrorAs(t, w.Arrivals.PressKeys(t.Context(), w.ines, first.ID, "one", false), &field)
	assert.Equal(t, "digits", field.Field)
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, first.ID))
	w.until("the held one is in the foreground", func() bool {
		var id *uuid.UUID
		require.NoError(t, w.store.Pool.QueryRow(t.Context(),
			`SELECT foreground_call_id FROM rep_state WHERE user_id = $1`, w.ines.ID).Scan(&id))
		return id != nil && *id == second.ID
	})
	_, err = w.Calls.PlaceCall(t.Context(), w.ines, key(), contract.NewCall{NumberID: &w.mobile})
	var in *firm.InCallError
	require.ErrorAs(t, err, &in)
	require.True(t, w.sim.OutsideHangsUp(ref))
	w.ended(second.ID)
}

func TestAnUnknownCallerBecomesARecordOfANewCompany(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	const stranger = "+14135550199"
	missed := w.comesIn(stranger)
	earlier := w.rung(w.ines)
	require.True(t, w.sim.OutsideHangsUp(missed))
	w.ended(earlier.CallID)
	nobody, err := w.Calls.Calls(t.Context(), w.ines, calls.CallQuery{Only: "nobody"})
	require.NoError(t, err)
	require.Len(t, nobody.Calls, 1)

	w.comesIn(stranger)
	ring := w.rung(w.ines)
	assert.Empty(t, ring.Candidates)
	got, err := w.Arrivals.AnswerCall(t.Context(), w.ines, ring.CallID)
	require.NoError(t, err)
	assert.True(t, got.Slip.AsksWho)
	company, mail := "Marrow & Pike", "lene@marrow.example"
	k, made := key(), contract.RecordFromCall{Kind: contract.RecordFromCallKindContact, Name: "Lene van der Marrow",
		CompanyName: &company, Email: &mail}
	got, err = w.Filing.RecordFromCall(t.Context(), w.ines, got.ID, k, made)
	require.NoError(t, err)
	same, err := w.Filing.RecordFromCall(t.Context(), w.ines, got.ID, k, made)
	require.NoError(t, err)
	assert.Equal(t, got.Links, same.Links, "the same request makes nobody twice")
	twins, err := w.Book.CheckDuplicates(t.Context(), w.ines,
		contract.NewRecord{Kind: contract.RecordKindContact, Values: map[string]string{"name": "Lene van der Marrow"}})
	require.NoError(t, err)
	assert.Len(t, twins, 1, "a whole name is enough to be warned")
	assert.False(t, got.Slip.AsksWho)
	assert.Equal(t, []string{"Lene van der Marrow", company},
		[]string{got.Links[0].Record.Name, got.Links[1].Record.Name})
	sheet, err := w.Book.Record(t.Context(), w.ines, got.Links[0].Record.ID)
	require.NoError(t, err)
	assert.Equal(t, []string{"413 555 0199", "work"}, []string{sheet.Numbers[0].Display, sheet.Numbers[0].Label})
	assert.Equal(t, 2, sheet.Touches, "the earlier call has come along")
	nobody, err = w.Calls.Calls(t.Context(), w.ines, calls.CallQuery{Only: "nobody"})
	require.NoError(t, err)
	assert.Empty(t, nobody.Calls)
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, got.ID))
	w.ended(got.ID)

	w.comesIn(stranger)
	again := w.rung(w.ines)
	assert.Equal(t, "Lene van der Marrow", again.Candidates[0].Record.Name)
	assert.True(t, again.Clear)
	var field *firm.FieldError
	_, err = w.Filing.RecordFromCall(t.Context(), w.ines, got.ID, key(),
		contract.RecordFromCall{Kind: contract.RecordFromCallKindLead, Name: "  "})
	require.ErrorAs(t, err, &field)
	_, err = w.Filing.RecordFromCall(t.Context(), w.tomas, got.ID, key(),
		contract.RecordFromCall{Kind: contract.RecordFromCallKindLead, Name: "Nobody"})
	require.ErrorIs(t, err, firm.ErrForbidden)
}

func TestAChoiceAmongSeveralIsLearnt(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	twin := w.add(contract.RecordKindContact, map[string]string{"given": "Sigrun", "family": "Osterlund"}, mobileNumber)
	ref := w.comesIn(mobileNumber)
	ring := w.rung(w.ines)
	require.Len(t, ring.Candidates, 2)
	assert.False(t, ring.Clear)
	got, err := w.Arrivals.AnswerCall(t.Context(), w.ines, ring.CallID)
	require.NoError(t, err)
	assert.Empty(t, got.Links)
	_, err = w.Filing.Attach(t.Context(), w.ines, got.ID, twin.ID)
	require.NoError(t, err)
	require.True(t, w.sim.OutsideHangsUp(ref))
	w.ended(got.ID)
	w.comesIn(mobileNumber)
	again := w.rung(w.ines)
	assert.True(t, again.Clear)
	assert.Equal(t, "Sigrun Osterlund", again.Candidates[0].Record.Name)
	assert.Contains(t, again.Candidates[0].Reason, "chosen the last time")
}

func TestWhoseOwnCustomerCallsIsNotAsked(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	w.sits(w.tomas)
	// Berit leads her twin by 19 for everybody: the last conversation, an open case, an open deal; and by 4 more for
	// whose customer she is.
	spoken := w.speaks()
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, spoken.ID))
	w.ended(spoken.ID)
	w.clock.Advance(4 * 24 * time.Hour) // our own attempt counts no more
	w.add(contract.RecordKindContact, map[string]string{"given": "Sigrun", "family": "Osterlund"}, mobileNumber)
	for _, kind := range []string{"case", "deal"} {
		_, err := w.store.Pool.Exec(t.Context(),
			`INSERT INTO records (id, kind, name, person_id, stage) VALUES ($1, $2, $2, $3, 'open')`, store.NewID(),
			kind, w.berit)
		require.NoError(t, err)
	}
	_, err := w.store.Pool.Exec(t.Context(), `UPDATE records SET owner_id = CASE WHEN id = $1 THEN $2::uuid END`,
		w.berit, w.ines.ID)
	require.NoError(t, err)
	for _, rep := range []firm.Actor{w.tomas, w.ines} {
		ref := w.comesIn(mobileNumber)
		ring := w.rung(rep)
		assert.Equal(t, rep.ID == w.ines.ID, ring.Clear)
		got, err := w.Arrivals.AnswerCall(t.Context(), rep, ring.CallID)
		require.NoError(t, err)
		assert.Equal(t, !ring.Clear, got.Slip.AsksWho, "what was clear while it rang is not asked afterwards")
		if ring.Clear {
			require.Len(t, got.Links, 2)
			assert.Contains(t, []string{got.Links[0].Record.Name, got.Links[1].Record.Name}, "Berit Osterlund")
		}
		require.True(t, w.sim.OutsideHangsUp(ref))
		w.ended(got.ID)
	}
}

func TestACallPutOnSomebodyByHandIsRememberedForItsNumber(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	ref := w.comesIn("+14135550199")
	got, err := w.Arrivals.AnswerCall(t.Context(), w.ines, w.rung(w.ines).CallID)
	require.NoError(t, err)
	_, err = w.Filing.Attach(t.Context(), w.ines, got.ID, w.berit)
	require.NoError(t, err)
	require.True(t, w.sim.OutsideHangsUp(ref))
	w.ended(got.ID)
	w.comesIn("+14135550199")
	again := w.rung(w.ines)
	assert.Equal(t, "Berit Osterlund", again.Candidates[0].Record.Name)
	assert.Contains(t, again.Candidates[0].Reason, "an earlier call with this number")
}

func TestACallThatNobodyAnsweredIsAttachedByAnybody(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	ref := w.comesIn("+14135550199")
	missed := w.rung(w.ines).CallID
	require.True(t, w.sim.OutsideHangsUp(ref))
	w.ended(missed)
	c, err := w.Filing.Attach(t.Context(), w.tomas, missed, w.berit)
	require.NoError(t, err)
	require.Len(t, c.Links, 2, "Berit and her company")
	_, err = w.Filing.Detach(t.Context(), w.tomas, missed, w.berit)
	require.NoError(t, err)
	page, err := w.CallPage(t.Context(), w.ines, missed)
	require.NoError(t, err)
	assert.Empty(t, page.Call.Links, "the company was on it because of her")
	require.Len(t, page.Changes, 2)
	assert.Equal(t, "removed: Berit Osterlund", page.Changes[1].Text)
	_, err = w.Filing.Attach(t.Context(), w.tomas, uuid.New(), w.berit)
	require.ErrorIs(t, err, firm.ErrNotFound)
}

func TestAColleagueIsCalled(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	w.sits(w.tomas)
	c, err := w.Calls.PlaceCall(t.Context(), w.ines, key(), contract.NewCall{ColleagueID: &w.tomas.ID})
	require.NoError(t, err)
	assert.Equal(t, []string{"tomas", "internal", "ringing"},
		[]string{c.Display, string(c.Direction), string(c.State.Phase)})
	ring := w.rung(w.tomas)
	assert.Equal(t, []any{true, "ines"}, []any{ring.Internal, ring.Display})
	got, err := w.Arrivals.AnswerCall(t.Context(), w.tomas, ring.CallID)
	require.NoError(t, err)
	assert.Equal(t, "ines", got.Display)
	assert.Equal(t, w.tomas.ID, got.Slip.RepID, "each has a slip")
	answered := w.clock.Now()
	w.clock.Advance(time.Minute)
	team, err := w.Team.Team(t.Context())
	require.NoError(t, err)
	for _, x := range team {
		if x.Name != "odile" {
			assert.Equal(t, "Speaking", x.Availability)
			assert.WithinDuration(t, answered, *x.Since, time.Second, "since they speak, not since they signed in")
		}
	}
	_, err = w.Calls.SaveNotes(t.Context(), w.tomas, got.Slip.ID,
		contract.NotesEdit{Body: "asks about the pump", Writer: "left"})
	require.NoError(t, err)
	require.NoError(t, w.Calls.HangUp(t.Context(), w.tomas, c.ID))
	w.until("over", func() bool { return w.Calls.CallsInProgress() == 0 })
	w.until("what is empty files itself, what was written waits", func() bool {
		a, err := w.Calls.MyDesk(t.Context(), w.ines)
		require.NoError(t, err)
		b, err := w.Calls.MyDesk(t.Context(), w.tomas)
		require.NoError(t, err)
		return len(a.Calls) == 0 && len(b.Calls) == 1
	})
	_, err = w.Filing.File(t.Context(), w.tomas, got.Slip.ID, key(), nil)
	require.NoError(t, err, "no outcome is needed")

	require.NoError(t, w.Team.SetAvailability(t.Context(), w.tomas, awayState))
	c, err = w.Calls.PlaceCall(t.Context(), w.ines, key(), contract.NewCall{ColleagueID: &w.tomas.ID})
	require.NoError(t, err)
	w.passes("voicemail", func() bool { return strings.Contains(factTexts(w.page(c.ID)), "The beep") })
	w.clock.Advance(5 * time.Second)
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	w.until("in his lane", func() bool { return len(w.notes(w.tomas)) == 1 })
	left := w.notes(w.tomas)[0]
	assert.Contains(t, left.Text, "left you a message of ")
	assert.Equal(t, []any{c.ID, w.ines.ID, "ines"}, []any{*left.CallID, *left.ColleagueID, left.Typed})
	w.until("its message can be heard", func() bool { return w.notes(w.tomas)[0].MessageID != nil })
	message := *w.notes(w.tomas)[0].MessageID
	_, err = w.Recordings.OpenRecording(
		t.Context(),
		firm.Actor{ID: uuid.New(), Rights: rights.Shipped(rights.RoleRep)},
		message,
		false,
	)
	require.ErrorIs(t, err, firm.ErrForbidden, "it is in his box")
	page, err := w.CallPage(t.Context(), w.tomas, c.ID)
	require.NoError(t, err)
	assert.Equal(t, contract.Between{Caller: "ines", Called: "tomas", OtherID: w.ines.ID}, *page.Call.Between)
	assert.Contains(t, factTexts(page), "ines called tomas")
	hears := func(a firm.Actor) bool {
		sound, err := w.Recordings.OpenRecording(t.Context(), a, message, false)
		require.NoError(t, err)
		require.NoError(t, sound.Close())
		return *w.notes(w.tomas)[0].MessageHeard
	}
	assert.False(t, hears(w.ines), "who left it does not count as a listener")
	assert.True(t, hears(w.tomas))
	require.NoError(t, w.Team.LeaveNote(t.Context(), w.ines, w.tomas.ID, key(), "the pump is here"))
	require.Len(t, w.notes(w.tomas), 2)
	require.NoError(t, w.Team.SettleNote(t.Context(), w.tomas, w.notes(w.tomas)[0].ID, true))
	assert.Len(t, w.notes(w.tomas), 1)
	require.ErrorIs(t, w.Team.SettleNote(t.Context(), w.ines, w.notes(w.tomas)[0].ID, true), firm.ErrNotFound)
	var field *firm.FieldError
	for _, n := range []contract.NewCall{{ColleagueID: &w.ines.ID}, {ColleagueID: &w.tomas.ID, NumberID: &w.mobile}} {
		_, err = w.Calls.PlaceCall(t.Context(), w.ines, key(), n)
		require.ErrorAs(t, err, &field)
	}
}

// notes are what colleagues have left in the lane of a.
func (w *world) notes(a firm.Actor) []contract.LaneEntry {
	w.t.Helper()
	lane, err := w.Lane(w.t.Context(), a)
	require.NoError(w.t, err)
	var entries []contract.LaneEntry
	for _, e := range lane.Owed {
		if e.Kind == contract.LaneEntryKindNote {
			entries = append(entries, e)
		}
	}
	return entries
}

func TestACallMadeElsewhereIsWrittenDown(t *testing.T) {
	w := newWorld(t)
	notes := "on the fair"
	written := contract.WrittenCall{Direction: contract.WrittenCallDirectionOutbound, Typed: "413 555 0142",
		StartedAt: monday.Add(-time.Hour), Seconds: 90, OutcomeID: &w.sold, Notes: &notes}
	k := key()
	c, err := w.Calls.WriteDownCall(t.Context(), w.ines, k, written)
	require.NoError(t, err)
	assert.Equal(t, []any{true, "Berit Osterlund", int64(90_000), "Visit agreed", contract.SlipStateFiled},
		[]any{c.ByHand, c.Links[0].Record.Name, c.TalkMs, c.Slip.Outcome, c.Slip.State})
	again, err := w.Calls.WriteDownCall(t.Context(), w.ines, k, written)
	require.NoError(t, err)
	assert.Equal(t, c.ID, again.ID)
	var file bytes.Buffer
	require.NoError(t, w.Calls.WriteCalls(t.Context(), w.ines, calls.CallQuery{Mine: true, Q: "berit"}, &file))
	rows, err := csv.NewReader(strings.NewReader(strings.TrimPrefix(file.String(), "\ufeff"))).ReadAll()
	require.NoError(t, err)
	require.Len(t, rows, 2)
	assert.Equal(t, []string{"2026-03-02 09:00:00", "outbound", "Berit Osterlund", "Vesper Hollow Nursery",
		"413 555 0142"}, rows[1][:5])
	assert.Equal(t, []string{"90.0", "Visit agreed", "on the fair", "yes"},
		[]string{rows[1][10], rows[1][14], rows[1][15], rows[1][16]})
	require.ErrorIs(t, w.Calls.WriteCalls(t.Context(), w.ines, calls.CallQuery{}, &file), firm.ErrForbidden)
	for name, change := range map[string]func(*contract.WrittenCall){
		"started_at": func(x *contract.WrittenCall) { x.StartedAt = monday.Add(time.Hour) },
		"typed":      func(x *contract.WrittenCall) { x.Typed = "no number" },
		"outcome_id": func(x *contract.WrittenCall) { x.OutcomeID = &w.berit },
		"record_id":  func(x *contract.WrittenCall) { x.RecordID = &w.sold },
	} {
		bad := written
		change(&bad)
		_, err := w.Calls.WriteDownCall(t.Context(), w.ines, key(), bad)
		var field *firm.FieldError
		require.ErrorAs(t, err, &field, name)
		assert.Equal(t, name, field.Field)
	}
}

func TestWhateverTheNetworkSaysOfACallerIsKeptAndBreaksNothing(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	for from, shown := range map[string]string{
		"  ": "", "anonymous": "anonymous", "'; DROP TABLE calls; --": "'; DROP TABLE calls; --",
		"<img src=x onerror=alert(1)>": "<img src=x onerror=alert(1)>",
		strings.Repeat("9", 200):       strings.Repeat("9", 64), "sip:\x00\xffbob@example": "sip:bob@example",
		"+14135550142;ext=7": "413 555 0142 ext 7",
	} {
		ref := w.comesIn(from)
		ring := w.rung(w.ines)
		assert.Equal(t, shown, ring.Display, "%q", from)
		assert.Equal(t, strings.TrimSpace(from) == "", ring.Withheld)
		require.True(t, w.sim.OutsideHangsUp(ref))
		assert.Equal(t, "abandoned", w.ended(ring.CallID).State.EndReason)
	}
}
