package httpapi

import (
	"context"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/desk/firm"
)

// ListStaff implements ServerInterface.
func (s *Server) ListStaff(c *gin.Context) {
	list, err := s.desk.Staff.List(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, list, err)
}

// AddMember implements ServerInterface.
func (s *Server) AddMember(c *gin.Context, p contract.AddMemberParams) {
	if e, ok := read[contract.MemberEdit](s, c); ok {
		added, err := s.desk.Staff.Add(c.Request.Context(), actor(c), p.IdempotencyKey, e)
		answer(s, c, http.StatusCreated, added, err)
	}
}

// ChangeMember implements ServerInterface.
func (s *Server) ChangeMember(c *gin.Context, id contract.ID) {
	if e, ok := read[contract.MemberEdit](s, c); ok {
		saved, err := s.desk.Staff.Change(c.Request.Context(), actor(c), id, e)
		answer(s, c, http.StatusOK, saved, err)
	}
}

// GetBelongings implements ServerInterface.
func (s *Server) GetBelongings(c *gin.Context, id contract.ID) {
	has, err := s.desk.Staff.Belongings(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, has, err)
}

// MakeSignInLink implements ServerInterface.
func (s *Server) MakeSignInLink(c *gin.Context, id contract.ID) {
	if n, ok := read[contract.NewSignInLink](s, c); ok {
		link, err := s.desk.Staff.MakeLink(c.Request.Context(), actor(c), id, c.GetHeader("Origin"), n)
		answer(s, c, http.StatusCreated, link, err)
	}
}

// SwitchMemberOff implements ServerInterface.
func (s *Server) SwitchMemberOff(c *gin.Context, id contract.ID) {
	if l, ok := read[contract.Leaving](s, c); ok {
		off, err := s.desk.Staff.SwitchOff(c.Request.Context(), actor(c), id, l)
		if err == nil && !off.Active {
			s.windows.endUser(id)
		}
		answer(s, c, http.StatusOK, off, err)
	}
}

// SwitchMemberOn implements ServerInterface.
func (s *Server) SwitchMemberOn(c *gin.Context, id contract.ID) {
	on, err := s.desk.Staff.SwitchOn(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, on, err)
}

// throttled refuses whoever tries too often to get in as somebody, and tells whether it did.
func (s *Server) throttled(c *gin.Context, who string) bool {
	wait, ok := s.throttle.try(who, c.ClientIP(), time.Now())
	if !ok {
		retryAfter(c, wait)
		s.fail(c, errThrottled)
	}
	return !ok
}

// LookAtSignInLink implements ServerInterface.
func (s *Server) LookAtSignInLink(c *gin.Context) {
	if l, ok := read[contract.LinkToken](s, c); ok && !s.throttled(c, "link "+l.Token) {
		who, err := s.desk.Staff.LookAtLink(c.Request.Context(), l.Token)
		if err == nil {
			s.throttle.in("link "+l.Token, c.ClientIP(), time.Now())
		}
		answer(s, c, http.StatusOK, who, err)
	}
}

// UseSignInLink implements ServerInterface.
func (s *Server) UseSignInLink(c *gin.Context) {
	l, ok := read[contract.LinkUse](s, c)
	if !ok || s.throttled(c, "link "+l.Token) {
		return
	}
	ctx := c.Request.Context()
	a, err := s.desk.Staff.UseLink(ctx, l.Token, l.Password)
	if err == nil {
		s.throttle.in("link "+l.Token, c.ClientIP(), time.Now())
		s.windows.endUser(a.ID)
		err = s.signInAgain(ctx, c, a.ID)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	me, err := s.desk.Me(ctx, a)
	answer(s, c, http.StatusOK, me, err)
}

// signInAgain opens a session for somebody all of whose sessions have just ended.
func (s *Server) signInAgain(ctx context.Context, c *gin.Context, id uuid.UUID) error {
	a, err := s.desk.Actor(ctx, id)
	if err != nil {
		return err
	}
	return s.openSession(c, a)
}

// ForgotPassword implements ServerInterface.
func (s *Server) ForgotPassword(c *gin.Context) {
	f, ok := read[contract.Forgotten](s, c)
	if !ok || s.throttled(c, "forgotten "+firm.FoldLogin(f.Login)) {
		return
	}
	if err := s.desk.Staff.Forgotten(c.Request.Context(), f.Login); err != nil {
		s.fail(c, err)
		return
	}
	c.Status(http.StatusNoContent)
}

// ChangePassword implements ServerInterface.
func (s *Server) ChangePassword(c *gin.Context) {
	p, ok := read[contract.PasswordChange](s, c)
	if !ok {
		return
	}
	a, ctx := actor(c), c.Request.Context()
	if bearer(c.Request) != "" { // a program's key is no person
		s.fail(c, firm.ErrForbidden)
		return
	}
	if s.throttled(c, "password "+a.Login) {
		return
	}
	err := s.desk.ChangePassword(ctx, a, p.Current, p.Fresh)
	if err == nil {
		s.throttle.in("password "+a.Login, c.ClientIP(), time.Now())
		// All sessions end but this one, which goes on as if it had begun now.
		s.sessions.Put(ctx, beganKey, time.Now().UnixMicro())
		_, _, err = s.sessions.Commit(ctx)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Status(http.StatusNoContent)
}
