package httpapi

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"mime"
	"net/http"
	"strings"
	"time"

	"trundo/internal/desk"
	"trundo/internal/desk/calls"
	"trundo/internal/desk/firm"
	"trundo/internal/desk/outreach"
	"trundo/internal/desk/webforms"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"trundo/internal/formats"
)

// Files come and go as streams, beside the contract: they may be large and slow, and are held against other limits.
const (
	uploadTime   = 2 * time.Hour
	downloadTime = 2 * time.Hour
)

func (s *Server) files(e *gin.Engine) {
	e.PUT("/api/imports/:id/file", s.sameOrigin, s.signedIn, s.receiveImport)
	e.GET("/api/imports/:id/rejects.csv", s.signedIn, s.rejectsFile)
	e.GET("/api/recordings/:id/sound", s.signedIn, s.recordingSound)
	e.GET("/api/recordings/:id/words.vtt", s.signedIn, s.wordsFile)
	e.POST("/api/sounds", s.sameOrigin, s.signedIn, s.addSound)
	e.GET("/api/sounds/:id", s.signedIn, s.soundFile)
	e.POST("/api/message-files", s.sameOrigin, s.signedIn, s.addMessageFile)
	e.GET("/api/message-files/:id", s.signedIn, s.messageFile)
	e.GET("/api/spoken", s.signedIn, s.spokenFile)
	e.GET("/api/exports/:id", s.signedIn, s.exportFile)
	e.GET("/api/records/:id/everything.zip", s.signedIn, s.everythingFile)
	e.GET("/api/calls.csv", s.signedIn, s.callsFile)
	e.GET("/api/figures/report.csv", s.signedIn, s.reportFile("csv", csvType))
	e.GET("/api/figures/report.xlsx", s.signedIn, s.reportFile("xlsx", xlsxType))
	e.GET("/api/figures/calls.csv", s.signedIn, s.foundCallsFile)
	e.GET("/api/trail.csv", s.signedIn, s.trailFile)
	e.GET("/api/rounds/:id/results.csv", s.signedIn, s.roundFile)
	e.GET("/api/calendar.ics", s.signedIn, s.myCalendar)
	e.GET("/calendar/:secret", s.secretCalendar)
	e.GET(webforms.FormPath+":mark", s.webForm)
	e.POST(webforms.FormPath+":mark", s.webForm)
}

// loggedPath is a request's path without a secret that stands in it.
func loggedPath(c *gin.Context) string {
	for _, secret := range []string{"/calendar/", webforms.FormPath} {
		if strings.HasPrefix(c.Request.URL.Path, secret) {
			return secret + "…"
		}
	}
	return c.Request.URL.Path
}

func (s *Server) pathID(c *gin.Context) (uuid.UUID, bool) {
	id, err := uuid.Parse(c.Param("id"))
	if err != nil {
		s.fail(c, &firm.FieldError{Field: "id", Err: err})
	}
	return id, err == nil
}

func (s *Server) receiveImport(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	control := http.NewResponseController(c.Writer)
	_ = control.SetReadDeadline(time.Now().Add(uploadTime))
	_ = control.SetWriteDeadline(time.Now().Add(uploadTime + time.Minute))
	v, err := s.desk.Files.ReceiveImport(c.Request.Context(), actor(c), id, c.Request.Body)
	answer(s, c, http.StatusOK, v, err)
}

// attachment writes a file; what goes wrong before its first bytes is a problem, and after them breaks it off.
func (s *Server) attachment(c *gin.Context, name, contentType string, write func(context.Context, io.Writer) error) {
	control := http.NewResponseController(c.Writer)
	_ = control.SetWriteDeadline(time.Now().Add(downloadTime))
	c.Header("Content-Type", contentType)
	c.Header("Cache-Control", "no-store")
	if name != "" {
		c.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name))
	}
	if err := write(c.Request.Context(), c.Writer); err != nil {
		if c.Writer.Written() {
			s.log.Error("a file broke off", "id", requestID(c), "path", loggedPath(c), "error", err)
			panic(http.ErrAbortHandler)
		}
		c.Writer.Header().Del("Content-Disposition")
		s.fail(c, err)
	}
}

func (s *Server) rejectsFile(c *gin.Context) {
	if id, ok := s.pathID(c); ok {
		s.attachment(c, "rejected-rows.csv", "text/csv; charset=utf-8", func(ctx context.Context, w io.Writer) error {
			return s.desk.Files.WriteRejects(ctx, actor(c), id, w)
		})
	}
}

func (s *Server) exportFile(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	p, err := s.desk.Files.TakeExport(c.Request.Context(), actor(c), id)
	if err != nil {
		s.fail(c, err)
		return
	}
	s.attachment(c, p.FileName, p.ContentType, p.Write)
}

func (s *Server) callsFile(c *gin.Context) {
	q := calls.CallQuery{Mine: c.Query("whose") != "team", Way: c.Query("way"), Only: c.Query("only"), Q: c.Query("q")}
	s.attachment(c, "calls.csv", "text/csv; charset=utf-8", func(ctx context.Context, w io.Writer) error {
		return s.desk.Calls.WriteCalls(ctx, actor(c), q, w)
	})
}

func (s *Server) trailFile(c *gin.Context) {
	q := desk.TrailQuery{Kind: c.Query("kind"), Q: c.Query("q")}
	if who := c.Query("who"); who != "" {
		id, err := uuid.Parse(who)
		if err != nil {
			s.fail(c, &firm.FieldError{Field: "who", Err: err})
			return
		}
		q.Who = &id
	}
	s.attachment(c, "trail.csv", "text/csv; charset=utf-8", func(ctx context.Context, w io.Writer) error {
		return s.desk.WriteTrail(ctx, actor(c), q, w)
	})
}

func (s *Server) myCalendar(c *gin.Context) {
	s.calendar(c, func(w io.Writer) error { return s.desk.Book.WriteCalendar(c.Request.Context(), actor(c), w) })
}

func (s *Server) secretCalendar(c *gin.Context) {
	secret, _ := strings.CutSuffix(c.Param("secret"), ".ics")
	s.calendar(c, func(w io.Writer) error { return s.desk.Book.WriteSecretCalendar(c.Request.Context(), secret, w) })
}

// calendar is small: it is written whole, or not at all.
func (s *Server) calendar(c *gin.Context, write func(io.Writer) error) {
	var b bytes.Buffer
	if err := write(&b); err != nil {
		s.fail(c, err)
		return
	}
	c.Header("Cache-Control", "no-store")
	c.Header("Content-Disposition", `inline; filename="calendar.ics"`)
	c.Data(http.StatusOK, "text/calendar; charset=utf-8", b.Bytes())
}

// recordingSound serves a recording in parts (RFC 9110, 14), as players ask for it; ?download makes it a file.
func (s *Server) recordingSound(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	f, err := s.desk.Recordings.OpenRecording(c.Request.Context(), actor(c), id, c.Query("download") != "")
	if err != nil {
		s.fail(c, err)
		return
	}
	defer f.Close()
	_ = http.NewResponseController(c.Writer).SetWriteDeadline(time.Now().Add(downloadTime))
	c.Header("Content-Type", f.Type)
	c.Header("Cache-Control", "private, no-store")
	if c.Query("download") != "" {
		c.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", "call-"+id.String()+f.Ending))
	}
	http.ServeContent(c.Writer, c.Request, "", time.Time{}, f)
}

// wordsFile gives what was said in a recording as WebVTT.
func (s *Server) wordsFile(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	words, err := s.desk.Recordings.Words(c.Request.Context(), actor(c), id)
	if err != nil {
		s.fail(c, err)
		return
	}
	cues := make([]formats.Cue, len(words.Phrases))
	for i, p := range words.Phrases {
		speaker := "They"
		if p.Ours {
			speaker = "We"
		}
		cues[i] = formats.Cue{From: time.Duration(p.FromMs) * time.Millisecond,
			To: time.Duration(p.ToMs) * time.Millisecond, Speaker: speaker, Text: p.Text}
	}
	var b bytes.Buffer
	if err := formats.WriteWebVTT(&b, cues); err != nil {
		s.fail(c, err)
		return
	}
	c.Header("Cache-Control", "private, no-store")
	c.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", "call-"+id.String()+".vtt"))
	c.Data(http.StatusOK, "text/vtt; charset=utf-8", b.Bytes())
}

// maxSoundBytes is how large a sound that is brought may be: three minutes of two channels at 48 kHz fit.
const maxSoundBytes = 40 << 20

// addSound keeps a sound as a WAV file.
func (s *Server) addSound(c *gin.Context) {
	id, long, err := s.desk.Voices.AddSound(c.Request.Context(), actor(c), c.Query("name"),
		http.MaxBytesReader(c.Writer, c.Request.Body, maxSoundBytes))
	answer(s, c, http.StatusCreated, gin.H{"id": id, "ms": long.Milliseconds()}, err)
}

// soundFile gives a sound as a WAV file, for whoever wants to hear it before.
func (s *Server) soundFile(c *gin.Context) {
	if id, ok := s.pathID(c); ok {
		body, err := s.desk.Voices.SoundFile(c.Request.Context(), id)
		s.wav(c, body, err)
	}
}

// spokenFile gives a text as it would be spoken.
func (s *Server) spokenFile(c *gin.Context) {
	body, err := s.desk.Voices.SpokenFile(c.Request.Context(), c.Query("text"), c.Query("language"))
	s.wav(c, body, err)
}

func (s *Server) wav(c *gin.Context, body []byte, err error) {
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Header("Cache-Control", "private, no-store")
	c.Data(http.StatusOK, "audio/wav", body)
}

// addMessageFile keeps a file that is to go with a mail.
func (s *Server) addMessageFile(c *gin.Context) {
	f, err := s.desk.Outreach.AddMessageFile(c.Request.Context(), actor(c), c.Query("name"),
		http.MaxBytesReader(c.Writer, c.Request.Body, outreach.MaxFile+1))
	answer(s, c, http.StatusCreated, f, err)
}

// messageFile gives a file of a mail, to be kept and never to be shown as a page of ours.
func (s *Server) messageFile(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	name, _, content, err := s.desk.Outreach.MessageFile(c.Request.Context(), actor(c), id)
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Header("Cache-Control", "private, no-store")
	c.Header("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": name}))
	c.Data(http.StatusOK, "application/octet-stream", content)
}
