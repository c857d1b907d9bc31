package httpapi_test

import (
	"encoding/json"
	"net/http"
	"strings"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/contract"
)

func TestARoundOverHTTP(t *testing.T) {
	s := newSite(t)
	s.signIn("ines")
	r, text := s.ask("GET", "/api/rounds/defaults", nil)
	require.Equal(t, http.StatusOK, r.StatusCode, string(text))
	var choices contract.RoundChoices
	require.NoError(t, json.Unmarshal(text, &choices))
	settings, err := json.Marshal(choices.Settings)
	require.NoError(t, err)
	ghost := uuid.NewString()
	start := func(of string) string { return `{` + of + `, "settings": ` + string(settings) + `}` }
	for _, tt := range []struct {
		name, method, path string
		body               any
		status             int
		field              string
	}{
		{"of nobody named", "POST", "/api/rounds", start(`"name": "x"`), 422, "selection"},
		{"of a list that is not there", "POST", "/api/rounds/preview", start(`"list_id": "` + ghost + `"`), 404,
			"list_id"},
		{"of somebody who is not there", "POST", "/api/rounds", start(`"selection": {"ids": ["` + ghost + `"]}`), 422,
			"selection"},
		{"without settings", "POST", "/api/rounds", `{"lane": true}`, 422, ""},
		{"by an order that is none", "POST", "/api/rounds/preview",
			strings.Replace(start(`"lane": true`), `"listed"`, `"by chance"`, 1), 422, "settings.order"},
		{"for a colleague, by a rep", "POST", "/api/rounds", start(`"lane": true, "rep_id": "` + ghost + `"`), 403, ""},
		{"the team's defaults, by a rep", "PUT", "/api/rounds/defaults", string(settings), 403, ""},
		{"one that is not there", "GET", "/api/rounds/" + ghost, nil, 404, ""},
		{"acting on one that is not there", "POST", "/api/rounds/" + ghost + "/acts", `{"act": "go"}`, 404, ""},
		{"an act that is none", "POST", "/api/rounds/" + ghost + "/acts", `{"act": "dance"}`, 422, "act"},
		{"settling in one that is not there", "POST", "/api/rounds/" + ghost + "/settle", `{"slip_id": "` + ghost +
			`"}`, 404, ""},
		{"the people of one that is not there", "GET", "/api/rounds/" + ghost + "/people?from=0&count=10", nil, 404,
			""},
		{"too many people at once", "GET", "/api/rounds/" + ghost + "/people?count=100000", nil, 422, "count"},
		{"its results", "GET", "/api/rounds/" + ghost + "/results", nil, 404, ""},
		{"a rest without a name", "POST", "/api/rounds/" + ghost + "/rest", `{"name": ""}`, 422, "name"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			r, text := s.ask(tt.method, tt.path, tt.body)
			p := problem(t, r, text)
			assert.Equal(t, tt.status, r.StatusCode, string(text))
			if tt.field != "" {
				require.NotNil(t, p.Field, string(text))
				assert.Equal(t, tt.field, *p.Field)
			}
		})
	}
}
