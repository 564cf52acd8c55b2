// Package metrics is what a service tells a Prometheus server: requests as they are
// answered, and how the app stands when it is asked.
//
// In go requests, the status of the app and what the gate counts; out comes the text
// exposition format. Not done here: who may ask.
package metrics

import (
	"context"
	"strconv"
	"sync"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"yalvo/internal/doors/gate"
	"yalvo/internal/engine/metering"
	"yalvo/internal/engine/progress"
)

// Path is where they are asked for.
const Path = "/metrics"

// Metrics are those of one service.
type Metrics struct {
	registry *prometheus.Registry
	seconds  *prometheus.HistogramVec
	refuse   func(*echo.Context, error)
}

// New makes those of a service that answers a request with an error by refuse, and has so
// many of its connections to the database in use.
func New(read *progress.Reader, meter *metering.Meter, together func() int64, g *gate.Gate, pool func() (inUse,
	most int),
	refuse func(*echo.Context, error)) *Metrics {
	m := &Metrics{registry: prometheus.NewRegistry(), refuse: refuse}
	m.seconds = prometheus.NewHistogramVec(prometheus.HistogramOpts{
		Name: "yalvo_request_seconds", Help: "Time to answer a request, by the kind of its path and by status.",
		Buckets: []float64{.001, .0025, .005, .01, .025, .05, .1, .25, .5, 1, 2.5, 10, 60},
	}, []string{"method", "route", "status"})
	m.registry.MustRegister(m.seconds, metered{meter}, &standing{read: read, together: together, pool: pool, gate: g},
		collectors.NewGoCollector())
	return m
}

// Count is the middleware that counts requests.
func (m *Metrics) Count(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		began := time.Now()
		if err := next(c); err != nil {
			m.refuse(c, err)
		}
		status := 0
		if r, unwrapErr := echo.UnwrapResponse(c.Response()); unwrapErr == nil {
			status = r.Status
		}
		route := c.Path() // the pattern, of which there are few, not what strangers write
		if route == "" {
			route = "none"
		}
		m.seconds.WithLabelValues(c.Request().Method, route, strconv.Itoa(status)).Observe(time.Since(began).Seconds())
		return nil
	}
}

// Answer answers a Prometheus server. A database that is away is no reason to say nothing.
func (m *Metrics) Answer(c *echo.Context) error {
	options := promhttp.HandlerOpts{ErrorHandling: promhttp.ContinueOnError,
		DisableCompression: true} // the service compresses whatever it answers
	promhttp.HandlerFor(m.registry, options).ServeHTTP(c.Response(), c.Request())
	return nil
}

// standing is how an app stands, read when it is asked for, once a second at most.
type standing struct {
	read     *progress.Reader
	together func() int64 // pages
	pool     func() (inUse, most int)
	gate     *gate.Gate

	mu   sync.Mutex
	at   time.Time
	last progress.Status
	err  error
}

func described(name, help string, labels ...string) *prometheus.Desc {
	return prometheus.NewDesc("yalvo_"+name, help, labels, nil)
}

var (
	upDesc      = described("database_up", "1 if the database answers.")
	dueDesc     = described("due_work", "Pieces of due work, by lane.", "lane")
	lagDesc     = described("lag_seconds", "Age of the oldest due work of a lane.", "lane")
	parkedDesc  = described("parked_work", "Pieces of work that wait for a person.")
	poolDesc    = described("database_connections", "Connections to the database.", "state")
	streamsDesc = described("live_streams", "Live reads that are open.")
	waitingDesc = described("waiting_reads", "Reads that wait for a position.")
	queuedDesc  = described("queued_requests", "Requests that wait for a place.")
	pagesDesc   = described("pages_read_together_total", "Pages that were read by one statement for several readers.")
)

// Describe is part of [prometheus.Collector].
func (s *standing) Describe(all chan<- *prometheus.Desc) {
	for _, d := range []*prometheus.Desc{upDesc, dueDesc, lagDesc, parkedDesc, poolDesc, streamsDesc, waitingDesc,
		queuedDesc, pagesDesc} {
		all <- d
	}
}

// Collect is part of [prometheus.Collector].
func (s *standing) Collect(all chan<- prometheus.Metric) {
	gauge := func(d *prometheus.Desc, value float64, labels ...string) {
		all <- prometheus.MustNewConstMetric(d, prometheus.GaugeValue, value, labels...)
	}
	inUse, most := s.pool()
	gauge(poolDesc, float64(inUse), "in use")
	gauge(poolDesc, float64(most), "most")
	gauge(streamsDesc, float64(s.gate.Streams.Now()))
	gauge(waitingDesc, float64(s.gate.Waiting.Now()))
	gauge(queuedDesc, float64(s.gate.Queued.Now()))
	all <- prometheus.MustNewConstMetric(pagesDesc, prometheus.CounterValue, float64(s.together()))
	status, err := s.status()
	if err != nil {
		gauge(upDesc, 0)
		return
	}
	gauge(upDesc, 1)
	gauge(parkedDesc, float64(status.Parked))
	for _, l := range status.Lanes {
		gauge(dueDesc, float64(l.Due), l.Lane)
		gauge(lagDesc, float64(l.LagMS)/1000, l.Lane)
	}
}

func (s *standing) status() (progress.Status, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if time.Since(s.at) < time.Second {
		return s.last, s.err
	}
	ctx, cancel := context.WithTimeout(context.Background(), 3*time.Second)
	defer cancel()
	s.last, s.err = s.read.Status(ctx)
	s.at = time.Now()
	return s.last, s.err
}
