package e2e_test

import (
	"context"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/demo"
	"trundo/internal/formats"
	"trundo/internal/program"
	"trundo/internal/store"
	"trundo/internal/store/pgtest"
)

const notesSaved = `document.querySelector('[data-testid=notes-status]').dataset.status === 'saved'`

func (w *window) notes() string {
	w.t.Helper()
	return eval[string](w, `document.querySelector('textarea').value`)
}

// calling opens Berit's sheet and calls her until she answers.
func (w *world) calling(win *window) {
	win.t.Helper()
	win.person(berit)
	win.click("button", "413 555 0142", "[data-testid=numbers]")
	win.see("ringing", slipPart)
	require.True(win.t, w.sim.TheyAnswer(demo.AnswersSoon))
	win.see("speaking", slipPart)
}

func TestNotesSurviveAReloadAndAClosedWindow(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	second := win.another("/")
	w.calling(win)
	win.fill("Notes", "typed and at once reloaded")
	require.NoError(t, chromedp.Do(win.ctx, chromedp.Reload()))
	win.see("speaking", slipPart)
	win.until("the notes to be there", `document.querySelector('textarea')?.value === 'typed and at once reloaded'`)
	win.until("the notes to be saved", notesSaved)
	second.until("the other window to have them",
		`document.querySelector('textarea')?.value === 'typed and at once reloaded'`)
	win.fill("Notes", "typed and at once closed")
	require.NoError(t, chromedp.Do(win.ctx, chromedp.Navigate("about:blank")))
	second.visit("/")
	second.until("the notes to be there", `document.querySelector('textarea')?.value === 'typed and at once closed'`)
}

func TestTwoWindowsNeverOverwriteEachOther(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	w.calling(win)
	second := win.another("/")
	second.see("speaking", slipPart)
	// The second window is cut off from live events and writes upon the old text.
	second.until("notes", `!!document.querySelector('textarea')`)
	require.NoError(t, chromedp.Do(second.ctx,
		chromedp.Evaluate[chromedp.Void](`window.__fetch = window.fetch; window.fetch = (r, i) => (r.method ?? i?.method) === 'PUT' ? Promise.reject(new Error('cut')) : window.__fetch(r, i)`)))
	second.fill("Notes", "written in the second")
	second.see("not yet saved, kept in this browser", slipPart)
	win.fill("Notes", "written in the first")
	win.until("the notes to be saved", notesSaved)
	require.NoError(t, chromedp.Do(second.ctx, chromedp.Evaluate[chromedp.Void](`window.fetch = window.__fetch`)))
	second.see("These notes were changed in another window.", slipPart)
	second.see("written in the first", slipPart)
	second.click("button", "Keep both")
	win.until("both to be there", `document.querySelector('textarea').value === 'written in the first\n\nwritten in the second'`)
}

func TestLiveEventsResumeAfterABreak(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := open(t, w.url)
	// Every socket the page opens is kept, so that it can be cut.
	require.NoError(t, chromedp.Do(win.ctx, chromedp.Evaluate[chromedp.Void](`window.__sockets = []; const W = WebSocket;
		window.WebSocket = class extends W { constructor(u) { super(u); window.__sockets.push(this); } }`)))
	win.click("button", "Ines Calloway")
	win.see("Hello, ")
	w.calling(win)
	win.until("a socket", `window.__sockets.length > 0`)
	before := eval[int](win, `window.__sockets.length`)
	require.NoError(t, chromedp.Do(win.ctx, chromedp.Evaluate[chromedp.Void](`window.__sockets.at(-1).close()`)))
	require.True(t, w.sim.TheyEnd(demo.AnswersSoon, "hung_up"))
	win.see("they hung up", slipPart)
	win.until("a new socket", "window.__sockets.length > "+string(rune('0'+before)))
	win.until("no word of a break", `!document.querySelector('[data-testid=away]')`)
}

func TestTheDatabaseGoesAwayDuringACall(t *testing.T) {
	t.Parallel()
	cluster, url := pgtest.Own(t)
	w := start(t, url, "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	w.calling(win)
	win.fill("Notes", "before,")
	win.until("the notes to be saved", notesSaved)
	require.NoError(t, cluster.Halt())
	win.fill("Notes", "before, and while it was away")
	win.see("not yet saved", slipPart)
	win.see("Not saved yet: the database is unavailable", "[data-testid=away]")
	// The call goes on, and can be ended.
	win.see("speaking", slipPart)
	win.command("e")
	win.see("we hung up", slipPart)
	// A new call is refused with the reason.
	win.click("button", "413 555 0119 ext 12", "[data-testid=numbers]")
	win.see("new calls have to wait")
	require.NoError(t, cluster.Resume(context.Background()))
	win.until("the notes to be saved", notesSaved)
	win.until("no word of a break", `!document.querySelector('[data-testid=away]')`)
	win.command("1")
	win.see("Files “Visit agreed”", slipPart)
	win.command("f")
	win.see("Filed: Berit Osterlund")
	win.see("before, and while it was away", historyPart)
	win.see("talked", historyPart)
}

func TestNothingIsLostWhenTheServerIsKilled(t *testing.T) {
	t.Parallel()
	binary, err := program.Build()
	require.NoError(t, err)
	cluster, url := pgtest.Own(t)
	s, err := store.Open(t.Context(), url, 2)
	require.NoError(t, err)
	require.NoError(t, demo.Fill(t.Context(), s, demo.First, time.Now()))
	s.Close()
	data, addr := t.TempDir(), "127.0.0.1:18480"
	first := program.Start(t, binary, url, data, addr)

	win := open(t, first.URL)
	win.fill("Name", "ines")
	win.fill("Password", "lindenfall")
	win.click("button", "Sign in")
	win.see("Hello, ")
	win.person(berit)
	win.click("button", "413 555 0142", "[data-testid=numbers]")
	win.see("speaking", slipPart) // by the demo's own people
	win.fill("Notes", "saved before the kill,")
	win.until("the notes to be saved", notesSaved)
	// The database goes first, so that the next words are only in the journal; then the server is killed.
	require.NoError(t, cluster.Halt())
	win.fill("Notes", "saved before the kill, kept in the journal,")
	win.until("the journal to have it",
		`document.querySelector('[data-testid=notes-status]').dataset.status === 'server'`)
	first.Kill()
	win.fill("Notes", "saved before the kill, kept in the journal, and in the browser.")
	win.see("Not connected", "[data-testid=away]")
	require.NoError(t, cluster.Resume(context.Background()))
	program.Start(t, binary, url, data, addr)
	win.until("the notes to be saved", notesSaved)
	win.see("cut off", slipPart)
	assert.Equal(t, "saved before the kill, kept in the journal, and in the browser.", win.notes())
	win.command("1")
	win.see("Files “Visit agreed”", slipPart)
	win.command("f")
	win.see("Filed: Berit Osterlund")
	win.see("and in the browser.", historyPart)
	win.click("link", "called mobile", historyPart)
	win.until("what was heard before the kill", `!!document.querySelector('[data-testid=player]')`)
}

func TestRecordingsSurviveAKillToTheLastSecond(t *testing.T) {
	t.Parallel()
	binary, err := program.Build()
	require.NoError(t, err)
	_, url := pgtest.Own(t)
	s, err := store.Open(t.Context(), url, 2)
	require.NoError(t, err)
	t.Cleanup(s.Close)
	require.NoError(t, demo.Fill(t.Context(), s, demo.First, time.Now()))
	// Nobody is there, so that every call goes to voicemail.
	_, err = s.Pool.Exec(t.Context(),
		`UPDATE rep_state SET state_id = (SELECT id FROM availability_states WHERE NOT takes_calls LIMIT 1)`)
	require.NoError(t, err)
	_, err = s.Pool.Exec(t.Context(),
		`UPDATE lines SET unanswered = 'voicemail', closed = 'voicemail', greeting = 'Yes?'`)
	require.NoError(t, err)
	data := t.TempDir()
	first := program.Start(t, binary, url, data, "127.0.0.1:18490")
	ask := func(path, body string, cookie *http.Cookie) *http.Response {
		r, err := http.NewRequest(http.MethodPost, first.URL+path, strings.NewReader(body))
		require.NoError(t, err)
		r.Header.Set("Origin", first.URL)
		r.Header.Set("Content-Type", "application/json")
		if cookie != nil {
			r.AddCookie(cookie)
		}
		answer, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		require.NoError(t, answer.Body.Close())
		require.Less(t, answer.StatusCode, 300)
		return answer
	}
	session := ask("/api/session", `{"login":"ada","password":"lindenfall"}`, nil).Cookies()[0]
	const calls = 10
	for i := range calls {
		ask("/api/outside", fmt.Sprintf(`{"action":"call","from":"+1212555017%d","to":%q}`, i, mainE164), session)
	}
	sizes := func() (all []int64) {
		files, err := filepath.Glob(filepath.Join(data, "recordings", "*.wav"))
		require.NoError(t, err)
		for _, f := range files {
			info, err := os.Stat(f)
			require.NoError(t, err)
			all = append(all, info.Size())
		}
		return all
	}
	const second = 16000 // bytes
	require.Eventually(t, func() bool { all := sizes(); return len(all) == calls && slices.Min(all) > 3*second },
		time.Minute, 20*time.Millisecond, "ten messages of three seconds")
	before := slices.Min(sizes())
	require.Eventually(t, func() bool { return slices.Min(sizes()) > before }, time.Minute, time.Millisecond,
		"they grow while they are made")
	first.Kill()
	// as far as it came: a machine that is too busy leaves frames out, so this is held against the disk and not the
	// clock
	onDisk := sizes()
	program.Start(t, binary, url, data, "127.0.0.1:18490")
	var kept, bytes int64
	require.NoError(t, s.Pool.QueryRow(t.Context(),
		`SELECT count(*), sum(total_ms) * 16 FROM recordings WHERE state = 'kept' AND trouble = ''`).Scan(&kept, &bytes))
	assert.EqualValues(t, calls, kept, "all are complete")
	var whole int64
	for _, size := range onDisk {
		whole += size - int64(len(formats.WAVHeader(2, 0)))
	}
	assert.InDelta(t, whole, bytes, calls*320, "with all that was on the disk, but for the last frame of each")
	var open int
	require.NoError(t, s.Pool.QueryRow(t.Context(), `SELECT count(*) FROM calls WHERE ended_at IS NULL`).Scan(&open))
	assert.Zero(t, open)
}

func TestACorrectionIsKeptInTheTrail(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Odile Fairweather")
	win.person(berit)
	win.click("link", "called mobile", historyPart)
	win.see("Nothing was changed after filing.")
	win.choose("Outcome", "Never call")
	win.see("never call Berit Osterlund", "[role=dialog]")
	win.click("button", "Change the outcome only")
	win.see("Never call", "[data-testid=changes]")
	win.see("Odile Fairweather", "[data-testid=changes]")
	win.choose("Call type", "Spare parts")
	win.see("type:", "[data-testid=changes]")
	win.see("→ Spare parts", "[data-testid=changes]")
}

func TestAFollowUpInALine(t *testing.T) {
	t.Parallel()
	w := start(t, "", "127.0.0.1:0", "")
	win := w.signedIn(t, "Ines Calloway")
	win.person(berit)
	win.fill("Follow-up: what is to be done", "Ask about <b>the roof</b>")
	win.click("button", "Add")
	win.see("Ask about <b>the roof</b>", "aside")
	win.see("Ask about <b>the roof</b>", "[data-testid=lane]")
	win.click("button", "Done: Ask about <b>the roof</b>", "aside")
	win.gone("Ask about <b>the roof</b>", "aside")
	win.gone("Ask about <b>the roof</b>", "[data-testid=lane]")
}
