package desk_test

import (
	"testing"
	"time"

	"trundo/internal/desk/firm"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/core/call"
)

// prepares makes a message that can be left.
func (w *world) prepares(name string) uuid.UUID {
	w.t.Helper()
	saved, err := w.Voices.SetPreparedMessages(w.t.Context(), w.admin(),
		contract.PreparedMessages{Messages: []contract.PreparedMessage{{Name: name, Text: "Please call back.",
			Active: true}}})
	require.NoError(w.t, err)
	require.Len(w.t, saved, 1)
	return *saved[0].ID
}

func (w *world) facts(id uuid.UUID) (said []string) {
	for _, f := range w.page(id).Facts {
		said = append(said, f.Text)
	}
	return said
}

func TestAMessageIsLeftWhileTheNextCallBegins(t *testing.T) {
	w := newWorld(t)
	message := w.prepares("after the show")
	var field *firm.FieldError
	c := w.speaks()
	_, err := w.Voices.LeavePrepared(t.Context(), w.ines, c.ID, uuid.New(), false)
	require.ErrorAs(t, err, &field)
	_, err = w.Voices.LeavePrepared(t.Context(), w.tomas, c.ID, message, false)
	require.ErrorIs(t, err, call.ErrNotThere)
	left, err := w.Voices.LeavePrepared(t.Context(), w.ines, c.ID, message, false)
	require.NoError(t, err)
	assert.Equal(t, contract.PhaseMessage, left.State.Phase)
	// The slip can be filed and the next call begun at once.
	_, err = w.Filing.ChangeSlip(t.Context(), w.ines, c.Slip.ID,
		contract.SlipChange{Version: left.Slip.Version, OutcomeID: &w.sold})
	require.NoError(t, err)
	_, err = w.Filing.File(t.Context(), w.ines, c.Slip.ID, key(), nil)
	require.NoError(t, err)
	next, err := w.Calls.PlaceCall(t.Context(), w.ines, key(), contract.NewCall{NumberID: &w.office})
	require.NoError(t, err)
	// This network has no sound: three seconds of silence let one speak.
	w.until("the message begins", func() bool { return contains(w.facts(c.ID), "The beep: a message begins") })
	w.until("it is over", func() bool { w.clock.Advance(time.Second); return w.phase(c.ID) == contract.PhaseEnded })
	require.NoError(t, w.Calls.HangUp(t.Context(), w.ines, next.ID))
	w.until(
		"its end is saved",
		func() bool { said := w.facts(c.ID); return said[len(said)-1] == "The message was left" },
	)
	assert.Contains(t, w.facts(c.ID), "ines left it to “after the show”")
	w.until("the entry says what became of it",
		func() bool { drop := w.page(c.ID).Call.Drop; return drop != nil && *drop == contract.CallDropLeft })
	assert.Zero(t, w.page(c.ID).Call.MessageMs, "it is no message to us")
}

func contains(all []string, text string) bool {
	for _, s := range all {
		if s == text {
			return true
		}
	}
	return false
}

func TestPreparedMessagesAreSetByWhoSetsUp(t *testing.T) {
	w := newWorld(t)
	id := w.prepares("after the show")
	_, err := w.Voices.SetPreparedMessages(t.Context(), w.odile, contract.PreparedMessages{})
	require.ErrorIs(t, err, firm.ErrForbidden)
	for name, m := range map[string][]contract.PreparedMessage{
		"no name": {{Text: "x", Active: true}}, "no text": {{Name: "x", Text: " ", Active: true}},
		"twice": {{Name: "One", Text: "x", Active: true}, {Name: "one", Text: "y", Active: true}},
	} {
		t.Run(name, func(t *testing.T) {
			var field *firm.FieldError
			_, err := w.Voices.SetPreparedMessages(t.Context(), w.admin(), contract.PreparedMessages{Messages: m})
			require.ErrorAs(t, err, &field)
			assert.Equal(t, "messages", field.Field)
		})
	}
	_, err = w.Voices.SetPreparedMessages(t.Context(), w.admin(),
		contract.PreparedMessages{Messages: []contract.PreparedMessage{{ID: &id, Name: "after the show",
			Text: "Not any more."}}})
	require.NoError(t, err)
	offered, err := w.Voices.PreparedMessages(t.Context(), w.ines)
	require.NoError(t, err)
	assert.Empty(t, offered)
	c := w.speaks()
	_, err = w.Voices.LeavePrepared(t.Context(), w.ines, c.ID, id, false)
	require.ErrorIs(t, err, firm.ErrNotFound)
}
