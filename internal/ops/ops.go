// Package ops is what watches a running server: whether it lives and is ready, and
// figures for Prometheus, on a listener of its own that only this machine reaches.
// Probes come in; short answers go out. It changes nothing.
package ops

import (
	"context"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"fanfold/internal/app"
	"fanfold/internal/store"
)

// Watch is what watches one server.
type Watch struct {
	app      *app.App
	store    *store.Store
	rig      func() bool // tells whether hosts are heard
	registry *prometheus.Registry
	requests *prometheus.HistogramVec
}

// New returns what watches a server. hears tells whether the rig is connected.
func New(a *app.App, s *store.Store, hears func() bool) *Watch {
	w := &Watch{app: a, store: s, rig: hears, registry: prometheus.NewRegistry()}
	w.requests = prometheus.NewHistogramVec(prometheus.HistogramOpts{
		Name: "fanfold_request_seconds", Help: "How long requests took, by route and status.",
		Buckets: []float64{.001, .003, .01, .03, .1, .3, 1, 3, 10},
	}, []string{"method", "route", "status"})
	w.registry.MustRegister(collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}), w.requests, w)
	return w
}

// Observe notes how long a request took.
func (w *Watch) Observe(method, route string, status int, took time.Duration) {
	w.requests.WithLabelValues(method, route, strconv.Itoa(status)).Observe(took.Seconds())
}

// Handler answers /healthz, /readyz and /metrics.
func (w *Watch) Handler() http.Handler {
	m := http.NewServeMux()
	m.HandleFunc("GET /healthz", func(out http.ResponseWriter, _ *http.Request) { _, _ = fmt.Fprintln(out, "alive") })
	m.HandleFunc("GET /readyz", w.ready)
	m.Handle("GET /metrics", promhttp.HandlerFor(w.registry, promhttp.HandlerOpts{}))
	return m
}

// readyWithin bounds asking whether the database answers.
const readyWithin = 2 * time.Second

func (w *Watch) ready(out http.ResponseWriter, r *http.Request) {
	ctx, stop := context.WithTimeout(r.Context(), readyWithin)
	defer stop()
	var lacks []string
	if err := w.store.Pool.Ping(ctx); err != nil {
		lacks = append(lacks, "the database does not answer")
	}
	if !w.rig() {
		lacks = append(lacks, "hosts are not heard: no line to NATS")
	}
	if !w.app.Listening() {
		lacks = append(lacks, "what other servers write is not heard yet")
	}
	if len(lacks) > 0 {
		out.WriteHeader(http.StatusServiceUnavailable)
		_, _ = fmt.Fprintln(out, strings.Join(lacks, "\n"))
		return
	}
	_, _ = fmt.Fprintln(out, "ready")
}

var (
	openTemplates = prometheus.NewDesc("fanfold_open_templates", "Templates that are open.", nil, nil)
	openBytes     = prometheus.NewDesc("fanfold_open_bytes", "What open templates are estimated to take in memory.", nil, nil)
	watchers      = prometheus.NewDesc("fanfold_watchers", "Streams that follow a template.", nil, nil)
	hosts         = prometheus.NewDesc("fanfold_hosts", "Machines whose host is here, or away.", []string{"state"}, nil)
	connections   = prometheus.NewDesc("fanfold_database_connections", "Connections to the database, in use and idle.", []string{"state"}, nil)
	waited        = prometheus.NewDesc("fanfold_database_waits_total", "How often a connection had to be waited for.", nil, nil)
	changes       = prometheus.NewDesc("fanfold_revisions_total", "Revisions that were shown, made here or elsewhere.", nil, nil)
)

// Describe implements prometheus.Collector.
func (w *Watch) Describe(out chan<- *prometheus.Desc) {
	for _, d := range []*prometheus.Desc{openTemplates, openBytes, watchers, hosts, connections, waited, changes} {
		out <- d
	}
}

// Collect implements prometheus.Collector.
func (w *Watch) Collect(out chan<- prometheus.Metric) {
	gauge := func(d *prometheus.Desc, v float64, labels ...string) {
		out <- prometheus.MustNewConstMetric(d, prometheus.GaugeValue, v, labels...)
	}
	f := w.app.Figures()
	gauge(openTemplates, float64(f.Open))
	gauge(openBytes, float64(f.Bytes))
	gauge(watchers, float64(f.Watchers))
	gauge(hosts, float64(f.HostsHere), "here")
	gauge(hosts, float64(f.HostsAway), "away")
	pool := w.store.Pool.Stat()
	gauge(connections, float64(pool.AcquiredConns()), "in use")
	gauge(connections, float64(pool.IdleConns()), "idle")
	out <- prometheus.MustNewConstMetric(waited, prometheus.CounterValue, float64(pool.EmptyAcquireCount()))
	out <- prometheus.MustNewConstMetric(changes, prometheus.CounterValue, float64(f.Revisions))
}
