package desk_test

import (
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
)

// surveys lets customers be asked after conversations.
func (w *world) surveys(change func(*contract.SurveySettings)) {
	w.t.Helper()
	s, err := w.Queues.Surveys.Survey(w.t.Context(), w.admin())
	require.NoError(w.t, err)
	s.Active, s.EveryDays = true, 0
	if change != nil {
		change(&s)
	}
	_, err = w.Queues.Surveys.SetSurvey(w.t.Context(), w.admin(), s)
	require.NoError(w.t, err)
}

// servedBy lets Berit call in and ines answer, until it is decided that she is asked afterwards.
func (w *world) servedBy(a firm.Actor) (ref string, c contract.Call) {
	w.t.Helper()
	ref = w.comesIn(mobileNumber)
	ring := w.rung(a)
	c, err := w.Arrivals.AnswerCall(w.t.Context(), a, ring.CallID)
	require.NoError(w.t, err)
	return ref, c
}

func TestACustomerIsAskedOnceTheRepHasHungUp(t *testing.T) {
	w := newWorld(t)
	w.surveys(nil)
	w.sits(w.ines)
	ref, c := w.servedBy(w.ines)
	w.until("it is decided", func() bool { return w.Queues.Asks(c.ID) })
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	w.hears(ref, "“Please stay for a few short questions.”")
	team, err := w.Team.Team(t.Context())
	require.NoError(t, err)
	for _, x := range team {
		if x.ID == w.ines.ID {
			assert.Equal(
				t,
				"Available",
				x.Availability,
				"she is not in the call any more, and the firm gives no time to wrap up",
			)
		}
	}
	w.hears(ref, "“How likely are you to recommend us? Press a number from 0, not at all, to 10.”")
	require.True(t, w.sim.OutsidePresses(ref, "3"))
	w.until("the score is on the record", func() bool {
		r, err := w.Book.Record(t.Context(), w.ines, w.berit)
		require.NoError(t, err)
		return r.Satisfaction != nil && r.Satisfaction.Score == 3 && r.Satisfaction.Tone == "would not"
	})
	assert.Equal(t, contract.SlipStateOpen, w.page(c.ID).Call.Slip.State, "before the rep has filed")
	w.filesAs(w.ines, c.Slip.ID)
	w.hears(ref, "a tone; now a remark can be spoken")
	w.clock.Advance(12 * time.Second)
	require.True(t, w.sim.OutsidePresses(ref, "#"))
	w.hears(ref, "“Thank you. Goodbye.”")
	w.passes("the call ends", func() bool { return w.Calls.CallsInProgress() == 0 })
	w.until("the remark is kept", func() bool { return len(*w.page(c.ID).Survey) == 2 })
	answers := *w.page(c.ID).Survey
	assert.Equal(t, "3 of 10, would not", answers[0].Text)
	assert.InDelta(t, 12, *answers[1].Seconds, 1)
	w.until("the end is saved", func() bool { return w.page(c.ID).Call.State.EndReason == "ended_by_us" })

	// She calls again: it is seen at the ring, and a route knows it.
	w.comesIn(mobileNumber)
	ring := w.rung(w.ines)
	assert.Contains(t, ring.Facts[0], "would not: 3 of 10")
}

func TestWhoIsNotAskedAboutACall(t *testing.T) {
	for name, change := range map[string]func(*world, *contract.SurveySettings){
		"it is off": func(_ *world, s *contract.SurveySettings) { s.Active = false },
		"asked a short time ago": func(w *world, s *contract.SurveySettings) {
			s.EveryDays = 30
			_, err := w.store.Pool.Exec(w.t.Context(), `INSERT INTO calls (id, direction, remote_e164, remote_typed, caller_id, caller_id_reason, device, owner_server,
				owner_epoch, state, last_seq, started_at) VALUES ($1, 'inbound', $2, '', '', '', 'carrier', '', 0, 'ended', 1, $3)`, w.again, mobileNumber, monday)
			require.NoError(w.t, err)
			_, err = w.store.Pool.Exec(w.t.Context(), `INSERT INTO survey_answers (call_id, question_id, question, kind, at) VALUES ($1, 'x', 'x', 'score', $2)`,
				w.again, monday.AddDate(0, 0, -29))
			require.NoError(w.t, err)
		},
	} {
		t.Run(name, func(t *testing.T) {
			w := newWorld(t)
			w.surveys(func(s *contract.SurveySettings) { change(w, s) })
			w.sits(w.ines)
			_, c := w.servedBy(w.ines)
			w.until("the answer is saved", func() bool { return w.page(c.ID).Call.State.Saved })
			require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
			w.ended(c.ID)
		})
	}
}

// asksByText lets customers be asked by text who have pressed no key, and Berit be served and hang up herself.
func (w *world) textedSurvey() contract.Call {
	w.t.Helper()
	w.approved()
	w.surveys(func(s *contract.SurveySettings) { s.ByText = new(true) })
	w.sits(w.ines)
	ref, c := w.servedBy(w.ines)
	w.until("it is decided", func() bool { return w.Queues.Asks(c.ID) })
	require.True(w.t, w.sim.OutsideHangsUp(ref))
	w.ended(c.ID)
	w.filesAs(w.ines, c.Slip.ID)
	return c
}

func TestWhoHasPressedNoKeyIsAskedByText(t *testing.T) {
	w := newWorld(t)
	c := w.textedSurvey()
	asked := w.sent(1).Text
	assert.Equal(t, mobileNumber, asked.To)
	assert.Contains(t, asked.Body, "How likely are you to recommend us")
	w.texts(mobileNumber, "When do you come on Thursday?")
	assert.Equal(t, []string{"When do you come on Thursday?"}, w.unread(w.ines), "they write of something else")
	w.texts(mobileNumber, "A 9, thank you")
	w.until("the score is on the record", func() bool {
		r, err := w.Book.Record(t.Context(), w.ines, w.berit)
		require.NoError(t, err)
		return r.Satisfaction != nil && r.Satisfaction.Score == 9 && r.Satisfaction.Tone == "would recommend"
	})
	assert.Equal(t, []string{"When do you come on Thursday?"}, w.unread(w.ines), "nobody owes an answer to a score")
	assert.Contains(t, w.sent(2).Text.Body, "Would you tell us why?")
	w.texts(mobileNumber, "Ines explained the pump with great patience.")
	require.Len(t, *w.page(c.ID).Survey, 2)
	remark := (*w.page(c.ID).Survey)[1]
	assert.Equal(t, "Ines explained the pump with great patience.", *remark.Words)
	assert.Equal(t, []string{*remark.Words}, w.unread(w.ines), "a remark may ask for something")
	w.clock.Advance(time.Minute)
	w.texts(mobileNumber, "10")
	assert.Len(t, *w.page(c.ID).Survey, 2, "what was asked is answered")
	assert.Equal(t, []string{"10"}, w.unread(w.ines))

	// Who is erased has said nothing.
	require.Equal(t, contract.ErasureStateDone, w.erases(w.admin(), w.berit).State)
	assert.NotContains(t, w.everything(), "great patience")
	var left int
	require.NoError(t, w.store.Pool.QueryRow(t.Context(), `SELECT count(*) FROM survey_texts WHERE e164 <> ''`).Scan(&left))
	assert.Zero(t, left)
}

func TestWhoIsNotAskedByText(t *testing.T) {
	t.Run("they have answered by keys", func(t *testing.T) {
		w := newWorld(t)
		w.approved()
		w.surveys(func(s *contract.SurveySettings) { s.ByText, s.Questions = new(true), s.Questions[:1] })
		w.sits(w.ines)
		ref, c := w.servedBy(w.ines)
		w.until("it is decided", func() bool { return w.Queues.Asks(c.ID) })
		require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
		w.hears(ref, "“How likely are you to recommend us? Press a number from 0, not at all, to 10.”")
		require.True(t, w.sim.OutsidePresses(ref, "3"))
		w.hears(ref, "“Thank you. Goodbye.”")
		w.passes("the call ends", func() bool { return w.Calls.CallsInProgress() == 0 })
		w.unasked()
	})
	t.Run("they have answered STOP", func(t *testing.T) {
		w := newWorld(t)
		w.texts(mobileNumber, "STOP")
		w.textedSurvey()
		w.unasked()
	})
}

// unasked tells that nobody is asked by text.
func (w *world) unasked() {
	w.t.Helper()
	w.until("it is decided", w.Queues.Surveys.Writes.Settled)
	var n int
	require.NoError(w.t, w.store.Pool.QueryRow(w.t.Context(), `SELECT count(*) FROM survey_texts`).Scan(&n))
	assert.Zero(w.t, n)
}

func TestASurveyOnTheWayThroughARoute(t *testing.T) {
	w := newWorld(t)
	w.routed(contract.RouteStep{ID: "hello", Do: contract.RouteStepDoSay, Texts: inEnglish("Welcome")},
		contract.RouteStep{ID: "ask", Do: contract.RouteStepDoSurvey},
		contract.RouteStep{ID: "bye", Do: contract.RouteStepDoSay, Texts: inEnglish("Goodbye then")},
		contract.RouteStep{ID: "end", Do: contract.RouteStepDoEnd})
	w.surveys(func(s *contract.SurveySettings) { s.Active, s.Questions = false, s.Questions[:1] })
	ref := w.comesIn(mobileNumber)
	w.hears(ref, "“How likely are you to recommend us? Press a number from 0, not at all, to 10.”")
	require.True(t, w.sim.OutsidePresses(ref, "1"))
	require.True(t, w.sim.OutsidePresses(ref, "0"))
	w.hears(ref, "“Goodbye then”")
	w.until("the score is on the record", func() bool {
		r, err := w.Book.Record(t.Context(), w.ines, w.berit)
		require.NoError(t, err)
		return r.Satisfaction != nil && r.Satisfaction.Score == 10
	})
	w.passes("the call ends", func() bool { return w.Calls.CallsInProgress() == 0 })
}

func TestASurveyThatCannotBe(t *testing.T) {
	w := newWorld(t)
	for name, change := range map[string]func(*contract.SurveySettings){
		"questions": func(s *contract.SurveySettings) { s.Questions = nil },
		"text":      func(s *contract.SurveySettings) { s.ByText, s.Text = new(true), new(" ") },
		"hello":     func(s *contract.SurveySettings) { s.Hello = contract.SpokenTexts{"xx": "?"} },
		"lines":     func(s *contract.SurveySettings) { s.Lines = []uuid.UUID{uuid.New()} },
	} {
		s, err := w.Queues.Surveys.Survey(t.Context(), w.admin())
		require.NoError(t, err)
		s.Active = true
		change(&s)
		_, err = w.Queues.Surveys.SetSurvey(t.Context(), w.admin(), s)
		var wrong *firm.FieldError
		require.ErrorAs(t, err, &wrong, name)
		assert.Equal(t, name, wrong.Field)
	}
	_, err := w.Queues.Surveys.Survey(t.Context(), w.ines)
	require.ErrorIs(t, err, firm.ErrForbidden)
}
