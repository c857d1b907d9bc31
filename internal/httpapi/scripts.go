package httpapi

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"trundo/internal/contract"
)

// ListScripts implements ServerInterface.
func (s *Server) ListScripts(c *gin.Context) {
	v, err := s.desk.Filing.Scripts(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// PutScripts implements ServerInterface.
func (s *Server) PutScripts(c *gin.Context) {
	if body, ok := read[contract.Scripts](s, c); ok {
		v, err := s.desk.Filing.SetScripts(c.Request.Context(), actor(c), body.Scripts)
		answer(s, c, http.StatusOK, v, err)
	}
}

// GetCallScript implements ServerInterface.
func (s *Server) GetCallScript(c *gin.Context, id contract.ID, p contract.GetCallScriptParams) {
	v, err := s.desk.Filing.CallScript(c.Request.Context(), actor(c), id, p.ScriptID)
	answer(s, c, http.StatusOK, v, err)
}

// AnswerScript implements ServerInterface.
func (s *Server) AnswerScript(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.ScriptAnswer](s, c); ok {
		v, err := s.desk.Filing.AnswerScript(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// usualDays is over how many days sources are looked at where nothing else is asked.
const usualDays = 90

// ListSources implements ServerInterface.
func (s *Server) ListSources(c *gin.Context, p contract.ListSourcesParams) {
	days := usualDays
	if p.Days != nil {
		days = *p.Days
	}
	v, err := s.desk.Insight.Sources(c.Request.Context(), actor(c), days)
	answer(s, c, http.StatusOK, v, err)
}

// GetMyDay implements ServerInterface.
func (s *Server) GetMyDay(c *gin.Context, p contract.GetMyDayParams) {
	v, err := s.desk.Book.MyDay(c.Request.Context(), actor(c), p.At)
	answer(s, c, http.StatusOK, v, err)
}
