package httpapi

import (
	"net/http"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"trundo/internal/contract"
)

// ListQueues implements ServerInterface.
func (s *Server) ListQueues(c *gin.Context) {
	v, err := s.desk.Queues.Now(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// SetQueueToday implements ServerInterface.
func (s *Server) SetQueueToday(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.QueueToday](s, c); ok {
		v, err := s.desk.Queues.SetToday(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// ChangeQueueMembers implements ServerInterface.
func (s *Server) ChangeQueueMembers(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.QueueMembersChange](s, c); ok {
		v, err := s.desk.Queues.ChangeMembers(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// HandMessageOn implements ServerInterface.
func (s *Server) HandMessageOn(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.WaitMove](s, c); ok {
		nothing(s, c, s.desk.Queues.HandOn(c.Request.Context(), actor(c), id, body.QueueID))
	}
}

// HandOverInWriting implements ServerInterface.
func (s *Server) HandOverInWriting(c *gin.Context, id contract.ID, p contract.HandOverInWritingParams) {
	if body, ok := read[contract.WrittenHandOver](s, c); ok {
		nothing(s, c, s.desk.Queues.HandOverInWriting(c.Request.Context(), actor(c), p.IdempotencyKey, id, body))
	}
}

// TakeWait implements ServerInterface.
func (s *Server) TakeWait(c *gin.Context, id contract.ID, p contract.TakeWaitParams) {
	v, err := s.desk.Queues.TakeWait(c.Request.Context(), actor(c), p.IdempotencyKey, id)
	if v == nil {
		nothing(s, c, err)
		return
	}
	answer(s, c, http.StatusOK, *v, err)
}

// MoveWait implements ServerInterface.
func (s *Server) MoveWait(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.WaitMove](s, c); ok {
		nothing(s, c, s.desk.Queues.MoveWait(c.Request.Context(), actor(c), id, body.QueueID))
	}
}

// RemoveWait implements ServerInterface.
func (s *Server) RemoveWait(c *gin.Context, id contract.ID) {
	nothing(s, c, s.desk.Queues.RemoveWait(c.Request.Context(), actor(c), id))
}

// ListQueueSettings implements ServerInterface.
func (s *Server) ListQueueSettings(c *gin.Context) {
	v, err := s.desk.Queues.QueueSettings(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// AddQueue implements ServerInterface.
func (s *Server) AddQueue(c *gin.Context) {
	if body, ok := read[contract.QueueSettings](s, c); ok {
		v, err := s.desk.Queues.PutQueue(c.Request.Context(), actor(c), nil, body)
		answer(s, c, http.StatusCreated, v, err)
	}
}

// UpdateQueue implements ServerInterface.
func (s *Server) UpdateQueue(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.QueueSettings](s, c); ok {
		v, err := s.desk.Queues.PutQueue(c.Request.Context(), actor(c), &id, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// ListWebForms implements ServerInterface.
func (s *Server) ListWebForms(c *gin.Context) {
	v, err := s.desk.Forms.WebForms(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// AddWebForm implements ServerInterface.
func (s *Server) AddWebForm(c *gin.Context) {
	if body, ok := read[contract.WebForm](s, c); ok {
		v, err := s.desk.Forms.PutWebForm(c.Request.Context(), actor(c), nil, body)
		answer(s, c, http.StatusCreated, v, err)
	}
}

// UpdateWebForm implements ServerInterface.
func (s *Server) UpdateWebForm(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.WebForm](s, c); ok {
		v, err := s.desk.Forms.PutWebForm(c.Request.Context(), actor(c), &id, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// RenewWebForm implements ServerInterface.
func (s *Server) RenewWebForm(c *gin.Context, id contract.ID) {
	v, err := s.desk.Forms.RenewWebForm(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// ListRoutes implements ServerInterface.
func (s *Server) ListRoutes(c *gin.Context) {
	v, err := s.desk.Queues.Routes(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// AddRoute implements ServerInterface.
func (s *Server) AddRoute(c *gin.Context) {
	if body, ok := read[contract.NewRoute](s, c); ok {
		v, err := s.desk.Queues.AddRoute(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusCreated, v, err)
	}
}

// GetRoute implements ServerInterface.
func (s *Server) GetRoute(c *gin.Context, id contract.ID) {
	v, err := s.desk.Queues.Route(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// UpdateRoute implements ServerInterface.
func (s *Server) UpdateRoute(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.RouteChange](s, c); ok {
		v, err := s.desk.Queues.ChangeRoute(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// PutRouteLive implements ServerInterface.
func (s *Server) PutRouteLive(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.RouteLive](s, c); ok {
		v, err := s.desk.Queues.PutLive(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// TryRoute implements ServerInterface.
func (s *Server) TryRoute(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.RouteTry](s, c); ok {
		v, err := s.desk.Queues.Try(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// KeepTrial implements ServerInterface.
func (s *Server) KeepTrial(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.NewTrial](s, c); ok {
		v, err := s.desk.Queues.KeepTrial(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusCreated, v, err)
	}
}

// DropTrial implements ServerInterface.
func (s *Server) DropTrial(c *gin.Context, id contract.ID, trial uuid.UUID) {
	v, err := s.desk.Queues.DropTrial(c.Request.Context(), actor(c), id, trial)
	answer(s, c, http.StatusOK, v, err)
}

// SetLineRoute implements ServerInterface.
func (s *Server) SetLineRoute(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.LineRoute](s, c); ok {
		v, err := s.desk.Queues.SetLineRoute(c.Request.Context(), actor(c), id, body.RouteID)
		answer(s, c, http.StatusOK, v, err)
	}
}

// GetSurvey implements ServerInterface.
func (s *Server) GetSurvey(c *gin.Context) {
	v, err := s.desk.Queues.Surveys.Survey(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// SetSurvey implements ServerInterface.
func (s *Server) SetSurvey(c *gin.Context) {
	if body, ok := read[contract.SurveySettings](s, c); ok {
		v, err := s.desk.Queues.Surveys.SetSurvey(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusOK, v, err)
	}
}
