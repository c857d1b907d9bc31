package desk_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"trundo/internal/desk/filing"
	"trundo/internal/desk/firm"
	"trundo/internal/desk/outreach"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/core/outcome"
	"trundo/internal/core/slip"
	"trundo/internal/store"
)

// outcomeThat sets what w.sold does.
func (w *world) outcomeThat(effects ...outcome.Effect) {
	w.t.Helper()
	text, err := json.Marshal(effects)
	require.NoError(w.t, err)
	_, err = w.store.Pool.Exec(w.t.Context(), `UPDATE outcomes SET effects = $2 WHERE id = $1`, w.sold, text)
	require.NoError(w.t, err)
	w.clock.Advance(6 * time.Second) // what is remembered of the firm is read again
}

// over is a call of Ines's that has ended, with w.sold chosen.
func (w *world) over() contract.Call {
	w.t.Helper()
	c := w.calls()
	require.NoError(w.t, w.Calls.HangUp(w.t.Context(), w.ines, c.ID))
	c = w.ended(c.ID)
	c, err := w.Filing.ChangeSlip(w.t.Context(), w.ines, c.Slip.ID,
		contract.SlipChange{Version: c.Slip.Version, OutcomeID: &w.sold})
	require.NoError(w.t, err)
	return c
}

// state is everything that filing can change, without versions, the audit trail and what filing writes of itself.
func (w *world) state() map[string]string {
	w.t.Helper()
	of := map[string]string{}
	for table, without := range map[string]string{"slips": "version", "follow_ups": "version", "history": "",
		"records": "version", "list_members": "", "phone_numbers": "version",
		"do_not_call_numbers": "", "call_links": ""} {
		var text string
		require.NoError(w.t, w.store.Pool.QueryRow(
			w.t.Context(),
			fmt.Sprintf(
				`SELECT coalesce(jsonb_agg(x ORDER BY x::text), '[]')::text FROM (SELECT to_jsonb(t) - $1::text AS x FROM %s t) s`,
				table,
			),
			without,
		).Scan(&text))
		of[table] = text
	}
	return of
}

// List makes a hand-made list.
func (w *world) list(name string) uuid.UUID {
	w.t.Helper()
	id := store.NewID()
	_, err := w.store.Pool.Exec(
		w.t.Context(),
		`INSERT INTO lists (id, name, type, record_kind, owner_id, created_at) VALUES ($1, $2, 'hand', 'contact', $3, now())`,
		id,
		name,
		w.ines.ID,
	)
	require.NoError(w.t, err)
	return id
}

// matter makes a deal or a case of Berit's.
func (w *world) matter(kind, name, stage string) uuid.UUID {
	w.t.Helper()
	id := store.NewID()
	_, err := w.store.Pool.Exec(w.t.Context(),
		`INSERT INTO records (id, kind, name, person_id, stage) VALUES ($1, $2, $3, $4, $5)`, id, kind, name, w.berit,
		stage)
	require.NoError(w.t, err)
	return id
}

func ten() *int { n := 10 * 60; return &n }

func TestAnOutcomeDoesItsWorkAndIsUndone(t *testing.T) {
	w := newWorld(t)
	show := w.list("Spring show")
	deal := w.matter("deal", "Tank for the school", "enquiry")
	w.outcomeThat(
		outcome.Effect{Kind: outcome.FollowUp, Act: outcome.Call, Text: "Ask {given name} about the tank",
			After: outcome.After{Count: 2, Unit: outcome.BusinessDays, At: ten()}},
		outcome.Effect{Kind: outcome.AddToList, Target: show.String()},
		outcome.Effect{Kind: outcome.AddTag, Text: "spring"},
		outcome.Effect{Kind: outcome.DealStage, Value: "offer"},
		outcome.Effect{Kind: outcome.NewCase, Text: "Visit {company}"},
		outcome.Effect{Kind: outcome.CaseState, Value: "solved"},
	)
	c := w.over()
	before := w.state()
	plan, err := w.Filing.PlanFiling(t.Context(), w.ines, c.Slip.ID, w.sold)
	require.NoError(t, err)
	assert.Equal(t, before, w.state(), "a plan does nothing")
	require.Len(t, plan.Items, 6)
	assert.Equal(t, "Ask Berit about the tank", plan.Items[0].Text)
	assert.Equal(t, "2026-03-04 10:00", plan.Items[0].DueAt.In(w.ines.Zone).Format("2006-01-02 15:04"))
	assert.Equal(t, "there is no open case", plan.Items[5].Problem)
	assert.Equal(t, "America/New_York", plan.Zone)
	plan.Items[2].Struck = true

	_, err = w.Filing.File(t.Context(), w.tomas, c.Slip.ID, key(), &plan.Items)
	require.ErrorIs(t, err, firm.ErrForbidden)
	_, err = w.Filing.File(t.Context(), w.ines, c.Slip.ID, "filing", &plan.Items)
	require.NoError(t, err)
	record, err := w.Book.Record(t.Context(), w.ines, w.berit)
	require.NoError(t, err)
	require.Len(t, record.FollowUps, 1)
	assert.Equal(t, "Ask Berit about the tank", record.FollowUps[0].Text)
	assert.NotContains(t, fmt.Sprint(w.state()["records"]), `"spring"`, "it was struck out")
	d, err := w.Book.Record(t.Context(), w.ines, deal)
	require.NoError(t, err)
	assert.Equal(t, "offer", d.Stage)
	assert.Contains(t, w.state()["records"], "Visit Vesper Hollow Nursery")

	page, err := w.CallPage(t.Context(), w.ines, c.ID)
	require.NoError(t, err)
	require.NotNil(t, page.Filing)
	assert.Len(t, page.Filing.Effects, 4)
	assert.Len(t, page.Call.Links, 3, "the case stands on the call")

	_, err = w.Filing.UndoFiling(t.Context(), w.tomas, c.Slip.ID)
	require.ErrorIs(t, err, firm.ErrForbidden)
	undone, err := w.Filing.UndoFiling(t.Context(), w.ines, c.Slip.ID)
	require.NoError(t, err)
	for _, e := range undone.Effects {
		assert.Equal(t, contract.FilingEffectStateUndone, e.State, e.Words)
	}
	assert.Equal(t, before, w.state())
	_, err = w.Filing.UndoFiling(t.Context(), w.ines, c.Slip.ID)
	require.NoError(t, err, "undoing twice is no mistake")
	my, err := w.Calls.MyDesk(t.Context(), w.ines)
	require.NoError(t, err)
	require.Len(t, my.Calls, 1, "it lies on the desk again")
	_, err = w.Filing.File(t.Context(), w.ines, c.Slip.ID, "again", nil)
	require.NoError(t, err)
	record, err = w.Book.Record(t.Context(), w.ines, w.berit)
	require.NoError(t, err)
	assert.Len(t, record.FollowUps, 1)
}

// The same thing to do with the same person is one thing, however often a call ends with it.
func TestWhatIsToBeDoneAlreadyIsRenewed(t *testing.T) {
	w := newWorld(t)
	w.outcomeThat(outcome.Effect{Kind: outcome.FollowUp, Act: outcome.Call, Text: "Ask about the tank",
		After: outcome.After{Count: 2, Unit: outcome.BusinessDays, At: ten()}})
	files := func() contract.Call {
		c := w.over()
		_, err := w.Filing.File(t.Context(), w.ines, c.Slip.ID, key(), nil)
		require.NoError(t, err)
		return c
	}
	due := func() []string {
		record, err := w.Book.Record(t.Context(), w.ines, w.berit)
		require.NoError(t, err)
		var all []string
		for _, f := range record.FollowUps {
			all = append(all, f.DueAt.In(w.ines.Zone).Format(time.DateOnly))
		}
		return all
	}
	files()
	assert.Equal(t, []string{"2026-03-04"}, due())
	w.clock.Advance(24 * time.Hour)
	second := files()
	assert.Equal(t, []string{"2026-03-05"}, due())
	_, err := w.Filing.UndoFiling(t.Context(), w.ines, second.Slip.ID)
	require.NoError(t, err)
	assert.Equal(t, []string{"2026-03-04"}, due(), "the first is as it was")
}

func TestACallFromADealsPageIsAboutIt(t *testing.T) {
	w := newWorld(t)
	deal := w.matter("deal", "Tank for the school", "enquiry")
	w.matter("deal", "Another of theirs", "enquiry")
	c, err := w.Calls.PlaceCall(t.Context(), w.ines, key(), contract.NewCall{NumberID: &w.mobile, OpenRecordID: &deal})
	require.NoError(t, err)
	require.Len(t, c.Links, 3)
	assert.Equal(t, deal, c.Links[2].Record.ID)
	gone := uuid.New()
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	w.ended(c.ID)
	c, err = w.Calls.PlaceCall(t.Context(), w.ines, key(), contract.NewCall{NumberID: &w.mobile, OpenRecordID: &gone})
	require.NoError(t, err)
	assert.Len(t, c.Links, 2)
}

// Whoever called as promised has kept the promise.
func TestAConversationKeepsAPromise(t *testing.T) {
	w := newWorld(t)
	at, promised := w.clock.Now().Add(5*time.Minute), true
	later := at.Add(time.Hour)
	for _, due := range []time.Time{at, later} {
		_, err := w.Book.AddFollowUp(t.Context(), w.ines, w.berit, key(),
			contract.NewFollowUp{Text: "The price", DueAt: &due, Promised: &promised})
		require.NoError(t, err)
	}
	left := func() int {
		record, err := w.Book.Record(t.Context(), w.ines, w.berit)
		require.NoError(t, err)
		return len(record.FollowUps)
	}
	w.files(w.over(), w.sold)
	assert.Equal(t, 2, left(), "nobody answered")
	w.sits(w.ines)
	c := w.files(w.callsBack(contract.NewCall{NumberID: &w.mobile}), w.sold)
	assert.Equal(t, 1, left(), "the one of later today is still to be kept")
	_, err := w.Filing.UndoFiling(t.Context(), w.ines, c.Slip.ID)
	require.NoError(t, err)
	assert.Equal(t, 2, left())
}

func TestWhatWasChangedSinceStays(t *testing.T) {
	w := newWorld(t)
	deal := w.matter("deal", "Tank for the school", "enquiry")
	w.outcomeThat(outcome.Effect{Kind: outcome.FollowUp, Act: outcome.Call,
		After: outcome.After{Count: 1, Unit: outcome.Days}}, outcome.Effect{Kind: outcome.DealStage, Value: "offer"})
	c := w.over()
	_, err := w.Filing.File(t.Context(), w.ines, c.Slip.ID, key(), nil)
	require.NoError(t, err)
	record, err := w.Book.Record(t.Context(), w.ines, w.berit)
	require.NoError(t, err)
	done := contract.FollowUpChangeStateDone
	_, err = w.Book.ChangeFollowUp(t.Context(), w.ines, record.FollowUps[0].ID,
		contract.FollowUpChange{Version: record.FollowUps[0].Version, State: &done})
	require.NoError(t, err)
	_, err = w.store.Pool.Exec(t.Context(), `UPDATE records SET stage = 'won', version = version + 1 WHERE id = $1`,
		deal)
	require.NoError(t, err)
	undone, err := w.Filing.UndoFiling(t.Context(), w.ines, c.Slip.ID)
	require.NoError(t, err)
	for _, e := range undone.Effects {
		assert.Equal(t, contract.FilingEffectStateStays, e.State)
		assert.NotEmpty(t, e.Why)
	}
	d, err := w.Book.Record(t.Context(), w.ines, deal)
	require.NoError(t, err)
	assert.Equal(t, "won", d.Stage)
}

func TestAFilingIsUndoneForTenMinutes(t *testing.T) {
	w := newWorld(t)
	c := w.over()
	_, err := w.Filing.UndoFiling(t.Context(), w.ines, c.Slip.ID)
	require.ErrorIs(t, err, filing.ErrNothingToUndo)
	_, err = w.Filing.File(t.Context(), w.ines, c.Slip.ID, key(), nil)
	require.NoError(t, err)
	w.clock.Advance(11 * time.Minute)
	_, err = w.Filing.UndoFiling(t.Context(), w.ines, c.Slip.ID)
	require.ErrorIs(t, err, filing.ErrTooLate)
	_, err = w.Filing.UndoFiling(t.Context(), w.ines, uuid.New())
	require.ErrorIs(t, err, firm.ErrNotFound)
}

func TestAPlanThatHasChangedIsNotCarriedOut(t *testing.T) {
	w := newWorld(t)
	w.outcomeThat(outcome.Effect{Kind: outcome.DealStage, Value: "offer"})
	c := w.over()
	plan, err := w.Filing.PlanFiling(t.Context(), w.ines, c.Slip.ID, w.sold)
	require.NoError(t, err)
	w.matter("deal", "Tank for the school", "enquiry")
	before := w.state()
	_, err = w.Filing.File(t.Context(), w.ines, c.Slip.ID, key(), &plan.Items)
	var field *firm.FieldError
	require.ErrorAs(t, err, &field)
	assert.Equal(t, "items", field.Field)
	assert.Equal(t, before, w.state(), "nor is the slip filed")
}

func TestDoNotCallByOutcome(t *testing.T) {
	w := newWorld(t)
	w.outcomeThat(outcome.Effect{Kind: outcome.DoNotCall, Value: outcome.ThisNumber},
		outcome.Effect{Kind: outcome.DoNotCall, Value: outcome.ThisPerson})
	c := w.over()
	before := w.state()
	_, err := w.Filing.File(t.Context(), w.ines, c.Slip.ID, key(), nil)
	require.NoError(t, err)
	_, err = w.Calls.PlaceCall(t.Context(), w.ines, key(), contract.NewCall{NumberID: &w.mobile})
	require.ErrorContains(t, err, "Visit agreed")
	_, err = w.Filing.UndoFiling(t.Context(), w.ines, c.Slip.ID)
	require.NoError(t, err)
	assert.Equal(t, before, w.state())
}

func TestTheNextNumberIsTried(t *testing.T) {
	w := newWorld(t)
	w.outcomeThat(outcome.Effect{Kind: outcome.Retry, Next: true,
		After: outcome.After{Count: 30, Unit: outcome.Minutes}})
	c := w.over()
	_, err := w.Filing.File(t.Context(), w.ines, c.Slip.ID, key(), nil)
	require.NoError(t, err)
	record, err := w.Book.Record(t.Context(), w.ines, w.berit)
	require.NoError(t, err)
	require.Len(t, record.FollowUps, 1)
	assert.Equal(t, w.office, *record.FollowUps[0].NumberID)
	lane, err := w.Lane(t.Context(), w.ines)
	require.NoError(t, err)
	require.Len(t, lane.Owed, 1)
	require.NotNil(t, lane.Owed[0].Number)
	assert.Equal(t, w.office, lane.Owed[0].Number.ID, "the lane calls that number")
}

func TestAnOutcomeThatNeedsAFollowUp(t *testing.T) {
	w := newWorld(t)
	_, err := w.store.Pool.Exec(t.Context(), `UPDATE outcomes SET needs_follow_up = true WHERE id = $1`, w.sold)
	require.NoError(t, err)
	w.clock.Advance(6 * time.Second)
	c := w.over()
	_, err = w.Filing.File(t.Context(), w.ines, c.Slip.ID, key(), nil)
	require.ErrorContains(t, err, "needs a follow-up")
	_, err = w.Book.AddFollowUp(t.Context(), w.ines, w.berit, key(), contract.NewFollowUp{Text: "Ask again"})
	require.NoError(t, err)
	_, err = w.Filing.File(t.Context(), w.ines, c.Slip.ID, key(), nil)
	require.NoError(t, err)
}

func TestCorrectingAnOutcomeSaysWhatFollows(t *testing.T) {
	w := newWorld(t)
	w.outcomeThat(outcome.Effect{Kind: outcome.AddTag, Text: "sold"})
	_, err := w.store.Pool.Exec(
		t.Context(),
		`UPDATE outcomes SET effects = '[{"kind":"add_tag","text":"offer","after":{}}]', needs_notes = false WHERE id = $1`,
		w.again,
	)
	require.NoError(t, err)
	w.clock.Advance(6 * time.Second)
	c := w.over()
	c, err = w.Filing.File(t.Context(), w.ines, c.Slip.ID, key(), nil)
	require.NoError(t, err)
	tags := func() string {
		var text string
		require.NoError(t, w.store.Pool.QueryRow(t.Context(),
			`SELECT array_to_string(tags, ',') FROM records WHERE id = $1`, w.berit).Scan(&text))
		return text
	}
	assert.Equal(t, "sold", tags())
	plan, err := w.Filing.PlanFiling(t.Context(), w.ines, c.Slip.ID, w.again)
	require.NoError(t, err)
	yes := true
	c, err = w.Filing.ChangeSlip(t.Context(), w.ines, c.Slip.ID,
		contract.SlipChange{Version: c.Slip.Version, OutcomeID: &w.again, TakeBack: &yes, Items: &plan.Items})
	require.NoError(t, err)
	assert.Equal(t, "offer", tags())
	assert.Equal(t, contract.SlipStateFiled, c.Slip.State)
	_, err = w.Filing.ChangeSlip(t.Context(), w.ines, c.Slip.ID,
		contract.SlipChange{Version: c.Slip.Version, OutcomeID: &w.sold})
	require.NoError(t, err)
	assert.Equal(t, "offer", tags(), "nothing follows where nothing is said")
}

// What a plan shows is what is done, and undoing restores what was: over plans of random effects.
func TestRandomPlansAreDoneAsShownAndUndone(t *testing.T) {
	w := newWorld(t)
	lists := []uuid.UUID{w.list("Spring show"), w.list("Autumn show")}
	w.matter("deal", "Tank for the school", "enquiry")
	w.matter("case", "Leaking overflow", "new")
	random := rand.New(rand.NewPCG(6, 1))
	one := func() outcome.Effect {
		after := outcome.After{Count: random.IntN(9), Unit: outcome.Units[random.IntN(len(outcome.Units))]}
		all := []outcome.Effect{
			{Kind: outcome.FollowUp, Act: outcome.Acts[random.IntN(4)], Text: "Something",
				After: after}, {Kind: outcome.Retry, Next: random.IntN(2) == 0, After: after},
			{Kind: outcome.AddToList, Target: lists[random.IntN(2)].String()},
			{Kind: outcome.TakeOffList, Target: lists[random.IntN(2)].String()},
			{Kind: outcome.AddTag, Text: []string{"a", "b", "c"}[random.IntN(3)]},
			{Kind: outcome.DealStage, Value: []string{"offer", "won"}[random.IntN(2)]},
			{Kind: outcome.CaseState, Value: "solved"}, {Kind: outcome.NewCase, Text: "A case"},
			{Kind: outcome.DoNotCall, Value: outcome.ThisNumber},
		}
		return all[random.IntN(len(all))]
	}
	for range 25 {
		_, err := w.store.Pool.Exec(t.Context(), `UPDATE phone_numbers SET dnc_at = NULL WHERE id = $1`, w.mobile)
		require.NoError(t, err)
		var list []outcome.Effect
		for range 1 + random.IntN(6) {
			list = append(list, one())
		}
		w.outcomeThat(list...)
		c := w.over()
		before := w.state()
		plan, err := w.Filing.PlanFiling(t.Context(), w.ines, c.Slip.ID, w.sold)
		require.NoError(t, err)
		var words []string
		for i := range plan.Items {
			if plan.Items[i].Struck = random.IntN(4) == 0; !plan.Items[i].Struck && plan.Items[i].Problem == "" {
				words = append(words, plan.Items[i].Words)
			}
		}
		_, err = w.Filing.File(t.Context(), w.ines, c.Slip.ID, key(), &plan.Items)
		require.NoError(t, err, "%+v", list)
		page, err := w.CallPage(t.Context(), w.ines, c.ID)
		require.NoError(t, err)
		var did []string
		if page.Filing != nil {
			for _, e := range page.Filing.Effects {
				what, _, _ := strings.Cut(e.Words, ": ")
				did = append(did, what)
			}
		}
		require.Equal(t, words, did)
		made := strings.Count(w.state()["follow_ups"], `"slip_id": "`+c.Slip.ID.String())
		planned := 0
		for _, it := range plan.Items {
			if (it.Kind == contract.EffectKindFollowUp || it.Kind == contract.EffectKindRetry) && !it.Struck &&
				it.Problem == "" {
				planned++
			}
		}
		require.Equal(t, planned, made)
		if page.Filing == nil {
			continue
		}
		_, err = w.Filing.UndoFiling(t.Context(), w.ines, c.Slip.ID)
		require.NoError(t, err)
		require.Equal(t, before, w.state(), "%+v", list)
	}
}

func TestACardNumberIsHiddenUnlessTheRepInsists(t *testing.T) {
	w := newWorld(t)
	c := w.calls()
	notes, err := w.Calls.SaveNotes(t.Context(), w.ines, c.Slip.ID,
		contract.NotesEdit{Body: "Pays with 4111 1111 1111 1111", Writer: "w"})
	require.NoError(t, err)
	assert.Equal(t, "Pays with •••• 1111", notes.Body)
	require.NotNil(t, notes.Masked)
	yes := true
	notes, err = w.Calls.SaveNotes(t.Context(), w.ines, c.Slip.ID,
		contract.NotesEdit{Body: "Pays with 4111 1111 1111 1111", Base: notes.Version, Writer: "w", Insist: &yes})
	require.NoError(t, err)
	assert.Equal(t, "Pays with 4111 1111 1111 1111", notes.Body)
	assert.Nil(t, notes.Masked)
	f, err := w.Book.AddFollowUp(t.Context(), w.ines, w.berit, key(),
		contract.NewFollowUp{Text: "Charge 4111111111111111"})
	require.NoError(t, err)
	assert.Equal(t, "Charge •••• 1111", f.Text)
	require.NoError(t, w.Outreach.Receive(t.Context(),
		outreach.Received{Channel: contract.ChannelText, From: mobileNumber, To: mainNumber,
			Body: "Take 4111111111111111"}))
	thread, err := w.Outreach.Thread(t.Context(), w.ines, &w.berit, "")
	require.NoError(t, err)
	assert.Equal(t, "Take •••• 1111", thread.Messages[0].Body)
}

func TestFilingTwiceAtOnceDoesEverythingOnce(t *testing.T) {
	w := newWorld(t)
	w.outcomeThat(outcome.Effect{Kind: outcome.FollowUp, Act: outcome.Call,
		After: outcome.After{Count: 1, Unit: outcome.Days}})
	c := w.over()
	results := make(chan error, 8)
	for range cap(results) {
		go func() {
			_, err := w.Filing.File(t.Context(), w.ines, c.Slip.ID, key(), nil)
			results <- err
		}()
	}
	filed := 0
	for range cap(results) {
		if err := <-results; err == nil {
			filed++
		} else {
			require.ErrorIs(t, err, slip.ErrAlreadyFiled)
		}
	}
	assert.Equal(t, 1, filed)
	record, err := w.Book.Record(t.Context(), w.ines, w.berit)
	require.NoError(t, err)
	assert.Len(t, record.FollowUps, 1)
}
