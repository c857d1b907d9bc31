package httpapi

import (
	"context"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/desk"
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

// throttled refuses whoever tries too often to get in, as somebody or ("") without having said as whom, and tells whether
// it did.
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
	return s.openSession(c, a, false)
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
	if !s.byHand(c) {
		return
	}
	// All sessions end but this one, which goes on as if it had begun now; it does so first, so that it is never over.
	now := time.Now()
	s.sessions.Put(ctx, beganKey, now.UnixMicro())
	_, _, err := s.sessions.Commit(ctx)
	if err == nil {
		err = s.known(c, s.desk.ChangePassword(ctx, a, now.Truncate(time.Microsecond), p.Current, p.Fresh))
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Status(http.StatusNoContent)
}

// AddMembers implements ServerInterface.
func (s *Server) AddMembers(c *gin.Context, p contract.AddMembersParams) {
	if n, ok := read[contract.NewMembers](s, c); ok {
		done, err := s.desk.Staff.AddMany(c.Request.Context(), actor(c), p.IdempotencyKey, c.GetHeader("Origin"), n)
		answer(s, c, http.StatusOK, done, err)
	}
}

// GetFirstAdmin implements ServerInterface.
func (s *Server) GetFirstAdmin(c *gin.Context) {
	awaited, err := s.desk.Staff.Awaited(c.Request.Context())
	answer(s, c, http.StatusOK, contract.FirstAdminAwaited{Awaited: awaited}, err)
}

// BecomeFirstAdmin implements ServerInterface.
func (s *Server) BecomeFirstAdmin(c *gin.Context) {
	n, ok := read[contract.FirstAdmin](s, c)
	if !ok || s.throttled(c, "first admin") {
		return
	}
	ctx := c.Request.Context()
	a, err := s.desk.Staff.BecomeFirst(ctx, n)
	if err == nil {
		s.throttle.in("first admin", c.ClientIP(), time.Now())
		err = s.openSession(c, a, false)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	me, err := s.desk.Me(ctx, a)
	answer(s, c, http.StatusOK, me, err)
}

// GetFirstSteps implements ServerInterface.
func (s *Server) GetFirstSteps(c *gin.Context) {
	steps, err := s.desk.FirstSteps(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, steps, err)
}

// PutFirstSteps implements ServerInterface.
func (s *Server) PutFirstSteps(c *gin.Context) {
	if choice, ok := read[contract.FirstStepsChoice](s, c); ok {
		steps, err := s.desk.ChooseFirstSteps(c.Request.Context(), actor(c), choice)
		answer(s, c, http.StatusOK, steps, err)
	}
}

// GetFirmSetup implements ServerInterface.
func (s *Server) GetFirmSetup(c *gin.Context) {
	f, err := s.desk.Identity(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, f, err)
}

// PutFirmSetup implements ServerInterface.
func (s *Server) PutFirmSetup(c *gin.Context) {
	if f, ok := read[contract.FirmSetup](s, c); ok {
		saved, err := s.desk.SetIdentity(c.Request.Context(), actor(c), f)
		answer(s, c, http.StatusOK, saved, err)
	}
}

// byHand tells whether a person asks who may try their password now: a program's key is no person. Else it is told.
func (s *Server) byHand(c *gin.Context) bool {
	if bearer(c.Request) != "" {
		s.fail(c, firm.ErrForbidden)
		return false
	}
	return !s.throttled(c, "password "+actor(c).Login)
}

// known lets a try of a password count no more, since it was right.
func (s *Server) known(c *gin.Context, err error) error {
	if err == nil {
		s.throttle.in("password "+actor(c).Login, c.ClientIP(), time.Now())
	}
	return err
}

// BeginSecondFactor implements ServerInterface.
func (s *Server) BeginSecondFactor(c *gin.Context) {
	if p, ok := read[contract.PasswordAgain](s, c); ok && s.byHand(c) {
		begun, err := s.desk.BeginSecondFactor(c.Request.Context(), actor(c), p.Password)
		answer(s, c, http.StatusOK, begun, s.known(c, err))
	}
}

// ConfirmSecondFactor implements ServerInterface.
func (s *Server) ConfirmSecondFactor(c *gin.Context) {
	if p, ok := read[contract.SecondFactorCode](s, c); ok && s.byHand(c) {
		codes, err := s.desk.ConfirmSecondFactor(c.Request.Context(), actor(c), p.Code)
		answer(s, c, http.StatusOK, codes, s.known(c, err))
	}
}

// EndSecondFactor implements ServerInterface.
func (s *Server) EndSecondFactor(c *gin.Context) {
	if p, ok := read[contract.PasswordAgain](s, c); ok && s.byHand(c) {
		if err := s.known(c, s.desk.EndSecondFactor(c.Request.Context(), actor(c), p.Password)); err != nil {
			s.fail(c, err)
			return
		}
		c.Status(http.StatusNoContent)
	}
}

// ResetSecondFactor implements ServerInterface.
func (s *Server) ResetSecondFactor(c *gin.Context, id contract.ID) {
	if err := s.desk.ResetSecondFactor(c.Request.Context(), actor(c), id); err != nil {
		s.fail(c, err)
		return
	}
	c.Status(http.StatusNoContent)
}

// GetTrail implements ServerInterface.
func (s *Server) GetTrail(c *gin.Context, p contract.GetTrailParams) {
	trail, err := s.desk.Trail(
		c.Request.Context(),
		actor(c),
		desk.TrailQuery{Who: p.Who, Kind: text(p.Kind), Q: text(p.Q),
			From: p.From, Until: p.Until, After: text(p.After)},
	)
	answer(s, c, http.StatusOK, trail, err)
}

// EndSessionsOf implements ServerInterface.
func (s *Server) EndSessionsOf(c *gin.Context, id contract.ID) {
	err := s.desk.EndSessionsOf(c.Request.Context(), actor(c), id)
	if err == nil {
		s.windows.endUser(id)
	}
	nothing(s, c, err)
}
