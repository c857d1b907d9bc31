package httpapi

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"trundo/internal/contract"
)

// PlanFiling implements ServerInterface.
func (s *Server) PlanFiling(c *gin.Context, id contract.ID, p contract.PlanFilingParams) {
	v, err := s.desk.Filing.PlanFiling(c.Request.Context(), actor(c), id, p.OutcomeID)
	answer(s, c, http.StatusOK, v, err)
}

// UndoFiling implements ServerInterface.
func (s *Server) UndoFiling(c *gin.Context, id contract.ID) {
	v, err := s.desk.Filing.UndoFiling(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// GetOutcomeSettings implements ServerInterface.
func (s *Server) GetOutcomeSettings(c *gin.Context) {
	v, err := s.desk.Filing.OutcomeSettings(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// SetOutcomeSettings implements ServerInterface.
func (s *Server) SetOutcomeSettings(c *gin.Context) {
	if body, ok := read[contract.OutcomeSettings](s, c); ok {
		v, err := s.desk.Filing.SetOutcomeSettings(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// PreviewOutcome implements ServerInterface.
func (s *Server) PreviewOutcome(c *gin.Context) {
	if body, ok := read[contract.OutcomeSetting](s, c); ok {
		v, err := s.desk.Filing.PreviewOutcome(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusOK, v, err)
	}
}
