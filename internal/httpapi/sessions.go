package httpapi

import (
	"context"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"trundo/internal/desk/firm"

	"github.com/alexedwards/scs/v2"
	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"trundo/internal/contract"
)

// cookieName is the session's. Where it is only sent over TLS its name says that no other host can have set it (RFC
// 6265bis, 4.1.3.2).
func cookieName(secure bool) string {
	if secure {
		return "__Host-trundo"
	}
	return "trundo_session"
}

// A session lasts a working day without use, and two weeks at most.
const (
	sessionIdle = 12 * time.Hour
	sessionLife = 14 * 24 * time.Hour
	sessionSeen = 5 * time.Minute // how exactly it is known when one was used last
)

// What a session holds.
const (
	userKey  = "user"  // whose it is
	idKey    = "id"    // its name, which is no secret
	beganKey = "began" // in microseconds
	seenKey  = "seen"  // in seconds
	fromKey  = "from"
	agentKey = "agent"
	// strongKey: it began with two factors in one
	strongKey = "strong"
)

func newSessions(store scs.Store, secure bool) *scs.SessionManager {
	m := scs.New()
	m.Store = &rememberingStore{store: store, seen: map[string]seenSession{}}
	m.Lifetime = sessionLife
	m.HashTokenInStore = true
	m.Cookie.Name = cookieName(secure)
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
	said  int // how often something was to be forgotten: what was read before is not remembered after
}

type seenSession struct {
	data  []byte
	at    time.Time
	tried time.Time // when it was last asked for in vain
}

const (
	sessionFresh = 5 * time.Second
	sessionAgain = time.Second // until a database that did not answer is asked again
)

func (r *rememberingStore) Find(token string) ([]byte, bool, error) {
	return r.FindCtx(context.Background(), token)
}

// sessionPatience is for how long the database is waited for where a session is remembered.
const sessionPatience = 100 * time.Millisecond

// All implements scs.IterableStore.
func (r *rememberingStore) All() (map[string][]byte, error) {
	if all, ok := r.store.(scs.IterableStore); ok {
		return all.All()
	}
	return nil, nil
}

// CommitCtx implements scs.CtxStore.
func (r *rememberingStore) CommitCtx(ctx context.Context, token string, data []byte, expiry time.Time) error {
	defer r.forget(token)
	if store, ok := r.store.(scs.CtxStore); ok {
		return store.CommitCtx(ctx, token, data, expiry)
	}
	return r.store.Commit(token, data, expiry)
}

// DeleteCtx implements scs.CtxStore.
func (r *rememberingStore) DeleteCtx(ctx context.Context, token string) error {
	defer r.forget(token)
	if store, ok := r.store.(scs.CtxStore); ok {
		return store.DeleteCtx(ctx, token)
	}
	return r.store.Delete(token)
}

func (r *rememberingStore) find(ctx context.Context, token string) ([]byte, bool, error) {
	if store, ok := r.store.(scs.CtxStore); ok {
		return store.FindCtx(ctx, token)
	}
	return r.store.Find(token)
}

// FindCtx implements scs.CtxStore.
func (r *rememberingStore) FindCtx(ctx context.Context, token string) ([]byte, bool, error) {
	r.mu.Lock()
	s, hit := r.seen[token]
	said := r.said
	r.mu.Unlock()
	if hit && (time.Since(s.at) < sessionFresh || time.Since(s.tried) < sessionAgain &&
		time.Since(s.at) < sessionIdle) {
		return s.data, true, nil
	}
	if hit {
		var cancel context.CancelFunc
		ctx, cancel = context.WithTimeout(ctx, sessionPatience)
		defer cancel()
	}
	data, found, err := r.find(ctx, token)
	switch {
	case err != nil && hit && time.Since(s.at) < sessionIdle:
		s.tried = time.Now()
		r.mu.Lock()
		defer r.mu.Unlock()
		if r.said != said { // it was changed or ended meanwhile: what was remembered is worth nothing
			return nil, false, err
		}
		r.seen[token] = s
		return s.data, true, nil
	case err != nil:
		return nil, false, err
	case !found:
		r.forget(token)
		return nil, false, nil
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.said != said {
		return data, true, nil
	}
	if len(r.seen) > 10_000 {
		r.seen = map[string]seenSession{}
	}
	r.seen[token] = seenSession{data: data, at: time.Now()}
	return data, true, nil
}

func (r *rememberingStore) forget(token string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	delete(r.seen, token)
	r.said++
}

// Commit implements scs.Store.
func (r *rememberingStore) Commit(token string, data []byte, expiry time.Time) error {
	defer r.forget(token)
	return r.store.Commit(token, data, expiry)
}

// Delete implements scs.Store.
func (r *rememberingStore) Delete(token string) error {
	defer r.forget(token)
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
	cookie, err := c.Cookie(s.sessions.Cookie.Name)
	if err != nil || len(cookie) > 200 {
		s.fail(c, firm.ErrSignedOut)
		return
	}
	a, ctx, err := s.session(c.Request.Context(), cookie)
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Request = c.Request.WithContext(ctx)
	c.Set("actor", a)
	if c.FullPath() == "/api/session" {
		return
	}
	missing, err := s.desk.NeedsSecondFactor(ctx, a)
	if err == nil && missing {
		err = firm.ErrSecondFactorMissing
		if setsUpSecondFactor(c) {
			err = s.desk.Entry.MaySetUp(ctx, a)
		}
	}
	if err != nil {
		s.fail(c, err)
	}
}

// setsUpSecondFactor tells whether a request is one of those by which somebody sets up the second factor that the firm
// asks for: nothing else is possible before.
func setsUpSecondFactor(c *gin.Context) bool {
	return c.FullPath() == "/api/second-factor" || c.FullPath() == "/api/passkeys"
}

// session is whose session a cookie is, and the context with which it is changed. Error: desk.ErrSignedOut, also where
// it was not used for too long, or ended with all others.
func (s *Server) session(ctx context.Context, cookie string) (firm.Actor, context.Context, error) {
	ctx, err := s.sessions.Load(ctx, cookie)
	if err != nil {
		return firm.Actor{}, ctx, err
	}
	id, err := uuid.Parse(s.sessions.GetString(ctx, userKey))
	if err != nil {
		return firm.Actor{}, ctx, firm.ErrSignedOut
	}
	a, err := s.desk.Actor(ctx, id)
	if err != nil {
		return a, ctx, err
	}
	a.Strong = s.sessions.GetBool(ctx, strongKey)
	now := time.Now()
	seen := time.Unix(s.sessions.GetInt64(ctx, seenKey), 0)
	if now.Sub(seen) > sessionIdle || time.UnixMicro(s.sessions.GetInt64(ctx, beganKey)).Before(a.SessionsFrom) {
		return a, ctx, firm.ErrSignedOut
	}
	if now.Sub(seen) > sessionSeen && !s.desk.Calls.Away() {
		s.sessions.Put(ctx, seenKey, now.Unix())
		quick, cancel := context.WithTimeout(ctx, sessionPatience) // nobody waits for it
		defer cancel()
		if _, _, err := s.sessions.Commit(quick); err != nil {
			s.log.Warn("when a session was used could not be kept", "error", err)
		}
	}
	return a, ctx, nil
}

// open tells the paths that need no session: the sign-in itself and what stands on its page.
func open(c *gin.Context) bool {
	switch c.FullPath() {
	case "/api/demo/people", "/api/first-admin", "/api/sign-in-link", "/api/forgotten-password", "/api/sign-in-ways",
		"/api/sign-in/provider", "/api/sign-in/provider/back", "/api/session/passkey":
		return true
	case "/api/session":
		return c.Request.Method == http.MethodPost
	}
	return false
}

func actor(c *gin.Context) firm.Actor { return c.MustGet("actor").(firm.Actor) }

// SignIn implements ServerInterface.
func (s *Server) SignIn(c *gin.Context) {
	in, ok := read[contract.SignIn](s, c)
	if !ok {
		return
	}
	login, from := firm.FoldLogin(in.Login), c.ClientIP()
	if wait, ok := s.throttle.try(login, from, time.Now()); !ok {
		retryAfter(c, wait)
		s.fail(c, errThrottled)
		return
	}
	a, err := s.desk.SignIn(c.Request.Context(),
		firm.Credentials{Login: in.Login, Password: in.Password, Code: text(in.Code), From: from})
	if err != nil {
		s.fail(c, err)
		return
	}
	s.throttle.in(login, from, time.Now())
	if err := s.openSession(c, a, false); err != nil {
		s.fail(c, err)
		return
	}
	me, err := s.desk.Me(c.Request.Context(), a)
	answer(s, c, http.StatusOK, me, err)
}

// openSession makes a session with a new token and hands it to the browser; strong: it begins with two factors in one.
func (s *Server) openSession(c *gin.Context, a firm.Actor, strong bool) error {
	ctx, err := s.sessions.Load(c.Request.Context(), "")
	if err != nil {
		return err
	}
	now := time.Now()
	s.sessions.Put(ctx, userKey, a.ID.String())
	s.sessions.Put(ctx, idKey, uuid.NewString())
	s.sessions.Put(ctx, beganKey, now.UnixMicro())
	s.sessions.Put(ctx, seenKey, now.Unix())
	s.sessions.Put(ctx, provedKey, now.UnixMicro())
	s.sessions.Put(ctx, strongKey, strong)
	s.sessions.Put(ctx, fromKey, c.ClientIP())
	agent := c.Request.UserAgent()
	s.sessions.Put(ctx, agentKey, agent[:min(len(agent), 300)])
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
	if cookie, err := c.Cookie(s.sessions.Cookie.Name); err == nil {
		s.windows.endSession(cookie)
	}
	s.sessions.WriteSessionCookie(ctx, c.Writer, "", time.Time{})
	c.Status(http.StatusNoContent)
}

// sameOrigin refuses a change that another site's page asks for. A GET changes nothing, but the live stream is guarded
// too.
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

// Sessions that somebody has.
type heldSession struct {
	token string // as it is stored
	view  contract.Session
}

// sessionsOf are those of somebody, the last used first.
func (s *Server) sessionsOf(a firm.Actor, current string) ([]heldSession, error) {
	all, err := s.sessions.Store.(scs.IterableStore).All()
	if err != nil {
		return nil, err
	}
	var held []heldSession
	for token, data := range all {
		_, values, err := s.sessions.Codec.Decode(data)
		if err != nil {
			return nil, err
		}
		text := func(key string) string { v, _ := values[key].(string); return v }
		number := func(key string) int64 { v, _ := values[key].(int64); return v }
		began := time.UnixMicro(number(beganKey))
		if text(userKey) != a.ID.String() || began.Before(a.SessionsFrom) ||
			time.Since(time.Unix(number(seenKey), 0)) > sessionIdle {
			continue
		}
		held = append(held, heldSession{token,
			contract.Session{ID: text(idKey), From: text(fromKey), Agent: text(agentKey), BeganAt: began,
				SeenAt:  time.Unix(number(seenKey), 0),
				Current: text(idKey) == current}})
	}
	slices.SortFunc(held, func(x, y heldSession) int { return y.view.SeenAt.Compare(x.view.SeenAt) })
	return held, nil
}

// ListSessions implements ServerInterface.
func (s *Server) ListSessions(c *gin.Context) {
	held, err := s.sessionsOf(actor(c), s.sessionID(c))
	views := []contract.Session{}
	for _, h := range held {
		views = append(views, h.view)
	}
	answer(s, c, http.StatusOK, views, err)
}

// EndSessions implements ServerInterface.
func (s *Server) EndSessions(c *gin.Context) {
	a := actor(c)
	if err := s.desk.EndSessions(c.Request.Context(), a); err != nil {
		s.fail(c, err)
		return
	}
	s.windows.endUser(a.ID)
	s.SignOut(c)
}

// EndSession implements ServerInterface.
func (s *Server) EndSession(c *gin.Context, key string) {
	held, err := s.sessionsOf(actor(c), s.sessionID(c))
	if err != nil {
		s.fail(c, err)
		return
	}
	at := slices.IndexFunc(held, func(h heldSession) bool { return h.view.ID == key })
	if at < 0 {
		s.fail(c, firm.ErrNotFound)
		return
	}
	err = s.sessions.Store.Delete(held[at].token)
	if err == nil {
		s.windows.endThose(func(x *openWindow) bool { return x.session == key })
	}
	nothing(s, c, err)
}

// sessionID is the name of the session with which something is asked; "" with a key.
func (s *Server) sessionID(c *gin.Context) string {
	if bearer(c.Request) != "" {
		return ""
	}
	return s.sessions.GetString(c.Request.Context(), idKey)
}
