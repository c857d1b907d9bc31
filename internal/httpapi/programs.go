package httpapi

import (
	"net/http"
	"slices"
	"strings"

	"trundo/internal/desk/firm"

	"github.com/gin-gonic/gin"

	"trundo/internal/contract"
)

// bearer is the key that a program sends; "" where a browser asks.
func bearer(r *http.Request) string {
	token, is := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer ")
	if !is {
		return ""
	}
	return strings.TrimSpace(token)
}

// scopeOf is what a key has to be for, so that it opens a path: settings for those that set the firm up, calls for
// making and ending them, else read or write. Keys, sessions and what opens one's calendar or proves one's address are
// no program's: "".
func scopeOf(method, path string) contract.Scope {
	switch {
	case strings.HasPrefix(path, "/api/tokens"), strings.HasPrefix(path, "/api/session") &&
		method != http.MethodGet, strings.HasPrefix(path, "/api/calendar/"), strings.HasPrefix(path, "/api/me/mail"):
		return ""
	case strings.HasPrefix(path, "/api/settings"), strings.HasPrefix(path, "/api/webhook"), strings.HasPrefix(path,
		"/api/fields"), strings.HasPrefix(path, "/api/do-not-call"),
		method == http.MethodPut && (path == "/api/templates" || path == "/api/sequences" || path == "/api/scripts" ||
			path == "/api/prepared-messages"):
		return contract.ScopeSettings
	case method == http.MethodGet, strings.HasPrefix(path, "/api/book/"), path == "/api/rounds/preview":
		return contract.ScopeRead
	case path == "/api/calls", strings.HasPrefix(path,
		"/api/calls/"), path == "/api/rounds/:id/acts", path == "/api/rounds/:id/settle":
		return contract.ScopeCalls
	}
	return contract.ScopeWrite
}

// byToken lets a program in by its key.
func (s *Server) byToken(c *gin.Context, token string) {
	a, scopes, err := s.desk.ByToken(c.Request.Context(), token)
	if err == nil && !slices.Contains(scopes, scopeOf(c.Request.Method, c.FullPath())) {
		err = firm.ErrForbidden
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Set("actor", a)
}

// ListTokens implements ServerInterface.
func (s *Server) ListTokens(c *gin.Context) {
	v, err := s.desk.Tokens(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// MakeToken implements ServerInterface.
func (s *Server) MakeToken(c *gin.Context) {
	if body, ok := read[contract.NewToken](s, c); ok {
		v, err := s.desk.MakeToken(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusCreated, v, err)
	}
}

// RevokeToken implements ServerInterface.
func (s *Server) RevokeToken(c *gin.Context, id contract.ID) {
	nothing(s, c, s.desk.RevokeToken(c.Request.Context(), actor(c), id))
}

// ListWebhooks implements ServerInterface.
func (s *Server) ListWebhooks(c *gin.Context) {
	v, err := s.desk.Outreach.Webhooks(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// PutWebhooks implements ServerInterface.
func (s *Server) PutWebhooks(c *gin.Context) {
	if body, ok := read[contract.Webhooks](s, c); ok {
		v, err := s.desk.Outreach.SetWebhooks(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// ListDeliveries implements ServerInterface.
func (s *Server) ListDeliveries(c *gin.Context) {
	v, err := s.desk.Outreach.Deliveries(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// ReplayDelivery implements ServerInterface.
func (s *Server) ReplayDelivery(c *gin.Context, id contract.ID) {
	nothing(s, c, s.desk.Outreach.ReplayDelivery(c.Request.Context(), actor(c), id))
}
