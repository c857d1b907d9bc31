package httpapi

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"trundo/internal/contract"
)

// ListRoles implements ServerInterface.
func (s *Server) ListRoles(c *gin.Context) {
	v, err := s.desk.Staff.Roles(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// AddRole implements ServerInterface.
func (s *Server) AddRole(c *gin.Context, p contract.AddRoleParams) {
	if e, ok := read[contract.RoleEdit](s, c); ok {
		v, err := s.desk.Staff.AddRole(c.Request.Context(), actor(c), p.IdempotencyKey, e)
		answer(s, c, http.StatusCreated, v, err)
	}
}

// ChangeRole implements ServerInterface.
func (s *Server) ChangeRole(c *gin.Context, key contract.MemberRole) {
	if e, ok := read[contract.RoleEdit](s, c); ok {
		v, err := s.desk.Staff.ChangeRole(c.Request.Context(), actor(c), key, e)
		answer(s, c, http.StatusOK, v, err)
	}
}

// RemoveRole implements ServerInterface.
func (s *Server) RemoveRole(c *gin.Context, key contract.MemberRole) {
	nothing(s, c, s.desk.Staff.RemoveRole(c.Request.Context(), actor(c), key))
}
