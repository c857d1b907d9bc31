package httpapi

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"trundo/internal/contract"
)

// GetTimeOffer implements ServerInterface.
func (s *Server) GetTimeOffer(c *gin.Context, id contract.ID) {
	o, err := s.desk.Outreach.TimeOffer(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, o, err)
}

// OfferTimes implements ServerInterface.
func (s *Server) OfferTimes(c *gin.Context, id contract.ID, p contract.OfferTimesParams) {
	if w, ok := read[contract.OfferedTimes](s, c); ok {
		o, err := s.desk.Outreach.OfferTimes(c.Request.Context(), actor(c), p.IdempotencyKey, id, w)
		answer(s, c, http.StatusCreated, o, err)
	}
}
