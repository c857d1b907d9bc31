package httpapi

import (
	"cmp"
	"errors"
	"net/http"
	"time"

	"trundo/internal/desk/firm"

	"github.com/gin-gonic/gin"

	"trundo/internal/carrier"
	"trundo/internal/contract"
)

// GetSound implements ServerInterface.
func (s *Server) GetSound(c *gin.Context) {
	answer(s, c, http.StatusOK, s.desk.Voices.Sound(actor(c)), nil)
}

var errTooManyOffers = errors.New("sound was offered too often; wait a few seconds")

// ConnectSound implements ServerInterface.
func (s *Server) ConnectSound(c *gin.Context) {
	if body, ok := read[contract.SoundOffer](s, c); ok {
		if !s.offers.offer(actor(c).ID.String(), time.Now()) {
			retryAfter(c, 3*time.Second)
			s.fail(c, errTooManyOffers)
			return
		}
		v, err := s.desk.Voices.ConnectSound(c.Request.Context(), actor(c), body.Offer)
		answer(s, c, http.StatusOK, contract.SoundAnswer{Answer: v}, err)
	}
}

// ActOnRecording implements ServerInterface.
func (s *Server) ActOnRecording(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.RecordingAct](s, c); ok {
		v, err := s.desk.Recordings.ActOnRecording(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// DeleteRecording implements ServerInterface.
func (s *Server) DeleteRecording(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.RecordingDeletion](s, c); ok {
		s.done(c, s.desk.Recordings.DeleteRecording(c.Request.Context(), actor(c), id, body.Reason))
	}
}

// HoldRecording implements ServerInterface.
func (s *Server) HoldRecording(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.RecordingHold](s, c); ok {
		reason := ""
		if body.Reason != nil {
			reason = *body.Reason
		}
		s.done(c, s.desk.Recordings.HoldRecording(c.Request.Context(), actor(c), id, body.On, reason))
	}
}

// GetRecordingSettings implements ServerInterface.
func (s *Server) GetRecordingSettings(c *gin.Context) {
	v, err := s.desk.Recordings.RecordingSettings(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// SetRecordingSettings implements ServerInterface.
func (s *Server) SetRecordingSettings(c *gin.Context) {
	if body, ok := read[contract.RecordingSettings](s, c); ok {
		v, err := s.desk.Recordings.SetRecordingSettings(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// WouldDelete implements ServerInterface.
func (s *Server) WouldDelete(c *gin.Context, p contract.WouldDeleteParams) {
	n, err := s.desk.Recordings.WouldDelete(c.Request.Context(), actor(c), p.CallDays, p.MessageDays)
	answer(s, c, http.StatusOK, contract.Count{Count: n}, err)
}

// AddRemark implements ServerInterface.
func (s *Server) AddRemark(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.NewRemark](s, c); ok {
		v, err := s.desk.Recordings.AddRemark(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusCreated, v, err)
	}
}

// LeavePrepared implements ServerInterface.
func (s *Server) LeavePrepared(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.PreparedChoice](s, c); ok {
		v, err := s.desk.Voices.LeavePrepared(c.Request.Context(), actor(c), id, body.MessageID, body.ToPerson != nil &&
			*body.ToPerson)
		answer(s, c, http.StatusOK, v, err)
	}
}

// ListPreparedForCall implements ServerInterface.
func (s *Server) ListPreparedForCall(c *gin.Context, id contract.ID) {
	v, err := s.desk.Voices.PreparedFor(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// SetMessageConsent implements ServerInterface.
func (s *Server) SetMessageConsent(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.Switch](s, c); ok {
		v, err := s.desk.Voices.SetMessageConsent(c.Request.Context(), actor(c), id, body.On)
		answer(s, c, http.StatusOK, v, err)
	}
}

// ListPreparedMessages implements ServerInterface.
func (s *Server) ListPreparedMessages(c *gin.Context) {
	v, err := s.desk.Voices.PreparedMessages(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// PutPreparedMessages implements ServerInterface.
func (s *Server) PutPreparedMessages(c *gin.Context) {
	if body, ok := read[contract.PreparedMessages](s, c); ok {
		v, err := s.desk.Voices.SetPreparedMessages(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// GetTelephone implements ServerInterface.
func (s *Server) GetTelephone(c *gin.Context) {
	v, err := s.desk.Telephones.Telephone(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// SetTelephone implements ServerInterface.
func (s *Server) SetTelephone(c *gin.Context) {
	if body, ok := read[contract.Telephone](s, c); ok {
		v, err := s.desk.Telephones.SetTelephone(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// CallWithCode implements ServerInterface.
func (s *Server) CallWithCode(c *gin.Context) {
	s.done(c, s.desk.Telephones.CallWithCode(c.Request.Context(), actor(c)))
}

// VerifyTelephone implements ServerInterface.
func (s *Server) VerifyTelephone(c *gin.Context) {
	if body, ok := read[contract.TelephoneCode](s, c); ok {
		v, err := s.desk.Telephones.VerifyTelephone(c.Request.Context(), actor(c), body.Code)
		answer(s, c, http.StatusOK, v, err)
	}
}

// StandTelephone implements ServerInterface.
func (s *Server) StandTelephone(c *gin.Context) {
	v, err := s.desk.Telephones.StandTelephone(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// DialIn implements ServerInterface.
func (s *Server) DialIn(c *gin.Context) {
	v, err := s.desk.Telephones.DialIn(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// LeaveTelephone implements ServerInterface.
func (s *Server) LeaveTelephone(c *gin.Context) {
	answer(s, c, http.StatusOK, s.desk.Telephones.LeaveTelephone(c.Request.Context(), actor(c)), nil)
}

// RateLine implements ServerInterface.
func (s *Server) RateLine(c *gin.Context) {
	if body, ok := read[contract.LineFigures](s, c); ok {
		answer(s, c, http.StatusOK, s.desk.Voices.RateLine(actor(c), body), nil)
	}
}

// EchoTest implements ServerInterface.
func (s *Server) EchoTest(c *gin.Context) {
	if body, ok := read[contract.Switch](s, c); ok {
		s.done(c, s.desk.Voices.EchoTest(actor(c), body.On))
	}
}

// ReportLine implements ServerInterface.
func (s *Server) ReportLine(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.LineReport](s, c); ok {
		s.done(c, s.desk.Voices.ReportLine(c.Request.Context(), actor(c), id, body))
	}
}

// ConnectOutside implements ServerInterface.
func (s *Server) ConnectOutside(c *gin.Context) {
	if s.outside == nil {
		s.fail(c, errNoSuchPath)
		return
	}
	if body, ok := read[contract.OutsideSound](s, c); ok {
		if err := s.desk.Lines.MayActOutside(actor(c), carrier.Ref(body.Ref)); err != nil ||
			!s.offers.offer("outside:"+body.Ref, time.Now()) {
			s.fail(c, cmp.Or(err, errTooManyOffers))
			return
		}
		voice, v, err := s.desk.Voices.ConnectOutside(c.Request.Context(), body.Ref, body.Offer)
		if err == nil && !s.outside.OutsideSpeaks(body.Ref, voice) {
			err = &firm.FieldError{Field: "ref",
				Err: errors.New("nobody is speaking there, or this server has no voices")}
		}
		answer(s, c, http.StatusOK, contract.SoundAnswer{Answer: v}, err)
	}
}

// ConfirmTimes implements ServerInterface.
func (s *Server) ConfirmTimes(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.CallTimes](s, c); ok {
		v, err := s.desk.Calls.ConfirmTimes(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// GetWords implements ServerInterface.
func (s *Server) GetWords(c *gin.Context, id contract.ID) {
	v, err := s.desk.Recordings.Words(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// CorrectPhrase implements ServerInterface.
func (s *Server) CorrectPhrase(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.PhraseCorrection](s, c); ok {
		v, err := s.desk.Recordings.CorrectWords(c.Request.Context(), actor(c), id, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// done answers where there is nothing to say but that it is done.
func (s *Server) done(c *gin.Context, err error) {
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Status(http.StatusNoContent)
}
