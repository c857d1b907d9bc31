package desk_test

import (
	"bytes"
	"fmt"
	"strings"
	"testing"
	"time"

	"trundo/internal/desk/firm"
	"trundo/internal/desk/rounds"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/carrier/sim"
	"trundo/internal/contract"
	"trundo/internal/core/outcome"
	"trundo/internal/core/round"
	"trundo/internal/core/slip"
	"trundo/internal/store"
)

// people makes contacts "Person 1" to n with a number each, and gives their ids.
func (w *world) people(n int) []uuid.UUID {
	w.t.Helper()
	ids := make([]uuid.UUID, n)
	for i := range ids {
		ids[i] = store.NewID()
		_, err := w.store.Pool.Exec(w.t.Context(),
			`INSERT INTO records (id, kind, name, given, family) VALUES ($1, 'contact', $2, 'Person', $3)`, ids[i],
			fmt.Sprintf("Person %02d", i+1), fmt.Sprint(i+1))
		require.NoError(w.t, err)
		w.number(ids[i], "mobile", fmt.Sprintf("+1518555%04d", 100+i))
	}
	return ids
}

func (w *world) number(record uuid.UUID, label, e164 string) uuid.UUID {
	w.t.Helper()
	id := store.NewID()
	_, err := w.store.Pool.Exec(
		w.t.Context(),
		`INSERT INTO phone_numbers (id, record_id, label, typed, e164, region, zones, position)
		VALUES ($1, $2, $3, $4, $4, 'US', '{America/New_York}', (SELECT count(*) FROM phone_numbers WHERE record_id = $2))`,
		id,
		record,
		label,
		e164,
	)
	require.NoError(w.t, err)
	return id
}

// outcome makes one with which nobody is reached.
func (w *world) outcome(label string, effects string) uuid.UUID {
	w.t.Helper()
	id := store.NewID()
	_, err := w.store.Pool.Exec(
		w.t.Context(),
		`INSERT INTO outcomes (id, label, position, reached, effects) VALUES ($1, $2, (SELECT count(*) FROM outcomes), false, $3::jsonb)`,
		id,
		label,
		effects,
	)
	require.NoError(w.t, err)
	w.clock.Advance(6 * time.Second)
	return id
}

// starts begins a round of people for a, by a pace; change may change its settings.
func (w *world) starts(a firm.Actor, ids []uuid.UUID, change ...func(*contract.RoundSettings)) contract.Round {
	w.t.Helper()
	s, err := w.Rounds.RoundDefaults(w.t.Context(), a)
	require.NoError(w.t, err)
	s.OtherHour = false
	for _, c := range change {
		c(&s)
	}
	r, err := w.Rounds.StartRound(w.t.Context(), a, key(),
		contract.RoundStart{Selection: &contract.Selection{Ids: &ids}, Settings: s})
	require.NoError(w.t, err)
	return r
}

func byKey(s *contract.RoundSettings) { s.Pace = contract.RoundSettingsPaceByKey }

func (w *world) acts(a firm.Actor, id uuid.UUID, act contract.RoundActAct) contract.Round {
	w.t.Helper()
	r, err := w.Rounds.ActOnRound(w.t.Context(), a, id, key(), contract.RoundAct{Act: act})
	require.NoError(w.t, err)
	return r
}

// settles files a's attempt with an outcome.
func (w *world) settles(a firm.Actor, r contract.Round, outcome uuid.UUID) contract.Round {
	w.t.Helper()
	require.NotNil(w.t, r.Current)
	require.NotNil(w.t, r.Current.Call)
	next, err := w.Rounds.SettleInRound(w.t.Context(), a, r.ID, key(),
		contract.RoundSettle{SlipID: r.Current.Call.Slip.ID, OutcomeID: &outcome})
	require.NoError(w.t, err)
	return next
}

// beads are how the people of a round stand: "spoke current waiting".
func (w *world) beads(id uuid.UUID) string {
	w.t.Helper()
	people, err := w.Rounds.RoundPeople(w.t.Context(), w.ines, id, 0, 100)
	require.NoError(w.t, err)
	var beads []string
	for _, p := range people {
		beads = append(beads, string(p.Bead))
	}
	return strings.Join(beads, " ")
}

func TestARoundIsWorkedThrough(t *testing.T) {
	w := newWorld(t)
	noAnswer := w.outcome("No answer", `[{"kind":"retry","after":{"count":2,"unit":"hours"}}]`)
	wrong := w.outcome("Wrong number", `[{"kind":"do_not_call","value":"number","after":{}}]`)
	ids := w.people(4)
	r := w.starts(w.ines, ids)
	assert.Equal(t, "paused", string(r.Mine), "nobody is called before the rep goes on")
	assert.Equal(t, 4, r.Ready)
	assert.Nil(t, r.Current)

	r = w.acts(w.ines, r.ID, contract.RoundActActGo)
	require.NotNil(t, r.Current.Call, "at once means at once")
	assert.Equal(t, "Person 01", r.Current.Record.Name)
	assert.Equal(t, "Person 01", r.Current.Call.Links[0].Record.Name)
	assert.Equal(t, "current waiting waiting waiting", w.beads(r.ID))

	r = w.settles(w.ines, r, noAnswer)
	require.NotNil(t, r.Current.Call)
	assert.Equal(t, "Person 02", r.Current.Record.Name)
	assert.Equal(t, "later current waiting waiting", w.beads(r.ID))
	assert.Empty(t, laneOf(t, w, w.ines), "the round tries again by itself: nothing is owed in the lane")
	assert.Equal(t, "No answer", r.Undo.Outcome)

	r = w.settles(w.ines, r, wrong)
	assert.Equal(t, "later refused current waiting", w.beads(r.ID))
	r = w.settles(w.ines, r, w.sold)
	assert.Equal(t, "Person 04", r.Current.Record.Name)
	assert.Equal(t, 1, r.Reached)
	r = w.acts(w.ines, r.ID, contract.RoundActActSkip)
	assert.Nil(t, r.Current, "the first one comes again in two hours")
	assert.Equal(t, "later refused spoke skipped", w.beads(r.ID))
	require.NotNil(t, r.NextAt)
	assert.Equal(t, 2*time.Hour, r.NextAt.Sub(monday).Truncate(time.Hour))

	w.clock.Advance(2*time.Hour + 10*time.Minute)
	r = w.acts(w.ines, r.ID, contract.RoundActActGo)
	require.NotNil(t, r.Current)
	assert.Equal(t, "Person 01", r.Current.Record.Name)
	assert.Equal(t, 2, r.Current.Attempt)
	r = w.settles(w.ines, r, w.sold)
	assert.True(t, r.Over)
	results, err := w.Rounds.RoundResults(t.Context(), w.ines, r.ID)
	require.NoError(t, err)
	assert.Equal(t, []contract.RoundTally{{Outcome: "Visit agreed", Reached: true, People: 2},
		{Outcome: "Wrong number", People: 1}}, results.Outcomes)
	assert.Equal(t, 5, results.Attempts)
	var calls int
	require.NoError(t, w.store.Pool.QueryRow(t.Context(), `SELECT count(*) FROM calls`).Scan(&calls))
	assert.Equal(t, results.Attempts, calls)
	var file bytes.Buffer
	require.NoError(t, w.Rounds.WriteRoundResults(t.Context(), w.odile, r.ID, &file))
	assert.Contains(t, file.String(), "Person 03,contact,spoke,Visit agreed,1,")
	rest, err := w.Rounds.ListRest(t.Context(), w.ines, r.ID, "The rest")
	require.NoError(t, err)
	assert.Equal(t, 1, *rest.Count, "who was skipped; not who is never to be called")
	_, err = w.Rounds.ActOnRound(t.Context(), w.ines, r.ID, key(), contract.RoundAct{Act: contract.RoundActActGo})
	require.ErrorIs(t, err, rounds.ErrRoundOver)
}

func TestThePreviewSaysWhyOthersAreNotCalled(t *testing.T) {
	w := newWorld(t)
	ids := append(w.people(3), w.berit, w.aron)
	c := w.calls()
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	w.ended(c.ID)
	_, err := w.store.Pool.Exec(t.Context(), `DELETE FROM phone_numbers WHERE record_id = $1`, ids[0])
	require.NoError(t, err)
	_, err = w.store.Pool.Exec(t.Context(), `UPDATE phone_numbers SET zones = '{Asia/Tokyo}' WHERE record_id = $1`,
		ids[1])
	require.NoError(t, err)
	s, err := w.Rounds.RoundDefaults(t.Context(), w.ines)
	require.NoError(t, err)
	view, err := w.Rounds.PreviewRound(t.Context(), w.ines,
		contract.RoundStart{Selection: &contract.Selection{Ids: &ids}, Settings: s})
	require.NoError(t, err)
	assert.Equal(t, "1 of 5 can be called now: 1 is outside calling hours, 1 was called today, 1 asked not to be "+
		"called, 1 has no number that can be called.", view.Sentence)
	assert.Equal(t, "5 people, March 2", view.Name)
	r := w.starts(w.ines, ids)
	assert.Equal(t, "cannot later waiting later refused", w.beads(r.ID))

	for field, change := range map[string]func(*contract.RoundStart){
		"selection":                   func(x *contract.RoundStart) { x.Selection = nil },
		"settings.per_day":            func(x *contract.RoundStart) { x.Settings.PerDay = 99 },
		"settings.line_id":            func(x *contract.RoundStart) { x.Settings.Shown = contract.RoundSettingsShownLine },
		"settings.message_outcome_id": func(x *contract.RoundStart) { x.Settings.MessageOutcomeID = &r.ID },
		"settings.message_id":         func(x *contract.RoundStart) { x.Settings.MessageID = &r.ID },
		"settings.call_type_id":       func(x *contract.RoundStart) { x.Settings.CallTypeID = &r.ID },
		"list_id":                     func(x *contract.RoundStart) { x.Selection, x.ListID = nil, &r.ID },
		"lane":                        func(x *contract.RoundStart) { x.Selection, x.Lane = nil, &[]bool{true}[0] },
	} {
		bad := contract.RoundStart{Selection: &contract.Selection{Ids: &ids}, Settings: s}
		change(&bad)
		_, err := w.Rounds.StartRound(t.Context(), w.tomas, key(), bad)
		var at *firm.FieldError
		require.ErrorAs(t, err, &at, field)
		assert.Equal(t, field, at.Field)
	}
	nobody := []uuid.UUID{store.NewID()}
	_, err = w.Rounds.StartRound(t.Context(), w.ines, key(),
		contract.RoundStart{Selection: &contract.Selection{Ids: &nobody}, Settings: s})
	require.ErrorIs(t, err, round.ErrNobody)
}

func TestANextNumberIsTried(t *testing.T) {
	w := newWorld(t)
	busy := w.outcome("Busy", `[]`)
	ids := w.people(2)
	w.number(ids[0], "office", "+15185550190")
	third := w.number(ids[0], "home", "+15185550191")
	r := w.starts(w.ines, ids, func(s *contract.RoundSettings) {
		s.Then, s.PerDay = []contract.RoundRule{{OutcomeID: busy, Then: contract.RoundRuleThenNextNumber}}, 5
	})
	r = w.acts(w.ines, r.ID, contract.RoundActActGo)
	first := *r.Current.NumberID
	r = w.settles(w.ines, r, busy)
	assert.Equal(t, "Person 01", r.Current.Record.Name, "by the rule of the outcome")
	require.NotNil(t, r.Current.Call)
	assert.NotEqual(t, first, *r.Current.NumberID)
	assert.Equal(t, third, *r.Current.NextNumberID)

	r = w.acts(w.ines, r.ID, contract.RoundActActNextNumber) // by hand: the attempt is left as it is
	assert.Equal(t, third, *r.Current.NumberID)
	require.NotNil(t, r.Current.Call)
	assert.Equal(t, 3, r.Current.Attempt)
	open, err := w.Calls.MyDesk(t.Context(), w.ines)
	require.NoError(t, err)
	assert.Len(t, open.Calls, 1, "no slip of a left number stays behind")
	_, err = w.Rounds.ActOnRound(t.Context(), w.ines, r.ID, key(),
		contract.RoundAct{Act: contract.RoundActActNextNumber})
	var at *firm.FieldError
	require.ErrorAs(t, err, &at)
	assert.Equal(t, "number_id", at.Field)

	added, err := w.Book.AddNumber(t.Context(), w.ines, ids[0], contract.NewNumber{Typed: "518 555 0192"})
	require.NoError(t, err)
	fresh := added.Numbers[len(added.Numbers)-1].ID
	for _, n := range added.Numbers {
		if strings.HasSuffix(n.Display, "0192") {
			fresh = n.ID
		}
	}
	r, err = w.Rounds.ActOnRound(t.Context(), w.ines, r.ID, key(),
		contract.RoundAct{Act: contract.RoundActActNextNumber, NumberID: &fresh})
	require.NoError(t, err)
	assert.Equal(t, fresh, *r.Current.NumberID)
	r = w.settles(w.ines, r, w.sold)
	assert.Equal(t, "spoke current", w.beads(r.ID))
}

func TestTheLastOutcomeIsTakenBack(t *testing.T) {
	w := newWorld(t)
	w.outcomeThat(outcome.Effect{Kind: outcome.AddTag, Text: "spring"})
	ids := w.people(3)
	r := w.starts(w.ines, ids, byKey)
	r = w.acts(w.ines, r.ID, contract.RoundActActGo)
	assert.Equal(t, contract.RoundCurrentStateTaken, r.Current.State, "they are called by a key")
	r = w.acts(w.ines, r.ID, contract.RoundActActCall)
	slip := r.Current.Call.Slip.ID
	r = w.settles(w.ines, r, w.sold)
	assert.Equal(t, "spoke current waiting", w.beads(r.ID))
	require.Equal(t, slip, r.Undo.SlipID)
	_, err := w.Filing.UndoFiling(t.Context(), w.ines, slip)
	require.NoError(t, err)
	assert.Equal(t, "current current waiting", w.beads(r.ID))
	record, err := w.Book.Record(t.Context(), w.ines, ids[0])
	require.NoError(t, err)
	for _, v := range record.Values {
		assert.NotEqual(t, "spring", v.Text)
	}
	_, err = w.Rounds.ActOnRound(t.Context(), w.tomas, r.ID, key(),
		contract.RoundAct{Act: contract.RoundActActBack, Position: new(int)})
	require.ErrorIs(t, err, rounds.ErrLetGo, "she is still at them")
	// Its slip says what came of it after all.
	noAnswer := w.outcome("Nothing", `[]`)
	desks, err := w.Calls.MyDesk(t.Context(), w.ines)
	require.NoError(t, err)
	require.Len(t, desks.Calls, 1)
	c, err := w.Filing.ChangeSlip(t.Context(), w.ines, slip,
		contract.SlipChange{OutcomeID: &noAnswer, Version: desks.Calls[0].Slip.Version})
	require.NoError(t, err)
	_, err = w.Filing.File(t.Context(), w.ines, c.Slip.ID, key(), nil)
	require.NoError(t, err)
	assert.Equal(t, "later current waiting", w.beads(r.ID))
	// A correction long after is followed too.
	page, err := w.CallPage(t.Context(), w.ines, c.ID)
	require.NoError(t, err)
	_, err = w.Filing.ChangeSlip(t.Context(), w.ines, slip,
		contract.SlipChange{OutcomeID: &w.sold, Version: page.Call.Slip.Version})
	require.NoError(t, err)
	assert.Equal(t, "spoke current waiting", w.beads(r.ID))
}

func TestARoundThatIsOverGoesOnWhereItsLastOutcomeIsTakenBack(t *testing.T) {
	w := newWorld(t)
	r := w.starts(w.ines, w.people(1))
	r = w.acts(w.ines, r.ID, contract.RoundActActGo)
	slip := r.Current.Call.Slip.ID
	r = w.settles(w.ines, r, w.sold)
	require.True(t, r.Over)
	_, err := w.Filing.UndoFiling(t.Context(), w.ines, slip)
	require.NoError(t, err)
	r, err = w.Rounds.Round(t.Context(), w.ines, r.ID)
	require.NoError(t, err)
	assert.False(t, r.Over)
	require.NotNil(t, r.Current)
	r = w.settles(w.ines, r, w.sold)
	assert.True(t, r.Over)
	assert.Equal(t, "spoke", w.beads(r.ID))
}

func TestARoundIsPausedLeftAndHandedOver(t *testing.T) {
	w := newWorld(t)
	ids := w.people(3)
	r := w.starts(w.ines, ids, byKey)
	r = w.acts(w.ines, r.ID, contract.RoundActActGo)
	r = w.acts(w.ines, r.ID, contract.RoundActActPause)
	assert.Nil(t, r.Current)
	assert.Equal(t, "waiting waiting waiting", w.beads(r.ID))
	require.Len(t, laneOf(t, w, w.ines), 1)
	assert.Contains(t, laneOf(t, w, w.ines)[0], "round paused at 10:00")

	r = w.acts(w.ines, r.ID, contract.RoundActActGo)
	assert.Empty(t, laneOf(t, w, w.ines))
	r = w.acts(w.ines, r.ID, contract.RoundActActCall)
	r = w.acts(w.ines, r.ID, contract.RoundActActStopAfter)
	assert.True(t, r.StopAfter)
	r = w.settles(w.ines, r, w.sold)
	assert.Equal(t, contract.RoundMine("paused"), r.Mine)
	assert.Equal(t, "spoke waiting waiting", w.beads(r.ID))

	_, err := w.Rounds.ActOnRound(t.Context(), w.ines, r.ID, key(),
		contract.RoundAct{Act: contract.RoundActActHandOver, RepID: &w.tomas.ID})
	require.NoError(t, err)
	require.Len(t, laneOf(t, w, w.tomas), 1)
	assert.Contains(t, laneOf(t, w, w.tomas)[0], "round handed over by ines")
	assert.Empty(t, laneOf(t, w, w.ines))
	r = w.acts(w.tomas, r.ID, contract.RoundActActGo)
	assert.Equal(t, "Person 02", r.Current.Record.Name)

	back := 0
	r, err = w.Rounds.ActOnRound(t.Context(), w.tomas, r.ID, key(),
		contract.RoundAct{Act: contract.RoundActActBack, Position: &back})
	require.NoError(t, err)
	assert.Equal(t, "Person 01", r.Current.Record.Name)
	assert.Equal(t, "current waiting waiting", w.beads(r.ID))
	r = w.acts(w.tomas, r.ID, contract.RoundActActEnd)
	assert.True(t, r.Over)
}

func TestAMessageIsLeftWhileTheNextIsCalled(t *testing.T) {
	w := newWorld(t)
	left := w.outcome("Left a message", `[]`)
	_, err := w.store.Pool.Exec(t.Context(),
		`INSERT INTO prepared_messages (id, name, text, position) VALUES ($1, 'after the show', 'Hello', 0)`,
		store.NewID())
	require.NoError(t, err)
	w.behaviour = sim.Behaviour{}
	r := w.starts(w.ines, w.people(2),
		func(s *contract.RoundSettings) { s.MessageOutcomeID, s.Then = &left, []contract.RoundRule{} })
	r = w.acts(w.ines, r.ID, contract.RoundActActGo)
	first := r.Current.Call.ID
	yes := true
	settle := contract.RoundSettle{SlipID: r.Current.Call.Slip.ID, Leave: &yes}
	w.after(time.Millisecond, "somebody answers", func() bool { return w.phase(first) == contract.PhaseSpeaking })
	r, err = w.Rounds.SettleInRound(t.Context(), w.ines, r.ID, key(), settle)
	require.NoError(t, err)
	assert.Equal(t, "message current", w.beads(r.ID))
	require.NotNil(t, r.Current.Call)
	assert.NotEqual(t, first, r.Current.Call.ID)
	assert.NotEqual(t, contract.PhaseEnded, w.phase(first), "it is still being left")
	// No beep is found in a minute, and that is said at the entry.
	w.after(62*time.Second, "what became of it", func() bool {
		page, err := w.CallPage(t.Context(), w.ines, first)
		return err == nil && page.Call.Drop != nil && *page.Call.Drop == contract.CallDropNoBeep
	})
	people, err := w.Rounds.RoundPeople(t.Context(), w.ines, r.ID, 0, 10)
	require.NoError(t, err)
	assert.Equal(t, contract.RoundPersonLeft("no_beep"), people[0].Left)
	assert.Equal(t, "Left a message", people[0].Outcome)
}

func TestWhichLineIsShownInARound(t *testing.T) {
	w := newWorld(t)
	nothing := w.outcome("No answer", `[]`)
	near := store.NewID()
	_, err := w.store.Pool.Exec(
		t.Context(),
		`INSERT INTO lines (id, e164, label, region, zone) VALUES ($1, '+15185550131', 'Radio', 'US', 'America/New_York')`,
		near,
	)
	require.NoError(t, err)
	w.clock.Advance(6 * time.Second)
	r := w.starts(w.ines, w.people(3), func(s *contract.RoundSettings) {
		s.Shown, s.MaxShown, s.Then = contract.RoundSettingsShownNearest, 1, []contract.RoundRule{{OutcomeID: nothing,
			Then: contract.RoundRuleThenNotAgain}}
	})
	r = w.acts(w.ines, r.ID, contract.RoundActActGo)
	assert.Contains(t, r.Current.Call.Shown, "Radio")
	assert.Equal(t, "the nearest", r.Current.Call.ShownReason)
	r = w.settles(w.ines, r, nothing)
	assert.Contains(t, r.Current.Call.Shown, "Main", "the other was shown once today")
	r = w.settles(w.ines, r, nothing)
	assert.Equal(t, contract.RoundMine("paused"), r.Mine)
	assert.Equal(t, "every line has been shown as often today as it may be", r.Why)
	assert.Equal(t, "tried tried waiting", w.beads(r.ID))
}

func TestWhoIsSpokenWithIsNotCutOffByFiling(t *testing.T) {
	w := newWorld(t)
	nothing := w.outcome("Wrong number", `[]`)
	w.behaviour = sim.Behaviour{}
	r := w.starts(w.ines, w.people(2))
	r = w.acts(w.ines, r.ID, contract.RoundActActGo)
	c := *r.Current.Call
	w.after(time.Millisecond, "somebody answers", func() bool { return w.phase(c.ID) == contract.PhaseSpeaking })
	for _, outcome := range []*uuid.UUID{nil, &w.sold} {
		_, err := w.Rounds.SettleInRound(t.Context(), w.ines, r.ID, key(),
			contract.RoundSettle{SlipID: c.Slip.ID, OutcomeID: outcome})
		require.ErrorIs(t, err, slip.ErrStillInCall)
		assert.Equal(t, contract.PhaseSpeaking, w.phase(c.ID))
	}
	r = w.settles(w.ines, r, nothing)
	assert.Equal(t, "Person 02", r.Current.Record.Name, "no conversation: the key ends the call")
}

func TestARoundOfDealsCallsTheirPeopleAboutThem(t *testing.T) {
	w := newWorld(t)
	people := w.people(2)
	deal := func(name string, person uuid.UUID) uuid.UUID {
		return w.add(contract.RecordKindDeal, map[string]string{"name": name, "person": person.String()}).ID
	}
	second, first, again := deal("Tank", people[1]), deal("Pump", people[0]), deal("Second pump", people[0])
	orphan := w.add(contract.RecordKindCase, map[string]string{"name": "Nobody's"}).ID
	r := w.starts(w.ines, []uuid.UUID{second, orphan, first, again})
	assert.Equal(t, 2, r.Total, "each person once, those without one not at all")
	r = w.acts(w.ines, r.ID, contract.RoundActActGo)
	require.NotNil(t, r.Current)
	assert.Equal(t, "Person 02", r.Current.Record.Name)
	call := w.acts(w.ines, r.ID, contract.RoundActActCall).Current.Call
	require.NotNil(t, call)
	var about []string
	for _, l := range call.Links {
		about = append(about, string(l.Role)+" "+l.Record.Name)
	}
	assert.Contains(t, about, "person Person 02")
	assert.Contains(t, about, "about Tank")
}
