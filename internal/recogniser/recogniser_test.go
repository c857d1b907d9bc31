package recogniser_test

import (
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/recogniser"
)

func TestTranscribe(t *testing.T) {
	for name, c := range map[string]struct {
		code    int
		body    string
		refused bool
		fails   bool
	}{
		"understands":              {200, `{"source":"ears","language":"en","phrases":[{"from_ms":0,"to_ms":900,"channel":1,"text":"Hello","confidence":0.9}]}`, false, false},
		"hears nothing":            {200, `{"phrases":[]}`, false, false},
		"is busy":                  {429, "", false, true},
		"is ill":                   {503, "", false, true},
		"does not know us":         {401, "", false, true},
		"does not take it":         {415, "", true, true},
		"says what is no JSON":     {200, "<html>", true, true},
		"says that time goes back": {200, `{"phrases":[{"from_ms":5,"to_ms":4}]}`, true, true},
		"knows a third side":       {200, `{"phrases":[{"from_ms":0,"to_ms":4,"channel":2}]}`, true, true},
	} {
		server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			sound, _ := io.ReadAll(r.Body)
			assert.Equal(t, "RIFF", string(sound), name)
			assert.Equal(t, "audio/wav", r.Header.Get("Content-Type"), name)
			assert.Equal(t, "Bearer secret", r.Header.Get("Authorization"), name)
			w.WriteHeader(c.code)
			_, _ = io.WriteString(w, c.body)
		}))
		h, err := recogniser.New(server.URL, "secret").Transcribe(t.Context(), "audio/wav", strings.NewReader("RIFF"))
		server.Close()
		assert.Equal(t, c.fails, err != nil, "%s: %v", name, err)
		assert.Equal(t, c.refused, err != nil && strings.Contains(err.Error(), recogniser.ErrRefused.Error()), name)
		if name == "understands" {
			require.Len(t, h.Phrases, 1)
			assert.Equal(t, "Hello", h.Phrases[0].Text)
			assert.Equal(t, "en", h.Language)
		}
	}
	_, err := recogniser.New("http://127.0.0.1:1", "").Transcribe(t.Context(), "audio/wav", strings.NewReader(""))
	assert.NotErrorIs(t, err, recogniser.ErrRefused)
	assert.Error(t, err, "nobody is there")
}
