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
)

// callsInVain lets a number call while nobody answers.
func (w *world) callsInVain(number string) uuid.UUID {
	w.t.Helper()
	ref := w.comesIn(number)
	ring := w.rung(w.ines)
	require.True(w.t, w.sim.OutsideHangsUp(ref))
	w.ended(ring.CallID)
	return ring.CallID
}

// callsBack calls a number, which answers, and hangs up after a minute.
func (w *world) callsBack(n contract.NewCall) contract.Call {
	w.t.Helper()
	c, err := w.Calls.PlaceCall(w.t.Context(), w.ines, key(), n)
	require.NoError(w.t, err)
	w.until("it is dialed", func() bool { return len(w.sim.OutsideLegs()) == 1 })
	require.True(w.t, w.sim.OutsideAnswers(w.sim.OutsideLegs()[0].Ref))
	w.until("they speak", func() bool { return w.phase(c.ID) == contract.PhaseSpeaking })
	w.clock.Advance(time.Minute)
	require.NoError(w.t, w.Calls.HangUp(w.t.Context(), w.ines, c.ID))
	return w.ended(c.ID)
}

// files files a call with an outcome.
func (w *world) files(c contract.Call, o uuid.UUID) contract.Call {
	w.t.Helper()
	c, err := w.Filing.ChangeSlip(w.t.Context(), w.ines, c.Slip.ID,
		contract.SlipChange{Version: c.Slip.Version, OutcomeID: &o})
	require.NoError(w.t, err)
	c, err = w.Filing.File(w.t.Context(), w.ines, c.Slip.ID, key(), nil)
	require.NoError(w.t, err)
	return c
}

func TestAMailboxThatAnswersIsNobody(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	w.callsInVain(mobileNumber)
	nobody := w.outcome("Nobody there", `[]`)
	c := w.callsBack(contract.NewCall{NumberID: &w.mobile})
	require.Empty(t, w.missed(w.ines), "as far as is known they were spoken with")
	w.files(c, nobody)
	owed := w.missed(w.ines)
	require.Len(t, owed, 1)
	assert.Contains(t, owed[0].Reason, "tried once")
	r, err := w.Book.Record(t.Context(), w.ines, w.berit)
	require.NoError(t, err)
	assert.Equal(t, []int{2, 0}, []int{r.Touches, r.Conversations})
	_, err = w.Filing.UndoFiling(t.Context(), w.ines, c.Slip.ID)
	require.NoError(t, err)
	assert.Empty(t, w.missed(w.ines), "nothing has been said again")
	// A voicemail that was left is coming back, and no conversation.
	left := w.outcome("Left word", `[]`)
	_, err = w.store.Pool.Exec(t.Context(), `UPDATE outcomes SET left_message = true WHERE id = $1`, left)
	require.NoError(t, err)
	page, err := w.CallPage(t.Context(), w.ines, c.ID)
	require.NoError(t, err)
	w.files(page.Call, left)
	assert.Empty(t, w.missed(w.ines))
	r, err = w.Book.Record(t.Context(), w.ines, w.berit)
	require.NoError(t, err)
	assert.Zero(t, r.Conversations)
}

func TestAnotherExtensionIsAnotherPerson(t *testing.T) {
	w := newWorld(t)
	missed := func(ext string) {
		t.Helper()
		id := uuid.New()
		_, err := w.store.Pool.Exec(
			t.Context(),
			`INSERT INTO calls (id, direction, remote_e164, remote_ext, remote_typed, caller_id, device, owner_server, owner_epoch, state, last_seq, started_at, ended_at)
			VALUES ($1, 'inbound', '+14135550119', $2, '', '', 'carrier', 'test', 0, 'ended', 1, $3, $3)`,
			id,
			ext,
			monday.Add(-time.Hour),
		)
		require.NoError(t, err)
		require.NoError(t, w.store.OwesCall(t.Context(), id))
	}
	missed("12")
	missed("14")
	require.Len(t, w.missed(w.ines), 2)
	w.callsBack(contract.NewCall{NumberID: &w.office})
	owed := w.missed(w.ines)
	require.Len(t, owed, 1, "extension 14 is still owed")
	assert.Contains(t, owed[0].Typed, "14")
}

func TestWhatIsSentByItselfIsNobodysComingBack(t *testing.T) {
	w := newWorld(t)
	w.approved()
	w.sits(w.ines)
	w.callsInVain(mobileNumber)
	require.NoError(t, w.Outreach.Receive(t.Context(),
		outreach.Received{Channel: contract.ChannelText, From: mobileNumber, To: mainNumber, Body: "STOP"}))
	assert.Contains(t, w.sent(1).Text.Body, "you will get no more messages")
	w.until("it is written down", func() bool {
		var waiting int
		require.NoError(t, w.store.Pool.QueryRow(t.Context(),
			`SELECT count(*) FROM messages WHERE state IN ('waiting', 'sending')`).Scan(&waiting))
		return waiting == 0
	})
	owed := w.missed(w.ines)
	require.Len(t, owed, 1, "the receipt is no answer")
	assert.Contains(t, owed[0].Reason, "wants no texts")
	assert.NotEmpty(t, laneOf(t, w, w.ines), "and what they wrote is not read by it")
}

func TestACallWrittenDownAfterwardsSettles(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	w.callsInVain(mobileNumber)
	w.clock.Advance(time.Hour)
	write := func(seconds int, at time.Time) {
		t.Helper()
		_, err := w.Calls.WriteDownCall(t.Context(), w.ines, key(),
			contract.WrittenCall{Typed: mobileNumber, Direction: "outbound", StartedAt: at, Seconds: seconds})
		require.NoError(t, err)
	}
	write(120, monday.Add(-24*time.Hour))
	require.Len(t, w.missed(w.ines), 1, "a conversation before it settles nothing")
	write(0, w.clock.Now().Add(-time.Minute))
	require.Contains(t, w.missed(w.ines)[0].Reason, "tried once")
	write(120, w.clock.Now().Add(-time.Minute))
	assert.Empty(t, w.missed(w.ines))
}

func TestWhoIsBeingCalledBackIsNotFreeAndSeesTheLineTheyCalled(t *testing.T) {
	w := newWorld(t)
	w.sits(w.ines)
	other := uuid.New()
	_, err := w.store.Pool.Exec(
		t.Context(),
		`INSERT INTO lines (id, e164, label, region, zone, position) VALUES ($1, '+14135550103', 'Show leaflet', 'US', 'America/New_York', 5)`,
		other,
	)
	require.NoError(t, err)
	id := w.callsInVain(mobileNumber)
	_, err = w.store.Pool.Exec(t.Context(), `UPDATE unreturned SET line_id = $2 WHERE call_id = $1`, id, other)
	require.NoError(t, err)
	w.clock.Advance(6 * time.Second) // the firm's lines are read again
	c := w.calls()
	assert.Equal(t, "the line that they called", c.ShownReason)
	assert.Contains(t, c.Shown, "Show leaflet")
	owed := w.missed(w.tomas)
	require.Len(t, owed, 1)
	assert.Contains(t, owed[0].Reason, "ines is calling them now")
}

func TestAMissedYouIsNotSentAfterAConversation(t *testing.T) {
	w := newWorld(t)
	w.approved()
	template := uuid.New()
	_, err := w.store.Pool.Exec(
		t.Context(),
		`INSERT INTO templates (id, name, channel, subject, body, position) VALUES ($1, 'missed you', 'text', '', 'We missed you, {given name}.', 1)`,
		template,
	)
	require.NoError(t, err)
	w.clock.Advance(6 * time.Second)
	nobody := w.outcome("Nobody there", `[{"kind":"message","target":"`+template.String()+`","after":{}}]`)
	c := w.calls()
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, c.ID))
	w.files(w.ended(c.ID), nobody)
	waiting := func() (n int) {
		require.NoError(t, w.store.Pool.QueryRow(t.Context(),
			`SELECT count(*) FROM messages WHERE state = 'waiting'`).Scan(&n))
		return n
	}
	require.Equal(t, 1, waiting())
	// it waits until morning there
	_, err = w.store.Pool.Exec(t.Context(), `UPDATE messages SET send_at = $1`, w.clock.Now().Add(10*time.Hour))
	require.NoError(t, err)
	w.clock.Advance(time.Minute)
	w.callsBack(contract.NewCall{NumberID: &w.mobile})
	assert.Zero(t, waiting())
}

func TestTextsToDoNotCallNumbersAreRefused(t *testing.T) {
	w := newWorld(t)
	w.approved()
	_, err := w.Outreach.SendMessage(t.Context(), w.ines, key(),
		contract.NewMessage{Channel: contract.ChannelText, RecordID: &w.berit, NumberID: &w.home,
			Body: ptr("Good day")})
	require.ErrorContains(t, err, "her mother lives there")
	_, err = w.Outreach.SendMessage(t.Context(), w.ines, key(), to(w.aron, contract.ChannelText, "Good day"))
	require.ErrorContains(t, err, "asked on 3 February")
}

func TestAnAddressOfAnotherDomainIsProvedFirst(t *testing.T) {
	w := newWorld(t)
	set := func(address, code string) error {
		_, err := w.Outreach.SetMailSettings(t.Context(), w.ines, contract.MailSettings{Address: address, Code: &code})
		return err
	}
	require.NoError(t, set("ines@lindenfall.example", ""))
	var wrong *firm.FieldError
	require.ErrorAs(t, set("ines@elsewhere.example", ""), &wrong)
	assert.Equal(t, "code", wrong.Field)
	mail := w.postbox.Sent()[0].Mail
	assert.Equal(t, "ines@elsewhere.example", mail.To)
	code := mail.Subject[len(mail.Subject)-6:]
	require.ErrorAs(t, set("ines@elsewhere.example", "000000x"), &wrong)
	require.ErrorAs(t, set("somebody@else.example", code), &wrong, "it proves the address to which it was sent")
	require.ErrorAs(t, set("ines@elsewhere.example", ""), &wrong)
	mail = w.postbox.Sent()[2].Mail
	require.NoError(t, set("ines@elsewhere.example", mail.Subject[len(mail.Subject)-6:]))
	require.NoError(t, set("ines@elsewhere.example", ""), "proved once")
}

func TestALetterWithAHoleIsNotSent(t *testing.T) {
	w := newWorld(t)
	template := uuid.New()
	_, err := w.store.Pool.Exec(
		t.Context(),
		`INSERT INTO templates (id, name, channel, subject, body, position) VALUES ($1, 'offer', 'mail', 'For {company}', 'Call me on {number}.', 1)`,
		template,
	)
	require.NoError(t, err)
	n := contract.NewMessage{Channel: contract.ChannelMail, RecordID: &w.berit, TemplateID: &template}
	draft, err := w.Outreach.DraftMessage(t.Context(), w.ines, n)
	require.NoError(t, err)
	assert.Equal(t, "Call me on 413 555 0100.", draft.Body, "a telephone number, not an address")
	_, err = w.store.Pool.Exec(t.Context(), `UPDATE records SET company_id = NULL WHERE id = $1`, w.berit)
	require.NoError(t, err)
	_, err = w.Outreach.DraftMessage(t.Context(), w.ines, n)
	require.ErrorContains(t, err, "needs their company")
}
