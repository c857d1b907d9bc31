package httpapi_test

import (
	"bytes"
	"encoding/json"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"net/url"
	"path/filepath"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"trundo/internal/desk/firm"

	"github.com/alexedwards/scs/v2/memstore"
	"github.com/coder/websocket"
	"github.com/coder/websocket/wsjson"
	"github.com/google/uuid"
	"github.com/jonboulle/clockwork"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/carrier/sim"
	"trundo/internal/contract"
	"trundo/internal/demo"
	"trundo/internal/desk"
	"trundo/internal/httpapi"
	"trundo/internal/store"
	"trundo/internal/store/pgtest"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

// site is a running server with the demo's firm, and somebody who asks it things.
type site struct {
	t       *testing.T
	url     string
	client  *http.Client
	jar     map[string]string
	store   *store.Store
	metrics *httpapi.Metrics
	desk    *desk.Desk
}

// forgetActors has everybody's rights read again, after the database was changed beside the desk.
func (s *site) forgetActors() {
	s.desk.BookChanged()
	s.desk.ActorsChanged()
}

func newSite(t *testing.T, change ...func(*httpapi.Config)) *site {
	t.Helper()
	// shown where a test fails
	return newSiteLogging(t, slog.New(slog.NewTextHandler(t.Output(), &slog.HandlerOptions{Level: slog.LevelError})), change...)
}

func newSiteLogging(t *testing.T, log *slog.Logger, change ...func(*httpapi.Config)) *site {
	t.Helper()
	s := pgtest.New(t)
	require.NoError(t, demo.Fill(t.Context(), s, demo.Size{Companies: 5, People: 20, Calls: 30}, time.Now()))
	clock := clockwork.NewRealClock()
	d, err := desk.Open(t.Context(),
		firm.Config{Store: s, Clock: clock, Log: log, Server: "test", Demo: true,
			JournalFile: filepath.Join(t.TempDir(), "journal"), FilesDir: t.TempDir(),
			Carrier: sim.New(clockwork.NewFakeClock(), "US",
				func(string) sim.Behaviour { return sim.Behaviour{RingsOn: true} })})
	require.NoError(t, err)
	t.Cleanup(d.Close)
	web := fstest.MapFS{"index.html": {Data: []byte(`<meta name="csp-nonce" content="__CSP_NONCE__">`)},
		"assets/a.js": {Data: []byte("1")}}
	metrics := httpapi.NewMetrics(d)
	network := d.Carrier.(*sim.Sim)
	config := httpapi.Config{Desk: d, Sessions: memstore.New(), Web: web, Log: log, Metrics: metrics, Outside: network}
	for _, c := range change {
		c(&config)
	}
	handler, err := httpapi.New(config)
	require.NoError(t, err)
	server := httptest.NewServer(handler)
	t.Cleanup(server.Close)
	return &site{
		t:       t,
		url:     server.URL,
		client:  server.Client(),
		jar:     map[string]string{},
		store:   s,
		metrics: metrics,
		desk:    d,
	}
}

// ask sends a request as this site's own page would; edit changes it before it goes.
func (s *site) ask(method, path string, body any, edit ...func(*http.Request)) (*http.Response, []byte) {
	s.t.Helper()
	var in io.Reader
	switch b := body.(type) {
	case nil:
	case string:
		in = strings.NewReader(b)
	default:
		text, err := json.Marshal(b)
		require.NoError(s.t, err)
		in = bytes.NewReader(text)
	}
	r, err := http.NewRequestWithContext(s.t.Context(), method, s.url+path, in)
	require.NoError(s.t, err)
	r.Header.Set("Origin", s.url)
	r.Header.Set("Content-Type", "application/json")
	r.Header.Set("Idempotency-Key", uuid.NewString())
	for name, value := range s.jar {
		r.AddCookie(&http.Cookie{Name: name, Value: value})
	}
	for _, e := range edit {
		e(r)
	}
	response, err := s.client.Do(r)
	require.NoError(s.t, err)
	defer response.Body.Close()
	text, err := io.ReadAll(response.Body)
	require.NoError(s.t, err)
	for _, c := range response.Cookies() {
		s.jar[c.Name] = c.Value
	}
	return response, text
}

func (s *site) signIn(login string) *http.Response {
	s.t.Helper()
	r, text := s.ask("POST", "/api/session", contract.SignIn{Login: login, Password: firm.DemoPassword})
	require.Equal(s.t, http.StatusOK, r.StatusCode, string(text))
	return r
}

func get[T any](s *site, path string) T {
	s.t.Helper()
	r, text := s.ask("GET", path, nil)
	require.Equal(s.t, http.StatusOK, r.StatusCode, string(text))
	var v T
	require.NoError(s.t, json.Unmarshal(text, &v))
	return v
}

// rows reads a list.
func (s *site) rows(query string) []contract.RecordRow {
	s.t.Helper()
	r, text := s.ask("POST", "/api/book/rows", query)
	require.Equal(s.t, http.StatusOK, r.StatusCode, string(text))
	var page contract.RowPage
	require.NoError(s.t, json.Unmarshal(text, &page))
	return page.Rows
}

func problem(t *testing.T, r *http.Response, text []byte) contract.Problem {
	t.Helper()
	require.Equal(t, "application/problem+json", r.Header.Get("Content-Type"), string(text))
	var p contract.Problem
	require.NoError(t, json.Unmarshal(text, &p))
	assert.Equal(t, r.StatusCode, p.Status)
	assert.NotEmpty(t, p.Detail)
	assert.NotEmpty(t, *p.RequestID)
	return p
}

func TestSessions(t *testing.T) {
	s := newSite(t)
	r, text := s.ask("GET", "/api/session", nil)
	assert.Equal(t, "signed_out", problem(t, r, text).Code)
	r = s.signIn("ines")
	cookie := r.Cookies()[0]
	assert.True(t, cookie.HttpOnly)
	assert.Equal(t, http.SameSiteLaxMode, cookie.SameSite)
	assert.Equal(t, "Ines Calloway", get[contract.Me](s, "/api/session").Name)
	kept := s.jar["trundo_session"]
	s.jar["trundo_session"] = kept[:len(kept)-2] + "xx"
	r, text = s.ask("GET", "/api/lane", nil)
	assert.Equal(t, "signed_out", problem(t, r, text).Code, "a forged cookie")
	s.jar["trundo_session"] = kept
	r, _ = s.ask("DELETE", "/api/session", nil)
	require.Equal(t, http.StatusNoContent, r.StatusCode)
	s.jar["trundo_session"] = kept
	r, text = s.ask("GET", "/api/lane", nil)
	assert.Equal(t, "signed_out", problem(t, r, text).Code, "the old cookie is worth nothing after signing out")
}

func TestGuessingIsThrottled(t *testing.T) {
	s := newSite(t)
	var last contract.Problem
	for range 9 {
		r, text := s.ask("POST", "/api/session", contract.SignIn{Login: "ines", Password: "guess"})
		last = problem(t, r, text)
	}
	assert.Equal(t, "throttled", last.Code)
	r, text := s.ask("POST", "/api/session", contract.SignIn{Login: "INES", Password: firm.DemoPassword})
	assert.Equal(t, "throttled", problem(t, r, text).Code, "not even with the right one")
	assert.NotEmpty(t, r.Header.Get("Retry-After"))
	s.signIn("tomas")
}

func TestAForeignPageChangesNothing(t *testing.T) {
	s := newSite(t)
	s.signIn("ines")
	for name, edit := range map[string]func(*http.Request){
		"another origin": func(r *http.Request) { r.Header.Set("Origin", "http://elsewhere.example") },
		"no origin":      func(r *http.Request) { r.Header.Del("Origin") },
		"null":           func(r *http.Request) { r.Header.Set("Origin", "null") },
	} {
		r, text := s.ask("POST", "/api/calls", contract.NewCall{}, edit)
		assert.Equal(t, "foreign_origin", problem(t, r, text).Code, name)
	}
	header := http.Header{"Origin": {"http://elsewhere.example"},
		"Cookie": {"trundo_session=" + s.jar["trundo_session"]}}
	_, response, err := websocket.Dial(t.Context(), s.url+"/api/live", &websocket.DialOptions{HTTPHeader: header})
	require.Error(t, err)
	assert.Equal(t, http.StatusForbidden, response.StatusCode)
}

func TestBadRequestsNameTheFieldAndAreNeverOurFault(t *testing.T) {
	s := newSite(t)
	s.signIn("ines")
	person := s.rows(`{"kinds": ["contact"], "q": "Berit"}`)[0]
	ghost := uuid.NewString()
	slip := get[contract.CallPage](s, "/api/calls?whose=team").Calls[0].Slip
	tests := []struct {
		name, method, path string
		body               any
		status             int
		code, field        string
	}{
		{"broken JSON", "POST", "/api/calls", `{"typed": `, 400, "malformed", "body"},
		{"no JSON", "POST", "/api/calls", `typed=1`, 400, "malformed", "body"},
		{"an array", "POST", "/api/calls", `[]`, 422, "invalid", ""},
		{"a number where text belongs", "POST", "/api/calls", `{"typed": 5}`, 422, "invalid", "typed"},
		{"malformed number", "POST", "/api/calls", `{"typed": "call me"}`, 422, "invalid", "typed"},
		{"a number of forty digits", "POST", "/api/calls", `{"typed": "` + strings.Repeat("12345", 8) + `"}`, 422,
			"invalid", "typed"},
		{"an id that is none", "POST", "/api/calls", `{"number_id": "7"}`, 422, "", ""},
		{"a number that is not there", "POST", "/api/calls", `{"number_id": "` + ghost + `"}`, 404, "not_found",
			"number_id"},
		{"a record that is not there", "GET", "/api/records/" + ghost, nil, 404, "not_found", ""},
		{"an id that is none in the path", "GET", "/api/records/%27%3B--", nil, 422, "invalid", "id"},
		{"a call that is not there", "POST", "/api/calls/" + ghost + "/hang-up", nil, 404, "not_found", ""},
		{"somebody else's slip", "PUT", "/api/slips/" + ghost + "/notes", contract.NotesEdit{Body: "x", Writer: "w"},
			404, "not_found", ""},
		{"unknown outcome", "PATCH", "/api/slips/" + slip.ID.String(), `{"version": 1, "outcome_id": "` + ghost + `"}`,
			0, "", ""},
		{"stale version of a record", "PATCH", "/api/records/" + person.ID.String(),
			`{"version": 99, "values": {"note": "x"}}`, 409, "stale_version", ""},
		{"a mail address that is none", "PATCH", "/api/records/" + person.ID.String(),
			`{"version": 1, "values": {"email": "nobody"}}`, 422, "invalid", "email"},
		{"a field that is none", "PATCH", "/api/records/" + person.ID.String(),
			`{"version": 1, "values": {"shoe": "44"}}`, 422, "invalid", "shoe"},
		{"a filter that is none", "POST", "/api/book/rows", `{"kinds": ["contact"], "filter": "{\"field\": \"name\"}"}`,
			422, "invalid", "filter"},
		{"a filter that is no JSON", "POST", "/api/book/rows", `{"kinds": ["contact"], "filter": "name = x"}`, 422,
			"invalid", "filter"},
		{"a record without a name", "POST", "/api/records", `{"kind": "deal", "values": {}}`, 422, "invalid", "name"},
		{"a number of forty digits", "POST", "/api/records/" + person.ID.String() + "/numbers",
			`{"typed": "1234567890123456789012345678901234567890"}`, 422, "invalid", "typed"},
		{"nothing selected", "POST", "/api/bulk", `{"action": "delete", "selection": {}}`, 422, "invalid", "selection"},
		{"a merge with itself", "POST", "/api/merges", `{"keep": "` + ghost + `", "lose": "` + ghost + `", "take": []}`,
			422, "invalid", "lose"},
		{"settings by a rep", "PUT", "/api/settings/book",
			`{"number_order_contact": [], "number_order_lead": [], "layouts": []}`, 403, "forbidden", ""},
		{"an import by a rep", "POST", "/api/imports", `{"kind": "contact", "format": "csv", "file_name": "x.csv"}`,
			403, "forbidden", ""},
		{"an export that is not there", "GET", "/api/exports/" + ghost, nil, 403, "forbidden", ""},
		{"a calendar with a guessed secret", "GET", "/calendar/guess.ics", nil, 404, "not_found", ""},
		{"a follow-up without text", "POST", "/api/records/" + person.ID.String() + "/follow-ups", `{"text": ""}`, 422,
			"invalid", "text"},
		{"a follow-up of blanks", "POST", "/api/records/" + person.ID.String() + "/follow-ups", `{"text": "   "}`, 422,
			"invalid", "text"},
		{"a date that is none", "POST", "/api/records/" + person.ID.String() + "/follow-ups",
			`{"text": "x", "due_at": "soon"}`, 422, "invalid", "due_at"},
		{"a place that is none", "GET", "/api/calls?before=there", nil, 422, "invalid", "before"},
		{"a kind that is none", "POST", "/api/book/rows", `{"kinds": ["animals"]}`, 422, "invalid", "kinds.0"},
		{"no such address", "GET", "/api/secrets", nil, 404, "no_such_path", ""},
		{"no such method", "PUT", "/api/lane", `{}`, 404, "no_such_path", ""},
		{"too large", "PUT", "/api/slips/" + slip.ID.String() + "/notes", strings.Repeat("x", 3<<20), 413, "too_large",
			""},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			r, text := s.ask(tt.method, tt.path, tt.body)
			p := problem(t, r, text)
			assert.Less(t, r.StatusCode, 500)
			if tt.status != 0 {
				assert.Equal(t, tt.status, r.StatusCode, string(text))
			}
			if tt.code != "" {
				assert.Equal(t, tt.code, p.Code)
			}
			if tt.field != "" {
				require.NotNil(t, p.Field, string(text))
				assert.Equal(t, tt.field, *p.Field)
			}
		})
	}
	r, text := s.ask("POST", "/api/calls", `{"number_id": "`+ghost+`"}`,
		func(r *http.Request) { r.Header.Del("Idempotency-Key") })
	assert.Equal(t, "Idempotency-Key", *problem(t, r, text).Field)
}

func TestHostileTextIsOnlyText(t *testing.T) {
	s := newSite(t)
	s.signIn("ines")
	person := s.rows(`{"kinds": ["contact"], "q": "Berit"}`)[0]
	for _, text := range []string{"'; DROP TABLE calls; --", `<script>alert(1)</script>`, "%_\\%",
		"Ωμέγα 名前 שם اسم नाम 이름", "\u202eoverride", strings.Repeat("a", 200), "\ufeff", "👩‍🌾"} {
		for _, path := range []string{"/api/find?q="} {
			r, body := s.ask("GET", path+url.QueryEscape(text), nil)
			assert.Equal(t, http.StatusOK, r.StatusCode, "%s %q %s", path, text, body)
		}
		r, body := s.ask("POST", "/api/records/"+person.ID.String()+"/follow-ups", map[string]string{"text": text})
		if r.StatusCode != http.StatusUnprocessableEntity { // one is nothing but blanks
			require.Equal(t, http.StatusCreated, r.StatusCode, string(body))
			var made contract.FollowUp
			require.NoError(t, json.Unmarshal(body, &made))
			assert.Equal(t, strings.TrimSpace(text), made.Text)
		}
		sheet := get[contract.Record](s, "/api/records/"+person.ID.String())
		r, body = s.ask("PATCH", "/api/records/"+person.ID.String(),
			map[string]any{"version": sheet.Version, "values": map[string]string{"note": text}})
		require.Equal(t, http.StatusOK, r.StatusCode, string(body))
		assert.Equal(t, text, get[contract.Record](s, "/api/records/"+person.ID.String()).Note)
	}
	r, body := s.ask("GET", "/api/find?q=%00", nil)
	assert.Less(t, r.StatusCode, 500, string(body))
}

func TestTheSameKeyMakesOneThing(t *testing.T) {
	s := newSite(t)
	s.signIn("ines")
	person := s.rows(`{"kinds": ["contact"], "q": "Berit"}`)[0]
	path, once := "/api/records/"+person.ID.String()+
		"/follow-ups", func(r *http.Request) { r.Header.Set("Idempotency-Key", "one and the same") }
	_, first := s.ask("POST", path, map[string]string{"text": "once"}, once)
	_, second := s.ask("POST", path, map[string]string{"text": "once"}, once)
	assert.JSONEq(t, string(first), string(second))
	r, text := s.ask("POST", path, map[string]string{"text": "other"}, once)
	assert.Equal(t, "key_reused", problem(t, r, text).Code)
}

func TestPagesAndHeaders(t *testing.T) {
	s := newSite(t)
	for _, path := range []string{"/", "/people", "/records/x"} {
		r, text := s.ask("GET", path, nil)
		require.Equal(t, http.StatusOK, r.StatusCode, path)
		policy := r.Header.Get("Content-Security-Policy")
		assert.NotContains(t, policy, "unsafe")
		nonce := strings.Split(strings.Split(string(text), `content="`)[1], `"`)[0]
		assert.Contains(t, policy, "'nonce-"+nonce+"'")
		assert.Equal(t, "nosniff", r.Header.Get("X-Content-Type-Options"))
		assert.Equal(t, "no-store", r.Header.Get("Cache-Control"))
	}
	r, _ := s.ask("GET", "/assets/a.js", nil)
	assert.Contains(t, r.Header.Get("Cache-Control"), "immutable")
	r, _ = s.ask("GET", "/assets/gone.js", nil)
	assert.Equal(t, http.StatusNotFound, r.StatusCode)
	r, _ = s.ask("GET", "/healthz", nil)
	assert.Equal(t, http.StatusOK, r.StatusCode)
	r, _ = s.ask("GET", "/readyz", nil)
	assert.Equal(t, http.StatusOK, r.StatusCode)
}

func TestTheLiveStreamTellsAndResumes(t *testing.T) {
	s := newSite(t)
	s.signIn("ines")
	person := s.rows(`{"kinds": ["contact"], "q": "Berit"}`)[0]
	header := http.Header{"Origin": {s.url}, "Cookie": {"trundo_session=" + s.jar["trundo_session"]}}
	dial := func(query string) *websocket.Conn {
		c, _, err := websocket.Dial(t.Context(), s.url+"/api/live"+query, &websocket.DialOptions{HTTPHeader: header})
		require.NoError(t, err)
		return c
	}
	next := func(c *websocket.Conn) contract.LiveEvent {
		var e contract.LiveEvent
		require.NoError(t, wsjson.Read(t.Context(), c, &e))
		return e
	}
	first := dial("")
	hello := next(first)
	assert.Equal(t, contract.LiveEventKindHello, hello.Kind)
	require.NoError(t, first.CloseNow())
	s.ask("POST", "/api/records/"+person.ID.String()+"/follow-ups", map[string]string{"text": "while nobody listened"})
	again := dial("?epoch=" + *hello.Epoch + "&after=0")
	assert.Nil(t, next(again).Resync)
	assert.Equal(t, contract.LiveEventKindHistory, next(again).Kind)
	assert.Equal(t, contract.LiveEventKindLane, next(again).Kind)
	require.NoError(t, again.CloseNow())
	strange := dial("?epoch=of-yesterday&after=word")
	assert.True(t, *next(strange).Resync)
	require.NoError(t, strange.CloseNow())
}
