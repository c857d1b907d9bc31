package httpapi_test

import (
	"encoding/json"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
)

func (s *site) post(path string, body any) (v map[string]any) {
	s.t.Helper()
	r, text := s.ask("POST", path, body)
	require.Less(s.t, r.StatusCode, 300, string(text))
	require.NoError(s.t, json.Unmarshal(text, &v))
	return v
}

func TestFilesComeAndGoAsStreams(t *testing.T) {
	s := newSite(t)
	s.signIn("odile")
	made := s.post("/api/imports", map[string]string{"kind": "lead", "format": "csv", "file_name": "show.csv"})
	path := "/api/imports/" + made["id"].(string)
	// Larger than any request of the contract may be.
	file := "Name,Mail\n" + strings.Repeat("Una Bracken,una@x.example\nbad,bad\n", 100_000)
	r, _ := s.ask("PUT", path+"/file", file,
		func(r *http.Request) { r.Header.Set("Origin", "https://elsewhere.example") })
	assert.Equal(t, http.StatusForbidden, r.StatusCode, "from another site")
	r, text := s.ask("PUT", path+"/file", file,
		func(r *http.Request) { r.Header.Set("Content-Type", "application/octet-stream") })
	require.Equal(t, http.StatusOK, r.StatusCode, string(text))
	var i contract.Import
	require.NoError(t, json.Unmarshal(text, &i))
	assert.Equal(t, []any{contract.ImportStateReady, int64(len(file)), "name"},
		[]any{i.State, i.FileBytes, i.Columns[0].Field})
	r, text = s.ask("PUT", path+"/file", file)
	assert.Equal(t, "file", *problem(t, r, text).Field, "only once")
	r, text = s.ask("PUT", "/api/imports/x/file", file)
	assert.Equal(t, "id", *problem(t, r, text).Field)
	r, text = s.ask("GET", path+"/rejects.csv", nil)
	assert.Equal(t, http.StatusOK, r.StatusCode)
	assert.Equal(t, "\ufeffName,Mail,Why it was rejected\r\n", string(text))
	assert.Contains(t, r.Header.Get("Content-Disposition"), "attachment")

	e := s.post("/api/exports", map[string]any{"format": "csv",
		"selection": map[string]any{"query": map[string]any{"kinds": []string{"company"}}}})
	r, text = s.ask("GET", e["address"].(string), nil)
	assert.Equal(t, http.StatusOK, r.StatusCode)
	assert.Equal(t, 6, strings.Count(string(text), "\r\n"), "five companies under their headings")
	r, text = s.ask("GET", e["address"].(string), nil)
	assert.Equal(t, "not_found", problem(t, r, text).Code, "once")

	a := s.post("/api/calendar/address", nil)
	other := &http.Client{}
	public, err := other.Get(s.url + a["address"].(string))
	require.NoError(t, err)
	defer public.Body.Close()
	body, err := io.ReadAll(public.Body)
	require.NoError(t, err)
	assert.Equal(t, "text/calendar; charset=utf-8", public.Header.Get("Content-Type"))
	assert.True(t, strings.HasPrefix(string(body), "BEGIN:VCALENDAR"))
	own, text := s.ask("GET", "/api/calendar.ics", nil)
	assert.Equal(t, http.StatusOK, own.StatusCode)
	assert.Contains(t, string(text), "END:VCALENDAR")
	s.jar = map[string]string{}
	for _, path := range []string{"/api/calendar.ics", "/api/exports/x", path + "/rejects.csv"} {
		r, _ := s.ask("GET", path, nil)
		assert.Equal(t, http.StatusUnauthorized, r.StatusCode, path)
	}
}
