package desk_test

import (
	"context"
	"errors"
	"strings"
	"sync"
	"testing"
	"time"

	"trundo/internal/desk/firm"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/carrier"
	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/core/callable"
	"trundo/internal/core/slip"
	"trundo/internal/store/db"
)

func TestACallIsMadeAnsweredEndedAndFiled(t *testing.T) {
	w := newWorld(t)
	c := w.calls()
	assert.Equal(t, contract.PhaseDialing, c.State.Phase)
	assert.Equal(t, "413 555 0142", c.Display)
	assert.Equal(t, "Main 413 555 0100", c.Shown)
	assert.Equal(t, "mobile", c.Label)
	assert.Equal(t, []string{"Berit Osterlund", "Vesper Hollow Nursery"},
		[]string{c.Links[0].Record.Name, c.Links[1].Record.Name})
	w.clock.Advance(2 * time.Second)
	w.until("rings", func() bool { return w.phase(c.ID) == contract.PhaseRinging })
	w.clock.Advance(7 * time.Second)
	require.True(t, w.sim.TheyAnswer(mobileNumber))
	w.until("speaking", func() bool { return w.phase(c.ID) == contract.PhaseSpeaking })
	w.clock.Advance(time.Minute)
	notes, err := w.Calls.SaveNotes(t.Context(), w.ines, c.Slip.ID,
		contract.NotesEdit{Body: "Wants the overflow on the north side.", Writer: "left"})
	require.NoError(t, err)
	assert.True(t, notes.Saved)
	_, err = w.Filing.File(t.Context(), w.ines, c.Slip.ID, key(), nil)
	require.ErrorIs(t, err, slip.ErrStillInCall)
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	_, err = w.Filing.File(t.Context(), w.ines, c.Slip.ID, key(), nil)
	var missing *slip.MissingError
	require.ErrorAs(t, err, &missing)
	assert.Equal(t, "outcome_id", missing.Field)
	c, err = w.Filing.ChangeSlip(t.Context(), w.ines, c.Slip.ID,
		contract.SlipChange{Version: c.Slip.Version, OutcomeID: &w.sold})
	require.NoError(t, err)
	filing := key()
	filed, err := w.Filing.File(t.Context(), w.ines, c.Slip.ID, filing, nil)
	require.NoError(t, err)
	assert.Equal(t, contract.SlipStateFiled, filed.Slip.State)
	assert.Equal(t, "ended_by_us", filed.State.EndReason)
	assert.Equal(t, []int64{2000, 7000, 60000}, []int64{filed.DialMs, filed.RingMs, filed.TalkMs})
	again, err := w.Filing.File(t.Context(), w.ines, c.Slip.ID, filing, nil)
	require.NoError(t, err, "the same filing again is the same answer")
	assert.Equal(t, filed.Slip.FiledAt, again.Slip.FiledAt)
	_, err = w.Filing.File(t.Context(), w.ines, c.Slip.ID, key(), nil)
	require.ErrorIs(t, err, slip.ErrAlreadyFiled)
	for _, record := range []uuid.UUID{w.berit, w.vesper} {
		h, err := w.History(t.Context(), w.tomas, record, "all", "")
		require.NoError(t, err)
		require.Len(t, h.Entries, 1)
		assert.Equal(t, "Visit agreed", h.Entries[0].Call.Slip.Outcome)
		assert.Equal(t, "Wants the overflow on the north side.", h.Entries[0].Call.Slip.Notes.Body)
	}
	var spans int
	require.NoError(t, w.store.Pool.QueryRow(t.Context(),
		`SELECT count(*) FROM leg_spans WHERE call_id = $1 AND to_at IS NOT NULL`, c.ID).Scan(&spans))
	assert.Equal(t, 2, spans)
}

func TestEveryEndingIsWrittenDown(t *testing.T) {
	for reason, want := range map[carrier.Reason]string{carrier.Busy: "busy", carrier.NoAnswer: "no_answer",
		carrier.Declined:     "declined",
		carrier.OutOfService: "out_of_service", carrier.Lost: "cut_off", carrier.HungUp: "declined"} {
		t.Run(string(reason), func(t *testing.T) {
			w := newWorld(t)
			c := w.calls()
			require.True(t, w.sim.TheyEnd(mobileNumber, reason))
			ended := w.ended(c.ID)
			assert.Equal(t, want, ended.State.EndReason)
			next := w.calls()
			assert.NotEqual(t, c.ID, next.ID, "the rep is free for the next call at once")
		})
	}
}

func TestTwoClicksMakeOneCall(t *testing.T) {
	w := newWorld(t)
	var group sync.WaitGroup
	results := make([]error, 20)
	for i := range results {
		group.Add(1)
		go func() {
			defer group.Done()
			_, results[i] = w.Calls.PlaceCall(context.Background(), w.ines, key(),
				contract.NewCall{NumberID: &w.mobile})
		}()
	}
	group.Wait()
	made := 0
	for _, err := range results {
		var busy *firm.InCallError
		if err == nil {
			made++
		} else {
			require.ErrorAs(t, err, &busy)
		}
	}
	assert.Equal(t, 1, made)
	assert.Equal(t, 1, w.Calls.CallsInProgress())
}

func TestTheSameKeyIsTheSameCall(t *testing.T) {
	w := newWorld(t)
	k := key()
	request := contract.NewCall{NumberID: &w.mobile}
	first, err := w.Calls.PlaceCall(t.Context(), w.ines, k, request)
	require.NoError(t, err)
	second, err := w.Calls.PlaceCall(t.Context(), w.ines, k, request)
	require.NoError(t, err)
	assert.Equal(t, first.ID, second.ID)
	_, err = w.Calls.PlaceCall(t.Context(), w.ines, k, contract.NewCall{NumberID: &w.office})
	require.ErrorIs(t, err, firm.ErrKeyReused)
}

func TestAnotherCallInsteadOfTheOneInProgress(t *testing.T) {
	w := newWorld(t)
	first := w.calls()
	_, err := w.Calls.PlaceCall(t.Context(), w.ines, key(), contract.NewCall{NumberID: &w.office})
	var busy *firm.InCallError
	require.ErrorAs(t, err, &busy)
	assert.Equal(t, first.ID, busy.Call)
	second, err := w.Calls.PlaceCall(t.Context(), w.ines, key(),
		contract.NewCall{NumberID: &w.office, InsteadOf: &first.ID})
	require.NoError(t, err)
	w.until("the first is over", func() bool { return w.Calls.CallsInProgress() == 1 })
	w.until("and saved", func() bool { return w.phase(first.ID) == contract.PhaseEnded })
	assert.Equal(t, "413 555 0119 ext 12", second.Display)
	mine, err := w.Calls.MyDesk(t.Context(), w.ines)
	require.NoError(t, err)
	assert.Len(t, mine.Calls, 2, "the first slip waits to be filed")
	other, err := w.Calls.PlaceCall(t.Context(), w.tomas, key(), contract.NewCall{NumberID: &w.mobile})
	require.NoError(t, err, "a colleague's call is no hindrance")
	require.ErrorIs(t, w.Calls.HangUp(t.Context(), w.ines, other.ID), call.ErrNotThere)
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, first.ID), "hanging up twice is no mistake")
	require.ErrorIs(t, w.Calls.HangUp(t.Context(), w.ines, uuid.New()), firm.ErrNotFound)
}

func TestACallThatIsNotPlacedEndsNoOther(t *testing.T) {
	w := newWorld(t)
	k := key()
	first, err := w.Calls.PlaceCall(t.Context(), w.ines, k, contract.NewCall{NumberID: &w.mobile})
	require.NoError(t, err)
	_, err = w.Calls.PlaceCall(t.Context(), w.ines, k, contract.NewCall{NumberID: &w.office, InsteadOf: &first.ID})
	require.ErrorIs(t, err, firm.ErrKeyReused)
	assert.Equal(t, 1, w.Calls.CallsInProgress())
	assert.Empty(t, w.page(first.ID).Call.State.EndReason, "what would have taken its place was not committed")
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, first.ID))
}

func TestWhoComesTooLateToACallIsNotInIt(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	w.line(func(l *contract.FirmLine) { l.Greeting = "Leave a word" })
	ref := w.comesIn(mobileNumber)
	ring := w.rung(w.ines)
	require.NoError(t, w.Arrivals.SendToVoicemail(t.Context(), w.ines, ring.CallID))
	_, err := w.Arrivals.AnswerCall(t.Context(), w.ines, ring.CallID)
	require.Error(t, err, "the machine has it")
	w.until("no slip is left of it", func() bool {
		mine, err := w.Calls.MyDesk(t.Context(), w.ines)
		require.NoError(t, err)
		return len(mine.Calls) == 0
	})
	out, err := w.Calls.PlaceCall(t.Context(), w.ines, key(), contract.NewCall{NumberID: &w.office})
	require.NoError(t, err, "ines is free")
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, out.ID))
	require.True(t, w.sim.OutsideHangsUp(ref))
}

func TestDoNotCallIsRefusedWithItsReason(t *testing.T) {
	w := newWorld(t)
	typed := "(413) 555-0177"
	for name, request := range map[string]contract.NewCall{"number": {NumberID: &w.home},
		"person": {NumberID: &w.cannot}, "typed": {Typed: &typed}} {
		_, err := w.Calls.PlaceCall(t.Context(), w.ines, key(), request)
		var no *firm.RefusedError
		require.ErrorAs(t, err, &no, name)
		assert.True(t, errors.Is(err, callable.ErrDoNotCall) || errors.Is(err, callable.ErrPersonDoNotCall))
		assert.True(t, strings.Contains(no.Error(), "mother") || strings.Contains(no.Error(), "February"), no.Error())
	}
	assert.Zero(t, w.Calls.CallsInProgress())
}

func TestATypedNumberIsDialedAtOnceAndAskedAbout(t *testing.T) {
	known, nobody, partly := "413.555.0142", "413 555 0188", "911"
	t.Run("it belongs to one person", func(t *testing.T) {
		w := newWorld(t)
		c, err := w.Calls.PlaceCall(t.Context(), w.ines, key(), contract.NewCall{Typed: &known})
		require.NoError(t, err)
		assert.False(t, c.Slip.AsksWho)
		assert.Equal(t, "Berit Osterlund", c.Links[0].Record.Name)
		assert.Equal(t, "mobile", c.Label)
	})
	t.Run("another record is open", func(t *testing.T) {
		w := newWorld(t)
		c, err := w.Calls.PlaceCall(t.Context(), w.ines, key(),
			contract.NewCall{Typed: &known, OpenRecordID: &w.vesper})
		require.NoError(t, err)
		assert.True(t, c.Slip.AsksWho)
		assert.Empty(t, c.Links, "nothing is attached before the answer")
		require.Len(t, c.Slip.Candidates, 2)
		assert.Equal(t, "Berit Osterlund", c.Slip.Candidates[0].Record.Name)
		c, err = w.Filing.Attach(t.Context(), w.ines, c.ID, w.berit)
		require.NoError(t, err)
		assert.False(t, c.Slip.AsksWho)
		assert.Len(t, c.Links, 2)
		c, err = w.Filing.Detach(t.Context(), w.ines, c.ID, w.vesper)
		require.NoError(t, err)
		assert.Len(t, c.Links, 1)
	})
	t.Run("it belongs to nobody", func(t *testing.T) {
		w := newWorld(t)
		c, err := w.Calls.PlaceCall(t.Context(), w.ines, key(), contract.NewCall{Typed: &nobody})
		require.NoError(t, err)
		assert.True(t, c.Slip.AsksWho)
		c, err = w.Filing.AttachNobody(t.Context(), w.ines, c.Slip.ID)
		require.NoError(t, err)
		assert.False(t, c.Slip.AsksWho)
	})
	t.Run("emergency numbers are not blocked here, and the carrier says no", func(t *testing.T) {
		w := newWorld(t)
		c, err := w.Calls.PlaceCall(t.Context(), w.ines, key(), contract.NewCall{Typed: &partly})
		require.NoError(t, err)
		assert.Equal(t, "refused", w.ended(c.ID).State.EndReason)
	})
}

func TestBadRequestsNameTheField(t *testing.T) {
	w := newWorld(t)
	malformed, ghost := "call me maybe", uuid.New()
	tests := []struct {
		name, field string
		request     contract.NewCall
	}{
		{"no number", "number_id", contract.NewCall{}},
		{"two numbers", "typed", contract.NewCall{NumberID: &w.mobile, Typed: &malformed}},
		{"malformed", "typed", contract.NewCall{Typed: &malformed}},
		{"a number that is not there", "number_id", contract.NewCall{NumberID: &ghost}},
		{"a line that is not there", "line_id", contract.NewCall{NumberID: &w.mobile, LineID: &ghost}},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			_, err := w.Calls.PlaceCall(t.Context(), w.ines, key(), tt.request)
			var field *firm.FieldError
			require.ErrorAs(t, err, &field)
			assert.Equal(t, tt.field, field.Field)
		})
	}
	c := w.calls()
	_, err := w.Filing.ChangeSlip(t.Context(), w.ines, c.Slip.ID,
		contract.SlipChange{Version: c.Slip.Version, OutcomeID: &ghost})
	var field *firm.FieldError
	require.ErrorAs(t, err, &field)
	assert.Equal(t, "outcome_id", field.Field)
	other := "another subject"
	_, err = w.Filing.ChangeSlip(t.Context(), w.ines, c.Slip.ID, contract.SlipChange{Version: 99, Subject: &other})
	require.ErrorIs(t, err, firm.ErrChangedElse)
	first, err := w.Filing.ChangeSlip(t.Context(), w.ines, c.Slip.ID,
		contract.SlipChange{Version: c.Slip.Version, Subject: &other})
	require.NoError(t, err)
	again, err := w.Filing.ChangeSlip(t.Context(), w.ines, c.Slip.ID,
		contract.SlipChange{Version: c.Slip.Version, Subject: &other})
	require.NoError(t, err, "the answer was lost, and it is asked again")
	assert.Equal(t, first.Slip.Version, again.Slip.Version)
	_, err = w.Filing.ChangeSlip(t.Context(), w.tomas, c.Slip.ID,
		contract.SlipChange{Version: c.Slip.Version, OutcomeID: &w.sold})
	require.ErrorIs(t, err, firm.ErrForbidden)
	_, err = w.Calls.SaveNotes(t.Context(), w.tomas, c.Slip.ID, contract.NotesEdit{Body: "x", Writer: "w"})
	require.ErrorIs(t, err, firm.ErrForbidden)
	_, err = w.Calls.SaveNotes(t.Context(), w.ines, c.Slip.ID,
		contract.NotesEdit{Body: strings.Repeat("x", slip.MaxNotes+1), Writer: "w"})
	require.ErrorAs(t, err, &field)
	_, err = w.Calls.SaveNotes(t.Context(), w.ines, c.Slip.ID,
		contract.NotesEdit{Body: strings.Repeat("x", 100<<10), Writer: "w"})
	require.NoError(t, err, "100 kB are fine")
}

func TestNotesOfTwoWindowsAreNeverOverwritten(t *testing.T) {
	w := newWorld(t)
	c := w.calls()
	save := func(body string, base int, window string) (contract.Notes, error) {
		return w.Calls.SaveNotes(t.Context(), w.ines, c.Slip.ID,
			contract.NotesEdit{Body: body, Base: base, Writer: window})
	}
	_, err := save("from the left", 0, "left")
	require.NoError(t, err)
	_, err = save("from the right", 0, "right")
	var conflict *firm.NotesConflictError
	require.ErrorAs(t, err, &conflict)
	assert.Equal(t, "from the left", conflict.Current.Body)
	n, err := save("both", conflict.Current.Version, "right")
	require.NoError(t, err)
	assert.Equal(t, 2, n.Version)
}

func TestCorrectionsAfterFilingLeaveATrail(t *testing.T) {
	w := newWorld(t)
	c := w.calls()
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	c, err := w.Filing.ChangeSlip(t.Context(), w.ines, c.Slip.ID,
		contract.SlipChange{Version: c.Slip.Version, OutcomeID: &w.sold})
	require.NoError(t, err)
	c, err = w.Filing.File(t.Context(), w.ines, c.Slip.ID, key(), nil)
	require.NoError(t, err)
	subject := "Overflow"
	c, err = w.Filing.ChangeSlip(t.Context(), w.odile, c.Slip.ID,
		contract.SlipChange{Version: c.Slip.Version, OutcomeID: &w.again, Subject: &subject})
	require.NoError(t, err, "a supervisor may correct")
	_, err = w.Calls.SaveNotes(t.Context(), w.ines, c.Slip.ID, contract.NotesEdit{Body: "after all", Writer: "left"})
	require.NoError(t, err)
	_, err = w.Filing.Detach(t.Context(), w.ines, c.ID, w.vesper)
	require.NoError(t, err)
	page, err := w.CallPage(t.Context(), w.ines, c.ID)
	require.NoError(t, err)
	var trail []string
	for _, ch := range page.Changes {
		trail = append(trail, ch.Actor+": "+ch.Text)
	}
	assert.Equal(t, []string{"odile: outcome: Visit agreed → Wants an offer; subject: none → Overflow",
		"ines: notes: none → after all",
		"ines: removed: Vesper Hollow Nursery"}, trail)
	h, err := w.History(t.Context(), w.ines, w.vesper, "call", "")
	require.NoError(t, err)
	assert.Empty(t, h.Entries, "it no longer stands on the company")
}

func TestARestartClosesWhatALostServerLeft(t *testing.T) {
	w := newWorld(t)
	c := w.calls()
	w.clock.Advance(2 * time.Second)
	w.until("rings", func() bool { return w.phase(c.ID) == contract.PhaseRinging })
	_, err := w.Calls.SaveNotes(t.Context(), w.ines, c.Slip.ID, contract.NotesEdit{Body: "half a", Writer: "left"})
	require.NoError(t, err)
	w.until("the ring is saved", func() bool {
		var state string
		require.NoError(t, w.store.Pool.QueryRow(t.Context(), `SELECT state FROM calls WHERE id = $1`,
			c.ID).Scan(&state))
		return state == "ringing"
	})
	// A second desk of the same name is the server after a crash; the first one never says goodbye.
	w.open()
	after := w.ended(c.ID)
	assert.Equal(t, "cut_off", after.State.EndReason)
	assert.False(t, after.State.EndedAt.Before(after.State.StartedAt))
	assert.Equal(t, "half a", after.Slip.Notes.Body)
	lane, err := w.Lane(t.Context(), w.ines)
	require.NoError(t, err)
	require.Len(t, lane.Owed, 1)
	assert.Equal(t, "Berit Osterlund", lane.Owed[0].Record.Name)
	assert.Contains(t, lane.Owed[0].Reason, "not filed yet")
	w.calls()
}

func TestACallThatCannotBeReadKeepsNeitherTheServerNorOtherCalls(t *testing.T) {
	w := newWorld(t)
	good := w.calls()
	broken, err := w.Calls.PlaceCall(t.Context(), w.tomas, key(), contract.NewCall{NumberID: &w.office})
	require.NoError(t, err)
	_, err = w.store.Pool.Exec(t.Context(),
		`UPDATE call_facts SET kind = 'leg_ended', data = '{"leg": 7}' WHERE call_id = $1 AND seq = 2`, broken.ID)
	require.NoError(t, err)
	w.open()
	assert.Equal(t, "cut_off", w.ended(good.ID).State.EndReason)
	var ended *time.Time
	require.NoError(t, w.store.Pool.QueryRow(t.Context(), `SELECT ended_at FROM calls WHERE id = $1`,
		broken.ID).Scan(&ended))
	assert.Nil(t, ended, "it is left as it is, for somebody to look at")
}

func TestACallWhoseCommitWasNeverAnsweredIsClosed(t *testing.T) {
	w := newWorld(t)
	c := w.calls()
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	w.ended(c.ID)
	// As the database has it when the commit arrived there, and its answer did not arrive here.
	_, err := w.store.Pool.Exec(t.Context(),
		`UPDATE calls SET ended_at = NULL, end_reason = '', state = 'dialing', last_seq = 4 WHERE id = $1`, c.ID)
	require.NoError(t, err)
	_, err = w.store.Pool.Exec(t.Context(), `DELETE FROM call_facts WHERE call_id = $1 AND seq > 4`, c.ID)
	require.NoError(t, err)
	other := w.calls() // the rep is not held up by it
	for range 8 {
		require.NoError(t, w.clock.BlockUntilContext(t.Context(), 1))
		w.clock.Advance(2 * time.Second)
	}
	w.until("it is closed", func() bool {
		w.clock.Advance(2 * time.Second)
		var reason string
		require.NoError(t, w.store.Pool.QueryRow(t.Context(), `SELECT end_reason FROM calls WHERE id = $1`,
			c.ID).Scan(&reason))
		return reason == "cut_off"
	})
	assert.NotEqual(t, contract.PhaseEnded, w.phase(other.ID), "one that is driven is left alone")
}

func TestAnotherServersCallsAreOnlyClosedWhenItsLeaseHasRunOut(t *testing.T) {
	w := newWorld(t)
	_, err := w.store.ClaimServer(t.Context(), db.ClaimServerParams{Name: "other", At: ptr(w.clock.Now())})
	require.NoError(t, err)
	c := w.calls()
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	w.ended(c.ID)
	_, err = w.store.Pool.Exec(
		t.Context(),
		`UPDATE calls SET owner_server = 'other', owner_epoch = 1, ended_at = NULL, end_reason = '', last_seq = 4 WHERE id = $1`,
		c.ID,
	)
	require.NoError(t, err)
	_, err = w.store.Pool.Exec(t.Context(), `DELETE FROM call_facts WHERE call_id = $1 AND seq > 4`, c.ID)
	require.NoError(t, err)
	open := func() bool {
		var open bool
		require.NoError(t, w.store.Pool.QueryRow(t.Context(), `SELECT ended_at IS NULL FROM calls WHERE id = $1`,
			c.ID).Scan(&open))
		return open
	}
	tick := func() {
		require.NoError(t, w.clock.BlockUntilContext(t.Context(), 1))
		var before, after time.Time
		require.NoError(t, w.store.Pool.QueryRow(t.Context(),
			`SELECT heartbeat_at FROM servers WHERE name = 'test'`).Scan(&before))
		w.clock.Advance(2 * time.Second)
		w.until("heartbeat", func() bool {
			require.NoError(t, w.store.Pool.QueryRow(t.Context(),
				`SELECT heartbeat_at FROM servers WHERE name = 'test'`).Scan(&after))
			return after.After(before)
		})
	}
	for range 8 {
		tick()
		require.NoError(t, w.store.Heartbeat(t.Context(),
			db.HeartbeatParams{At: ptr(w.clock.Now()), Name: "other", Epoch: 1}))
		require.True(t, open(), "the other server lives")
	}
	for range 7 {
		tick()
	}
	w.until("its lease has run out", func() bool { return !open() })
	assert.Equal(t, "cut_off", w.ended(c.ID).State.EndReason)
}
