package httpapi

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"trundo/internal/contract"
)

// ListSequences implements ServerInterface.
func (s *Server) ListSequences(c *gin.Context) {
	v, err := s.desk.Outreach.Sequences(c.Request.Context())
	answer(s, c, http.StatusOK, v, err)
}

// PutSequences implements ServerInterface.
func (s *Server) PutSequences(c *gin.Context) {
	if body, ok := read[contract.Sequences](s, c); ok {
		v, err := s.desk.Outreach.SetSequences(c.Request.Context(), actor(c), body.Sequences)
		answer(s, c, http.StatusOK, v, err)
	}
}

// Enrol implements ServerInterface.
func (s *Server) Enrol(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.Enrolment](s, c); ok {
		v, err := s.desk.Outreach.Enrol(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// ListMemberships implements ServerInterface.
func (s *Server) ListMemberships(c *gin.Context, id contract.ID) {
	v, err := s.desk.Outreach.Memberships(c.Request.Context(), id)
	answer(s, c, http.StatusOK, v, err)
}

// EndMemberships implements ServerInterface.
func (s *Server) EndMemberships(c *gin.Context, id contract.ID, p contract.EndMembershipsParams) {
	nothing(s, c, s.desk.Outreach.EndMemberships(c.Request.Context(), id, p.SequenceID, p.Replied != nil && *p.Replied))
}

// PreviewSequence implements ServerInterface.
func (s *Server) PreviewSequence(c *gin.Context, id contract.ID, p contract.PreviewSequenceParams) {
	v, err := s.desk.Outreach.PreviewSequence(c.Request.Context(), actor(c), id,
		contract.Enrolment{RecordID: p.RecordID, ListID: p.ListID})
	answer(s, c, http.StatusOK, v, err)
}

// UndoEnrolment implements ServerInterface.
func (s *Server) UndoEnrolment(c *gin.Context, id contract.ID, p contract.UndoEnrolmentParams) {
	nothing(s, c, s.desk.Outreach.UndoEnrolment(c.Request.Context(), actor(c), id, p.At))
}
