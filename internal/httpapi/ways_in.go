package httpapi

import (
	"context"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/desk/entry"
	"trundo/internal/desk/firm"
)

// How somebody has come in, as the trail says it.
const (
	byPasskey  = "passkey"
	byProvider = "identity provider"
)

// stepCookie holds what a browser has to bring along with its answer to a question of ours.
func (s *Server) stepCookie() string {
	if s.sessions.Cookie.Secure {
		return "__Host-trundo_step"
	}
	return "trundo_step"
}

func (s *Server) giveStep(c *gin.Context, token string) {
	http.SetCookie(c.Writer, &http.Cookie{Name: s.stepCookie(), Value: token, Path: "/", MaxAge: 600, HttpOnly: true,
		Secure: s.sessions.Cookie.Secure, SameSite: http.SameSiteLaxMode})
}

// takeStep is what a browser brings along, which it loses.
func (s *Server) takeStep(c *gin.Context) string {
	token, err := c.Cookie(s.stepCookie())
	if err != nil || len(token) > 200 {
		return ""
	}
	http.SetCookie(c.Writer, &http.Cookie{Name: s.stepCookie(), Path: "/", MaxAge: -1, HttpOnly: true,
		Secure: s.sessions.Cookie.Secure, SameSite: http.SameSiteLaxMode})
	return token
}

// origin is where a browser reaches this installation.
func (s *Server) origin(c *gin.Context) string {
	if o := c.GetHeader("Origin"); o != "" {
		return o // held against the host before
	}
	if s.sessions.Cookie.Secure {
		return "https://" + c.Request.Host
	}
	return "http://" + c.Request.Host
}

// GetSignInWays implements ServerInterface.
func (s *Server) GetSignInWays(c *gin.Context) {
	label, err := s.desk.Entry.Label(c.Request.Context())
	answer(s, c, http.StatusOK, contract.SignInWays{Passkeys: s.desk.Entry.Possible(s.origin(c)), Provider: label}, err)
}

// AskForPasskey implements ServerInterface.
func (s *Server) AskForPasskey(c *gin.Context) {
	if s.throttled(c, "") {
		return
	}
	q, token, err := s.desk.Entry.Ask(c.Request.Context(), s.origin(c))
	if err == nil {
		s.giveStep(c, token)
	}
	answer(s, c, http.StatusOK, q, err)
}

// passkeyHolder is who answers with a passkey; false: it was said why not.
func (s *Server) passkeyHolder(c *gin.Context) (firm.Actor, bool) {
	in, ok := read[contract.PasskeyAnswer](s, c)
	if !ok || s.throttled(c, "") {
		return firm.Actor{}, false
	}
	a, err := s.desk.Entry.ByPasskey(c.Request.Context(), s.origin(c), s.takeStep(c), in)
	if err != nil {
		s.desk.NotEntered(c.Request.Context(), byPasskey, c.ClientIP())
		s.fail(c, err)
		return a, false
	}
	s.throttle.in("", c.ClientIP(), time.Now())
	return a, true
}

// SignInByPasskey implements ServerInterface.
func (s *Server) SignInByPasskey(c *gin.Context) {
	a, ok := s.passkeyHolder(c)
	if !ok {
		return
	}
	err := s.strongSession(c, a, byPasskey)
	if err != nil {
		s.fail(c, err)
		return
	}
	a.Strong = true
	me, err := s.desk.Me(c.Request.Context(), a)
	answer(s, c, http.StatusOK, me, err)
}

// strongSession opens a session for who has shown two factors in one: a key that they hold and unlock, or whatever the
// firm's provider asks for.
func (s *Server) strongSession(c *gin.Context, a firm.Actor, way string) error {
	if err := s.desk.Entered(c.Request.Context(), a, way, c.ClientIP()); err != nil {
		return err
	}
	return s.openSession(c, a, true)
}

// ProveByPasskey implements ServerInterface.
func (s *Server) ProveByPasskey(c *gin.Context) {
	if bearer(c.Request) != "" {
		s.fail(c, firm.ErrForbidden)
		return
	}
	a, ok := s.passkeyHolder(c)
	if !ok {
		return
	}
	if a.ID != actor(c).ID {
		s.fail(c, entry.ErrSomebodyElse)
		return
	}
	nothing(s, c, s.proved(c.Request.Context(), c))
}

// proved keeps that whoever has this session has just shown who they are.
func (s *Server) proved(ctx context.Context, c *gin.Context) error {
	s.sessions.Put(ctx, provedKey, time.Now().UnixMicro())
	_, _, err := s.sessions.Commit(ctx)
	return err
}

// ListPasskeys implements ServerInterface.
func (s *Server) ListPasskeys(c *gin.Context) {
	list, err := s.desk.Entry.Passkeys(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, list, err)
}

// BeginPasskey implements ServerInterface.
func (s *Server) BeginPasskey(c *gin.Context) {
	q, token, err := s.desk.Entry.BeginAdding(c.Request.Context(), actor(c), s.origin(c))
	if err == nil {
		s.giveStep(c, token)
	}
	answer(s, c, http.StatusOK, q, err)
}

// AddPasskey implements ServerInterface.
func (s *Server) AddPasskey(c *gin.Context) {
	in, ok := read[contract.NewPasskey](s, c)
	if !ok {
		return
	}
	a, ctx := actor(c), c.Request.Context()
	if bearer(c.Request) != "" {
		s.fail(c, firm.ErrForbidden)
		return
	}
	err := s.desk.Entry.Add(ctx, a, s.origin(c), s.takeStep(c), in)
	if err == nil { // who has just made one holds it
		s.sessions.Put(ctx, strongKey, true)
		_, _, err = s.sessions.Commit(ctx)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	s.ListPasskeys(c)
}

// RemovePasskey implements ServerInterface.
func (s *Server) RemovePasskey(c *gin.Context, key string) {
	nothing(s, c, s.desk.Entry.Remove(c.Request.Context(), actor(c), key))
}

// GetIdentityProvider implements ServerInterface.
func (s *Server) GetIdentityProvider(c *gin.Context) {
	p, err := s.desk.Entry.Provider(c.Request.Context(), actor(c), s.origin(c))
	answer(s, c, http.StatusOK, p, err)
}

// SetIdentityProvider implements ServerInterface.
func (s *Server) SetIdentityProvider(c *gin.Context) {
	if e, ok := read[contract.IdentityProvider](s, c); ok {
		p, err := s.desk.Entry.SetProvider(c.Request.Context(), actor(c), s.origin(c), e)
		answer(s, c, http.StatusOK, p, err)
	}
}

// here is a page of this site; the first one where something else is asked for (an open redirect would lend our name to
// somebody else's page).
func here(to string) string {
	if !strings.HasPrefix(to, "/") || strings.HasPrefix(to, "//") || strings.ContainsAny(to, "\\\r\n\t") ||
		strings.HasPrefix(to, "/api/") {
		return "/"
	}
	return to
}

// holderOf is whose session a request has, with its context; false: it has none.
func (s *Server) holderOf(c *gin.Context) (firm.Actor, context.Context, bool) {
	cookie, err := c.Cookie(s.sessions.Cookie.Name)
	if err != nil || len(cookie) > 200 {
		return firm.Actor{}, nil, false
	}
	a, ctx, err := s.session(c.Request.Context(), cookie)
	return a, ctx, err == nil
}

// SignInByProvider implements ServerInterface.
func (s *Server) SignInByProvider(c *gin.Context, p contract.SignInByProviderParams) {
	if s.throttled(c, "") {
		return
	}
	var again *uuid.UUID
	if p.Again != nil && *p.Again {
		a, _, ok := s.holderOf(c)
		if !ok {
			s.back(c, "/", firm.ErrSignedOut)
			return
		}
		again = &a.ID
	}
	to, err := s.desk.Entry.ToProvider(c.Request.Context(), s.origin(c), here(text(p.To)), again)
	if err != nil {
		s.back(c, here(text(p.To)), err)
		return
	}
	s.giveStep(c, to.Token)
	c.Redirect(http.StatusFound, to.Address)
}

// ProviderAnswers implements ServerInterface.
func (s *Server) ProviderAnswers(c *gin.Context, p contract.ProviderAnswersParams) {
	if s.throttled(c, "") {
		return
	}
	ctx := c.Request.Context()
	who, err := s.desk.Entry.FromProvider(ctx, entry.Answer{Token: s.takeStep(c), State: text(p.State),
		Code: text(p.Code), Fail: text(p.Error)})
	if err == nil && who.Again {
		a, ctx, ok := s.holderOf(c)
		if !ok || a.ID != who.Actor.ID {
			err = entry.ErrSomebodyElse
		} else {
			err = s.proved(ctx, c)
		}
	} else if err == nil {
		err = s.strongSession(c, who.Actor, byProvider)
	} else {
		s.desk.NotEntered(ctx, byProvider, c.ClientIP())
	}
	if err == nil {
		s.throttle.in("", c.ClientIP(), time.Now())
	}
	s.back(c, here(who.To), err)
}

// back sends a browser to the page that it wanted, or, with what went wrong, to the one where one signs in.
func (s *Server) back(c *gin.Context, to string, err error) {
	if err == nil {
		c.Redirect(http.StatusFound, to)
		return
	}
	p := problemOf(err)
	s.log.Warn("a way in by the provider failed", "code", p.Code, "error", err)
	c.Redirect(http.StatusFound, "/sign-in?"+url.Values{"to": {to}, "problem": {p.Code}}.Encode())
}
