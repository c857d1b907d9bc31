package httpapi

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"trundo/internal/contract"
)

// SetPreferences implements ServerInterface.
func (s *Server) SetPreferences(c *gin.Context) {
	if body, ok := read[contract.Preferences](s, c); ok {
		v, err := s.desk.Arrivals.SetPreferences(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// ListTeam implements ServerInterface.
func (s *Server) ListTeam(c *gin.Context) {
	v, err := s.desk.Team.TeamSeenBy(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// LeaveNote implements ServerInterface.
func (s *Server) LeaveNote(c *gin.Context, id contract.ID, p contract.LeaveNoteParams) {
	if body, ok := read[contract.ColleagueNote](s, c); ok {
		nothing(s, c, s.desk.Team.LeaveNote(c.Request.Context(), actor(c), id, p.IdempotencyKey, body.Text))
	}
}

// SettleNote implements ServerInterface.
func (s *Server) SettleNote(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.NoteChange](s, c); ok {
		nothing(s, c, s.desk.Team.SettleNote(c.Request.Context(), actor(c), id, body.Done))
	}
}

// ListAvailability implements ServerInterface.
func (s *Server) ListAvailability(c *gin.Context, id contract.ID) {
	v, err := s.desk.Team.AvailabilityHistory(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// ListAvailabilityStates implements ServerInterface.
func (s *Server) ListAvailabilityStates(c *gin.Context) {
	v, err := s.desk.Team.AvailabilityStates(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// PutAvailabilityStates implements ServerInterface.
func (s *Server) PutAvailabilityStates(c *gin.Context) {
	if body, ok := read[contract.AvailabilityStates](s, c); ok {
		v, err := s.desk.Team.SetAvailabilityStates(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// ListLines implements ServerInterface.
func (s *Server) ListLines(c *gin.Context) {
	v, err := s.desk.Lines.Lines(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// AddLine implements ServerInterface.
func (s *Server) AddLine(c *gin.Context) {
	if body, ok := read[contract.NewLine](s, c); ok {
		v, err := s.desk.Lines.AddLine(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusCreated, v, err)
	}
}

// UpdateLine implements ServerInterface.
func (s *Server) UpdateLine(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.FirmLine](s, c); ok {
		v, err := s.desk.Lines.UpdateLine(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// ListPutAside implements ServerInterface.
func (s *Server) ListPutAside(c *gin.Context) {
	v, err := s.desk.Calls.PutAsideEntries(actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// TakeUpPutAside implements ServerInterface.
func (s *Server) TakeUpPutAside(c *gin.Context) {
	n, err := s.desk.Calls.TakeUpPutAside(actor(c))
	answer(s, c, http.StatusOK, contract.Count{Count: n}, err)
}
