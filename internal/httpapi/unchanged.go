package httpapi

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"maps"
	"net/http"
	"slices"

	"trundo/internal/desk/firm"

	"github.com/gin-gonic/gin"
)

// wholes are settings that are read and saved as a whole: an entity tag tells whether somebody has changed them since
// they were read (RFC 9110, 8.8.3 and 13.1.1), so that a page that lay open does not take away what a colleague has
// added.
var wholes = []string{"/api/sequences", "/api/templates", "/api/settings/outcomes", "/api/settings/firm",
	"/api/scripts", "/api/webhooks"}

// computed are parts that change without anybody's doing.
var computed = []string{"members", "used", "stopped", "secret", "public_holidays"}

// unchanged answers reading with a tag, and refuses to save upon another one than what is there now: with 409, as for
// everything that was changed elsewhere.
func (s *Server) unchanged(c *gin.Context) {
	r := c.Request
	if !slices.Contains(wholes, r.URL.Path) || r.Method != http.MethodGet && r.Method != http.MethodPut {
		return
	}
	if r.Method == http.MethodPut {
		s.saving.Lock()
		defer s.saving.Unlock()
		if was := r.Header.Get("If-Match"); was != "" {
			now := &caught{header: http.Header{}}
			look := r.Clone(context.WithoutCancel(r.Context()))
			look.Method, look.Body, look.ContentLength = http.MethodGet, http.NoBody, 0
			look.Header.Del("Content-Type")
			s.engine.ServeHTTP(now, look)
			if now.status == http.StatusOK && now.header.Get("ETag") != was {
				s.fail(c, firm.ErrChangedElse)
				return
			}
		}
	}
	w := &tagging{ResponseWriter: c.Writer}
	c.Writer = w
	defer func() { c.Writer = w.ResponseWriter }() // also where it panics: what is said of that must not be kept back
	c.Next()
	if w.Status() == http.StatusOK {
		w.Header().Set("ETag", tagOf(w.text.Bytes()))
	}
	_, _ = w.ResponseWriter.Write(w.text.Bytes())
}

// tagOf is the entity tag of settings as JSON, without what is computed.
func tagOf(text []byte) string {
	var v any
	if json.Unmarshal(text, &v) != nil {
		return ""
	}
	strip(v)
	plain, err := json.Marshal(v)
	if err != nil {
		return ""
	}
	sum := sha256.Sum256(plain)
	return `"` + hex.EncodeToString(sum[:12]) + `"`
}

func strip(v any) {
	switch x := v.(type) {
	case map[string]any:
		maps.DeleteFunc(x, func(k string, _ any) bool { return slices.Contains(computed, k) })
		for _, y := range x {
			strip(y)
		}
	case []any:
		for _, y := range x {
			strip(y)
		}
	}
}

// tagging keeps an answer until its tag is known.
type tagging struct {
	gin.ResponseWriter
	text bytes.Buffer
}

func (w *tagging) Write(b []byte) (int, error)       { return w.text.Write(b) }
func (w *tagging) WriteString(s string) (int, error) { return w.text.WriteString(s) }

// caught is an answer that goes nowhere.
type caught struct {
	header http.Header
	status int
}

func (w *caught) Header() http.Header { return w.header }
func (w *caught) WriteHeader(n int)   { w.status = n }
func (w *caught) Write(b []byte) (int, error) {
	if w.status == 0 {
		w.status = http.StatusOK
	}
	return len(b), nil
}
