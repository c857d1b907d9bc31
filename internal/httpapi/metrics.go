package httpapi

import (
	"net/http"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"
	dto "github.com/prometheus/client_model/go"

	"trundo/internal/desk"
)

// Metrics are the figures for Prometheus. They are served on a port of their own.
type Metrics struct {
	registry *prometheus.Registry
	requests *prometheus.HistogramVec
}

// NewMetrics makes the figures of one desk.
func NewMetrics(d *desk.Desk) *Metrics {
	m := &Metrics{registry: prometheus.NewRegistry(), requests: prometheus.NewHistogramVec(prometheus.HistogramOpts{
		Name: "trundo_request_seconds", Help: "Time to answer a request.", Buckets: prometheus.ExponentialBuckets(0.001,
			2, 13)},
		[]string{"method", "route", "status"})}
	gauge := func(name, help string, value func() float64) prometheus.Collector {
		return prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: name, Help: help}, value)
	}
	m.registry.MustRegister(m.requests, collectors.NewGoCollector(),
		collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}),
		gauge("trundo_calls_in_progress", "Calls in progress on this server.",
			func() float64 { return float64(d.Calls.CallsInProgress()) }),
		gauge("trundo_live_windows", "Browser windows with an open stream of events.",
			func() float64 { return float64(d.Hub.Windows()) }),
		gauge("trundo_cannot_keep", "1 while neither the database nor the journal takes what is written.",
			func() float64 { return truth(d.Calls.Trouble() != nil) }),
		gauge("trundo_disk_low", "1 while the disk for journal and recordings is nearly full.",
			func() float64 { return truth(d.Calls.DiskLow()) }),
		gauge("trundo_entries_put_aside", "Entries of the journal that could not be saved for their own fault.",
			func() float64 { return float64(d.Calls.PutAside()) }),
		gauge("trundo_database_away", "1 while what is written waits beside the server.",
			func() float64 { return truth(d.Calls.Away()) }))
	return m
}

func truth(is bool) float64 {
	if is {
		return 1
	}
	return 0
}

// Gather gives the figures as they are now.
func (m *Metrics) Gather() ([]*dto.MetricFamily, error) { return m.registry.Gather() }

// Handler serves the figures.
func (m *Metrics) Handler() http.Handler {
	return promhttp.HandlerFor(m.registry, promhttp.HandlerOpts{})
}

// methodLabel is one of few: a label for each invented method would be a series for each.
func methodLabel(method string) string {
	switch method {
	case http.MethodGet,
		http.MethodHead,
		http.MethodPost,
		http.MethodPut,
		http.MethodPatch,
		http.MethodDelete,
		http.MethodOptions:
		return method
	}
	return "other"
}

func (m *Metrics) count(c *gin.Context) {
	start := time.Now()
	c.Next()
	route := c.FullPath()
	if route == "" {
		route = "page"
	}
	if route == "/api/live" {
		return // it lasts as long as its window
	}
	m.requests.WithLabelValues(methodLabel(c.Request.Method), route,
		strconv.Itoa(c.Writer.Status())).Observe(time.Since(start).Seconds())
}
