package httpapi

import (
	"bytes"
	"context"
	_ "embed"
	"errors"
	"html/template"
	"net/http"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/gin-gonic/gin"

	"trundo/internal/desk/firm"
	"trundo/internal/desk/webforms"
)

//go:embed web_form.html
var formText string

var formTemplate = template.Must(template.New("form").Parse(formText))

// formPage is what is written into the page of a form.
type formPage struct {
	Form         *webforms.Page
	In           webforms.Filled
	Field, Wrong string // what is wrong with a field
	Trouble      string // what is wrong otherwise
	Done         string // it has been sent
	Nonce        string
}

// A person sends a form once or twice; whoever floods one is slowed down by the address, by the form and in all.
var (
	paceOfSender = pace{10, time.Minute}
	paceOfForm   = pace{60, time.Second}
)

const (
	maxFormBody = 64 << 10
	tooOften    = "Too many messages have come from here. Please try again in a few minutes, or call us."
	tryAgain    = "Something went wrong on our side. Please send it again in a moment."
)

// newForms bounds how often forms are sent.
func newForms() *throttle {
	return &throttle{who: newThrottle().who, all: newOffers().all}
}

// sent counts a form that is sent, and tells whether it is taken.
func (t *throttle) sent(mark, address string, now time.Time) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	for _, l := range []interface{ AllowN(time.Time, int) bool }{t.limiter("address\n"+address, paceOfSender),
		t.limiter("form\n"+mark, paceOfForm), t.all} {
		if !l.AllowN(now, 1) {
			return false
		}
	}
	return true
}

// webForm shows a form on the firm's own pages, and takes what is entered there. It knows no session, and sets no cookie.
func (s *Server) webForm(c *gin.Context) {
	ctx, cancel := context.WithTimeout(c.Request.Context(), requestTimeout)
	defer cancel()
	mark := c.Param("mark")
	form, err := s.desk.Forms.Page(ctx, mark)
	if errors.Is(err, firm.ErrNotFound) {
		c.Data(http.StatusNotFound, "text/plain; charset=utf-8", []byte("There is no form at this address any more.\n"))
		return
	} else if err != nil {
		c.Header("Retry-After", "5")
		c.Data(http.StatusServiceUnavailable, "text/plain; charset=utf-8", []byte(tryAgain+"\n"))
		return
	}
	p := formPage{Form: form}
	if c.Request.Method != http.MethodPost {
		p.show(c, http.StatusOK)
		return
	}
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, maxFormBody)
	if err := c.Request.ParseForm(); err != nil {
		p.Trouble = "This is too long. Please shorten it."
		p.show(c, http.StatusRequestEntityTooLarge)
		return
	}
	p.In = filledIn(c.Request.PostForm.Get)
	if !s.forms.sent(mark, c.ClientIP(), time.Now()) {
		p.Trouble = tooOften
		c.Header("Retry-After", "60")
		p.show(c, http.StatusTooManyRequests)
		return
	}
	var field *firm.FieldError
	p.Done, err = s.desk.Forms.FillIn(ctx, mark, p.In)
	switch {
	case err == nil:
		p.show(c, http.StatusOK)
	case errors.As(err, &field):
		p.Field, p.Wrong = field.Field, strings.ToUpper(field.Err.Error()[:1])+field.Err.Error()[1:]+"."
		if !strings.Contains(" name number when mail text ", " "+p.Field+" ") {
			p.Field, p.Trouble = "", p.Wrong
		}
		p.show(c, http.StatusUnprocessableEntity)
	default:
		s.log.Error("a form was not taken", "id", requestID(c), "error", err)
		p.Trouble = tryAgain
		p.show(c, http.StatusServiceUnavailable)
	}
}

// filledIn is what somebody has entered, without what no database takes.
func filledIn(of func(string) string) webforms.Filled {
	get := func(name string) string {
		text := strings.ReplaceAll(of(name), "\x00", "")
		if !utf8.ValidString(text) {
			text = strings.ToValidUTF8(text, "\uFFFD")
		}
		return text
	}
	return webforms.Filled{Token: get("page"), Name: get("name"), Number: get("number"), Mail: get("mail"),
		When: get("when"), Text: get("text"), Write: get("how") == "write", Trap: get("website")}
}

func (p *formPage) show(c *gin.Context, status int) {
	p.Nonce = newNonce()
	var b bytes.Buffer
	if err := formTemplate.Execute(&b, p); err != nil {
		c.Data(http.StatusInternalServerError, "text/plain; charset=utf-8", []byte(tryAgain+"\n"))
		return
	}
	by := "'none'"
	if len(p.Form.Sites) > 0 {
		by = strings.Join(p.Form.Sites, " ")
	}
	h := c.Writer.Header()
	h.Set("Content-Security-Policy", strings.Join([]string{"default-src 'none'", "style-src 'nonce-" + p.Nonce + "'",
		"base-uri 'none'", "form-action 'self'", "frame-ancestors " + by}, "; "))
	h.Del("X-Frame-Options") // which pages may show it stands in the policy
	h.Set("Referrer-Policy", "no-referrer")
	h.Set("Cache-Control", "no-store")
	c.Data(status, "text/html; charset=utf-8", b.Bytes())
}
