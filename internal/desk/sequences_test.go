package desk_test

import (
	"testing"
	"time"

	"trundo/internal/desk/firm"
	"trundo/internal/desk/outreach"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/core/outcome"
)

// sequence makes a sequence: a mail at once, a call after two days, a mail a day later.
func (w *world) sequence() (id uuid.UUID, admin firm.Actor) {
	w.t.Helper()
	ctx := w.t.Context()
	_, err := w.store.Pool.Exec(ctx, `UPDATE users SET role = 'admin' WHERE id = $1`, w.odile.ID)
	require.NoError(w.t, err)
	w.clock.Advance(6 * time.Second)
	admin = w.actor("odile")
	templates, err := w.Outreach.SetTemplates(ctx, admin,
		[]contract.Template{{Name: "First", Channel: contract.ChannelMail, Subject: "Good day {given name}",
			Body: "The first", Active: true}})
	require.NoError(w.t, err)
	about := "Ask about the offer"
	set, err := w.Outreach.SetSequences(ctx, admin,
		[]contract.Sequence{{Name: "After the show", Active: true, Steps: []contract.SequenceStep{
			{Act: "mail", Unit: "minutes", TemplateID: templates[0].ID}, {Act: "call", Count: 2, Unit: "business_days",
				At: ten(), Text: &about},
			{Act: "mail", Count: 1, Unit: "days", TemplateID: templates[0].ID}}}})
	require.NoError(w.t, err)
	return *set[0].ID, admin
}

func (w *world) membership() contract.Membership {
	w.t.Helper()
	all, err := w.Outreach.Memberships(w.t.Context(), w.berit)
	require.NoError(w.t, err)
	require.NotEmpty(w.t, all)
	return all[0]
}

// after lets time pass in steps until something has come about.
func (w *world) after(step time.Duration, what string, ok func() bool) {
	w.t.Helper()
	w.until(what, func() bool {
		if ok() {
			return true
		}
		w.clock.Advance(step)
		return false
	})
}

func TestASequenceGoesThroughItsSteps(t *testing.T) {
	w := newWorld(t)
	id, _ := w.sequence()
	got, err := w.Outreach.Enrol(t.Context(), w.ines, id, contract.Enrolment{RecordID: &w.berit})
	require.NoError(t, err)
	assert.Equal(t, 1, got.Enrolled)
	got, err = w.Outreach.Enrol(t.Context(), w.tomas, id, contract.Enrolment{RecordID: &w.berit})
	require.NoError(t, err)
	assert.Equal(t, []int{0, 1}, []int{got.Enrolled, got.Skipped}, "nobody is in it twice")
	w.after(20*time.Second, "the first mail goes out", func() bool { return len(w.postbox.Sent()) == 1 })
	assert.Equal(t, "Good day Berit", w.postbox.Sent()[0].Mail.Subject)
	w.after(time.Second, "it has moved on", func() bool { return w.membership().Step == 2 })
	m := w.membership()
	assert.Equal(t, "a call", m.Next)
	assert.Equal(t, "2026-03-04 10:00", m.NextAt.In(w.ines.Zone).Format("2006-01-02 15:04"))

	w.after(time.Hour, "the call stands in the lane", func() bool { return len(laneOf(t, w, w.ines)) == 1 })
	assert.Contains(t, laneOf(t, w, w.ines)[0], "Ask about the offer (After the show, step 2 of 3)")
	assert.Equal(t, "the call in the lane", w.membership().Next)
	record, err := w.Book.Record(t.Context(), w.ines, w.berit)
	require.NoError(t, err)
	done := contract.FollowUpChangeStateDone
	_, err = w.Book.ChangeFollowUp(t.Context(), w.ines, record.FollowUps[0].ID,
		contract.FollowUpChange{Version: record.FollowUps[0].Version, State: &done})
	require.NoError(t, err)
	assert.Equal(t, 3, w.membership().Step)
	w.after(time.Hour, "the second mail goes out", func() bool { return len(w.postbox.Sent()) == 2 })
	w.after(time.Second, "it has ended", func() bool { return !w.membership().Active })
	assert.Equal(t, "all steps are done", w.membership().Why)
}

func TestASequenceStopsAtAReplyAConversationAndByHand(t *testing.T) {
	w := newWorld(t)
	id, _ := w.sequence()
	enrol := func() {
		t.Helper()
		_, err := w.Outreach.Enrol(t.Context(), w.ines, id, contract.Enrolment{RecordID: &w.berit})
		require.NoError(t, err)
		require.True(t, w.membership().Active)
	}
	enrol()
	w.after(time.Hour, "the call stands in the lane", func() bool { return len(laneOf(t, w, w.ines)) == 1 })
	require.NoError(t, w.Outreach.Receive(t.Context(),
		outreach.Received{Channel: contract.ChannelMail, From: "berit@vesper.example", To: "ines@lindenfall.example",
			Subject: "Yes", Body: "Do come."}))
	assert.Equal(t, "they replied", w.membership().Why)
	lane := laneOf(t, w, w.ines)
	require.Len(t, lane, 1, "its call has left the lane, the reply is there")
	assert.Contains(t, lane[0], "Yes (wrote")

	enrol()
	w.files(w.callsBack(contract.NewCall{NumberID: &w.mobile}), w.sold)
	assert.Equal(t, "we spoke", w.membership().Why)

	enrol()
	require.NoError(t, w.Outreach.EndMemberships(t.Context(), w.berit, nil, false))
	assert.Equal(t, "taken out by hand", w.membership().Why)
}

func TestAnOutcomeEndsASequenceAndUndoingRevivesIt(t *testing.T) {
	w := newWorld(t)
	id, _ := w.sequence()
	w.outcomeThat(outcome.Effect{Kind: outcome.EndSequence})
	_, err := w.store.Pool.Exec(t.Context(), `UPDATE outcomes SET reached = false WHERE id = $1`, w.sold)
	require.NoError(t, err)
	w.clock.Advance(6 * time.Second)
	_, err = w.Outreach.Enrol(t.Context(), w.ines, id, contract.Enrolment{RecordID: &w.berit})
	require.NoError(t, err)
	w.after(time.Hour, "the call stands in the lane", func() bool { return len(laneOf(t, w, w.ines)) == 1 })
	c := w.over()
	before := w.state()
	_, err = w.Filing.File(t.Context(), w.ines, c.Slip.ID, key(), nil)
	require.NoError(t, err)
	assert.Equal(t, "by an outcome", w.membership().Why)
	_, err = w.Filing.UndoFiling(t.Context(), w.ines, c.Slip.ID)
	require.NoError(t, err)
	assert.True(t, w.membership().Active)
	assert.Equal(t, before, w.state())
}

func TestEnrollingAListAndBadSequences(t *testing.T) {
	w := newWorld(t)
	id, admin := w.sequence()
	show := w.list("Spring show")
	for _, record := range []uuid.UUID{w.berit, w.aron, w.vesper} {
		_, err := w.store.Pool.Exec(t.Context(),
			`INSERT INTO list_members (list_id, record_id, at) VALUES ($1, $2, now())`, show, record)
		require.NoError(t, err)
	}
	got, err := w.Outreach.Enrol(t.Context(), w.ines, id, contract.Enrolment{ListID: &show})
	require.NoError(t, err)
	assert.Equal(t, 1, got.Enrolled, "neither who is not to be called nor a company")
	_, err = w.Outreach.Enrol(t.Context(), w.ines, uuid.New(), contract.Enrolment{RecordID: &w.berit})
	require.ErrorIs(t, err, firm.ErrNotFound)
	_, err = w.Outreach.Enrol(t.Context(), w.ines, id, contract.Enrolment{})
	require.Error(t, err)
	_, err = w.Outreach.SetSequences(t.Context(), w.ines, nil)
	require.ErrorIs(t, err, firm.ErrForbidden)
	gone := uuid.New()
	for field, s := range map[string]contract.Sequence{
		"sequences.0.name":         {Steps: []contract.SequenceStep{{Act: "call", Unit: "days"}}},
		"sequences.0.steps":        {Name: "x"},
		"sequences.0.steps.0.text": {Name: "x", Steps: []contract.SequenceStep{{Act: "call", Unit: "days"}}},
		"sequences.0.steps.0.template_id": {Name: "x",
			Steps: []contract.SequenceStep{{Act: "mail", Unit: "days", TemplateID: &gone}}},
	} {
		_, err := w.Outreach.SetSequences(t.Context(), admin, []contract.Sequence{s})
		var at *firm.FieldError
		require.ErrorAs(t, err, &at, field)
		assert.Equal(t, field, at.Field)
	}
	set, err := w.Outreach.SetSequences(t.Context(), admin, nil)
	require.NoError(t, err)
	require.Len(t, set, 1)
	assert.False(t, set[0].Active, "who is in it goes on; nobody more comes in")
}

func TestTenThousandAreTakenInAtOnce(t *testing.T) {
	w := newWorld(t)
	id, _ := w.sequence()
	show := w.list("Everybody")
	_, err := w.store.Pool.Exec(
		t.Context(),
		`INSERT INTO records (id, kind, name) SELECT gen_random_uuid(), 'lead', 'Lead ' || n FROM generate_series(1, 10000) n`,
	)
	require.NoError(t, err)
	_, err = w.store.Pool.Exec(t.Context(),
		`INSERT INTO list_members (list_id, record_id, at) SELECT $1, id, now() FROM records WHERE name LIKE 'Lead %'`,
		show)
	require.NoError(t, err)
	got, err := w.Outreach.Enrol(t.Context(), w.ines, id, contract.Enrolment{ListID: &show})
	require.NoError(t, err)
	assert.Equal(t, 10_000, got.Enrolled)
}

func TestMyDayShowsVisitsAndMeetings(t *testing.T) {
	w := newWorld(t)
	at := monday.Add(3 * time.Hour)
	_, err := w.Book.AddRecord(t.Context(), w.ines, key(),
		contract.NewRecord{Kind: contract.RecordKindVisit,
			Values: map[string]string{"name": "Look at the roof", "starts": at.Format(time.RFC3339), "place": "Yard"}})
	require.NoError(t, err)
	kind := contract.NewFollowUpKindMeeting
	later := at.Add(time.Hour)
	_, err = w.Book.AddFollowUp(t.Context(), w.ines, w.berit, key(),
		contract.NewFollowUp{Text: "By telephone", Kind: &kind, DueAt: &later})
	require.NoError(t, err)
	day, err := w.Book.MyDay(t.Context(), w.ines, monday)
	require.NoError(t, err)
	require.Len(t, day, 2)
	assert.Equal(t, "Yard", day[0].Place)
	assert.Equal(t, "Berit Osterlund: By telephone", day[1].Text)
	other, err := w.Book.MyDay(t.Context(), w.ines, monday.AddDate(0, 0, 1))
	require.NoError(t, err)
	assert.Empty(t, other)
}
