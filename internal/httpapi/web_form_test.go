package httpapi_test

import (
	"encoding/json"
	"html"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
)

// form makes a form for the first queue of the demo, and gives its address here.
func (s *site) form(sites ...string) string {
	s.t.Helper()
	s.signIn("ada")
	queues := get[[]contract.QueueSettings](s, "/api/settings/queues")
	require.NotEmpty(s.t, queues)
	r, text := s.ask("POST", "/api/settings/web-forms", contract.WebForm{Name: "Contact", Title: "Talk to <us>", QueueID: *queues[0].ID,
		Calls: true, Messages: true, Sites: append([]string{}, sites...), Active: true})
	require.Equal(s.t, http.StatusCreated, r.StatusCode, string(text))
	var form contract.WebForm
	require.NoError(s.t, json.Unmarshal(text, &form))
	assert.Contains(s.t, get[[]contract.WebForm](s, "/api/settings/web-forms"), form)
	s.jar = map[string]string{} // whoever fills it in knows nobody here
	return *form.Path
}

// fill sends a form from an address, with what is entered besides a name and a number.
func (s *site) fill(path, token string, entered url.Values, edit ...func(*http.Request)) (*http.Response, string) {
	s.t.Helper()
	all := url.Values{"page": {token}, "name": {"Aron Pell"}, "number": {"413 555 0161"}, "how": {"call"}}
	for name, v := range entered {
		all[name] = v
	}
	r, text := s.ask("POST", path, all.Encode(), append([]func(*http.Request){func(r *http.Request) {
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		r.Header.Set("Origin", "https://www.lindenfall.example")
	}}, edit...)...)
	return r, string(text)
}

var pageToken = regexp.MustCompile(`name="page" value="([^"]+)"`)

func (s *site) opened(path string) (token, page string) {
	s.t.Helper()
	r, text := s.ask("GET", path, nil)
	require.Equal(s.t, http.StatusOK, r.StatusCode, string(text))
	found := pageToken.FindStringSubmatch(string(text))
	require.NotNil(s.t, found)
	return found[1], string(text)
}

func TestAFormIsAPageOfItsOwn(t *testing.T) {
	s := newSite(t)
	path := s.form("www.lindenfall.example")
	r, text := s.ask("GET", path, nil)
	require.Equal(t, http.StatusOK, r.StatusCode)
	assert.Contains(t, string(text), "Talk to &lt;us&gt;")
	policy := r.Header.Get("Content-Security-Policy")
	assert.Contains(t, policy, "frame-ancestors https://www.lindenfall.example")
	assert.Contains(t, policy, "default-src 'none'")
	assert.NotContains(t, policy, "unsafe")
	assert.Empty(t, r.Header.Get("X-Frame-Options"))
	assert.Empty(t, r.Cookies(), "it knows no session")
	for _, wrong := range []string{path + "x", path[:len(path)-1], "/form/a.b"} {
		r, _ := s.ask("GET", wrong, nil)
		assert.Equal(t, http.StatusNotFound, r.StatusCode, wrong)
		r, _ = s.fill(wrong, "x", nil)
		assert.Equal(t, http.StatusNotFound, r.StatusCode, wrong)
	}
}

func TestAFormIsFilledIn(t *testing.T) {
	s := newSite(t)
	path := s.form()
	token, _ := s.opened(path)
	r, text := s.fill(path, token, url.Values{"text": {"<b>It hums</b>"}})
	assert.Equal(t, http.StatusUnprocessableEntity, r.StatusCode, "it was sent too fast")
	assert.Contains(t, text, html.EscapeString("<b>It hums</b>"), "and nothing is lost")
	assert.Contains(t, text, `value="Aron Pell"`)
	require.Eventually(t, func() bool {
		r, text = s.fill(path, token, url.Values{"number": {"12"}, "text": {"It hums"}})
		return strings.Contains(text, `aria-invalid="true"`)
	}, time.Minute, 800*time.Millisecond, "a moment later it is read")
	assert.Equal(t, http.StatusUnprocessableEntity, r.StatusCode)
	assert.Contains(t, text, "It hums")
	r, text = s.fill(path, token, url.Values{"name": {"Nul\x00 and \xff"}})
	assert.Equal(t, http.StatusOK, r.StatusCode, text)
	assert.Contains(t, text, "We will call you")
	r, _ = s.fill(path, token, url.Values{"text": {strings.Repeat("x", 70_000)}})
	assert.Equal(t, http.StatusRequestEntityTooLarge, r.StatusCode)
	r, _ = s.fill(path, token, nil, func(r *http.Request) { r.Method = "DELETE" })
	assert.Equal(t, http.StatusNotFound, r.StatusCode)
}

func TestAFloodedFormIsSlowedDown(t *testing.T) {
	s := newSite(t)
	path := s.form()
	taken := 0
	for range 30 {
		r, text := s.fill(path, "made up", nil)
		if r.StatusCode == http.StatusTooManyRequests {
			assert.NotEmpty(t, r.Header.Get("Retry-After"))
			assert.Contains(t, text, "Aron Pell", "nothing is lost")
			continue
		}
		taken++
	}
	assert.Equal(t, 10, taken)
	_, _ = s.opened(path)
}
