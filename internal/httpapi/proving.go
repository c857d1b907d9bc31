package httpapi

import (
	"errors"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
)

// provedKey: when whoever sits there has last shown that it is them, in microseconds.
const provedKey = "proved"

// proofLasts is for how long that holds for what is asked for next.
const proofLasts = 10 * time.Minute

// errProve is told where it has to be shown again who asks: somebody may have left their window open.
var errProve = errors.New("type your password again: this gives rights or takes something away for good")

// proving refuses what the contract guards ("x-asks-again") unless whoever asks has just shown who they are. A
// program's
// key shows nothing of the kind.
func (s *Server) proving(c *gin.Context) {
	route := s.routes[c.Request.Method+" "+c.FullPath()]
	if asks, _ := route.Operation.Extensions["x-asks-again"].(bool); !asks || c.IsAborted() {
		return
	}
	if bearer(c.Request) != "" {
		s.fail(c, firm.ErrForbidden)
		return
	}
	proved := time.UnixMicro(s.sessions.GetInt64(c.Request.Context(), provedKey))
	if time.Since(proved) > s.proof {
		s.fail(c, errProve)
	}
}

// Prove implements ServerInterface.
func (s *Server) Prove(c *gin.Context) {
	p, ok := read[contract.PasswordAgain](s, c)
	if !ok || !s.byHand(c) {
		return
	}
	ctx := c.Request.Context()
	err := s.known(c, s.desk.Knows(ctx, actor(c), p.Password))
	if err == nil {
		err = s.proved(ctx, c)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Status(http.StatusNoContent)
}
