package e2e_test

import (
	"bytes"
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"log/slog"
	"net/http"
	"os"
	"path/filepath"
	"runtime"
	"strconv"
	"testing"
	"time"

	"trundo/internal/desk/firm"

	"github.com/alexedwards/argon2id"
	"github.com/google/uuid"
	"github.com/jonboulle/clockwork"
	"github.com/stretchr/testify/require"

	"trundo/internal/app"
	"trundo/internal/carrier"
	"trundo/internal/carrier/sim"
	"trundo/internal/contract"
	"trundo/internal/core/callable"
	"trundo/internal/demo"
	"trundo/internal/store"
	"trundo/internal/store/pgtest"
	"trundo/web"
)

var (
	browser context.Context
	folder  string // of what the tests share
)

func TestMain(m *testing.M) {
	flag.Parse()
	if testing.Short() {
		fmt.Println("browser tests are left out with -short")
		os.Exit(0)
	}
	// Windows wait for the server, and it for the database: a few more tests than there are cores keep these busy.
	asked := false
	flag.Visit(func(f *flag.Flag) { asked = asked || f.Name == "test.parallel" })
	if !asked {
		_ = flag.Set("test.parallel", strconv.Itoa(2*runtime.GOMAXPROCS(0)))
	}
	var err error
	if folder, err = os.MkdirTemp("", "trundo-e2e-*"); err != nil {
		panic(err)
	}
	var stop func()
	browser, stop = startBrowser()
	defer stop()
	pgtest.Main(exiting{m, stop})
}

// exiting ends the browser before pgtest.Main ends the process.
type exiting struct {
	m    *testing.M
	stop func()
}

func (e exiting) Run() int {
	code := e.m.Run()
	e.stop()
	_ = os.RemoveAll(folder)
	return code
}

// says is what somebody says who is called in the tests of voices; everybody else is silent.
var says = map[string]sim.Script{demo.AnswersSoon: {Acts: []sim.Act{{Say: "Good day. It is about the tank behind " +
	"the greenhouse. It has been leaking since Monday, and the pump runs all the time."},
	{Say: "Could somebody come before the weekend? I would be here from eight o'clock on."},
	// However long a pause of the recording lasts on a slow machine, whole sentences come after it.
	{Say: "The key is at the gate."}, {Say: "Somebody is always there."}, {Say: "The pump is new."},
	{Say: "The old one is in the shed."},
	{Say: "It was the second one."}, {Say: "The first ran for years."}, {Say: "We water at night."},
	{Say: "It is quiet then."},
	{Say: "The neighbors asked about it."}, {Say: "They have a tank too."}, {Say: "Theirs is smaller."},
	{Say: "It is older as well."}}},
	demo.HasLowBeep: demo.Outside(demo.HasLowBeep).Script, demo.HasMenu: demo.Outside(demo.HasMenu).Script}

// world is a running server with the demo's firm, in which everybody rings until the test says what they do.
type world struct {
	*app.App
	sim  *sim.Sim
	url  string
	data string // its folder
}

// start serves the demo's firm from a database at url, or from a fresh one where url is empty.
func start(t *testing.T, url, addr, data string) *world {
	t.Helper()
	return serve(t, url, addr, data, "") // without sound, which costs every window a connection
}

// startSpeaking serves the demo's firm with sound.
func startSpeaking(t *testing.T) *world {
	t.Helper()
	return serve(t, "", "127.0.0.1:0", "", "127.0.0.1:0")
}

func serve(t *testing.T, url, addr, data, sound string) *world {
	t.Helper()
	if url == "" {
		url = pgtest.Copy(t, "demo", func(s *store.Store) {
			require.NoError(t, demo.Fill(t.Context(), s, demo.First, time.Now()))
			// Everybody signs in many times here, with a hash that is as quick to check as it would be to guess.
			hash, err := argon2id.CreateHash(firm.DemoPassword,
				&argon2id.Params{Memory: 64, Iterations: 1, Parallelism: 1, SaltLength: 16, KeyLength: 32})
			require.NoError(t, err)
			_, err = s.Pool.Exec(t.Context(), `UPDATE users SET password_hash = $1`, hash)
			require.NoError(t, err)
		})
	}
	s, err := store.Open(t.Context(), url, 2)
	require.NoError(t, err)
	users, err := s.CountUsers(t.Context())
	require.NoError(t, err)
	if users == 0 {
		require.NoError(t, demo.Fill(t.Context(), s, demo.First, time.Now()))
	}
	s.Close()
	return serveWhatIsThere(t, app.Config{DatabaseURL: url, Addr: addr, SoundAddr: sound, DataDir: data, Demo: true,
		MailDomain: "lindenfall.example"})
}

// startEmpty serves a firm to which nobody belongs yet.
func startEmpty(t *testing.T) *world {
	t.Helper()
	return serveWhatIsThere(t, app.Config{DatabaseURL: pgtest.URL(t), Addr: "127.0.0.1:0"})
}

func serveWhatIsThere(t *testing.T, c app.Config) *world {
	t.Helper()
	if c.DataDir == "" {
		c.DataDir = t.TempDir()
	}
	c.DataDir = filepath.Join(c.DataDir, "data")
	w := &world{data: c.DataDir}
	c.ServerName, c.Clock, c.Web = "e2e", clockwork.NewRealClock(), web.Dist()
	c.Log = slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelError}))
	c.Carrier = func(clockwork.Clock) carrier.Carrier {
		w.sim = sim.New(clockwork.NewFakeClock(), "US",
			func(to string) sim.Behaviour { return sim.Behaviour{RingsOn: true, Script: says[to]} })
		return w.sim
	}
	var err error
	w.App, err = app.Start(t.Context(), c)
	require.NoError(t, err)
	t.Cleanup(func() { w.Stop(context.Background()) })
	w.Desk.Hours = callable.Hours{To: 24 * 60} // tests run at night too
	w.url = "http://" + w.Addr
	return w
}

// signedIn opens a window in which somebody of the demo is signed in already: the page for it has tests of its own.
func (w *world) signedIn(t *testing.T, name string) *window {
	t.Helper()
	var user uuid.UUID
	var login string
	require.NoError(t, w.Store.Pool.QueryRow(t.Context(), `SELECT id, login FROM users WHERE name LIKE $1 || '%'`,
		name).Scan(&user, &login))
	body, err := json.Marshal(contract.SignIn{Login: login, Password: firm.DemoPassword})
	require.NoError(t, err)
	var answer *http.Response
	require.Eventually(t, func() bool { // a machine that is too busy says so, and is asked again
		r, err := http.NewRequestWithContext(t.Context(), http.MethodPost, w.url+"/api/session", bytes.NewReader(body))
		require.NoError(t, err)
		r.Header.Set("Origin", w.url)
		r.Header.Set("Content-Type", "application/json")
		answer, err = http.DefaultClient.Do(r)
		require.NoError(t, err)
		require.NoError(t, answer.Body.Close())
		return answer.StatusCode != http.StatusServiceUnavailable
	}, patience, pace)
	require.Equal(t, http.StatusOK, answer.StatusCode)
	win := openIn(t, browser, w.url, answer.Cookies()...)
	win.see("Hello, ")
	require.Eventually(t, func() bool { return w.Desk.Hub.Reached(user) }, patience, pace,
		"nobody is rung whose window is not connected")
	return win
}

// numberOf gives the normal form of a number as it is read in the demo.
const (
	berit       = "Berit Osterlund"
	beritMobile = demo.AnswersSoon
	nursery     = "Vesper Hollow Nursery"
)
