package server

import (
	"net/http"
	"sync"
	"sync/atomic"
	"time"

	"github.com/labstack/echo/v5"
)

// How much a service does at once. What it holds in memory is bounded by these
// numbers and by the sizes of bodies and pages.
const (
	mostAtWork  = 64       // requests being worked on; others queue
	mostLarge   = 2        // of them, with a body beyond largeText
	mostQueued  = 2000     // requests that queue
	mostWaiting = 2000     // reads that wait for a position
	mostStreams = 4000     // live reads
	mostUnsent  = 64 << 20 // bytes of large answers that their readers have not taken yet
	largeText   = 64 << 10
)

// gate lets so many requests through at once.
type gate struct {
	places, large                    chan struct{}
	queued, waiting, streams, unsent atomic.Int64
	patience                         time.Duration // until one that queues is turned away
}

func newGate(atWork, large int) *gate {
	return &gate{places: make(chan struct{}, atWork), large: make(chan struct{}, large), patience: queueTime}
}

func busy(detail string) error {
	return newProblem(http.StatusServiceUnavailable, codeBusy, detail+": try again")
}

// add counts what is bounded, false if it is full.
func add(n *atomic.Int64, many, most int64) bool {
	if n.Add(many) <= most {
		return true
	}
	n.Add(-many)
	return false
}

// place is where a request stands: inside the gate, or not. It is given up while
// the request waits for something, and as soon as its answer is ready: who reads
// slowly takes no place.
type place struct {
	gate   *gate
	mu     sync.Mutex
	inside bool
	large  bool
}

// placeKey is where a request's context keeps its place.
const placeKey = "place"

// pass is the middleware that has every request pass the gate.
func (g *gate) pass(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if c.Path() == metricsPath { // how crowded it is shall be told when it is crowded
			return next(c)
		}
		p := &place{gate: g}
		if err := p.enter(c, g.places, &p.inside); err != nil {
			return err
		}
		defer p.leave()
		c.Set(placeKey, p)
		if r, err := echo.UnwrapResponse(c.Response()); err == nil {
			r.Before(p.leave)
		}
		return next(c)
	}
}

// enter takes one of some places, or queues for it.
func (p *place) enter(c *echo.Context, places chan struct{}, mark *bool) error {
	if err := p.queue(c, places); err != nil {
		return err
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	*mark = true
	return nil
}

func (p *place) queue(c *echo.Context, places chan struct{}) error {
	select {
	case places <- struct{}{}:
		return nil
	default:
	}
	if !add(&p.gate.queued, 1, mostQueued) {
		return busy("too many requests queue")
	}
	defer p.gate.queued.Add(-1)
	late := time.NewTimer(p.gate.patience)
	defer late.Stop()
	select {
	case places <- struct{}{}:
		return nil
	case <-late.C:
		return busy("the service has had no time for this request")
	case <-c.Request().Context().Done():
		return c.Request().Context().Err()
	}
}

func (p *place) leave() {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.inside {
		p.inside = false
		<-p.gate.places
	}
	if p.large {
		p.large = false
		<-p.gate.large
	}
}

// placeOf is the place of a request, nil in a test of a handler alone.
func placeOf(c *echo.Context) *place {
	p, _ := c.Get(placeKey).(*place)
	return p
}

// outside runs something that waits, without a place meanwhile.
func outside(c *echo.Context, wait func() error) error {
	p := placeOf(c)
	if p == nil {
		return wait()
	}
	p.leave()
	if err := wait(); err != nil {
		return err
	}
	return p.enter(c, p.gate.places, &p.inside)
}

// enterLarge has a request with a large body wait until few others have one:
// values that JSON is read into take many times its size.
func enterLarge(c *echo.Context, size int) error {
	p := placeOf(c)
	if p == nil || size <= largeText {
		return nil
	}
	return p.enter(c, p.gate.large, &p.large)
}

// send sends an answer that may be large. If too much waits for slow readers
// already, it is refused.
func (s *Server) send(c *echo.Context, media string, text []byte) error {
	if n := int64(len(text)); n > largeText {
		if !add(&s.gate.unsent, n, mostUnsent) {
			return busy("too many large answers are under way")
		}
		defer s.gate.unsent.Add(-n)
	}
	return c.Blob(http.StatusOK, media, text)
}
