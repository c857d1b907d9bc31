package httpapi

import (
	"context"
	"errors"
	"net/http"
	"strings"

	"trundo/internal/desk/firm"
	"trundo/internal/desk/outreach"

	"github.com/gin-gonic/gin"

	"trundo/internal/carrier"
	"trundo/internal/carrier/sim"
	"trundo/internal/contract"
	"trundo/internal/core/call"
	"trundo/internal/optional"
)

// ListRings implements ServerInterface.
func (s *Server) ListRings(c *gin.Context) {
	v, err := s.desk.Arrivals.Rings(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// AnswerCall implements ServerInterface.
func (s *Server) AnswerCall(c *gin.Context, id contract.ID) {
	v, err := s.desk.Arrivals.AnswerCall(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// DeclineCall implements ServerInterface.
func (s *Server) DeclineCall(c *gin.Context, id contract.ID) {
	var word string
	if c.Request.ContentLength != 0 {
		body, ok := read[contract.DeclineWish](s, c)
		if !ok {
			return
		}
		word = optional.Value(body.Word)
	}
	nothing(s, c, s.desk.Arrivals.DeclineCall(c.Request.Context(), actor(c), id, word))
}

// WhomToAsk implements ServerInterface.
func (s *Server) WhomToAsk(c *gin.Context, id contract.ID, p contract.WhomToAskParams) {
	v, err := s.desk.Calls.Parties.Whom(c.Request.Context(), actor(c), id, optional.Value(p.Q))
	answer(s, c, http.StatusOK, v, err)
}

// AskInCall implements ServerInterface.
func (s *Server) AskInCall(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.Ask](s, c); ok {
		v, err := s.desk.Calls.Parties.Ask(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// TurnCall implements ServerInterface.
func (s *Server) TurnCall(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.Turn](s, c); ok {
		v, err := s.desk.Calls.Parties.Turn(c.Request.Context(), actor(c), id, body.Act)
		answer(s, c, http.StatusOK, v, err)
	}
}

// DropParty implements ServerInterface.
func (s *Server) DropParty(c *gin.Context, id contract.ID, leg int) {
	nothing(s, c, s.desk.Calls.Parties.Drop(c.Request.Context(), actor(c), id, leg))
}

// MuteParty implements ServerInterface.
func (s *Server) MuteParty(c *gin.Context, id contract.ID, leg int) {
	if body, ok := read[contract.HoldWish](s, c); ok {
		nothing(s, c, s.desk.Calls.Parties.Mute(c.Request.Context(), actor(c), id, leg, body.On))
	}
}

// JoinCalls implements ServerInterface.
func (s *Server) JoinCalls(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.JoinedCall](s, c); ok {
		v, err := s.desk.Calls.Parties.JoinCalls(c.Request.Context(), actor(c), id, body.CallID)
		answer(s, c, http.StatusOK, v, err)
	}
}

// AskForHelp implements ServerInterface.
func (s *Server) AskForHelp(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.HoldWish](s, c); ok {
		nothing(s, c, s.desk.Calls.Parties.AskForHelp(actor(c), id, body.On))
	}
}

// WatchColleague implements ServerInterface.
func (s *Server) WatchColleague(c *gin.Context, id contract.ID) {
	s.desk.Calls.Team.Watch(actor(c), id)
	nothing(s, c, nil)
}

// TakeCall implements ServerInterface.
func (s *Server) TakeCall(c *gin.Context, id contract.ID) {
	v, err := s.desk.Calls.Parties.Take(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// ListenToCall implements ServerInterface.
func (s *Server) ListenToCall(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.Listening](s, c); ok {
		nothing(s, c, s.desk.Calls.Parties.Listen(c.Request.Context(), actor(c), id, body))
	}
}

// CallingChoices implements ServerInterface.
func (s *Server) CallingChoices(c *gin.Context) {
	v, err := s.desk.Telephones.CallingChoices(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// WaitingCalls implements ServerInterface.
func (s *Server) WaitingCalls(c *gin.Context) {
	v, err := s.desk.Waiting(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// HoldCall implements ServerInterface.
func (s *Server) HoldCall(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.HoldWish](s, c); ok {
		nothing(s, c, s.desk.Arrivals.HoldCall(c.Request.Context(), actor(c), id, body.On))
	}
}

// SendToVoicemail implements ServerInterface.
func (s *Server) SendToVoicemail(c *gin.Context, id contract.ID) {
	nothing(s, c, s.desk.Arrivals.SendToVoicemail(c.Request.Context(), actor(c), id))
}

// MuteCall implements ServerInterface.
func (s *Server) MuteCall(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.HoldWish](s, c); ok {
		nothing(s, c, s.desk.Arrivals.MuteCall(c.Request.Context(), actor(c), id, body.On))
	}
}

// PressKeys implements ServerInterface.
func (s *Server) PressKeys(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.KeysWish](s, c); ok {
		nothing(s, c, s.desk.Arrivals.PressKeys(c.Request.Context(), actor(c), id, body.Digits, body.Hidden != nil &&
			*body.Hidden))
	}
}

// RecordFromCall implements ServerInterface.
func (s *Server) RecordFromCall(c *gin.Context, id contract.ID, p contract.RecordFromCallParams) {
	if body, ok := read[contract.RecordFromCall](s, c); ok {
		v, err := s.desk.Filing.RecordFromCall(c.Request.Context(), actor(c), id, p.IdempotencyKey, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// GetBriefing implements ServerInterface.
func (s *Server) GetBriefing(c *gin.Context, id contract.ID) {
	v, err := s.desk.Arrivals.Briefing(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// WriteDownCall implements ServerInterface.
func (s *Server) WriteDownCall(c *gin.Context, p contract.WriteDownCallParams) {
	if body, ok := read[contract.WrittenCall](s, c); ok {
		v, err := s.desk.Calls.WriteDownCall(c.Request.Context(), actor(c), p.IdempotencyKey, body)
		answer(s, c, http.StatusCreated, v, err)
	}
}

// SetAvailability implements ServerInterface.
func (s *Server) SetAvailability(c *gin.Context) {
	if body, ok := read[contract.AvailabilityWish](s, c); ok {
		nothing(s, c, s.desk.Team.SetAvailability(c.Request.Context(), actor(c), body.Availability))
	}
}

// ChangeUnreturned implements ServerInterface.
func (s *Server) ChangeUnreturned(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.UnreturnedChange](s, c); ok {
		nothing(s, c, s.desk.Calls.ChangeUnreturned(c.Request.Context(), actor(c), id, body))
	}
}

// OtherSide is the other side of the simulated network, which somebody plays on the outside phone.
type OtherSide interface {
	CallIn(from, to string) (ref string, err error)
	OutsideLegs() []sim.OutsideLeg
	OutsideAnswers(ref string) bool
	OutsideHangsUp(ref string) bool
	OutsidePresses(ref, digits string) bool
	OutsideSays(ref, text string) bool
	OutsideSpeaks(ref string, v carrier.Voice) bool
	Man(number string, on bool)
}

// GetOutside implements ServerInterface.
func (s *Server) GetOutside(c *gin.Context) {
	if !s.mayPlayOutside(c) {
		return
	}
	v, err := s.outsideView(c.Request.Context(), actor(c))
	if err == nil {
		v.Post, err = s.outsidePost(c)
	}
	answer(s, c, http.StatusOK, v, err)
}

// mayPlayOutside tells whether whoever asks may play the outside, and answers where not.
func (s *Server) mayPlayOutside(c *gin.Context) bool {
	err := s.desk.Lines.MayPlayOutside(actor(c))
	if s.outside == nil {
		err = errNoSuchPath
	}
	if err != nil {
		s.fail(c, err)
	}
	return err == nil
}

func (s *Server) outsideView(ctx context.Context, a firm.Actor) (contract.Outside, error) {
	v := contract.Outside{Legs: []contract.OutsideLeg{}}
	var err error
	if v.Lines, err = s.desk.Lines.OutsideLines(ctx); err != nil {
		return v, err
	}
	for _, l := range s.outside.OutsideLegs() {
		if s.desk.Lines.MayActOutside(a, carrier.Ref(l.Ref)) != nil {
			continue
		}
		number := l.From
		if l.FromUs {
			number = l.To
		}
		who, err := s.desk.Lines.WhoHas(ctx, number)
		if err != nil {
			return v, err
		}
		v.Legs = append(v.Legs, contract.OutsideLeg{Ref: l.Ref, FromUs: l.FromUs, From: l.From, To: l.To, Who: who,
			Answered: l.Answered, Keys: l.Keys,
			Hears: s.desk.Lines.WhatIsHeard(ctx, carrier.Ref(l.Ref))})
	}
	if s.morning != nil {
		v.Morning.Running, v.Morning.PerHour, v.Morning.Made = s.morning.State()
	}
	return v, nil
}

// Morning is a stream of calls that the outside makes by itself.
type Morning interface {
	Start(perHour int)
	Stop()
	State() (running bool, perHour, made int)
}

// ActOutside implements ServerInterface.
func (s *Server) ActOutside(c *gin.Context) {
	if !s.mayPlayOutside(c) {
		return
	}
	act, ok := read[contract.OutsideAct](s, c)
	if !ok {
		return
	}
	if act.Ref != nil {
		if err := s.desk.Lines.MayActOutside(actor(c), carrier.Ref(*act.Ref)); err != nil {
			s.fail(c, err)
			return
		}
	}
	var err error
	switch act.Action {
	case contract.OutsideActActionCall:
		var ref string
		if ref, err = s.outside.CallIn(strings.TrimSpace(text(act.From)), text(act.To)); err == nil {
			s.desk.Lines.PlaysOutside(actor(c), carrier.Ref(ref))
		}
	case contract.OutsideActActionAnswer:
		if !s.outside.OutsideAnswers(text(act.Ref)) {
			err = &firm.FieldError{Field: "ref", Err: firm.ErrNotFound}
		}
	case contract.OutsideActActionHangUp:
		if !s.outside.OutsideHangsUp(text(act.Ref)) {
			err = &firm.FieldError{Field: "ref", Err: firm.ErrNotFound}
		}
	case contract.OutsideActActionPress:
		if !call.KeypadDigits(text(act.Digits)) {
			err = &firm.FieldError{Field: "digits", Err: call.ErrDigits}
		} else if !s.outside.OutsidePresses(text(act.Ref), text(act.Digits)) {
			err = &firm.FieldError{Field: "ref", Err: firm.ErrNotFound}
		}
	case contract.OutsideActActionSay:
		if !s.outside.OutsideSays(text(act.Ref), text(act.Text)) {
			err = &firm.FieldError{Field: "ref",
				Err: errors.New("nobody is speaking there, or this server has no voices")}
		}
	case contract.OutsideActActionWrite:
		err = s.desk.Outreach.Receive(c.Request.Context(),
			outreach.Received{Channel: contract.Channel(text(act.Channel)), From: text(act.From), To: text(act.To),
				Subject: text(act.Subject), Body: text(act.Text),
				InReplyTo: text(act.ReplyTo)})
	case contract.OutsideActActionMorningStart:
		if s.morning == nil {
			err = errNoSuchPath
		} else if act.PerHour == nil {
			err = &firm.FieldError{Field: "per_hour", Err: errors.New("say how many calls an hour")}
		} else {
			s.morning.Start(*act.PerHour)
		}
	case contract.OutsideActActionMorningStop:
		if s.morning != nil {
			s.morning.Stop()
		}
	case contract.OutsideActActionPlay, contract.OutsideActActionLeave:
		var number string
		if number, err = s.desk.Lines.NormalNumber(c.Request.Context(), text(act.To)); err == nil {
			s.outside.Man(number, act.Action == contract.OutsideActActionPlay)
		}
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	s.GetOutside(c)
}
