package httpapi_test

import (
	"context"
	"net/http"
	"testing"
	"time"

	"trundo/internal/desk/firm"

	"github.com/coder/websocket"
	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
)

// listens opens the live stream of whoever is signed in, and tells with what code it is closed.
func (s *site) listens() <-chan websocket.StatusCode {
	s.t.Helper()
	header := http.Header{"Origin": {s.url}, "Cookie": {"trundo_session=" + s.jar["trundo_session"]}}
	conn, _, err := websocket.Dial(s.t.Context(), s.url+"/api/live", &websocket.DialOptions{HTTPHeader: header})
	require.NoError(s.t, err)
	s.t.Cleanup(func() { _ = conn.CloseNow() })
	closed := make(chan websocket.StatusCode, 1)
	go func() {
		for {
			if _, _, err := conn.Read(context.WithoutCancel(s.t.Context())); err != nil {
				closed <- websocket.CloseStatus(err)
				return
			}
		}
	}()
	return closed
}

func (s *site) ends(closed <-chan websocket.StatusCode, why string) {
	s.t.Helper()
	select {
	case code := <-closed:
		assert.Equal(s.t, websocket.StatusCode(4401), code, why)
	case <-time.After(15 * time.Second):
		s.t.Fatal("the window goes on: " + why)
	}
}

func TestAWindowEndsWithItsSession(t *testing.T) {
	s := newSite(t)
	s.signIn("ines")
	closed := s.listens()
	r, _ := s.ask("DELETE", "/api/session", nil)
	require.Equal(t, http.StatusNoContent, r.StatusCode)
	s.ends(closed, "signed out")

	// Signed in twice; out everywhere from one of them.
	s.signIn("ines")
	first, here := s.jar["trundo_session"], s.listens()
	s.signIn("ines")
	there := s.listens()
	sessions := get[[]contract.Session](s, "/api/sessions")
	require.Len(t, sessions, 2)
	current := 0
	for _, x := range sessions {
		assert.NotEmpty(t, x.From)
		if x.Current {
			current++
		}
	}
	assert.Equal(t, 1, current)
	r, _ = s.ask("DELETE", "/api/sessions", nil)
	require.Equal(t, http.StatusNoContent, r.StatusCode)
	s.ends(here, "signed out everywhere")
	s.ends(there, "signed out everywhere")
	s.jar["trundo_session"] = first
	r, text := s.ask("GET", "/api/lane", nil)
	assert.Equal(t, "signed_out", problem(t, r, text).Code)

	// Somebody is switched off, or gets another password, by another program.
	for what, change := range map[string]func() error{
		"switched off": func() error { return firm.SwitchUser(t.Context(), s.store.Queries, "tomas", false) },
		"a password": func() error {
			return firm.SetPassword(t.Context(), s.store.Queries, "odile", "another of ten letters")
		},
	} {
		login := map[string]string{"switched off": "tomas", "a password": "odile"}[what]
		s.signIn(login)
		closed := s.listens()
		require.NoError(t, change())
		s.ends(closed, what)
	}
	var trail int
	require.NoError(t, s.store.Pool.QueryRow(t.Context(),
		`SELECT count(*) FROM audit WHERE subject_kind = 'session' AND action = 'signed in'`).Scan(&trail))
	assert.Equal(t, 5, trail)
}

func TestAWindowGetsASignOfLife(t *testing.T) {
	s := newSite(t)
	s.signIn("ines")
	header := http.Header{"Origin": {s.url}, "Cookie": {"trundo_session=" + s.jar["trundo_session"]}}
	conn, _, err := websocket.Dial(t.Context(), s.url+"/api/live", &websocket.DialOptions{HTTPHeader: header})
	require.NoError(t, err)
	defer func() { _ = conn.CloseNow() }()
	require.NoError(t, conn.Write(t.Context(), websocket.MessageText, []byte(`{"kind":"ping"}`)))
	for {
		_, text, err := conn.Read(t.Context())
		require.NoError(t, err)
		if string(text) == `{"kind":"pong","n":0}` {
			break
		}
	}
	require.NoError(t, conn.Write(t.Context(), websocket.MessageText, []byte(`{"kind":"order"}`)))
	for err == nil {
		_, _, err = conn.Read(t.Context())
	}
	assert.Equal(t, websocket.StatusPolicyViolation, websocket.CloseStatus(err))
}

func TestAnInventedMethodIsNoSeriesOfItsOwn(t *testing.T) {
	s := newSite(t)
	for range 50 {
		s.ask("X"+uuid.NewString()[:8], "/api/lane", nil)
	}
	families, err := s.metrics.Gather()
	require.NoError(t, err)
	series := 0
	for _, f := range families {
		if f.GetName() == "trundo_request_seconds" {
			series = len(f.GetMetric())
		}
	}
	assert.Equal(t, 1, series)
}

func TestOnePersonHasNotAnyNumberOfWindows(t *testing.T) {
	s := newSite(t)
	s.signIn("ines")
	header := http.Header{"Origin": {s.url}, "Cookie": {"trundo_session=" + s.jar["trundo_session"]}}
	refused := 0
	for range 35 {
		conn, response, err := websocket.Dial(t.Context(), s.url+"/api/live",
			&websocket.DialOptions{HTTPHeader: header})
		if err != nil {
			assert.Equal(t, http.StatusTooManyRequests, response.StatusCode)
			refused++
			continue
		}
		t.Cleanup(func() { _ = conn.CloseNow() })
	}
	assert.Equal(t, 5, refused)
}

func TestNobodyPlaysWithSomebodyElsesCustomer(t *testing.T) {
	s := newSite(t)
	s.signIn("ines")
	r, text := s.ask("POST", "/api/calls", `{"typed": "413 555 0142"}`)
	require.Equal(t, http.StatusCreated, r.StatusCode, string(text))
	mine := get[contract.Outside](s, "/api/outside").Legs
	require.Len(t, mine, 1)
	s.signIn("tomas")
	assert.Empty(t, get[contract.Outside](s, "/api/outside").Legs)
	r, text = s.ask("POST", "/api/outside", contract.OutsideAct{Action: "hang_up", Ref: &mine[0].Ref})
	assert.Equal(t, "not_found", problem(t, r, text).Code)
	s.signIn("ada")
	assert.Len(t, get[contract.Outside](s, "/api/outside").Legs, 1, "who sets the firm up sees all")
}

// A page that lay open while a colleague added something does not take it away.
func TestSettingsAreSavedUponWhatWasRead(t *testing.T) {
	s := newSite(t)
	s.signIn("ada")
	read, _ := s.ask("GET", "/api/templates", nil)
	tag := read.Header.Get("ETag")
	require.NotEmpty(t, tag)
	save := func(name, tag string) (*http.Response, []byte) {
		body := map[string]any{"templates": []any{map[string]any{"id": nil, "name": name, "channel": "text",
			"subject": "", "body": "Good day", "active": true}}}
		return s.ask("PUT", "/api/templates", body, func(r *http.Request) { r.Header.Set("If-Match", tag) })
	}
	first, text := save("Of a colleague", tag)
	require.Equal(t, http.StatusOK, first.StatusCode, string(text))
	stale, text := save("Of an old page", tag)
	require.Equal(t, http.StatusConflict, stale.StatusCode)
	assert.Equal(t, "stale_version", problem(t, stale, text).Code)
	now, text := s.ask("GET", "/api/templates", nil)
	assert.Contains(t, string(text), "Of a colleague")
	assert.Equal(t, first.Header.Get("ETag"), now.Header.Get("ETag"), "saving gives the tag of what is there now")
	fresh, text := save("Of a new page", now.Header.Get("ETag"))
	require.Equal(t, http.StatusOK, fresh.StatusCode, string(text))
}

func TestOneSessionIsEndedAndNoOther(t *testing.T) {
	s := newSite(t)
	s.signIn("tomas")
	theirs := get[[]contract.Session](s, "/api/sessions")[0].ID
	s.jar = map[string]string{}
	s.signIn("ines")
	there, elsewhere := s.listens(), s.jar["trundo_session"]
	s.jar = map[string]string{}
	s.signIn("ines")
	sessions := get[[]contract.Session](s, "/api/sessions")
	require.Len(t, sessions, 2)
	other := sessions[0]
	if other.Current {
		other = sessions[1]
	}
	for _, nobodys := range []string{"nonsense", theirs} {
		r, text := s.ask("DELETE", "/api/sessions/"+nobodys, nil)
		assert.Equal(t, http.StatusNotFound, r.StatusCode, string(text))
	}
	r, text := s.ask("DELETE", "/api/sessions/"+other.ID, nil)
	require.Equal(t, http.StatusNoContent, r.StatusCode, string(text))
	s.ends(there, "its session was ended")
	require.Len(t, get[[]contract.Session](s, "/api/sessions"), 1, "this one goes on")
	s.jar = map[string]string{"trundo_session": elsewhere}
	r, _ = s.ask("GET", "/api/lane", nil)
	assert.Equal(t, http.StatusUnauthorized, r.StatusCode)
}
