package e2e_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
	"trundo/internal/desk/outreach"
)

func TestSomebodyChoosesByTextWhenTheyAreCalled(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	win.person(berit)
	win.fill("Follow-up: what is to be done", "Talk about the roof")
	win.click("button", "Add")
	win.click("button", "Talk about the roof", "aside")
	win.click("button", "Let them choose a time by text", "[role=dialog]")
	win.see("when may we call you? Answer 1 for ", "[data-testid=offer-times]")
	win.accessible("offered times")
	win.looks("offer-times")
	win.click("button", "Send it", "[data-testid=offer-times]")
	win.see("Their answer sets the time by itself", "ol")
	var to, line string
	require.Eventually(t, func() bool {
		return w.Store.Pool.QueryRow(t.Context(), `SELECT o.e164, l.e164 FROM time_offers o JOIN lines l ON l.id = o.line_id
			JOIN messages m ON m.id = o.message_id WHERE m.state = 'sent'`).
			Scan(&to, &line) ==
			nil
	}, patience, pace, "it goes out")
	require.NoError(t, w.Desk.Outreach.Receive(t.Context(), outreach.Received{Channel: contract.ChannelText, From: to,
		To: line, Body: "2"}))
	win.see("thank you. We call you on", "#sheet")
	var promised bool
	require.NoError(t, w.Store.Pool.QueryRow(t.Context(), `SELECT f.promised FROM follow_ups f JOIN time_offers o
		ON o.follow_up_id = f.id WHERE f.due_at = o.times[2]`).Scan(&promised))
	assert.True(t, promised)
	win.see("promised", "aside")
	win.click("button", "Talk about the roof", "aside")
	win.click("button", "Let them choose a time by text", "[role=dialog]")
	win.see("They chose ", "[data-testid=offer-times]")
}
