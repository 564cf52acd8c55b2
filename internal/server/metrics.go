package server

import (
	"context"
	"strconv"
	"sync"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"yalvo/internal/reading"
)

const metricsPath = "/metrics"

// metrics are what a service tells a Prometheus server: requests as they are answered, and
// how the app stands when it is asked.
type metrics struct {
	registry *prometheus.Registry
	seconds  *prometheus.HistogramVec
	refuse   func(*echo.Context, error)
}

func newMetrics(s *Server) *metrics {
	m := &metrics{registry: prometheus.NewRegistry(), refuse: s.answerError}
	m.seconds = prometheus.NewHistogramVec(prometheus.HistogramOpts{
		Name: "yalvo_request_seconds", Help: "Time to answer a request, by the kind of its path and by status.",
		Buckets: []float64{.001, .0025, .005, .01, .025, .05, .1, .25, .5, 1, 2.5, 10, 60},
	}, []string{"method", "route", "status"})
	pool := func() (inUse, most int) { return s.App.Store.Pool() }
	m.registry.MustRegister(m.seconds, &standing{read: s.Reading, pool: pool, gate: s.gate})
	return m
}

// count is the middleware that counts requests.
func (m *metrics) count(next echo.HandlerFunc) echo.HandlerFunc {
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

// answer answers a Prometheus server. A database that is away is no reason to say nothing.
func (m *metrics) answer(c *echo.Context) error {
	promhttp.HandlerFor(m.registry, promhttp.HandlerOpts{ErrorHandling: promhttp.ContinueOnError}).
		ServeHTTP(c.Response(), c.Request())
	return nil
}

// standing is how an app stands, read when it is asked for, once a second at most.
type standing struct {
	read *reading.Reader
	pool func() (inUse, most int)
	gate *gate

	mu   sync.Mutex
	at   time.Time
	last reading.Status
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
)

// Describe is part of [prometheus.Collector].
func (s *standing) Describe(all chan<- *prometheus.Desc) {
	for _, d := range []*prometheus.Desc{upDesc, dueDesc, lagDesc, parkedDesc, poolDesc, streamsDesc, waitingDesc,
		queuedDesc} {
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
	gauge(streamsDesc, float64(s.gate.streams.Load()))
	gauge(waitingDesc, float64(s.gate.waiting.Load()))
	gauge(queuedDesc, float64(s.gate.queued.Load()))
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

func (s *standing) status() (reading.Status, error) {
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

// securely adds what keeps a browser from doing with the console's pages what they are not
// for. Element styles are set by the component kit.
func securely(next echo.HandlerFunc) echo.HandlerFunc {
	const policy = "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; " +
		"font-src 'self'; connect-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
	return func(c *echo.Context) error {
		h := c.Response().Header()
		h.Set(echo.HeaderContentSecurityPolicy, policy)
		h.Set(echo.HeaderXContentTypeOptions, "nosniff")
		h.Set(echo.HeaderReferrerPolicy, "no-referrer")
		return next(c)
	}
}
