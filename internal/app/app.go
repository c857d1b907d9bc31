// Package app puts a server together out of its parts and takes it apart again in order. It must not hold anything
// else.
package app

import (
	"cmp"
	"context"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"time"

	"trundo/internal/desk/calls"
	"trundo/internal/desk/firm"

	"github.com/google/uuid"
	"github.com/jonboulle/clockwork"

	"trundo/internal/blobs"
	"trundo/internal/carrier"
	"trundo/internal/carrier/sim"
	"trundo/internal/core/callable"
	"trundo/internal/desk"
	"trundo/internal/httpapi"
	"trundo/internal/media"
	"trundo/internal/post"
	"trundo/internal/store"
)

// Config is what a server is made of.
type Config struct {
	DatabaseURL string
	Addr        string // where the application is served
	MetricsAddr string // where the figures are served; empty: nowhere
	DataDir     string // for the journal
	ServerName  string // empty: host and address
	TLSCert     string
	TLSKey      string
	Proxies     []string // addresses, or ranges, of proxies whose word about a client's address counts
	Secure      bool     // cookies only over TLS, also where a proxy ends it
	Demo        bool
	SoundAddr   string // UDP, for browsers' voices; empty: none is taken
	// the address by which browsers reach it from outside; empty: as this machine knows itself
	SoundPublic string
	SMTP        string        // the mail server, see post.NewSMTP; empty: mails stay in the stand-in
	HooksInside bool          // webhooks may reach this machine
	SecretKey   string        // of 32 bytes, in base64; empty: one that is kept in DataDir
	Hours       string        // when people may be called at their place: "8:00-21:00"; empty: those
	Drain       time.Duration // for how long calls in progress may be finished when it stops
	Public      string        // the address at which browsers reach the firm; empty: it is not known
	MailDomain  string        // of the addresses of reps who have none of their own
	// Recogniser is the address of a program that writes recordings down, see package recogniser, and RecogniserToken
	// its bearer token; empty: the words of a stand-in's people.
	Recogniser, RecogniserToken string
	Recordings                  string // where recordings are put away, see blobs.New; empty: a folder in DataDir
	Carrier                     func(clockwork.Clock) carrier.Carrier
	Clock                       clockwork.Clock
	Web                         fs.FS
	Log                         *slog.Logger
}

// App is a running server.
type App struct {
	Desk     *desk.Desk
	Store    *store.Store
	Addr     string
	morning  *sim.Morning // nil with a real carrier
	studio   *media.Studio
	browsers *media.Browsers
	sessions *store.Sessions
	servers  []*http.Server
	http     *httpapi.Server
	drain    time.Duration
	failed   chan error
}

// windowsPatience is how long windows are given to hear that the server stops.
const windowsPatience = time.Second

// Start migrates the database and serves. The port is taken before anything else: two servers of one name cannot be.
func Start(ctx context.Context, c Config) (*App, error) {
	l, err := listen(c.Addr, "TRUNDO_ADDR")
	if err != nil {
		return nil, err
	}
	a := &App{Addr: l.Addr().String(), failed: make(chan error, 2)}
	if err := a.start(ctx, l, c); err != nil {
		_ = l.Close()
		a.Stop(context.WithoutCancel(ctx))
		return nil, err
	}
	return a, nil
}

func (a *App) start(ctx context.Context, l net.Listener, c Config) (err error) {
	if a.Store, err = store.Open(ctx, c.DatabaseURL, 0); err != nil {
		return err
	}
	if err := a.Store.Pool.Ping(ctx); err != nil {
		return fmt.Errorf("the database does not answer: %w", err)
	}
	if err := a.Store.Migrate(ctx); err != nil {
		return err
	}
	if c.ServerName == "" {
		if c.ServerName, err = ownName(c.DataDir); err != nil {
			return err
		}
	}
	a.studio = media.NewStudio()
	if c.SoundAddr != "" {
		if a.browsers, err = media.NewBrowsers(a.studio, c.SoundAddr, c.SoundPublic, c.Log); err != nil {
			return err
		}
	}
	speech, err := media.NewSpeech(filepath.Join(c.DataDir, "voices"))
	if err != nil {
		return err
	}
	// A word for whoever's rep is cut off; without speech there is soft noise alone.
	if a.studio.Patience, err = speech.Speak(ctx, calls.FirmVoice, "One moment, please."); err != nil {
		c.Log.Warn("greetings and announcements stay silent", "error", err)
	}
	network := c.Carrier(c.Clock)
	if s, ok := network.(*sim.Sim); ok {
		s.Voices(speech)
	}
	recordings, err := blobs.New(cmp.Or(c.Recordings, filepath.Join(c.DataDir, "kept")))
	if err != nil {
		return fmt.Errorf("TRUNDO_RECORDINGS: %w", err)
	}
	standIn := &post.StandIn{}
	var sender post.Sender = standIn
	if c.SMTP != "" {
		if sender, err = post.NewSMTP(c.SMTP, standIn); err != nil {
			return fmt.Errorf("TRUNDO_SMTP: %w", err)
		}
	}
	writes, err := transcriberAt(c.Recogniser, c.RecogniserToken)
	if err != nil {
		return err
	}
	key, err := secretKey(c.SecretKey, c.DataDir)
	if err != nil {
		return err
	}
	outside, simulated := network.(httpapi.OtherSide)
	a.Desk, err = desk.Open(ctx, firm.Config{Store: a.Store, Carrier: network, Simulated: simulated, Clock: c.Clock,
		Log: c.Log, Server: c.ServerName,
		JournalFile: filepath.Join(c.DataDir, "journal.jsonl"), FilesDir: c.DataDir, Demo: c.Demo, Studio: a.studio,
		Browsers: a.browsers, Speech: speech, RecordingStore: recordings,
		Transcriber: writes,
		Post:        sender, MailDomain: c.MailDomain, Public: strings.TrimRight(c.Public, "/"), SecretKey: key, LeaseByDatabase: true,
		Hooks: post.NewHooks(c.Demo || c.HooksInside)})
	if err != nil {
		return err
	}
	if c.Hours != "" {
		if a.Desk.Hours, err = callable.ParseHours(c.Hours); err != nil {
			return err
		}
	}
	var morning httpapi.Morning
	if s, ok := network.(*sim.Sim); ok {
		a.morning = sim.NewMorning(s, a.Desk.Lines)
		morning = a.morning
	}
	a.sessions = a.Store.Sessions(5 * time.Minute)
	metrics := httpapi.NewMetrics(a.Desk)
	handler, err := httpapi.New(httpapi.Config{Desk: a.Desk, Sessions: a.sessions, Web: c.Web, Log: c.Log,
		Secure: c.Secure || c.TLSCert != "", Proxies: c.Proxies, Metrics: metrics, Outside: outside,
		Morning: morning, Mailbag: standIn})
	if err != nil {
		return err
	}
	a.http, a.drain = handler, c.Drain
	a.serve(l, handler, c)
	if c.MetricsAddr != "" {
		ml, err := listen(c.MetricsAddr, "TRUNDO_METRICS_ADDR")
		if err != nil {
			return err
		}
		mux := http.NewServeMux()
		mux.Handle("GET /metrics", metrics.Handler())
		a.serve(ml, mux, Config{})
	}
	return nil
}

func (a *App) serve(l net.Listener, h http.Handler, c Config) {
	server := &http.Server{Handler: h, ReadHeaderTimeout: 5 * time.Second, ReadTimeout: 20 * time.Second,
		WriteTimeout: 30 * time.Second,
		IdleTimeout:  2 * time.Minute, MaxHeaderBytes: 32 << 10,
		ErrorLog: slog.NewLogLogger(slog.DiscardHandler, slog.LevelDebug)}
	a.servers = append(a.servers, server)
	go func() {
		var err error
		if c.TLSCert != "" {
			err = server.ServeTLS(l, c.TLSCert, c.TLSKey)
		} else {
			err = server.Serve(l)
		}
		if !errors.Is(err, http.ErrServerClosed) {
			a.failed <- err
		}
	}()
}

// secretKey is the key for secrets in the database: as it is set, or one that is made once and kept beside the server.
func secretKey(set, dir string) ([]byte, error) {
	if set == "" {
		file := filepath.Join(dir, "secret.key")
		text, err := os.ReadFile(file)
		if errors.Is(err, fs.ErrNotExist) {
			fresh := make([]byte, 32)
			_, _ = rand.Read(fresh)
			text = []byte(base64.StdEncoding.EncodeToString(fresh))
			if err = os.MkdirAll(dir, 0o700); err == nil {
				err = os.WriteFile(file, text, 0o600)
			}
		}
		if err != nil {
			return nil, fmt.Errorf("the key for secrets: %w", err)
		}
		set = strings.TrimSpace(string(text))
	}
	key, err := base64.StdEncoding.DecodeString(set)
	if err != nil || len(key) != 32 {
		return nil, errors.New("TRUNDO_SECRET_KEY is not 32 bytes in base64 (openssl rand -base64 32 makes one)")
	}
	return key, nil
}

// ownName is this server's name: that of its host, with an id that is kept in its folder, so that two servers never
// have one name and a restart keeps it.
func ownName(dir string) (string, error) {
	file := filepath.Join(dir, "server-id")
	id, err := os.ReadFile(file)
	if errors.Is(err, fs.ErrNotExist) {
		id = []byte(uuid.NewString())
		if err = os.MkdirAll(dir, 0o700); err == nil {
			err = os.WriteFile(file, id, 0o600)
		}
	}
	if err != nil {
		return "", fmt.Errorf("this server's id: %w", err)
	}
	host, err := os.Hostname()
	if err != nil {
		host = "trundo"
	}
	return host + "/" + strings.TrimSpace(string(id)), nil
}

// listen takes a port; setting is what names it.
func listen(addr, setting string) (net.Listener, error) {
	l, err := net.Listen("tcp", addr)
	if err != nil {
		return nil, fmt.Errorf("%s is in use or not allowed: end what listens there, or set %s", addr, setting)
	}
	return l, nil
}

// PortFree tells, before anything is started, whether the application can be served at addr.
func PortFree(addr string) error {
	l, err := listen(addr, "TRUNDO_ADDR")
	if err != nil {
		return err
	}
	return l.Close()
}

// Failed tells when serving has failed.
func (a *App) Failed() <-chan error { return a.failed }

// Stop ends the server in order: no new requests, calls ended as cut off, everything saved.
func (a *App) Stop(ctx context.Context) {
	if a.Desk != nil {
		drained, cancel := context.WithTimeout(ctx, a.drain)
		a.Desk.Calls.Drain(drained)
		cancel()
		a.Desk.Hub.Close() // with a word, so that windows come back to whoever serves then
		if a.http != nil {
			a.http.AwaitWindows(windowsPatience)
		}
	}
	ctx, cancel := context.WithTimeout(ctx, 5*time.Second)
	defer cancel()
	for _, s := range a.servers {
		if err := s.Shutdown(ctx); err != nil {
			_ = s.Close()
		}
	}
	if a.morning != nil {
		a.morning.Stop()
	}
	if a.Desk != nil {
		a.Desk.Close()
	}
	if a.studio != nil {
		a.studio.Close()
	}
	if a.browsers != nil {
		_ = a.browsers.Close()
	}
	if a.sessions != nil {
		a.sessions.StopCleanup()
	}
	if a.Store != nil {
		a.Store.Close()
	}
}
