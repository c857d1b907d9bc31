package httpapi

import (
	"bytes"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"io/fs"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"
	"github.com/klauspost/compress/gzhttp"
)

// nonceMark stands in index.html where the nonce of the answer goes.
const nonceMark = "__CSP_NONCE__"

// pages serves the built front end: files by name, and index.html for every other address.
type pages struct {
	index []byte
	files http.Handler
	web   fs.FS
}

func newPages(web fs.FS) (*pages, error) {
	index, err := fs.ReadFile(web, "index.html")
	if errors.Is(err, fs.ErrNotExist) {
		index = []byte("<!doctype html><title>Trundo</title><p>The front end has not been built. Run `make build`.")
	} else if err != nil {
		return nil, err
	}
	return &pages{index: index, files: gzhttp.GzipHandler(http.FileServerFS(web)), web: web}, nil
}

func newNonce() string {
	b := make([]byte, 16)
	_, _ = rand.Read(b) // never fails
	return base64.RawStdEncoding.EncodeToString(b)
}

func (s *Server) page(c *gin.Context) {
	path := strings.TrimPrefix(c.Request.URL.Path, "/")
	if strings.HasPrefix(path, "api/") || (c.Request.Method != http.MethodGet && c.Request.Method != http.MethodHead) {
		s.fail(c, errNoSuchPath)
		return
	}
	if info, err := fs.Stat(s.pages.web, path); err == nil && !info.IsDir() && path != "index.html" {
		if strings.HasPrefix(path, "assets/") {
			c.Header("Cache-Control", "public, max-age=31536000, immutable") // their names carry a hash
		}
		c.Status(http.StatusOK)
		s.pages.files.ServeHTTP(c.Writer, c.Request)
		return
	}
	if strings.HasPrefix(path, "assets/") {
		s.fail(c, errNoSuchPath)
		return
	}
	nonce := newNonce()
	c.Header("Content-Security-Policy", policy(nonce))
	c.Header("Cache-Control", "no-store")
	c.Data(http.StatusOK, "text/html; charset=utf-8", bytes.ReplaceAll(s.pages.index, []byte(nonceMark), []byte(nonce)))
}

// policy allows nothing inline but styles with this answer's nonce, which the primitives inject, and nothing foreign.
func policy(nonce string) string {
	style := "style-src 'self'"
	if nonce != "" {
		style += " 'nonce-" + nonce + "'"
	}
	return strings.Join([]string{"default-src 'none'", "script-src 'self'", style, "img-src 'self' data:",
		"font-src 'self'", "connect-src 'self'", "media-src 'self'",
		"manifest-src 'self'", "base-uri 'none'", "form-action 'self'", "frame-ancestors 'none'"}, "; ")
}

// secure sets the headers that every answer has.
func secure(tls bool) gin.HandlerFunc {
	return func(c *gin.Context) {
		h := c.Writer.Header()
		h.Set("Content-Security-Policy", policy(""))
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		h.Set("X-Frame-Options", "DENY")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		h.Set("Cross-Origin-Resource-Policy", "same-origin")
		h.Set("Permissions-Policy", "microphone=(self), camera=(), geolocation=()")
		if tls {
			h.Set("Strict-Transport-Security", "max-age=31536000; includeSubDomains")
		}
		if strings.HasPrefix(c.Request.URL.Path, "/api/") {
			h.Set("Cache-Control", "no-store")
		}
	}
}
