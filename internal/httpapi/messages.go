package httpapi

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"trundo/internal/contract"
	"trundo/internal/post"
)

// ListTemplates implements ServerInterface.
func (s *Server) ListTemplates(c *gin.Context) {
	v, err := s.desk.Outreach.Templates(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// PutTemplates implements ServerInterface.
func (s *Server) PutTemplates(c *gin.Context) {
	if body, ok := read[contract.Templates](s, c); ok {
		v, err := s.desk.Outreach.SetTemplates(c.Request.Context(), actor(c), body.Templates)
		answer(s, c, http.StatusOK, v, err)
	}
}

// GetThread implements ServerInterface.
func (s *Server) GetThread(c *gin.Context, p contract.GetThreadParams) {
	v, err := s.desk.Outreach.Thread(c.Request.Context(), actor(c), p.RecordID, text(p.Address))
	answer(s, c, http.StatusOK, v, err)
}

// SendMessage implements ServerInterface.
func (s *Server) SendMessage(c *gin.Context, p contract.SendMessageParams) {
	if body, ok := read[contract.NewMessage](s, c); ok {
		v, err := s.desk.Outreach.SendMessage(c.Request.Context(), actor(c), p.IdempotencyKey, body)
		answer(s, c, http.StatusCreated, v, err)
	}
}

// DraftMessage implements ServerInterface.
func (s *Server) DraftMessage(c *gin.Context) {
	if body, ok := read[contract.NewMessage](s, c); ok {
		v, err := s.desk.Outreach.DraftMessage(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// CancelMessage implements ServerInterface.
func (s *Server) CancelMessage(c *gin.Context, id contract.ID) {
	v, err := s.desk.Outreach.CancelMessage(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, v, err)
}

// ReadMessage implements ServerInterface.
func (s *Server) ReadMessage(c *gin.Context, id contract.ID) {
	nothing(s, c, s.desk.Outreach.ReadMessage(c.Request.Context(), actor(c), id))
}

// AttachMessage implements ServerInterface.
func (s *Server) AttachMessage(c *gin.Context, id contract.ID) {
	if body, ok := read[contract.RecordChoice](s, c); ok {
		v, err := s.desk.Outreach.AttachMessage(c.Request.Context(), actor(c), id, body.RecordID)
		answer(s, c, http.StatusOK, v, err)
	}
}

// RecordFromMessage implements ServerInterface.
func (s *Server) RecordFromMessage(c *gin.Context, id contract.ID, p contract.RecordFromMessageParams) {
	if body, ok := read[contract.RecordFromCall](s, c); ok {
		v, err := s.desk.RecordFromMessage(c.Request.Context(), actor(c), id, p.IdempotencyKey, body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// GetMailSettings implements ServerInterface.
func (s *Server) GetMailSettings(c *gin.Context) {
	v, err := s.desk.Outreach.MailSettings(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, v, err)
}

// SetMailSettings implements ServerInterface.
func (s *Server) SetMailSettings(c *gin.Context) {
	if body, ok := read[contract.MailSettings](s, c); ok {
		v, err := s.desk.Outreach.SetMailSettings(c.Request.Context(), actor(c), body)
		answer(s, c, http.StatusOK, v, err)
	}
}

// Mailbag is what the stand-in of the post has got.
type Mailbag interface{ Sent() []post.Sent }

// outsidePost is what the firm has written, newest first.
func (s *Server) outsidePost(c *gin.Context) ([]contract.OutsidePost, error) {
	views := []contract.OutsidePost{}
	if s.mailbag == nil {
		return views, nil
	}
	sent := s.mailbag.Sent()
	for i := len(sent) - 1; i >= 0 && len(views) < 30; i-- {
		v := contract.OutsidePost{Channel: contract.ChannelText}
		if t := sent[i].Text; t != nil {
			v.From, v.To, v.Body = t.From, t.To, t.Body
			var err error
			if v.Who, err = s.desk.Lines.WhoHas(c.Request.Context(), t.To); err != nil {
				return nil, err
			}
		} else {
			m := sent[i].Mail
			v.Channel, v.From, v.To, v.Who, v.Subject, v.Body, v.ReplyTo = contract.ChannelMail, m.From, m.To, m.ToName, m.Subject, m.Body, &m.ID
		}
		views = append(views, v)
	}
	return views, nil
}
