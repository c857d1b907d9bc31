package desk_test

import (
	"regexp"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
)

func TestACallIsHandedOverInWriting(t *testing.T) {
	w := newWorld(t)
	q := w.queue("Service", nil, w.ines, w.tomas)
	w.sits(w.ines)
	w.sits(w.tomas)
	c := w.speaks()
	give := contract.WrittenHandOver{QueueID: *q.ID}
	var wrong *firm.FieldError
	require.ErrorAs(t, w.Queues.HandOverInWriting(t.Context(), w.ines, key(), c.Slip.ID, give), &wrong)
	assert.Equal(t, "word", wrong.Field, "there is nothing to hand over yet")
	w.types(w.ines, c, "The seal leaks. Card 4111 1111 1111 1111")
	require.ErrorIs(t, w.Queues.HandOverInWriting(t.Context(), w.tomas, key(), c.Slip.ID, give), firm.ErrForbidden)
	require.ErrorIs(t, w.Queues.HandOverInWriting(t.Context(), w.ines, key(), uuid.New(), give), firm.ErrNotFound)
	nowhere := contract.WrittenHandOver{QueueID: uuid.New(), Word: "Send her the drawing"}
	require.ErrorAs(t, w.Queues.HandOverInWriting(t.Context(), w.ines, key(), c.Slip.ID, nowhere), &wrong)
	assert.Equal(t, "queue_id", wrong.Field)

	give.Word = "Send her the drawing"
	once := key()
	for range 2 {
		require.NoError(t, w.Queues.HandOverInWriting(t.Context(), w.ines, once, c.Slip.ID, give))
	}
	w.passes("it is his, who did not write it", func() bool { return len(w.unread(w.tomas)) == 1 })
	assert.Empty(t, w.unread(w.ines))
	lane, err := w.Lane(t.Context(), w.tomas)
	require.NoError(t, err)
	assert.Contains(t, lane.Owed[0].Reason, "handed over by ines")
	assert.Equal(t, "Berit Osterlund", lane.Owed[0].Record.Name)
	thread, err := w.Outreach.Thread(t.Context(), w.tomas, &w.berit, "")
	require.NoError(t, err)
	require.Len(t, thread.Messages, 1, "once")
	m := thread.Messages[0]
	assert.Equal(t, "ines", *m.HandedBy)
	assert.Equal(t, c.ID, *m.CallID)
	assert.Regexp(t, `^Send her the drawing\n\nThe seal leaks\. Card [^0-9]*1111$`, m.Body, "with the notes, without the card")
	page := w.page(c.ID)
	require.Len(t, *page.Messages, 1, "the call's page says so")
	assert.Equal(t, m.ID, (*page.Messages)[0].ID)

	// He answers: it is settled.
	w.approved()
	_, err = w.Outreach.SendMessage(t.Context(), w.tomas, key(), to(w.berit, contract.ChannelText, "Here it is."))
	require.NoError(t, err)
	w.kept()
	assert.Empty(t, w.unread(w.tomas))
	w.passes("nothing waits", func() bool { return len(w.waiting(w.odile)) == 0 })
}

func TestALinkToAMeetingRoomIsWritten(t *testing.T) {
	w := newWorld(t)
	w.approved()
	templates, err := w.Outreach.SetTemplates(t.Context(), w.admin(), []contract.Template{{Name: "See me",
		Channel: contract.ChannelText, Body: "Let us meet: {meeting}", Active: true}})
	require.NoError(t, err)
	n := to(w.berit, contract.ChannelText, "Hello")
	n.TemplateID = templates[0].ID
	var wrong *firm.FieldError
	_, err = w.Outreach.DraftMessage(t.Context(), w.ines, n)
	require.ErrorAs(t, err, &wrong, "there are no rooms")
	assert.Equal(t, "template_id", wrong.Field)

	set, err := w.Identity(t.Context(), w.admin())
	require.NoError(t, err)
	set.Zone = "America/New_York"
	set.Meeting = new("http://meet.example.com/{room}")
	_, err = w.SetIdentity(t.Context(), w.admin(), set)
	require.ErrorAs(t, err, &wrong)
	assert.Equal(t, "meeting", wrong.Field)
	set.Meeting = new(" https://meet.example.com/{room} ")
	set, err = w.SetIdentity(t.Context(), w.admin(), set)
	require.NoError(t, err)
	assert.Equal(t, "https://meet.example.com/{room}", *set.Meeting)
	room := regexp.MustCompile(`https://meet\.example\.com/[0-9a-f-]{36}$`)
	draft, err := w.Outreach.DraftMessage(t.Context(), w.ines, n)
	require.NoError(t, err)
	assert.Regexp(t, room, draft.Body)
	assert.Nil(t, draft.Meeting, "it has one")
	n.TemplateID = nil
	first, err := w.Outreach.DraftMessage(t.Context(), w.ines, n)
	require.NoError(t, err)
	assert.Regexp(t, room, *first.Meeting)
	second, err := w.Outreach.DraftMessage(t.Context(), w.ines, n)
	require.NoError(t, err)
	assert.NotEqual(t, *first.Meeting, *second.Meeting, "each is a room of its own")
}
