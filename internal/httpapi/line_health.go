package httpapi

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"trundo/internal/contract"
)

// GetLineHealth implements ServerInterface.
func (s *Server) GetLineHealth(c *gin.Context) {
	v, err := s.desk.Lines.Health(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// RestLine implements ServerInterface.
func (s *Server) RestLine(c *gin.Context, id contract.ID) {
	if r, ok := read[contract.LineRest](s, c); ok {
		v, err := s.desk.Lines.Rest(c.Request.Context(), actor(c), id, r.Days)
		answer(s, c, http.StatusOK, v, err)
	}
}
