package app_test

import (
	"io"
	"log/slog"
	"net"
	"net/http"
	"testing"
	"testing/fstest"

	"github.com/jonboulle/clockwork"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/app"
	"trundo/internal/carrier"
	"trundo/internal/carrier/sim"
	"trundo/internal/demo"
	"trundo/internal/store/pgtest"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

func config(t *testing.T, url string) app.Config {
	return app.Config{DatabaseURL: url, Addr: "127.0.0.1:0", MetricsAddr: "127.0.0.1:0", DataDir: t.TempDir(),
		Clock: clockwork.NewRealClock(), Web: fstest.MapFS{},
		Log:     slog.New(slog.DiscardHandler),
		Carrier: func(c clockwork.Clock) carrier.Carrier { return sim.New(c, "US", demo.Outside) }}
}

func TestItServesAndStops(t *testing.T) {
	a, err := app.Start(t.Context(), config(t, pgtest.URL(t)))
	require.NoError(t, err)
	r, err := http.Get("http://" + a.Addr + "/readyz")
	require.NoError(t, err)
	text, err := io.ReadAll(r.Body)
	require.NoError(t, err)
	require.NoError(t, r.Body.Close())
	assert.Equal(t, "ready\n", string(text))
	a.Stop(t.Context())
	_, err = http.Get("http://" + a.Addr + "/readyz")
	assert.Error(t, err)
}

func TestWhatCannotStartSaysWhyInOneSentence(t *testing.T) {
	taken, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer taken.Close()
	c := config(t, pgtest.URL(t))
	c.Addr = taken.Addr().String()
	_, err = app.Start(t.Context(), c)
	assert.ErrorContains(t, err, "is in use or not allowed: end what listens there, or set TRUNDO_ADDR")
	assert.Error(t, app.PortFree(c.Addr))
	c = config(t, pgtest.URL(t))
	c.MetricsAddr = taken.Addr().String()
	_, err = app.Start(t.Context(), c)
	assert.ErrorContains(t, err, "TRUNDO_METRICS_ADDR")
	_, err = app.Start(t.Context(), config(t, "postgres://nobody@127.0.0.1:1/none"))
	assert.ErrorContains(t, err, "the database does not answer")
	_, err = app.Start(t.Context(), config(t, "what is this"))
	assert.ErrorContains(t, err, "DATABASE_URL")
}
