package httpapi

import (
	"context"
	"io"
	"net/http"

	"github.com/gin-gonic/gin"

	"trundo/internal/contract"
)

// GetPrivacy implements ServerInterface.
func (s *Server) GetPrivacy(c *gin.Context) {
	v, err := s.desk.Privacy.Overview(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// SetRetention implements ServerInterface.
func (s *Server) SetRetention(c *gin.Context) {
	if r, ok := read[contract.Retention](s, c); ok {
		v, err := s.desk.Privacy.SetRetention(c.Request.Context(), actor(c), r)
		answer(s, c, http.StatusOK, v, err)
	}
}

// PreviewErasure implements ServerInterface.
func (s *Server) PreviewErasure(c *gin.Context, id contract.ID) {
	v, err := s.desk.Privacy.Preview(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// ErasePerson implements ServerInterface.
func (s *Server) ErasePerson(c *gin.Context, id contract.ID, p contract.ErasePersonParams) {
	if n, ok := read[contract.NewErasure](s, c); ok {
		v, err := s.desk.Privacy.Erase(c.Request.Context(), actor(c), p.IdempotencyKey, id, n)
		answer(s, c, http.StatusAccepted, v, err)
	}
}

// GetErasure implements ServerInterface.
func (s *Server) GetErasure(c *gin.Context, id contract.ID) {
	v, err := s.desk.Privacy.Erasure(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// HoldRecord implements ServerInterface.
func (s *Server) HoldRecord(c *gin.Context, id contract.ID) {
	if h, ok := read[contract.NewLegalHold](s, c); ok {
		nothing(s, c, s.desk.Privacy.Hold(c.Request.Context(), actor(c), id, h))
	}
}

// ReleaseRecord implements ServerInterface.
func (s *Server) ReleaseRecord(c *gin.Context, id contract.ID) {
	nothing(s, c, s.desk.Privacy.Release(c.Request.Context(), actor(c), id))
}

// ListConsents implements ServerInterface.
func (s *Server) ListConsents(c *gin.Context, id contract.ID) {
	v, err := s.desk.Privacy.Consents(c.Request.Context(), id)
	answer(s, c, http.StatusOK, v, err)
}

// NoteConsent implements ServerInterface.
func (s *Server) NoteConsent(c *gin.Context, id contract.ID) {
	if n, ok := read[contract.NewConsent](s, c); ok {
		v, err := s.desk.Privacy.NoteConsent(c.Request.Context(), actor(c), id, n)
		answer(s, c, http.StatusOK, v, err)
	}
}

// everythingFile is all about a person.
func (s *Server) everythingFile(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	a := actor(c)
	s.attachment(c, "everything.zip", "application/zip", func(ctx context.Context, w io.Writer) error {
		return s.desk.Privacy.WriteEverything(ctx, a, id, w)
	})
}
