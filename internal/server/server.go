package server

import (
	"compress/gzip"
	"context"
	"errors"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"yalvo/internal/bulk"
	"yalvo/internal/facts"
	"yalvo/internal/openapi"
	"yalvo/internal/proof"
	"yalvo/internal/reading"
	"yalvo/internal/running"
	"yalvo/internal/upkeep"
	"yalvo/internal/versions"
)

// Prefix is where the API of this version begins.
const Prefix = openapi.Prefix

// Server answers HTTP requests.
type Server struct {
	Rooms
	cursors cursors
	console fs.FS // the console's built files, nil to serve none
	log     *slog.Logger
	known   []string // names that requests may call the service by, besides its addresses
	beyond  bool     // it listens beyond this machine
	gate    *gate
	rate    float64  // requests a second of an address or an account, 0 for any number
	origins []string // of pages elsewhere that may call the service

	bodyTime time.Duration // until a body must be there

	mu      sync.Mutex
	closing chan struct{} // closed on shutdown: live reads and those that wait end
}

// Rooms are the rooms whose calls the server answers requests with.
type Rooms struct {
	App      *running.App
	Facts    *facts.Writer
	Reading  *reading.Reader
	Upkeep   *upkeep.Workers
	Proof    *proof.Prover
	Versions *versions.Keeper
	Bulk     *bulk.Mover
}

// Options is what a server has besides its rooms.
type Options struct {
	CursorKey []byte   // signs page cursors
	Console   fs.FS    // the console's built files, nil to serve none
	KnownAs   []string // names that requests may call the service by, besides its addresses and localhost
	Beyond    bool     // it listens beyond this machine: without KnownAs any name is taken
	Log       *slog.Logger
	Rate      float64  // requests a second that an address, or an account, is answered; 0: any number
	Origins   []string // of pages elsewhere that may call the service, as in https://app.example
}

// New makes a server.
func New(rooms Rooms, o Options) *Server {
	return &Server{Rooms: rooms, cursors: cursors{o.CursorKey}, console: o.Console, log: o.Log, known: o.KnownAs,
		beyond: o.Beyond, rate: o.Rate, origins: o.Origins, gate: newGate(mostAtWork, mostLarge),
		bodyTime: bodyTime, closing: make(chan struct{})}
}

// Handler is the whole service as a handler.
func (s *Server) Handler() http.Handler {
	e := echo.NewWithConfig(echo.Config{Router: echo.NewRouter(echo.RouterConfig{AutoHandleHEAD: true})})
	e.Logger = s.log
	e.HTTPErrorHandler = s.answerError
	m := newMetrics(s)
	e.Use(middleware.Recover(), m.count, s.logRequest, s.guard)
	e.Use(append(s.foreignPages(), s.limited()...)...)
	e.Use(s.gate.pass, middleware.GzipWithConfig(middleware.GzipConfig{
		Level: gzip.BestSpeed, MinLength: smallAnswer, Skipper: goesAsItIs}))

	e.GET("/healthz", takes(s.healthz))
	e.GET("/readyz", takes(s.readyz))
	e.GET(metricsPath, takes(m.answer))
	s.routes(e.Group(Prefix))
	if s.console != nil {
		s.consoleRoutes(e)
	}
	return e
}

// Serve answers requests on a listener until the context ends, then lets those
// under way finish for a few seconds.
func (s *Server) Serve(ctx context.Context, l net.Listener) error {
	srv := &http.Server{Handler: s.Handler(), ReadHeaderTimeout: headerTime, IdleTimeout: idleTime,
		MaxHeaderBytes: maxHeader, ErrorLog: slog.NewLogLogger(s.log.Handler(), slog.LevelDebug)}
	srv.RegisterOnShutdown(s.endLive)
	done := make(chan error, 1)
	go func() { done <- srv.Serve(plainListener{l}) }()
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
	}
	finish, cancel := context.WithTimeout(context.WithoutCancel(ctx), grace)
	defer cancel()
	if err := srv.Shutdown(finish); err != nil {
		s.log.Warn("requests were cut off: they had not ended when the service had to", "after", grace)
		if err := srv.Close(); err != nil {
			return err
		}
	}
	if err := <-done; !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	return nil
}

// smallAnswer is how many bytes an answer has, at most, that is not packed.
const smallAnswer = 1 << 10

// goesAsItIs tells of streams, which are sent bit by bit, and of what has no body.
func goesAsItIs(c *echo.Context) bool {
	path := c.Request().URL.Path
	return strings.HasSuffix(path, "/live") || path == Prefix+"/dump" || c.Request().Method == http.MethodHead
}

func (s *Server) endLive() {
	s.mu.Lock()
	defer s.mu.Unlock()
	select {
	case <-s.closing:
	default:
		close(s.closing)
	}
}
