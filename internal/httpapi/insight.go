package httpapi

import (
	"context"
	"encoding/json"
	"io"
	"net/http"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
)

// ListFigures implements ServerInterface.
func (s *Server) ListFigures(c *gin.Context) {
	v, err := s.desk.Insight.Figures(actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// RunReport implements ServerInterface.
func (s *Server) RunReport(c *gin.Context) {
	if body, ok := read[contract.ReportQuery](s, c); ok {
		v, err := s.desk.Insight.Report(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// FindCalls implements ServerInterface.
func (s *Server) FindCalls(c *gin.Context) {
	if body, ok := read[contract.CallsSought](s, c); ok {
		v, err := s.desk.Insight.Find(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// ListFoundPeople implements ServerInterface.
func (s *Server) ListFoundPeople(c *gin.Context, p contract.ListFoundPeopleParams) {
	if body, ok := read[contract.ListOfFound](s, c); ok {
		v, err := s.desk.Insight.ListOfFound(c.Request.Context(), actor(c), p.IdempotencyKey, body)
		answer(s, c, http.StatusCreated, v, err)
	}
}

// ListReports implements ServerInterface.
func (s *Server) ListReports(c *gin.Context) {
	v, err := s.desk.Insight.Reports(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// SaveReport implements ServerInterface.
func (s *Server) SaveReport(c *gin.Context, p contract.SaveReportParams) {
	if body, ok := read[contract.ReportToSave](s, c); ok {
		v, err := s.desk.Insight.SaveReport(c.Request.Context(), actor(c), p.IdempotencyKey, body)
		answer(s, c, http.StatusCreated, v, err)
	}
}

// ChangeReport implements ServerInterface.
func (s *Server) ChangeReport(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.ReportToSave](s, c); ok {
		v, err := s.desk.Insight.ChangeReport(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// DeleteReport implements ServerInterface.
func (s *Server) DeleteReport(c *gin.Context, id contract.ID) {
	if err := s.desk.Insight.DeleteReport(c.Request.Context(), actor(c), id); err != nil {
		s.fail(c, err)
		return
	}
	c.Status(http.StatusNoContent)
}

// ListTopics implements ServerInterface.
func (s *Server) ListTopics(c *gin.Context) {
	v, err := s.desk.Insight.Topics(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// AddTopic implements ServerInterface.
func (s *Server) AddTopic(c *gin.Context) { s.saveTopic(c, nil, http.StatusCreated) }

// ChangeTopic implements ServerInterface.
func (s *Server) ChangeTopic(c *gin.Context, id contract.ID) { s.saveTopic(c, &id, http.StatusOK) }

func (s *Server) saveTopic(c *gin.Context, id *uuid.UUID, status int) {
	if body, ok := read[contract.TopicToSave](s, c); ok {
		v, err := s.desk.Insight.SaveTopic(c.Request.Context(), actor(c), id, body)
		answer(s, c, status, v, err)
	}
}

// TryTopic implements ServerInterface.
func (s *Server) TryTopic(c *gin.Context) {
	if body, ok := read[contract.TopicToSave](s, c); ok {
		v, err := s.desk.Insight.TryTopic(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// ListSaidTopics implements ServerInterface.
func (s *Server) ListSaidTopics(c *gin.Context, id contract.ID) {
	v, err := s.desk.Insight.SaidInCall(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// ListScorecards implements ServerInterface.
func (s *Server) ListScorecards(c *gin.Context) {
	v, err := s.desk.Insight.Scorecards(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// AddScorecard implements ServerInterface.
func (s *Server) AddScorecard(c *gin.Context) { s.saveScorecard(c, nil, http.StatusCreated) }

// ChangeScorecard implements ServerInterface.
func (s *Server) ChangeScorecard(c *gin.Context, id contract.ID) {
	s.saveScorecard(c, &id, http.StatusOK)
}

func (s *Server) saveScorecard(c *gin.Context, id *uuid.UUID, status int) {
	if body, ok := read[contract.ScorecardToSave](s, c); ok {
		v, err := s.desk.Insight.SaveScorecard(c.Request.Context(), actor(c), id, body)
		answer(s, c, status, v, err)
	}
}

// ListScores implements ServerInterface.
func (s *Server) ListScores(c *gin.Context, id contract.ID) {
	v, err := s.desk.Insight.CallScores(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// ScoreCall implements ServerInterface.
func (s *Server) ScoreCall(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.ScoreToGive](s, c); ok {
		v, err := s.desk.Insight.Score(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// ListMyScores implements ServerInterface.
func (s *Server) ListMyScores(c *gin.Context) {
	v, err := s.desk.Insight.MyScores(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// AnswerScore implements ServerInterface.
func (s *Server) AnswerScore(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.ScoreAnswer](s, c); ok {
		v, err := s.desk.Insight.AnswerScore(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// NextToHear implements ServerInterface.
func (s *Server) NextToHear(c *gin.Context) {
	v, err := s.desk.Insight.NextToHear(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// GetWall implements ServerInterface.
func (s *Server) GetWall(c *gin.Context) {
	v, err := s.desk.Insight.Wall(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// SetWallLimits implements ServerInterface.
func (s *Server) SetWallLimits(c *gin.Context) {
	if body, ok := read[contract.WallLimits](s, c); ok {
		v, err := s.desk.Insight.SetWallLimits(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// SetAvailabilityOf implements ServerInterface.
func (s *Server) SetAvailabilityOf(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.AvailabilityOf](s, c); ok {
		if err := s.desk.Team.SetAvailabilityOf(c.Request.Context(), actor(c), id, body.StateID); err != nil {
			s.fail(c, err)
			return
		}
		c.Status(http.StatusNoContent)
	}
}

// SetSourceCost implements ServerInterface.
func (s *Server) SetSourceCost(c *gin.Context) {
	if body, ok := read[contract.CostOfSource](s, c); ok {
		if err := s.desk.Insight.SetSourceCost(c.Request.Context(), actor(c), body); err != nil {
			s.fail(c, err)
			return
		}
		c.Status(http.StatusNoContent)
	}
}

// maxQuery is how long a question in an address may be.
const maxQuery = 20_000

// asked reads the question in an address.
func asked[T any](s *Server, c *gin.Context) (v T, ok bool) {
	q := c.Query("q")
	if len(q) > maxQuery || json.Unmarshal([]byte(q), &v) != nil {
		s.fail(c, firm.Wrong("q", "this is no question about calls"))
		return v, false
	}
	return v, true
}

// The kinds of files that reports come in.
const (
	csvType  = "text/csv; charset=utf-8"
	xlsxType = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
)

func (s *Server) reportFile(format, kind string) gin.HandlerFunc {
	return func(c *gin.Context) {
		if q, ok := asked[contract.ReportQuery](s, c); ok {
			s.attachment(c, "report."+format, kind, func(ctx context.Context, w io.Writer) error {
				return s.desk.Insight.WriteReport(ctx, actor(c), q, c.DefaultQuery("name", "Report"), format, w)
			})
		}
	}
}

func (s *Server) foundCallsFile(c *gin.Context) {
	if q, ok := asked[contract.CallsSought](s, c); ok {
		s.attachment(c, "calls.csv", csvType, func(ctx context.Context, w io.Writer) error {
			return s.desk.Insight.WriteFound(ctx, actor(c), q, w)
		})
	}
}
