package httpapi

import (
	"context"
	"errors"
	"net"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/gin-gonic/gin"
	"github.com/google/uuid"
	"golang.org/x/time/rate"

	"trundo/internal/contract"
	"trundo/internal/desk"
)

// A session lasts a working day without use, and two weeks at most.
const (
	sessionIdle = 12 * time.Hour
	sessionLife = 14 * 24 * time.Hour
	cookieName  = "trundo_session"
	userKey     = "user"
)

func newSessions(store scs.Store, secure bool) *scs.SessionManager {
	m := scs.New()
	m.Store = &rememberingStore{store: store, seen: map[string]seenSession{}}
	m.Lifetime = sessionLife
	m.HashTokenInStore = true
	m.Cookie.Name = cookieName
	m.Cookie.HttpOnly = true
	m.Cookie.SameSite = http.SameSiteLaxMode
	m.Cookie.Secure = secure
	return m
}

// rememberingStore answers for a few seconds from memory, so that not every request asks the database; and while the
// database does not answer, for as long as a session may be idle, so that a call can still be ended and its notes kept.
type rememberingStore struct {
	store scs.Store
	mu    sync.Mutex
	seen  map[string]seenSession
}

type seenSession struct {
	data []byte
	at   time.Time
}

const sessionFresh = 5 * time.Second

func (r *rememberingStore) Find(token string) ([]byte, bool, error) {
	r.mu.Lock()
	s, hit := r.seen[token]
	r.mu.Unlock()
	if hit && time.Since(s.at) < sessionFresh {
		return s.data, true, nil
	}
	data, found, err := r.store.Find(token)
	switch {
	case err != nil && hit && time.Since(s.at) < sessionIdle:
		return s.data, true, nil
	case err != nil:
		return nil, false, err
	case !found:
		r.forget(token)
		return nil, false, nil
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if len(r.seen) > 10_000 {
		r.seen = map[string]seenSession{}
	}
	r.seen[token] = seenSession{data, time.Now()}
	return data, true, nil
}

func (r *rememberingStore) forget(token string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	delete(r.seen, token)
}

// Commit implements scs.Store.
func (r *rememberingStore) Commit(token string, data []byte, expiry time.Time) error {
	r.forget(token)
	return r.store.Commit(token, data, expiry)
}

// Delete implements scs.Store.
func (r *rememberingStore) Delete(token string) error {
	r.forget(token)
	return r.store.Delete(token)
}

// signedIn lets pass who has a session, and everybody where the contract asks for none.
func (s *Server) signedIn(c *gin.Context) {
	if open(c) {
		return
	}
	if token := bearer(c.Request); token != "" {
		s.byToken(c, token)
		return
	}
	cookie, err := c.Cookie(cookieName)
	if err != nil || len(cookie) > 200 {
		s.fail(c, desk.ErrSignedOut)
		return
	}
	ctx, err := s.sessions.Load(c.Request.Context(), cookie)
	if err != nil {
		s.fail(c, err)
		return
	}
	id, err := uuid.Parse(s.sessions.GetString(ctx, userKey))
	if err != nil {
		s.fail(c, desk.ErrSignedOut)
		return
	}
	a, err := s.desk.Actor(ctx, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Request = c.Request.WithContext(ctx)
	c.Set("actor", a)
}

// open tells the paths that need no session: the sign-in itself and what stands on its page.
func open(c *gin.Context) bool {
	path := c.FullPath()
	return path == "/api/demo/people" || path == "/api/session" && c.Request.Method == http.MethodPost
}

func actor(c *gin.Context) desk.Actor { return c.MustGet("actor").(desk.Actor) }

// SignIn implements ServerInterface.
func (s *Server) SignIn(c *gin.Context) {
	in, ok := read[contract.SignIn](s, c)
	if !ok {
		return
	}
	who := strings.ToLower(in.Login) + "\n" + clientIP(c)
	if wait, ok := s.throttle.allowed(who); !ok {
		retryAfter(c, wait)
		s.fail(c, errThrottled)
		return
	}
	a, err := s.desk.SignIn(c.Request.Context(), in.Login, in.Password)
	if err != nil {
		if errors.Is(err, desk.ErrSignIn) {
			s.throttle.failed(who)
		}
		s.fail(c, err)
		return
	}
	if err := s.openSession(c, a); err != nil {
		s.fail(c, err)
		return
	}
	me, err := s.desk.Me(c.Request.Context(), a)
	answer(s, c, http.StatusOK, me, err)
}

// openSession makes a session with a new token and hands it to the browser.
func (s *Server) openSession(c *gin.Context, a desk.Actor) error {
	ctx, err := s.sessions.Load(c.Request.Context(), "")
	if err != nil {
		return err
	}
	s.sessions.Put(ctx, userKey, a.ID.String())
	token, expiry, err := s.sessions.Commit(ctx)
	if err != nil {
		return err
	}
	s.sessions.WriteSessionCookie(ctx, c.Writer, token, expiry)
	return nil
}

// SignOut implements ServerInterface.
func (s *Server) SignOut(c *gin.Context) {
	ctx := c.Request.Context()
	if err := s.sessions.Destroy(ctx); err != nil {
		s.fail(c, err)
		return
	}
	s.sessions.WriteSessionCookie(ctx, c.Writer, "", time.Time{})
	c.Status(http.StatusNoContent)
}

func clientIP(c *gin.Context) string {
	host, _, err := net.SplitHostPort(c.Request.RemoteAddr)
	if err != nil {
		return c.Request.RemoteAddr
	}
	return host
}

// throttle slows down who fails to sign in: eight failures at once, then one every fifteen seconds.
type throttle struct {
	mu  sync.Mutex
	who map[string]*rate.Limiter
}

const (
	failuresAtOnce = 8
	failureEvery   = 15 * time.Second
)

func newThrottle() *throttle { return &throttle{who: map[string]*rate.Limiter{}} }

func (t *throttle) limiter(who string) *rate.Limiter {
	l := t.who[who]
	if l == nil {
		if len(t.who) > 10_000 {
			t.who = map[string]*rate.Limiter{}
		}
		l = rate.NewLimiter(rate.Every(failureEvery), failuresAtOnce)
		t.who[who] = l
	}
	return l
}

func (t *throttle) allowed(who string) (time.Duration, bool) {
	t.mu.Lock()
	defer t.mu.Unlock()
	l := t.who[who]
	if l == nil || l.Tokens() >= 1 {
		return 0, true
	}
	return failureEvery, false
}

func (t *throttle) failed(who string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.limiter(who).Allow()
}

// sameOrigin refuses a change that another site's page asks for. A GET changes nothing, but the live stream is guarded too.
func (s *Server) sameOrigin(c *gin.Context) {
	r := c.Request
	safe := (r.Method == http.MethodGet || r.Method == http.MethodHead) && r.Header.Get("Upgrade") == ""
	if safe || originFits(r) || bearer(r) != "" { // no browser sends a key by itself
		return
	}
	s.fail(c, errOrigin)
}

func originFits(r *http.Request) bool {
	origin, err := url.Parse(r.Header.Get("Origin"))
	return err == nil && origin.Host != "" && strings.EqualFold(origin.Host, r.Host)
}

// signOutAfter ends with ctx, or when the session is gone; it looks every minute.
func (s *Server) sessionGone(ctx context.Context, cookie string) bool {
	loaded, err := s.sessions.Load(context.WithoutCancel(ctx), cookie)
	return err == nil && s.sessions.GetString(loaded, userKey) == ""
}
