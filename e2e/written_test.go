package e2e_test

import (
	"testing"

	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
)

// A call goes on in writing: a link to a meeting room by text, and the rest by whoever of the queue takes it.
func TestACallGoesOnInWriting(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	ada := w.signedIn(t, "Ada")
	ada.visit("/settings?tab=firm")
	ada.fill("Address of a meeting room", "https://meet.example.com/{room}")
	ada.looks("meeting-room")
	ada.accessible("the firm")
	ada.click("button", "Save", "main")
	ada.see("Saved")

	ines, tomas := w.signedIn(t, "Ines Calloway"), w.signedIn(t, "Tomas Reyl")
	ines.speaks(w)
	ines.keys("The seal leaks")
	ines.command("w")
	ines.see("Whom to ask", "[role=dialog]")
	ines.keys("service")
	ines.see("Tomas Reyl", "[role=option][aria-selected=true]")
	ines.keys(kb.ArrowDown)
	ines.see("Queue Service", "[role=option][aria-selected=true]")
	ines.click("button", "In writing…", "[role=dialog]")
	ines.see("Your notes go with it", "[role=dialog]")
	ines.see("The seal leaks", "[role=dialog]")
	ines.fill("What is to be done", "Send her the drawing")
	ines.looks("in-writing")
	ines.accessible("handing over in writing")
	ines.click("button", "Hand over", "[role=dialog]")
	ines.see("It waits in “Service”")
	tomas.see("handed over by Ines Calloway", "[data-testid=lane]")
	tomas.click("button", berit, "[data-testid=lane]")
	tomas.see("Ines Calloway, handed over from a call", "[data-testid=thread]")
	tomas.see("Send her the drawing", "[data-testid=thread]")
	tomas.click("button", "Add a meeting link", "[data-testid=thread]")
	tomas.until("the link", `document.querySelector('[data-testid=thread] textarea').value.startsWith('https://meet.example.com/')`)
	tomas.looks("handed-in-writing")
	tomas.accessible("a thread with what was handed over")
	ines.command("e")
	ines.see("we hung up", slipPart)
	var call string
	require.NoError(t, w.Store.Pool.QueryRow(t.Context(), `SELECT s.call_id::text FROM messages m JOIN slips s ON s.id = m.slip_id
		WHERE m.incoming`).Scan(&call))
	ines.visit("/calls/" + call)
	ines.see("Ines Calloway handed the call over in writing", "[data-testid=written-from]")
	ines.looks("written-from")
	ines.accessible("a call that went on in writing")
}
