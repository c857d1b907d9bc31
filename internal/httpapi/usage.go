package httpapi

import (
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

	"trundo/internal/contract"
)

// GetUsage implements ServerInterface.
func (s *Server) GetUsage(c *gin.Context, p contract.GetUsageParams) {
	var day time.Time
	if p.Month != nil {
		day = time.Date(p.Month.Year(), p.Month.Month(), 1, 0, 0, 0, 0, time.UTC)
	}
	v, err := s.desk.Usage.Month(c.Request.Context(), actor(c), day)
	answer(s, c, http.StatusOK, v, err)
}

// SetUsage implements ServerInterface.
func (s *Server) SetUsage(c *gin.Context) {
	if u, ok := read[contract.UsageSettings](s, c); ok {
		v, err := s.desk.Usage.Set(c.Request.Context(), actor(c), u)
		answer(s, c, http.StatusOK, v, err)
	}
}
