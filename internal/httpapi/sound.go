package httpapi

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"trundo/internal/contract"
)

// GetSound implements ServerInterface.
func (s *Server) GetSound(c *gin.Context) {
	answer(s, c, http.StatusOK, s.desk.Sound(actor(c)), nil)
}

// ConnectSound implements ServerInterface.
func (s *Server) ConnectSound(c *gin.Context) {
	if body, ok := read[contract.SoundOffer](s, c); ok {
		v, err := s.desk.ConnectSound(c.Request.Context(), actor(c), body.Offer)
		answer(s, c, http.StatusOK, contract.SoundAnswer{Answer: v}, err)
	}
}

// ActOnRecording implements ServerInterface.
func (s *Server) ActOnRecording(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.RecordingAct](s, c); ok {
		v, err := s.desk.ActOnRecording(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// DeleteRecording implements ServerInterface.
func (s *Server) DeleteRecording(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.RecordingDeletion](s, c); ok {
		if err := s.desk.DeleteRecording(c.Request.Context(), actor(c), id, body.Reason); err != nil {
			s.fail(c, err)
			return
		}
		c.Status(http.StatusNoContent)
	}
}

// AddRemark implements ServerInterface.
func (s *Server) AddRemark(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.NewRemark](s, c); ok {
		v, err := s.desk.AddRemark(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusCreated, v, err)
	}
}

// LeavePrepared implements ServerInterface.
func (s *Server) LeavePrepared(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.PreparedChoice](s, c); ok {
		v, err := s.desk.LeavePrepared(c.Request.Context(), actor(c), id, body.MessageID)
		answer(s, c, http.StatusOK, v, err)
	}
}

// ListPreparedMessages implements ServerInterface.
func (s *Server) ListPreparedMessages(c *gin.Context) {
	v, err := s.desk.PreparedMessages(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// PutPreparedMessages implements ServerInterface.
func (s *Server) PutPreparedMessages(c *gin.Context) {
	if body, ok := read[contract.PreparedMessages](s, c); ok {
		v, err := s.desk.SetPreparedMessages(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusOK, v, err)
	}
}
