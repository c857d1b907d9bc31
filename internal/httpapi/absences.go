package httpapi

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"trundo/internal/contract"
)

// ListAbsences implements ServerInterface.
func (s *Server) ListAbsences(c *gin.Context) {
	v, err := s.desk.Staff.Absences(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// AddAbsence implements ServerInterface.
func (s *Server) AddAbsence(c *gin.Context, p contract.AddAbsenceParams) {
	if n, ok := read[contract.NewAbsence](s, c); ok {
		v, err := s.desk.Staff.AddAbsence(c.Request.Context(), actor(c), p.IdempotencyKey, n)
		answer(s, c, http.StatusCreated, v, err)
	}
}

// EndAbsence implements ServerInterface.
func (s *Server) EndAbsence(c *gin.Context, id contract.ID) {
	nothing(s, c, s.desk.Staff.EndAbsence(c.Request.Context(), actor(c), id))
}
