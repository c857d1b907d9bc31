package httpapi

import (
	"context"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"trundo/internal/carrier/sim"
	"trundo/internal/contract"
	"trundo/internal/desk"
)

// ListRings implements ServerInterface.
func (s *Server) ListRings(c *gin.Context) {
	v, err := s.desk.Rings(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// AnswerCall implements ServerInterface.
func (s *Server) AnswerCall(c *gin.Context, id contract.ID) {
	v, err := s.desk.AnswerCall(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// DeclineCall implements ServerInterface.
func (s *Server) DeclineCall(c *gin.Context, id contract.ID) {
	nothing(s, c, s.desk.DeclineCall(c.Request.Context(), actor(c), id))
}

// HoldCall implements ServerInterface.
func (s *Server) HoldCall(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.HoldWish](s, c); ok {
		nothing(s, c, s.desk.HoldCall(c.Request.Context(), actor(c), id, body.On))
	}
}

// SetAvailability implements ServerInterface.
func (s *Server) SetAvailability(c *gin.Context) {
	if body, ok := read[contract.AvailabilityWish](s, c); ok {
		nothing(s, c, s.desk.SetAvailability(c.Request.Context(), actor(c), string(body.Availability)))
	}
}

// ChangeUnreturned implements ServerInterface.
func (s *Server) ChangeUnreturned(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.UnreturnedChange](s, c); ok {
		nothing(s, c, s.desk.ChangeUnreturned(c.Request.Context(), actor(c), id, body))
	}
}

// OtherSide is the other side of the simulated network, which somebody plays on the outside phone.
type OtherSide interface {
	CallIn(from, to string) (ref string, err error)
	OutsideLegs() []sim.OutsideLeg
	OutsideAnswers(ref string) bool
	OutsideHangsUp(ref string) bool
	Man(number string, on bool)
}

// GetOutside implements ServerInterface.
func (s *Server) GetOutside(c *gin.Context) {
	v, err := s.outsideView(c.Request.Context())
	answer(s, c, http.StatusOK, v, err)
}

func (s *Server) outsideView(ctx context.Context) (contract.Outside, error) {
	if s.outside == nil {
		return contract.Outside{}, errNoSuchPath
	}
	v := contract.Outside{Legs: []contract.OutsideLeg{}}
	var err error
	if v.Lines, err = s.desk.OutsideLines(ctx); err != nil {
		return v, err
	}
	for _, l := range s.outside.OutsideLegs() {
		number := l.From
		if l.FromUs {
			number = l.To
		}
		who, err := s.desk.WhoHas(ctx, number)
		if err != nil {
			return v, err
		}
		v.Legs = append(v.Legs, contract.OutsideLeg{Ref: l.Ref, FromUs: l.FromUs, From: l.From, To: l.To, Who: who, Answered: l.Answered})
	}
	return v, nil
}

// ActOutside implements ServerInterface.
func (s *Server) ActOutside(c *gin.Context) {
	if s.outside == nil {
		s.fail(c, errNoSuchPath)
		return
	}
	act, ok := read[contract.OutsideAct](s, c)
	if !ok {
		return
	}
	var err error
	switch act.Action {
	case contract.OutsideActActionCall:
		_, err = s.outside.CallIn(strings.TrimSpace(text(act.From)), text(act.To))
	case contract.OutsideActActionAnswer:
		if !s.outside.OutsideAnswers(text(act.Ref)) {
			err = &desk.FieldError{Field: "ref", Err: desk.ErrNotFound}
		}
	case contract.OutsideActActionHangUp:
		if !s.outside.OutsideHangsUp(text(act.Ref)) {
			err = &desk.FieldError{Field: "ref", Err: desk.ErrNotFound}
		}
	case contract.OutsideActActionPlay, contract.OutsideActActionLeave:
		var number string
		if number, err = s.desk.NormalNumber(c.Request.Context(), text(act.To)); err == nil {
			s.outside.Man(number, act.Action == contract.OutsideActActionPlay)
		}
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	s.GetOutside(c)
}
