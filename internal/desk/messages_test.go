package desk_test

import (
	"strings"
	"testing"
	"time"

	"trundo/internal/desk/firm"
	"trundo/internal/desk/outreach"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/core/outcome"
	"trundo/internal/post"
	"trundo/internal/store"
)

// approved lets the main line send text messages.
func (w *world) approved() {
	w.t.Helper()
	_, err := w.store.Pool.Exec(w.t.Context(), `UPDATE lines SET texting = 'approved'`)
	require.NoError(w.t, err)
}

func to(record uuid.UUID, channel contract.Channel, body string) contract.NewMessage {
	subject := "About the tank"
	return contract.NewMessage{Channel: channel, RecordID: &record, Subject: &subject, Body: &body}
}

// sent waits until so many messages have gone out, and gives the last one.
func (w *world) sent(n int) post.Sent {
	w.t.Helper()
	w.until("it is sent", func() bool {
		w.clock.Advance(time.Second)
		return len(w.postbox.Sent()) >= n
	})
	all := w.postbox.Sent()
	require.Len(w.t, all, n)
	return all[n-1]
}

func (w *world) stateOf(id uuid.UUID) contract.MessageState {
	t, err := w.Outreach.Thread(w.t.Context(), w.ines, &w.berit, "")
	require.NoError(w.t, err)
	for _, m := range t.Messages {
		if m.ID == id {
			return m.State
		}
	}
	return ""
}

func TestATextMessageGoesOutFromTheNumberThatIsShown(t *testing.T) {
	w := newWorld(t)
	_, err := w.Outreach.SendMessage(t.Context(), w.ines, key(), to(w.berit, contract.ChannelText, "Good day"))
	require.ErrorContains(t, err, "not registered for messages")
	w.approved()
	draft, err := w.Outreach.DraftMessage(t.Context(), w.ines,
		to(w.berit, contract.ChannelText, strings.Repeat("a", 161)))
	require.NoError(t, err)
	assert.Equal(t, "Main 413 555 0100", draft.From)
	assert.Equal(t, "Berit Osterlund, 413 555 0142", draft.To)
	assert.Equal(t, 2, draft.Parts)
	m, err := w.Outreach.SendMessage(t.Context(), w.ines, "once", to(w.berit, contract.ChannelText, "Good day"))
	require.NoError(t, err)
	again, err := w.Outreach.SendMessage(t.Context(), w.ines, "once", to(w.berit, contract.ChannelText, "Good day"))
	require.NoError(t, err)
	assert.Equal(t, m.ID, again.ID)
	assert.Equal(t, contract.MessageStateWaiting, m.State)
	assert.Empty(t, w.postbox.Sent(), "it can still be cancelled")
	got := w.sent(1).Text
	require.NotNil(t, got)
	assert.Equal(t, post.Text{ID: m.ID.String(), From: mainNumber, To: mobileNumber, Body: "Good day"}, *got)
	w.until("it is written down", func() bool { return w.stateOf(m.ID) == contract.MessageStateSent })
	page, err := w.History(t.Context(), w.ines, w.berit, "message", "")
	require.NoError(t, err)
	require.Len(t, page.Entries, 1)
	assert.Equal(t, "Good day", page.Entries[0].Message.Body)
}

func TestAMessageIsCancelled(t *testing.T) {
	w := newWorld(t)
	w.approved()
	m, err := w.Outreach.SendMessage(t.Context(), w.ines, key(), to(w.berit, contract.ChannelText, "Good day"))
	require.NoError(t, err)
	_, err = w.Outreach.CancelMessage(t.Context(), w.tomas, m.ID)
	require.ErrorIs(t, err, firm.ErrForbidden)
	m, err = w.Outreach.CancelMessage(t.Context(), w.ines, m.ID)
	require.NoError(t, err)
	assert.Equal(t, contract.MessageStateCancelled, m.State)
	second, err := w.Outreach.SendMessage(t.Context(), w.ines, key(), to(w.berit, contract.ChannelText, "Good evening"))
	require.NoError(t, err)
	assert.Equal(t, "Good evening", w.sent(1).Text.Body)
	w.until("it is written down", func() bool { return w.stateOf(second.ID) == contract.MessageStateSent })
	_, err = w.Outreach.CancelMessage(t.Context(), w.ines, second.ID)
	require.ErrorIs(t, err, outreach.ErrSent)
}

func TestATextMessageWaitsForTheMorning(t *testing.T) {
	w := newWorld(t)
	w.approved()
	w.clock.Advance(13 * time.Hour) // 4:00 UTC, 23:00 there
	m, err := w.Outreach.SendMessage(t.Context(), w.ines, key(), to(w.berit, contract.ChannelText, "Good day"))
	require.NoError(t, err)
	require.NotNil(t, m.SendAt)
	assert.Equal(t, "08:00", m.SendAt.In(w.ines.Zone).Format("15:04"))
	mail, err := w.Outreach.SendMessage(t.Context(), w.ines, key(), to(w.berit, contract.ChannelMail, "Good day"))
	require.NoError(t, err)
	assert.WithinDuration(t, w.clock.Now().Add(5*time.Second), *mail.SendAt, time.Second, "a mail does not ring")
}

func TestAMailIsAnsweredInItsThread(t *testing.T) {
	w := newWorld(t)
	_, err := w.Outreach.SendMessage(t.Context(), w.ines, key(),
		to(w.berit, contract.ChannelMail, "Good day Berit,\nthe offer."))
	require.NoError(t, err)
	got := w.sent(1).Mail
	require.NotNil(t, got)
	assert.Equal(t, "ines@lindenfall.example", got.From)
	assert.Equal(t, "berit@vesper.example", got.To)
	assert.Equal(t, "Berit Osterlund", got.ToName)
	assert.True(t, strings.HasSuffix(got.ID, "@lindenfall.example"))

	answer := outreach.Received{Channel: contract.ChannelMail, Reference: "1@vesper.example",
		From: "Berit@Vesper.example", To: got.From, Subject: "Re: About the tank", Body: "Thank you.",
		InReplyTo: got.ID}
	require.NoError(t, w.Outreach.Receive(t.Context(), answer))
	require.NoError(t, w.Outreach.Receive(t.Context(), answer), "the same one twice is taken once")
	thread, err := w.Outreach.Thread(t.Context(), w.ines, &w.berit, "")
	require.NoError(t, err)
	require.Len(t, thread.Messages, 2)
	assert.True(t, thread.Messages[1].Incoming)
	lane := laneOf(t, w, w.ines)
	require.Len(t, lane, 1)
	assert.Contains(t, lane[0], "Berit Osterlund: Re: About the tank (wrote at ")
	assert.Empty(t, laneOf(t, w, w.tomas), "it is for who wrote last")

	_, err = w.Outreach.SendMessage(t.Context(), w.ines, key(), to(w.berit, contract.ChannelMail, "You are welcome."))
	require.NoError(t, err)
	assert.Equal(t, "1@vesper.example", w.sent(2).Mail.InReplyTo)
	w.until("what is answered leaves the lane", func() bool { return len(laneOf(t, w, w.ines)) == 0 })
}

func TestAMessageFromNobodyKnownWaits(t *testing.T) {
	w := newWorld(t)
	require.NoError(t, w.Outreach.Receive(t.Context(),
		outreach.Received{Channel: contract.ChannelText, From: "+12075550123", To: mainNumber,
			Body: "Do you have tanks?"}))
	lane, err := w.Lane(t.Context(), w.tomas)
	require.NoError(t, err)
	require.Len(t, lane.Owed, 1, "it is for every rep of the line")
	assert.Nil(t, lane.Owed[0].Record)
	assert.Equal(t, "207 555 0123", lane.Owed[0].Typed)
	draft, err := w.Outreach.DraftMessage(t.Context(), w.tomas,
		contract.NewMessage{Channel: contract.ChannelText, Address: &lane.Owed[0].Typed})
	require.NoError(t, err)
	assert.Equal(t, "Main 413 555 0100", draft.From)
	thread, err := w.Outreach.AttachMessage(t.Context(), w.tomas, lane.Owed[0].ID, w.berit)
	require.NoError(t, err)
	require.Len(t, thread.Messages, 1)
	assert.Equal(t, "Berit Osterlund", thread.Record.Name)
	require.NoError(t, w.Outreach.ReadMessage(t.Context(), w.tomas, lane.Owed[0].ID))
	assert.Empty(t, laneOf(t, w, w.ines), "for everybody")
	require.ErrorIs(t, w.Outreach.ReadMessage(t.Context(), w.tomas, uuid.New()), firm.ErrNotFound)
}

func TestStopIsHonoured(t *testing.T) {
	w := newWorld(t)
	w.approved()
	in := func(body string) {
		t.Helper()
		require.NoError(t, w.Outreach.Receive(t.Context(),
			outreach.Received{Channel: contract.ChannelText, From: mobileNumber, To: mainNumber, Body: body}))
	}
	m, err := w.Outreach.SendMessage(t.Context(), w.ines, key(), to(w.berit, contract.ChannelText, "Good day"))
	require.NoError(t, err)
	in(" stop. ")
	assert.Contains(t, w.sent(1).Text.Body, "you will get no more messages",
		"the word is confirmed, and what waited is not sent")
	w.until(
		"it is written down",
		func() bool { w.clock.Advance(time.Second); return w.stateOf(m.ID) == contract.MessageStateFailed },
	)
	_, err = w.Outreach.SendMessage(t.Context(), w.ines, key(), to(w.berit, contract.ChannelText, "Good day"))
	require.ErrorContains(t, err, "they answered STOP")
	thread, err := w.Outreach.Thread(t.Context(), w.ines, &w.berit, "")
	require.NoError(t, err)
	assert.NotEmpty(t, thread.OptedOut)
	in("START")
	assert.Contains(t, w.sent(2).Text.Body, "messages from us again")
	_, err = w.Outreach.SendMessage(t.Context(), w.ines, key(), to(w.berit, contract.ChannelText, "Good day"))
	require.NoError(t, err)
	w.sent(3)
}

func TestWhatTheNetworkRefusesSaysSo(t *testing.T) {
	w := newWorld(t)
	w.approved()
	gone := "+14135550199"
	m, err := w.Outreach.SendMessage(t.Context(), w.ines, key(),
		contract.NewMessage{Channel: contract.ChannelText, RecordID: &w.berit, Address: &gone, Body: &gone})
	require.NoError(t, err)
	w.until(
		"it has failed",
		func() bool { w.clock.Advance(time.Second); return w.stateOf(m.ID) == contract.MessageStateFailed },
	)
	thread, err := w.Outreach.Thread(t.Context(), w.ines, nil, gone)
	require.NoError(t, err)
	assert.Equal(t, "refused: this number takes no messages", thread.Messages[0].Problem)
}

func TestAMessageSettlesAMissedCall(t *testing.T) {
	w := newWorld(t)
	w.approved()
	call := store.NewID()
	_, err := w.store.Pool.Exec(
		t.Context(),
		`INSERT INTO calls (id, direction, remote_e164, remote_typed, caller_id, device, owner_server, owner_epoch, state, started_at, ended_at)
		VALUES ($1, 'inbound', $2, $2, $3, 'browser', 'test', 1, 'ended', now(), now())`,
		call,
		mobileNumber,
		mainNumber,
	)
	require.NoError(t, err)
	_, err = w.store.Pool.Exec(t.Context(), `INSERT INTO unreturned (call_id, remote_e164, since) VALUES ($1, $2, $3)`,
		call, mobileNumber, monday)
	require.NoError(t, err)
	require.Len(t, laneOf(t, w, w.tomas), 1)
	_, err = w.Outreach.SendMessage(t.Context(), w.ines, key(),
		to(w.berit, contract.ChannelText, "We call back at three"))
	require.NoError(t, err)
	w.sent(1)
	w.until("it is settled for everybody", func() bool { return len(laneOf(t, w, w.tomas)) == 0 })
}

func TestTheOwnTelephoneIsTold(t *testing.T) {
	w := newWorld(t)
	_, err := w.Outreach.SetMailSettings(t.Context(), w.ines, contract.MailSettings{ForwardTexts: true})
	require.ErrorContains(t, err, "confirm your telephone first")
	_, err = w.store.Pool.Exec(t.Context(),
		`INSERT INTO telephones (user_id, e164, verified_at) VALUES ($1, '+12075550188', now()); `, w.ines.ID)
	require.NoError(t, err)
	s, err := w.Outreach.SetMailSettings(t.Context(), w.ines,
		contract.MailSettings{ForwardTexts: true, Address: "ines.calloway@lindenfall.example"})
	require.NoError(t, err)
	assert.Equal(t, "207 555 0188", *s.Telephone)
	_, err = w.Outreach.SetMailSettings(t.Context(), w.ines, contract.MailSettings{Address: "Ines <ines@x.example>"})
	require.Error(t, err)
	_, err = w.store.Pool.Exec(t.Context(), `UPDATE records SET owner_id = $1 WHERE id = $2`, w.ines.ID, w.berit)
	require.NoError(t, err)
	w.approved()
	require.NoError(t, w.Outreach.Receive(t.Context(),
		outreach.Received{Channel: contract.ChannelText, From: mobileNumber, To: mainNumber, Body: "Is it today?"}))
	got := w.sent(1).Text
	assert.Equal(t, "+12075550188", got.To)
	assert.Equal(t, "Berit Osterlund: Is it today?", got.Body)
	assert.Len(t, laneOf(t, w, w.ines), 1, "being told is no answer")
}

func TestTemplatesAndOutcomesThatSend(t *testing.T) {
	w := newWorld(t)
	w.approved()
	_, err := w.Outreach.SetTemplates(t.Context(), w.ines, nil)
	require.ErrorIs(t, err, firm.ErrForbidden)
	_, err = w.store.Pool.Exec(t.Context(), `UPDATE users SET role = 'admin' WHERE id = $1`, w.odile.ID)
	require.NoError(t, err)
	w.clock.Advance(6 * time.Second)
	admin := w.actor("odile")
	for field, bad := range map[string]contract.Template{
		"templates.0.name":    {Channel: contract.ChannelText, Body: "x"},
		"templates.0.body":    {Name: "x", Channel: contract.ChannelText, Body: "Good day {weather}"},
		"templates.0.subject": {Name: "x", Channel: contract.ChannelMail, Body: "x"},
	} {
		_, err := w.Outreach.SetTemplates(t.Context(), admin, []contract.Template{bad})
		var at *firm.FieldError
		require.ErrorAs(t, err, &at, field)
		assert.Equal(t, field, at.Field)
	}
	set, err := w.Outreach.SetTemplates(t.Context(), admin,
		[]contract.Template{{Name: "Thank you", Channel: contract.ChannelText,
			Body: "Thank you, {given name} of {company}. {rep}", Active: true},
			{Name: "Offer", Channel: contract.ChannelMail, Subject: "Offer for {company}", Body: "Good day {name}",
				Active: true}})
	require.NoError(t, err)
	require.Len(t, set, 2)
	w.outcomeThat(outcome.Effect{Kind: outcome.Message, Target: set[0].ID.String()},
		outcome.Effect{Kind: outcome.Mail, Target: set[1].ID.String()})
	c := w.over()
	before := w.state()
	plan, err := w.Filing.PlanFiling(t.Context(), w.ines, c.Slip.ID, w.sold)
	require.NoError(t, err)
	assert.Equal(t, "text “Thank you” to the mobile number", plan.Items[0].Words)
	assert.Equal(t, "send “Offer” to berit@vesper.example", plan.Items[1].Words)
	target := set[0].ID.String()
	_, err = w.Filing.PreviewOutcome(t.Context(), admin,
		contract.OutcomeSetting{Label: "x",
			Effects: []contract.Effect{{Kind: contract.EffectKindMail, Target: &target}}})
	require.ErrorContains(t, err, "no longer there", "it is none for mails")
	_, err = w.Filing.File(t.Context(), w.ines, c.Slip.ID, "first", &plan.Items)
	require.NoError(t, err)
	_, err = w.Filing.UndoFiling(t.Context(), w.ines, c.Slip.ID)
	require.NoError(t, err)
	assert.Equal(t, before, w.state())
	_, err = w.Filing.File(t.Context(), w.ines, c.Slip.ID, "second", nil)
	require.NoError(t, err)
	w.sent(2)
	var texts []string
	for _, s := range w.postbox.Sent() {
		if s.Text != nil {
			texts = append(texts, s.Text.Body)
		} else {
			texts = append(texts, s.Mail.Subject)
		}
	}
	assert.ElementsMatch(t, []string{"Thank you, Berit of Vesper Hollow Nursery. ines",
		"Offer for Vesper Hollow Nursery"}, texts)
	w.until("it is written down", func() bool {
		undone, err := w.store.Pool.Query(t.Context(), `SELECT FROM messages WHERE state = 'sent'`)
		require.NoError(t, err)
		n := 0
		for undone.Next() {
			n++
		}
		return n == 2
	})
	undone, err := w.Filing.UndoFiling(t.Context(), w.ines, c.Slip.ID)
	require.NoError(t, err)
	assert.Equal(t, "it has been sent", undone.Effects[0].Why)
}

func TestBadMessages(t *testing.T) {
	w := newWorld(t)
	w.approved()
	text := func(s string) *string { return &s }
	for field, n := range map[string]contract.NewMessage{
		"body": {Channel: contract.ChannelText, RecordID: &w.berit, Body: text(" \x00")},
		"subject": {Channel: contract.ChannelMail, RecordID: &w.berit, Body: text("x"),
			Subject: text("a\nBcc: b@c.example")},
		"address": {Channel: contract.ChannelText, Body: text("x"), Address: text("12")},
	} {
		_, err := w.Outreach.SendMessage(t.Context(), w.ines, key(), n)
		var at *firm.FieldError
		require.ErrorAs(t, err, &at, field)
		assert.Equal(t, field, at.Field)
	}
	_, err := w.Outreach.SendMessage(t.Context(), w.ines, key(),
		contract.NewMessage{Channel: contract.ChannelText, RecordID: &w.berit, Body: text(strings.Repeat("a", 2000))})
	require.ErrorContains(t, err, "longer than a text message")
	_, err = w.Outreach.SendMessage(t.Context(), w.ines, key(),
		contract.NewMessage{Channel: contract.ChannelMail, RecordID: &w.vesper, Body: text("x"), Subject: text("x")})
	require.ErrorContains(t, err, "no mail address")
	for _, r := range []outreach.Received{{Channel: contract.ChannelText, From: "?", To: mainNumber, Body: "x"},
		{Channel: contract.ChannelText, From: mobileNumber, To: "+14135550111", Body: "x"},
		{Channel: contract.ChannelMail, From: "a@b.example", To: "c@d.example"}} {
		require.Error(t, w.Outreach.Receive(t.Context(), r))
	}
	_, err = w.Outreach.Thread(t.Context(), w.ines, nil, "")
	require.Error(t, err)
}

func TestMessagesGoAlongWhenTwoBecomeOne(t *testing.T) {
	w := newWorld(t)
	require.NoError(t, w.Outreach.Receive(t.Context(),
		outreach.Received{Channel: contract.ChannelMail, From: "berit@vesper.example", To: "ines@lindenfall.example",
			Subject: "Tanks", Body: "Do you have some?"}))
	merged, err := w.Book.MergeRecords(t.Context(), w.ines, key(),
		contract.Merge{Keep: w.aron, Lose: w.berit, Take: []string{}})
	require.NoError(t, err)
	count := func(record uuid.UUID) int {
		thread, err := w.Outreach.Thread(t.Context(), w.ines, &record, "")
		require.NoError(t, err)
		return len(thread.Messages)
	}
	assert.Equal(t, 1, count(w.aron))
	_, err = w.Book.UndoMerge(t.Context(), w.ines, merged.ID)
	require.NoError(t, err)
	assert.Equal(t, 0, count(w.aron))
	assert.Equal(t, 1, count(w.berit))
}
