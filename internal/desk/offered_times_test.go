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

// promised is a call that ines has promised Berit, at a time.
func (w *world) promised(at time.Time) contract.FollowUp {
	w.t.Helper()
	f, err := w.Book.AddFollowUp(w.t.Context(), w.ines, w.berit, key(), contract.NewFollowUp{Text: "About the filters",
		Kind: ptr(contract.NewFollowUpKindCall), DueAt: &at})
	require.NoError(w.t, err)
	return f
}

// theyText is a text message from Berit's mobile.
func (w *world) theyText(text string) {
	w.t.Helper()
	w.texts(mobileNumber, text)
}

// textsTo are the first n texts that went to a number, in their order.
func (w *world) textsTo(to string, n int) (bodies []string) {
	w.t.Helper()
	w.until("the texts", func() bool {
		w.clock.Advance(time.Second)
		bodies = nil
		for _, s := range w.postbox.Sent() {
			if s.Text != nil && s.Text.To == to {
				bodies = append(bodies, s.Text.Body)
			}
		}
		return len(bodies) >= n
	})
	return bodies
}

func (w *world) followUpOf(id uuid.UUID) contract.FollowUp {
	w.t.Helper()
	all, err := w.Book.FollowUps(w.t.Context(), w.ines, true, true)
	require.NoError(w.t, err)
	for _, f := range all {
		if f.ID == id {
			return f
		}
	}
	w.t.Fatal("the follow-up is gone")
	return contract.FollowUp{}
}

func TestWhoIsToBeCalledChoosesTheTimeByAnsweringAText(t *testing.T) {
	w := newWorld(t)
	w.approved()
	ctx := t.Context()
	f := w.promised(w.clock.Now().Add(26 * time.Hour))
	offer, err := w.Outreach.TimeOffer(ctx, w.ines, f.ID)
	require.NoError(t, err)
	require.Empty(t, offer.Problem)
	require.Len(t, offer.Times, 3)
	assert.Contains(t, offer.Text, "when may we call you? Answer 1 for ")
	// Another call at one of these times: it is offered no more.
	w.promised(offer.Times[0])
	again, err := w.Outreach.TimeOffer(ctx, w.ines, f.ID)
	require.NoError(t, err)
	assert.NotContains(t, again.Times, offer.Times[0])

	_, err = w.Outreach.OfferTimes(ctx, w.tomas, key(), f.ID, contract.OfferedTimes{Times: again.Times})
	require.ErrorIs(t, err, firm.ErrForbidden)
	_, err = w.Outreach.OfferTimes(ctx, w.ines, key(), f.ID, contract.OfferedTimes{Times: []time.Time{w.clock.Now()}})
	assert.Equal(t, "times", fieldOf(t, err))
	night := time.Date(2026, 3, 4, 3, 0, 0, 0, w.ines.Zone)
	_, err = w.Outreach.OfferTimes(ctx, w.ines, key(), f.ID, contract.OfferedTimes{Times: []time.Time{night}})
	assert.Equal(t, "times", fieldOf(t, err))
	once := key()
	for range 2 { // a second click sends nothing
		sent, err := w.Outreach.OfferTimes(ctx, w.ines, once, f.ID, contract.OfferedTimes{Times: again.Times})
		require.NoError(t, err)
		assert.NotNil(t, sent.OfferedAt)
	}
	texts := w.textsTo(mobileNumber, 1)
	assert.Equal(t, again.Text, texts[0])

	// What is no answer waits for somebody; what is one sets the time, and is confirmed.
	w.theyText("Who is that?")
	assert.Equal(t, f.DueAt.UTC(), w.followUpOf(f.ID).DueAt.UTC())
	w.theyText("The second one please")
	now := w.followUpOf(f.ID)
	assert.True(t, again.Times[1].Equal(*now.DueAt), now.DueAt)
	assert.True(t, now.Promised)
	assert.Contains(t, w.textsTo(mobileNumber, 2)[1], "thank you. We call you on ")
	last, err := w.Outreach.TimeOffer(ctx, w.ines, f.ID)
	require.NoError(t, err)
	assert.True(t, again.Times[1].Equal(*last.Chosen))
	var unread int
	require.NoError(
		t,
		w.store.Pool.QueryRow(ctx, `SELECT count(*) FROM messages WHERE incoming AND read_at IS NULL`).Scan(&unread),
	)
	assert.Equal(t, 1, unread, "somebody reads what was no answer")
	// It was answered: another number is a message like any other.
	w.theyText("3")
	assert.True(t, again.Times[1].Equal(*w.followUpOf(f.ID).DueAt))
}

func TestAnOfferOfTimesEnds(t *testing.T) {
	w := newWorld(t)
	w.approved()
	ctx := t.Context()
	f := w.promised(w.clock.Now().Add(26 * time.Hour))
	send := func() []time.Time {
		t.Helper()
		offer, err := w.Outreach.TimeOffer(ctx, w.ines, f.ID)
		require.NoError(t, err)
		_, err = w.Outreach.OfferTimes(ctx, w.ines, key(), f.ID, contract.OfferedTimes{Times: offer.Times})
		require.NoError(t, err)
		return offer.Times
	}
	first := send()
	w.clock.Advance(first[0].Sub(w.clock.Now()) + time.Minute) // the first time has passed
	w.theyText("1")
	assert.Equal(t, f.DueAt.UTC(), w.followUpOf(f.ID).DueAt.UTC(), "nobody calls in the past")
	second := send() // takes the place of the first
	w.theyText("1")
	assert.True(t, second[0].Equal(*w.followUpOf(f.ID).DueAt))

	third := send()
	now := w.followUpOf(f.ID)
	_, err := w.Book.ChangeFollowUp(ctx, w.ines, f.ID, contract.FollowUpChange{Version: now.Version,
		State: ptr(contract.FollowUpChangeStateDone)})
	require.NoError(t, err)
	w.theyText("2")
	var due time.Time
	require.NoError(t, w.store.Pool.QueryRow(ctx, `SELECT due_at FROM follow_ups WHERE id = $1`, f.ID).Scan(&due))
	assert.False(t, third[1].Equal(due), "it is done already")
	_, err = w.Outreach.TimeOffer(ctx, w.ines, f.ID)
	assert.Equal(t, "kind", fieldOf(t, err))
}

func TestTimesAreOfferedForAfterTheTextCanBeRead(t *testing.T) {
	w := newWorld(t)
	w.approved()
	ctx := t.Context()
	f := w.promised(w.clock.Now().Add(48 * time.Hour))
	night := time.Date(2026, 3, 3, 3, 0, 0, 0, w.ines.Zone)
	w.clock.Advance(night.Sub(w.clock.Now()))
	offer, err := w.Outreach.TimeOffer(ctx, w.ines, f.ID)
	require.NoError(t, err)
	require.NotEmpty(t, offer.Times)
	sent, err := w.Outreach.OfferTimes(ctx, w.ines, key(), f.ID, contract.OfferedTimes{Times: offer.Times})
	require.NoError(t, err)
	require.NotNil(t, sent.OfferedAt)
	var goes time.Time
	require.NoError(t, w.store.Pool.QueryRow(ctx, `SELECT m.send_at FROM messages m JOIN time_offers o ON o.message_id = m.id`).
		Scan(&goes))
	assert.True(t, goes.After(night), "it is held until they may be called")
	assert.Greater(t, offer.Times[0].Sub(goes), time.Hour)
	_, err = w.Outreach.OfferTimes(ctx, w.ines, key(), f.ID, contract.OfferedTimes{Times: []time.Time{goes}})
	assert.Equal(t, "times", fieldOf(t, err))
}
