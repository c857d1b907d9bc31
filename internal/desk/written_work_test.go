package desk_test

import (
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
	"trundo/internal/desk/outreach"
)

// writes lets a mail of somebody come in.
func (w *world) mails(from, text string) {
	w.t.Helper()
	require.NoError(w.t, w.Outreach.Receive(w.t.Context(), outreach.Received{Channel: contract.ChannelMail, From: from,
		To: "service@lindenfall.example", Subject: "A question", Body: text}))
}

// texts lets a text message of somebody come in.
func (w *world) texts(from, text string) {
	w.t.Helper()
	require.NoError(w.t, w.Outreach.Receive(w.t.Context(), outreach.Received{Channel: contract.ChannelText, From: from,
		To: mainNumber, Body: text}))
}

// unread are the messages in somebody's lane.
func (w *world) unread(a firm.Actor) []string {
	w.t.Helper()
	lane, err := w.Lane(w.t.Context(), a)
	require.NoError(w.t, err)
	texts := []string{}
	for _, e := range lane.Owed {
		if e.Kind == contract.LaneEntryKindMessage {
			texts = append(texts, e.Text)
		}
	}
	return texts
}

// takesWriting is a queue in which mails wait, one at a time with each member, to be answered within ten minutes.
func takesWriting(q *contract.QueueSettings) { q.Writing.Mails, q.Writing.Minutes = true, 10 }

func TestWrittenWorkIsGivenToWhoIsFreeOneAfterTheOther(t *testing.T) {
	w := newWorld(t)
	w.queue("Service", takesWriting, w.ines)
	w.sits(w.ines)
	w.mails("stranger@elsewhere.example", "The pump hums.")
	w.passes("it is hers", func() bool { return len(w.unread(w.ines)) == 1 })
	assert.Empty(t, w.unread(w.tomas), "nobody else's")
	w.mails("another@elsewhere.example", "The filter clogs.")
	var waits []contract.WaitingCall
	w.passes("the second waits: she has one at a time", func() bool {
		waits = w.waiting(w.ines)
		return len(waits) == 1 && *waits[0].Message == "A question"
	})
	assert.Equal(t, "another@elsewhere.example", waits[0].Name)
	assert.Equal(t, 1, w.queueNow(w.ines).Messages)
	assert.Len(t, w.unread(w.ines), 1)
	w.clock.Advance(10 * time.Minute)
	assert.Equal(t, contract.Lateness("late"), *w.waiting(w.ines)[0].Late)

	// She answers the first: it leaves the queue, and the second is hers.
	_, err := w.Outreach.SendMessage(t.Context(), w.ines, key(), contract.NewMessage{Channel: contract.ChannelMail,
		Address: new("stranger@elsewhere.example"), Subject: new("Re: A question"), Body: new("We come on Thursday.")})
	require.NoError(t, err)
	w.passes("the second is hers", func() bool { return len(w.waiting(w.ines)) == 0 })
	var by uuid.UUID
	require.NoError(
		t,
		w.store.Pool.QueryRow(t.Context(), `SELECT answered_by FROM queue_waits WHERE how = 'answered'`).Scan(&by),
	)
	assert.Equal(t, w.ines.ID, by)
}

func TestACallComesBeforeWrittenWork(t *testing.T) {
	w := newWorld(t)
	q := w.queue("Service", takesWriting, w.ines)
	w.routed(frontDoor(*q.ID)...)
	w.sits(w.ines)
	busy := w.calls()
	w.mails("stranger@elsewhere.example", "The pump hums.")
	ref := w.comesIn("+14135550188")
	w.hears(ref, "music")
	waits := w.waiting(w.ines)
	require.Len(t, waits, 2)
	assert.Nil(t, waits[0].Message, "the live voice first")
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, busy.ID))
	w.filesAs(w.ines, busy.Slip.ID)
	w.passes("the call rings for her", func() bool { return len(w.Arrivals.RingingFor(w.ines.ID)) == 1 })
	assert.Empty(t, w.unread(w.ines))
}

func TestWrittenWorkIsTakenMovedAndGivenBack(t *testing.T) {
	w := newWorld(t)
	w.queue("Service", takesWriting, w.ines)
	sales := w.queue("Sales", nil, w.tomas)
	w.mails("stranger@elsewhere.example", "The pump hums.")
	wait := w.waiting(w.odile)[0]
	_, err := w.Queues.TakeWait(t.Context(), w.ines, key(), *wait.WaitID)
	require.ErrorIs(t, err, firm.ErrForbidden)
	require.NoError(t, w.Queues.MoveWait(t.Context(), w.odile, *wait.WaitID, *sales.ID))
	c, err := w.Queues.TakeWait(t.Context(), w.odile, key(), *wait.WaitID)
	require.NoError(t, err)
	assert.Nil(t, c)
	assert.Len(t, w.unread(w.odile), 1)
	// She is not there: after a while it waits for others again.
	w.clock.Advance(11 * time.Minute)
	w.passes("it waits again", func() bool { return len(w.waiting(w.odile)) == 1 })
	assert.Empty(t, w.unread(w.odile))
}

func TestATextThatWishesACallBecomesACallback(t *testing.T) {
	w := newWorld(t)
	lines, err := w.Lines.Lines(t.Context(), w.admin())
	require.NoError(t, err)
	w.queue("Service", func(q *contract.QueueSettings) { q.Writing.Lines = []uuid.UUID{lines[0].ID} }, w.ines)
	w.passes("the set-up is read", func() bool {
		w.texts(mobileNumber, "Please call me back")
		return len(w.waiting(w.ines)) > 0
	})
	waits := w.waiting(w.ines)
	require.Len(t, waits, 1, "one for each number")
	assert.True(t, *waits[0].Callback)
	assert.Equal(t, "Berit Osterlund", waits[0].Name)
}

func TestAMessageIsHandedOnToAQueue(t *testing.T) {
	w := newWorld(t)
	service := w.queue("Service", takesWriting, w.ines)
	sales := w.queue("Sales", nil, w.ines, w.tomas)
	w.sits(w.ines)
	w.mails("stranger@elsewhere.example", "The pump hums.")
	w.passes("it is hers", func() bool { return len(w.unread(w.ines)) == 1 })
	lane, err := w.Lane(t.Context(), w.ines)
	require.NoError(t, err)
	id := lane.Owed[0].ID
	since := w.clock.Now()
	w.clock.Advance(time.Minute)
	var wrong *firm.FieldError
	require.ErrorAs(t, w.Queues.HandOn(t.Context(), w.ines, id, uuid.New()), &wrong)
	require.ErrorIs(t, w.Queues.HandOn(t.Context(), w.ines, uuid.New(), *sales.ID), firm.ErrNotFound)
	require.ErrorAs(t, w.Queues.HandOn(t.Context(), w.tomas, id, *sales.ID), &wrong, "it is hers")
	require.NoError(t, w.Queues.HandOn(t.Context(), w.ines, id, *sales.ID))
	assert.Empty(t, w.unread(w.ines))
	waits := w.waiting(w.ines)
	require.Len(t, waits, 1)
	assert.Equal(t, "Sales", *waits[0].Queue)
	assert.WithinDuration(t, since, waits[0].Since, time.Minute, "it keeps its age")
	w.sits(w.tomas)
	w.passes("it is his", func() bool { return len(w.unread(w.tomas)) == 1 })
	assert.Empty(t, w.unread(w.ines), "it is not given back to who handed it on")
	require.NoError(t, w.Outreach.ReadMessage(t.Context(), w.tomas, id))
	w.passes("nothing waits", func() bool { return len(w.waiting(w.odile)) == 0 })
	require.ErrorAs(t, w.Queues.HandOn(t.Context(), w.ines, id, *service.ID), &wrong, "somebody has seen to it")

	// What was hers by itself, since she wrote with them last, can be handed on too.
	_, err = w.Outreach.SendMessage(t.Context(), w.ines, key(), contract.NewMessage{Channel: contract.ChannelMail,
		Address: new("another@elsewhere.example"), Subject: new("Your pump"), Body: new("We come on Thursday.")})
	require.NoError(t, err)
	w.kept()
	w.mails("another@elsewhere.example", "Not on Thursday.")
	lane, err = w.Lane(t.Context(), w.ines)
	require.NoError(t, err)
	require.Len(t, w.unread(w.ines), 1)
	require.ErrorAs(t, w.Queues.HandOn(t.Context(), w.tomas, lane.Owed[0].ID, *sales.ID), &wrong, "it is hers")
	require.NoError(t, w.Queues.HandOn(t.Context(), w.ines, lane.Owed[0].ID, *sales.ID))
	assert.Empty(t, w.unread(w.ines))
	w.passes("it is his", func() bool { return len(w.unread(w.tomas)) == 1 })
}

// kept waits until a message is sent, and that is written down.
func (w *world) kept() {
	w.t.Helper()
	w.after(10*time.Second, "it is sent, and that is kept", func() bool {
		var sent bool
		require.NoError(w.t, w.store.Pool.QueryRow(w.t.Context(),
			`SELECT EXISTS (SELECT FROM messages WHERE NOT incoming AND state = 'sent')`).Scan(&sent))
		return sent
	})
}

func TestACallInVainWhileAnAnswerWaitsIsStillOwed(t *testing.T) {
	w := newWorld(t)
	w.approved()
	w.sits(w.ines)
	w.callsInVain(mobileNumber)
	text := to(w.berit, contract.ChannelText, "We come on Thursday.")
	_, err := w.Outreach.SendMessage(t.Context(), w.ines, key(), text)
	require.NoError(t, err)
	w.clock.Advance(time.Second) // it can still be cancelled
	w.callsInVain(mobileNumber)
	w.kept()
	var open int
	require.NoError(t, w.store.Pool.QueryRow(t.Context(),
		`SELECT count(*) FROM unreturned WHERE closed_at IS NULL`).Scan(&open))
	assert.Equal(t, 1, open, "the first is answered, the second came after the answer was written")
}

func TestWhatComesWhileAnAnswerWaitsIsStillOwed(t *testing.T) {
	w := newWorld(t)
	_, err := w.Outreach.SendMessage(t.Context(), w.ines, key(), contract.NewMessage{Channel: contract.ChannelMail,
		Address: new("another@elsewhere.example"), Subject: new("Your pump"), Body: new("We come on Thursday.")})
	require.NoError(t, err)
	w.clock.Advance(time.Second) // it can still be cancelled
	w.mails("another@elsewhere.example", "Not on Thursday.")
	w.kept()
	var unread int
	require.NoError(t, w.store.Pool.QueryRow(t.Context(),
		`SELECT count(*) FROM messages WHERE incoming AND read_at IS NULL`).Scan(&unread))
	assert.Equal(t, 1, unread)
}
