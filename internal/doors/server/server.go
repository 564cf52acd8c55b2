package server

import (
	"compress/gzip"
	"context"
	"crypto/tls"
	"errors"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"strings"
	"sync"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"yalvo/internal/doors/api"
	"yalvo/internal/doors/callers"
	"yalvo/internal/doors/gate"
	"yalvo/internal/doors/keys"
	"yalvo/internal/doors/metrics"
	"yalvo/internal/doors/openapi"
	"yalvo/internal/doors/problem"
	"yalvo/internal/doors/request"
	"yalvo/internal/doors/signin"
	"yalvo/internal/doors/tokens"
	"yalvo/internal/engine/album"
	"yalvo/internal/engine/bulk"
	"yalvo/internal/engine/documents"
	"yalvo/internal/engine/drafts"
	"yalvo/internal/engine/facts"
	"yalvo/internal/engine/lists"
	"yalvo/internal/engine/live"
	"yalvo/internal/engine/progress"
	"yalvo/internal/engine/proof"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/timelines"
	"yalvo/internal/engine/upkeep"
	"yalvo/internal/engine/versions"
)

// Server answers HTTP requests.
type Server struct {
	Rooms
	callers   *callers.Checker
	telling   *request.Telling
	cursors   request.Cursors
	positions request.Positions
	console   fs.FS       // the console's built files, nil to serve none
	secure    *tls.Config // nil: connections are not
	log       *slog.Logger
	guard     *gate.Guard
	gate      *gate.Gate

	mu      sync.Mutex
	closing chan struct{} // closed on shutdown: live reads and those that wait end
}

// Rooms are the rooms whose calls the server answers requests with.
type Rooms struct {
	App       *running.App
	Facts     *facts.Writer
	Documents *documents.Reader
	Timelines *timelines.Reader
	Lists     *lists.Reader
	Progress  *progress.Reader
	Live      *live.Watchers
	Upkeep    *upkeep.Workers
	Proof     *proof.Prover
	Versions  *versions.Keeper
	Drafts    *drafts.Folder
	Bulk      *bulk.Mover
	Keys      *keys.Ring
	Tokens    *tokens.Checker
	SignIn    *signin.Server
	Album     *album.Album
}

// Options is what a server has besides its rooms.
type Options struct {
	CursorKey []byte   // page cursors and positions are encrypted with keys made of it
	Console   fs.FS    // the console's built files, nil to serve none
	KnownAs   []string // names that requests may call the service by, besides its addresses and localhost
	Beyond    bool     // it listens beyond this machine: without KnownAs any name is taken
	Log       *slog.Logger
	Rate      float64        // requests a second that an address, or an account, is answered; 0: any number
	Origins   []string       // of pages elsewhere that may call the service, as in https://app.example
	Behind    []netip.Prefix // proxies that are believed whose requests they pass on
	TLS       *tls.Config    // how connections are secured; nil: they are not
}

// New makes a server.
func New(rooms Rooms, o Options) *Server {
	s := &Server{Rooms: rooms, cursors: request.NewCursors(o.CursorKey),
		positions: request.NewPositions(o.CursorKey), console: o.Console, secure: o.TLS, log: o.Log,
		gate: gate.New(metrics.Path), closing: make(chan struct{}),
		telling: &request.Telling{App: rooms.App, Log: o.Log}}
	s.guard = &gate.Guard{Log: o.Log, KnownAs: o.KnownAs, Beyond: o.Beyond, Origins: o.Origins, Rate: o.Rate,
		Behind: o.Behind, BodyTime: gate.BodyTime, Refuse: s.telling.Answer}
	s.callers = &callers.Checker{App: rooms.App, Keys: rooms.Keys, Tokens: rooms.Tokens, SignIn: rooms.SignIn,
		Gate:      s.gate,
		Positions: s.positions}
	return s
}

// Handler is the whole service as a handler.
func (s *Server) Handler() http.Handler {
	e := echo.NewWithConfig(echo.Config{Router: echo.NewRouter(echo.RouterConfig{AutoHandleHEAD: true})})
	e.Logger = s.log
	e.IPExtractor = s.guard.Address()
	e.HTTPErrorHandler = s.telling.Answer
	pool := func() (inUse, most int) { return s.App.Store.Pool() }
	m := metrics.New(s.Progress, s.App.Meter, s.pagesTogether, s.gate, pool, s.telling.Answer)
	e.Use(middleware.Recover(), m.Count, s.guard.Requests, s.guard.Check)
	e.Use(append(s.guard.ForeignPages(), s.guard.RateByAddress()...)...)
	e.Use(s.whileItAnswers, s.callers.Identify)
	e.Use(s.guard.RateByAccount()...)
	e.Use(s.gate.Pass, middleware.GzipWithConfig(middleware.GzipConfig{
		Level: gzip.BestSpeed, MinLength: smallAnswer, Skipper: goesAsItIs}))

	e.GET("/healthz", request.Takes(s.healthz))
	e.GET("/readyz", request.Takes(s.readyz))
	e.GET(metrics.Path, callers.Operators(keys.Read, request.Takes(m.Answer)))
	s.routes(e.Group(openapi.Prefix))
	if s.console != nil {
		s.consoleRoutes(e)
	}
	return e
}

// whileItAnswers is the middleware that gives requests up which wait for a database that hangs.
func (s *Server) whileItAnswers(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if path := c.Path(); path == "/healthz" || path == metrics.Path {
			return next(c)
		}
		ctx, done := s.App.WhileItAnswers(c.Request().Context())
		defer done()
		c.SetRequest(c.Request().WithContext(ctx))
		err := next(c)
		if err != nil && errors.Is(context.Cause(ctx), running.ErrHangs) {
			err = problem.New(http.StatusServiceUnavailable, problem.CodeNoDatabase,
				"the database does not answer: try again; a write that may have been made is made once if it is "+
					"repeated "+
					"with its id or Idempotency-Key")
		}
		return err
	}
}

// Serve answers requests on a listener until the context ends, then lets those
// under way finish for a few seconds.
func (s *Server) Serve(ctx context.Context, l net.Listener) error {
	srv := &http.Server{Handler: s.Handler(), ReadHeaderTimeout: gate.HeaderTime, IdleTimeout: gate.IdleTime,
		MaxHeaderBytes: gate.MaxHeader, ErrorLog: slog.NewLogLogger(s.log.Handler(), slog.LevelDebug)}
	srv.RegisterOnShutdown(s.endLive)
	done := make(chan error, 1)
	go func() {
		if s.secure == nil {
			done <- srv.Serve(gate.Listener{Listener: l})
			return
		}
		srv.TLSConfig = s.secure
		done <- srv.ServeTLS(l, "", "")
	}()
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

// grace is how long requests under way have when the service stops.
const grace = 4 * time.Second

// smallAnswer is how many bytes an answer has, at most, that is not packed.
const smallAnswer = 1 << 10

// goesAsItIs tells of streams, which are sent bit by bit, and of what has no body.
func goesAsItIs(c *echo.Context) bool {
	path := c.Request().URL.Path
	return strings.HasPrefix(path, api.LivePrefix) || strings.HasPrefix(path, openapi.Prefix+"/pictures/") ||
		strings.HasPrefix(path, openapi.Prefix+"/dump") || c.Request().Method == http.MethodHead
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

// pagesTogether is how many pages have been read together with those of other readers.
func (s *Server) pagesTogether() int64 { return s.Lists.Together() + s.Timelines.Together() }
