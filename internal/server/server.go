package server

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"sync"
	"time"
	"yalvo/internal/facts"
	"yalvo/internal/proof"
	"yalvo/internal/reading"
	"yalvo/internal/running"
	"yalvo/internal/upkeep"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"
)

// Prefix is where the API of this version begins.
const Prefix = "/v1"

// Server answers HTTP requests.
type Server struct {
	Rooms
	cursors cursors
	console fs.FS // the console's built files, nil to serve none
	log     *slog.Logger

	mu      sync.Mutex
	closing chan struct{} // closed on shutdown: live reads end
}

// Rooms are the rooms whose calls the server answers requests with.
type Rooms struct {
	App     *running.App
	Facts   *facts.Writer
	Reading *reading.Reader
	Upkeep  *upkeep.Workers
	Proof   *proof.Prover
}

// New makes a server. cursorKey signs page cursors.
func New(rooms Rooms, cursorKey []byte, console fs.FS, log *slog.Logger) *Server {
	return &Server{Rooms: rooms, cursors: cursors{cursorKey}, console: console, log: log, closing: make(chan struct{})}
}

// Handler is the whole service as a handler.
func (s *Server) Handler() http.Handler {
	e := echo.New()
	e.Logger = s.log
	e.HTTPErrorHandler = s.answerError
	e.Use(middleware.Recover())

	e.GET("/healthz", s.healthz)
	e.GET("/readyz", s.readyz)

	v1 := e.Group(Prefix)
	v1.GET("", s.about)
	v1.GET("/openapi.json", s.openAPI)
	v1.GET("/design", s.getDesign)
	v1.PUT("/design", s.putDesign)
	v1.GET("/design/outline", s.getOutline)
	v1.GET("/design/schema.json", s.getDesignSchema)
	v1.GET("/status", s.getStatus)
	v1.GET("/changes", s.getChanges)
	v1.GET("/parked", s.getParked)
	v1.POST("/parked/retry", s.retryParked)
	v1.POST("/parked/:id/retry", s.retryOne)
	v1.DELETE("/parked/:id", s.dropParked)

	v1.GET("/changes/:position/cascade", s.getCascade)
	v1.GET("/why/entry", s.whyEntry)
	v1.GET("/why/kept", s.whyKept)
	v1.GET("/places", s.getPlaces)

	v1.POST("/forgotten", s.postForgotten)
	v1.GET("/forgotten/:id", s.getForgotten)
	v1.POST("/triggers/:trigger/replay", s.replayTrigger)

	v1.GET("/audits", s.getAudits)
	v1.POST("/audits", s.postAudit)
	v1.PUT("/audits/schedule", s.putAuditSchedule)
	v1.GET("/audits/:id", s.anAudit(s.Proof.AuditState))
	v1.GET("/audits/:id/drift", s.getDrift)
	v1.POST("/audits/:id/stop", s.anAudit(s.Proof.StopAudit))
	v1.POST("/audits/:id/resume", s.anAudit(s.Proof.ResumeAudit))
	v1.POST("/audits/:id/mend", s.anAudit(s.Proof.Mend))

	v1.GET("/collections/*", s.getAt)
	v1.POST("/collections/*", s.postAt)
	v1.PATCH("/collections/*", s.patchAt)
	v1.DELETE("/collections/*", s.deleteAt)

	v1.GET("/pairs/*", s.getPair)
	v1.PUT("/pairs/*", s.putPair)
	v1.DELETE("/pairs/*", s.deletePair)

	v1.GET("/timelines/*", s.getTimeline)

	if s.console != nil {
		e.GET("/*", s.serveConsole)
	}
	return e
}

// Serve answers requests on a listener until the context ends, then lets those
// under way finish.
func (s *Server) Serve(ctx context.Context, l net.Listener) error {
	srv := &http.Server{Handler: s.Handler(), ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute,
		ErrorLog: slog.NewLogLogger(s.log.Handler(), slog.LevelWarn)}
	srv.RegisterOnShutdown(s.endLive)
	done := make(chan error, 1)
	go func() { done <- srv.Serve(l) }()
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
	}
	grace, cancel := context.WithTimeout(context.WithoutCancel(ctx), 10*time.Second)
	defer cancel()
	if err := srv.Shutdown(grace); err != nil {
		return fmt.Errorf("requests were cut off: %w", err)
	}
	if err := <-done; !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	return nil
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
