// Package httpapi is the desk as HTTP: Gin handlers over the use cases, sign-in, problems, limits, live events, the
// embedded front end. Its routes are generated from api/openapi.yaml.
//
// It must not hold a rule of the job, nor decide who may do what.
package httpapi

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"net/http"
	"net/url"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"trundo/internal/desk/calls"
	"trundo/internal/desk/firm"

	"github.com/alexedwards/scs/v2"
	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"trundo/internal/contract"
	"trundo/internal/desk"
)

// Limits of a request.
const (
	maxBody        = 2 << 20 // 256 kB of notes, with every character escaped
	requestTimeout = 10 * time.Second
)

var (
	errOrigin     = errors.New("this request comes from another site and was not carried out")
	errTooLarge   = errors.New("this request is too large; nothing of it was saved")
	errThrottled  = errors.New("too many attempts to sign in; wait a minute and try again")
	errNoSuchPath = errors.New("there is nothing at this address")
)

// Config is what a server is made of.
type Config struct {
	Desk     *desk.Desk
	Sessions scs.Store // where sign-in sessions are kept
	Web      fs.FS     // the built front end
	Log      *slog.Logger
	Secure   bool     // cookies only over TLS
	Proxies  []string // addresses, or ranges, of proxies whose word about a client's address counts; none: nobody's
	Metrics  *Metrics
	Outside  OtherSide // the other side of the simulated network; nil with a real one
	Morning  Morning   // calls that the outside makes by itself; nil without
	Mailbag  Mailbag   // what the stand-in of the post has got; nil with a real one alone
	// ProofLasts is for how long somebody who has typed their password need not type it again for what gives rights; 0:
	// ten
	// minutes.
	ProofLasts time.Duration
}

// Server is the HTTP side of a desk.
type Server struct {
	desk     *desk.Desk
	log      *slog.Logger
	sessions *scs.SessionManager
	throttle *throttle
	windows  *windows
	offers   *throttle
	forms    *throttle
	routes   map[string]*routers.Route // of the contract
	engine   *gin.Engine
	outside  OtherSide
	morning  Morning
	pages    *pages
	mailbag  Mailbag
	proof    time.Duration
	saving   sync.Mutex // one after another saves settings that are saved as a whole
}

// described is the contract with its operations by method and by the path as Gin writes it: what Gin has routed is not
// looked for again.
type described struct {
	spec   *openapi3.T
	routes map[string]*routers.Route
}

// readContract reads the contract once for all servers of a process, which change nothing of it.
var readContract = sync.OnceValues(func() (described, error) {
	spec, err := GetSpec()
	if err != nil {
		return described{}, err
	}
	spec.Servers = nil
	routes := map[string]*routers.Route{}
	for path, item := range spec.Paths.Map() {
		for method, operation := range item.Operations() {
			routes[method+" "+parameter.ReplaceAllString(path, ":$1")] = &routers.Route{Spec: spec, Path: path,
				PathItem: item, Method: method, Operation: operation}
		}
	}
	return described{spec, routes}, nil
})

// parameter is one in a path of the contract.
var parameter = regexp.MustCompile(`\{(\w+)\}`)

// New makes a server; it is an http.Handler.
func New(c Config) (*Server, error) {
	described, err := readContract()
	if err != nil {
		return nil, err
	}
	pages, err := newPages(c.Web)
	if err != nil {
		return nil, err
	}
	s := &Server{desk: c.Desk, log: c.Log, sessions: newSessions(c.Sessions, c.Secure), throttle: newThrottle(),
		windows: newWindows(), offers: newOffers(), forms: newForms(), routes: described.routes, pages: pages, outside: c.Outside,
		morning: c.Morning, mailbag: c.Mailbag, proof: cmp.Or(c.ProofLasts, proofLasts)}
	gin.SetMode(gin.ReleaseMode)
	e := gin.New()
	e.HandleMethodNotAllowed = true
	if err := e.SetTrustedProxies(c.Proxies); err != nil {
		return nil, fmt.Errorf("the proxies that are trusted: %w", err)
	}
	e.Use(s.identify, s.recover, secure(c.Secure), s.cleanAddress)
	if c.Metrics != nil {
		e.Use(c.Metrics.count)
	}
	e.GET("/healthz", func(g *gin.Context) { g.String(http.StatusOK, "ok") })
	e.GET("/readyz", s.ready)
	e.GET("/api/openapi.json", func(g *gin.Context) { g.JSON(http.StatusOK, described.spec) })
	e.GET("/api/live", s.sameOrigin, s.signedIn, s.live)
	s.files(e)
	api := e.Group("", s.limit, s.sameOrigin, s.clean, s.validate, s.unchanged)
	RegisterHandlersWithOptions(api, s, GinServerOptions{
		Middlewares:  []MiddlewareFunc{MiddlewareFunc(s.signedIn), MiddlewareFunc(s.proving)},
		ErrorHandler: func(g *gin.Context, err error, _ int) { s.fail(g, &firm.FieldError{Field: "id", Err: err}) },
	})
	e.NoRoute(s.page)
	e.NoMethod(func(g *gin.Context) { s.fail(g, errNoSuchPath) })
	s.engine = e
	return s, nil
}

func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) { s.engine.ServeHTTP(w, r) }

// identify gives every request an id, which stands in the log and in every problem.
func (s *Server) identify(c *gin.Context) {
	id := uuid.NewString()
	c.Set("request_id", id)
	c.Header("X-Request-Id", id)
	start := time.Now()
	c.Next()
	level := slog.LevelDebug
	if c.Writer.Status() >= 500 {
		level = slog.LevelWarn
	}
	s.log.LogAttrs(c.Request.Context(), level, "request", slog.String("id", id),
		slog.String("method", c.Request.Method),
		slog.String("path", loggedPath(c)), slog.Int("status", c.Writer.Status()),
		slog.Duration("took", time.Since(start)))
}

func requestID(c *gin.Context) string { return c.GetString("request_id") }

// recover turns a panic into a problem, so that there is never a blank answer.
func (s *Server) recover(c *gin.Context) {
	defer func() {
		if r := recover(); r != nil {
			err, ok := r.(error)
			if !ok {
				err = errors.New("panic")
			}
			if errors.Is(err, http.ErrAbortHandler) {
				panic(r)
			}
			s.log.Error("panic", "id", requestID(c), "value", r)
			s.fail(c, err)
		}
	}()
	c.Next()
}

// limit bounds a request's size and time.
func (s *Server) limit(c *gin.Context) {
	if c.Request.ContentLength > maxBody {
		s.fail(c, errTooLarge)
		return
	}
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, maxBody)
	ctx, cancel := context.WithTimeout(c.Request.Context(), requestTimeout)
	defer cancel()
	c.Request = c.Request.WithContext(ctx)
	c.Next()
}

// errText is told of a request with a character that nothing here takes.
var errText = errors.New("the request holds a NUL character or text that is not UTF-8; nothing of it was done")

// clean refuses, once and at the border, what the database takes nowhere: NUL characters and bad UTF-8, in JSON.
func (s *Server) clean(c *gin.Context) {
	r := c.Request
	if r.Body == nil || !strings.HasPrefix(r.Header.Get("Content-Type"), "application/json") {
		return
	}
	body, err := io.ReadAll(r.Body)
	if err != nil {
		var long *http.MaxBytesError
		if errors.As(err, &long) {
			err = errTooLarge
		}
		s.fail(c, err)
		return
	}
	r.Body = io.NopCloser(bytes.NewReader(body))
	if !utf8.Valid(body) || bytes.ContainsRune(body, 0) || escapedNUL.Match(body) {
		s.fail(c, &firm.FieldError{Field: "body", Err: errText})
	}
}

// cleanAddress does that for the address and the headers of every request.
func (s *Server) cleanAddress(c *gin.Context) {
	r := c.Request
	query, err := url.QueryUnescape(strings.ReplaceAll(r.URL.RawQuery, "+", "%20"))
	if err != nil || !cleanText(r.URL.Path) || !cleanText(query) || !cleanText(r.Header.Get("Idempotency-Key")) {
		s.fail(c, &firm.FieldError{Field: "address", Err: errText})
	}
}

// escapedNUL is a NUL, or half of a surrogate pair, as JSON can hide it: behind an odd number of backslashes.
var escapedNUL = regexp.MustCompile(`(?:^|[^\\])(?:\\\\)*\\u0000`)

func cleanText(text string) bool { return utf8.ValidString(text) && !strings.ContainsRune(text, 0) }

// validate holds a request against the contract.
func (s *Server) validate(c *gin.Context) {
	params := make(map[string]string, len(c.Params))
	for _, p := range c.Params {
		params[p.Key] = p.Value
	}
	route := s.routes[c.Request.Method+" "+c.FullPath()]
	err := openapi3filter.ValidateRequest(c.Request.Context(),
		&openapi3filter.RequestValidationInput{Request: c.Request, PathParams: params, Route: route,
			Options: &openapi3filter.Options{AuthenticationFunc: openapi3filter.NoopAuthenticationFunc}})
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Next()
}

func (s *Server) ready(c *gin.Context) {
	ctx, cancel := context.WithTimeout(c.Request.Context(), 2*time.Second)
	defer cancel()
	if err := s.desk.Calls.Ready(ctx); err != nil {
		c.String(http.StatusServiceUnavailable, "%s\n", problemOf(err).Detail)
		return
	}
	if s.desk.Calls.DiskLow() {
		c.String(http.StatusOK, "ready, but the disk is nearly full\n")
		return
	}
	c.String(http.StatusOK, "ready\n")
}

// answer writes a use case's result, or its error as a problem.
func answer[T any](s *Server, c *gin.Context, status int, result T, err error) {
	if err != nil {
		s.fail(c, err)
		return
	}
	c.JSON(status, result)
}

// read decodes a request's body, which validate has found to fit the contract.
func read[T any](s *Server, c *gin.Context) (T, bool) {
	var body T
	if err := c.ShouldBindJSON(&body); err != nil {
		s.fail(c, &firm.FieldError{Field: "body", Err: err})
		return body, false
	}
	return body, true
}

func text[T ~string](p *T) string {
	if p == nil {
		return ""
	}
	return string(*p)
}

// ListDemoPeople implements ServerInterface.
func (s *Server) ListDemoPeople(c *gin.Context) {
	people, err := s.desk.DemoPeople(c.Request.Context())
	answer(s, c, http.StatusOK, people, err)
}

// GetMe implements ServerInterface.
func (s *Server) GetMe(c *gin.Context) {
	me, err := s.desk.Me(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, me, err)
}

// GetHistory implements ServerInterface.
func (s *Server) GetHistory(c *gin.Context, id contract.ID, p contract.GetHistoryParams) {
	page, err := s.desk.History(c.Request.Context(), actor(c), id, text(p.Kind), text(p.Before))
	answer(s, c, http.StatusOK, page, err)
}

// ProposeFollowUp implements ServerInterface.
func (s *Server) ProposeFollowUp(c *gin.Context, id contract.ID) {
	if n, ok := read[contract.NotesToRead](s, c); ok {
		v, err := s.desk.Book.ProposeFollowUp(c.Request.Context(), actor(c), id, n.Text)
		answer(s, c, http.StatusOK, v, err)
	}
}

// AddFollowUp implements ServerInterface.
func (s *Server) AddFollowUp(c *gin.Context, id contract.ID, p contract.AddFollowUpParams) {
	if n, ok := read[contract.NewFollowUp](s, c); ok {
		made, err := s.desk.Book.AddFollowUp(c.Request.Context(), actor(c), id, p.IdempotencyKey, n)
		answer(s, c, http.StatusCreated, made, err)
	}
}

// ChangeFollowUp implements ServerInterface.
func (s *Server) ChangeFollowUp(c *gin.Context, id contract.ID) {
	if change, ok := read[contract.FollowUpChange](s, c); ok {
		f, err := s.desk.Book.ChangeFollowUp(c.Request.Context(), actor(c), id, change)
		answer(s, c, http.StatusOK, f, err)
	}
}

// Find implements ServerInterface.
func (s *Server) Find(c *gin.Context, p contract.FindParams) {
	found, err := s.desk.Find(c.Request.Context(), actor(c), text(p.Q))
	answer(s, c, http.StatusOK, found, err)
}

// GetLane implements ServerInterface.
func (s *Server) GetLane(c *gin.Context) {
	lane, err := s.desk.Lane(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, lane, err)
}

// GetToday implements ServerInterface.
func (s *Server) GetToday(c *gin.Context) {
	today, err := s.desk.Today(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, today, err)
}

// GetDesk implements ServerInterface.
func (s *Server) GetDesk(c *gin.Context) {
	d, err := s.desk.Calls.MyDesk(c.Request.Context(), actor(c))
	answer(s, c, http.StatusOK, d, err)
}

// ListCalls implements ServerInterface.
func (s *Server) ListCalls(c *gin.Context, p contract.ListCallsParams) {
	page, err := s.desk.Calls.Calls(c.Request.Context(), actor(c),
		calls.CallQuery{Mine: text(p.Whose) != "team", Way: text(p.Way), Only: text(p.Only), Q: text(p.Q),
			Before: text(p.Before)})
	answer(s, c, http.StatusOK, page, err)
}

// PlaceCall implements ServerInterface.
func (s *Server) PlaceCall(c *gin.Context, p contract.PlaceCallParams) {
	if n, ok := read[contract.NewCall](s, c); ok {
		placed, err := s.desk.Calls.PlaceCall(c.Request.Context(), actor(c), p.IdempotencyKey, n)
		answer(s, c, http.StatusCreated, placed, err)
	}
}

// GetCall implements ServerInterface.
func (s *Server) GetCall(c *gin.Context, id contract.ID) {
	page, err := s.desk.CallPage(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, page, err)
}

// HangUp implements ServerInterface.
func (s *Server) HangUp(c *gin.Context, id contract.ID) {
	if err := s.desk.Calls.HangUp(c.Request.Context(), actor(c), id); err != nil {
		s.fail(c, err)
		return
	}
	c.Status(http.StatusNoContent)
}

// ChangeSlip implements ServerInterface.
func (s *Server) ChangeSlip(c *gin.Context, id contract.ID) {
	if change, ok := read[contract.SlipChange](s, c); ok {
		changed, err := s.desk.Filing.ChangeSlip(c.Request.Context(), actor(c), id, change)
		answer(s, c, http.StatusOK, changed, err)
	}
}

// SaveNotes implements ServerInterface.
func (s *Server) SaveNotes(c *gin.Context, id contract.ID) {
	edit, ok := read[contract.NotesEdit](s, c)
	if !ok {
		return
	}
	notes, err := s.desk.Calls.SaveNotes(c.Request.Context(), actor(c), id, edit)
	status := http.StatusOK
	if !notes.Saved {
		status = http.StatusAccepted
	}
	answer(s, c, status, notes, err)
}

// FileSlip implements ServerInterface.
func (s *Server) FileSlip(c *gin.Context, id contract.ID, p contract.FileSlipParams) {
	var body contract.FileSlip // none is sent by whom no plan was shown
	if c.Request.ContentLength != 0 {
		var ok bool
		if body, ok = read[contract.FileSlip](s, c); !ok {
			return
		}
	}
	filed, err := s.desk.Filing.File(c.Request.Context(), actor(c), id, p.IdempotencyKey, body.Items)
	answer(s, c, http.StatusOK, filed, err)
}

// AttachRecord implements ServerInterface.
func (s *Server) AttachRecord(c *gin.Context, id contract.ID, record uuid.UUID) {
	changed, err := s.desk.Filing.Attach(c.Request.Context(), actor(c), id, record)
	answer(s, c, http.StatusOK, changed, err)
}

// DetachRecord implements ServerInterface.
func (s *Server) DetachRecord(c *gin.Context, id contract.ID, record uuid.UUID) {
	changed, err := s.desk.Filing.Detach(c.Request.Context(), actor(c), id, record)
	answer(s, c, http.StatusOK, changed, err)
}

// AttachNobody implements ServerInterface.
func (s *Server) AttachNobody(c *gin.Context, id contract.ID) {
	changed, err := s.desk.Filing.AttachNobody(c.Request.Context(), actor(c), id)
	answer(s, c, http.StatusOK, changed, err)
}

// retryAfter is how long, in seconds, a throttled client should wait.
func retryAfter(c *gin.Context, d time.Duration) {
	c.Header("Retry-After", strconv.Itoa(int(d.Seconds())+1))
}
