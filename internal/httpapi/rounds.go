package httpapi

import (
	"context"
	"io"
	"net/http"

	"github.com/gin-gonic/gin"

	"trundo/internal/contract"
)

// ListRounds implements ServerInterface.
func (s *Server) ListRounds(c *gin.Context) {
	v, err := s.desk.Rounds.Rounds(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// StartRound implements ServerInterface.
func (s *Server) StartRound(c *gin.Context, p contract.StartRoundParams) {
	if body, ok := read[contract.RoundStart](s, c); ok {
		v, err := s.desk.Rounds.StartRound(c.Request.Context(), actor(c), p.IdempotencyKey, body)
		answer(s, c, http.StatusCreated, v, err)
	}
}

// PreviewRound implements ServerInterface.
func (s *Server) PreviewRound(c *gin.Context) {
	if body, ok := read[contract.RoundStart](s, c); ok {
		v, err := s.desk.Rounds.PreviewRound(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// RoundDefaults implements ServerInterface.
func (s *Server) RoundDefaults(c *gin.Context) {
	v, err := s.desk.Rounds.RoundChoices(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// SetRoundDefaults implements ServerInterface.
func (s *Server) SetRoundDefaults(c *gin.Context) {
	if body, ok := read[contract.RoundSettings](s, c); ok {
		v, err := s.desk.Rounds.SetRoundDefaults(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// GetRound implements ServerInterface.
func (s *Server) GetRound(c *gin.Context, id contract.ID) {
	v, err := s.desk.Rounds.Round(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// SetRoundSettings implements ServerInterface.
func (s *Server) SetRoundSettings(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.RoundSettings](s, c); ok {
		v, err := s.desk.Rounds.SetRoundSettings(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// ActOnRound implements ServerInterface.
func (s *Server) ActOnRound(c *gin.Context, id contract.ID, p contract.ActOnRoundParams) {
	if body, ok := read[contract.RoundAct](s, c); ok {
		v, err := s.desk.Rounds.ActOnRound(c.Request.Context(), actor(c), id, p.IdempotencyKey, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// SettleInRound implements ServerInterface.
func (s *Server) SettleInRound(c *gin.Context, id contract.ID, p contract.SettleInRoundParams) {
	if body, ok := read[contract.RoundSettle](s, c); ok {
		v, err := s.desk.Rounds.SettleInRound(c.Request.Context(), actor(c), id, p.IdempotencyKey, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// ListRoundPeople implements ServerInterface.
func (s *Server) ListRoundPeople(c *gin.Context, id contract.ID, p contract.ListRoundPeopleParams) {
	from, count := 0, 200
	if p.From != nil {
		from = *p.From
	}
	if p.Count != nil {
		count = *p.Count
	}
	v, err := s.desk.Rounds.RoundPeople(c.Request.Context(), actor(c), id, from, count)
	answer(s, c, http.StatusOK, v, err)
}

// RoundResults implements ServerInterface.
func (s *Server) RoundResults(c *gin.Context, id contract.ID) {
	v, err := s.desk.Rounds.RoundResults(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// ListRest implements ServerInterface.
func (s *Server) ListRest(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.RoundRest](s, c); ok {
		v, err := s.desk.Rounds.ListRest(c.Request.Context(), actor(c), id, body.Name)
		answer(s, c, http.StatusCreated, v, err)
	}
}

// roundFile answers with what came of a round, as CSV.
func (s *Server) roundFile(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	s.attachment(c, "round.csv", "text/csv; charset=utf-8", func(ctx context.Context, w io.Writer) error {
		return s.desk.Rounds.WriteRoundResults(ctx, actor(c), id, w)
	})
}
