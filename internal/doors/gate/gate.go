package gate

import (
	"sync"
	"time"

	"github.com/labstack/echo/v5"

	"yalvo/internal/doors/problem"
)

// How much a service does at once. What it holds in memory is bounded by these
// numbers and by the sizes of bodies and pages.
const (
	mostAtWork  = 64       // requests being worked on; others queue
	mostLarge   = 2        // of them, with a body beyond largeText
	mostQueued  = 2000     // requests that queue
	mostWaiting = 2000     // reads that wait for a position
	mostStreams = 4000     // live reads
	mostOfOne   = 48       // requests of one caller that are worked on: others' do not wait for theirs
	mostFollow  = 200      // live reads of one caller
	mostUploads = 64 << 20 // bytes of pictures that are on their way
	mostUnsent  = 64 << 20 // bytes of large answers that their readers have not taken yet
	largeText   = 64 << 10
)

// Gate lets so many requests through at once, and counts what else is bounded.
type Gate struct {
	Streams, Waiting, Queued Counter // live reads, reads that wait for a position, requests that queue

	Follows *Shares // live reads of each caller

	Uploads Counter // bytes of bodies that are read without a place

	Passwords, Pictures *Narrow // for what is slow, or takes much memory
	Familiar            *Narrow // for passwords of accounts that are known where they come from

	unsent        Counter // bytes
	places, large chan struct{}
	shares        *Shares       // of the places
	patience      time.Duration // until one that queues is turned away
	open          string        // the path that needs no place
}

// New makes a gate. The requests of one path need no place: how crowded it is shall be
// told when it is crowded.
func New(open string) *Gate { return newGate(open, mostAtWork, mostLarge) }

func newGate(open string, atWork, large int) *Gate {
	return &Gate{shares: newShares(max(1, atWork*mostOfOne/mostAtWork)), Follows: newShares(mostFollow),
		Streams: Counter{Most: mostStreams}, Waiting: Counter{Most: mostWaiting},
		Queued: Counter{Most: mostQueued}, unsent: Counter{Most: mostUnsent}, open: open,
		places: make(chan struct{}, atWork), large: make(chan struct{}, large), patience: queueTime,
		Uploads: Counter{Most: mostUploads}, Passwords: newNarrow("too many sign in"),
		Familiar: newNarrow("too many sign in"),
		Pictures: newNarrow("too many pictures are uploaded")}
}

// place is where a request stands: inside the gate, or not. It is given up while
// the request waits for something, and as soon as its answer is ready: who reads
// slowly takes no place.
type place struct {
	gate   *Gate
	caller string // whose share it counts towards
	share  *share
	mu     sync.Mutex
	inside bool
	large  bool
}

// placeKey is where a request's context keeps its place.
const placeKey = "place"

// Pass is the middleware that has every request pass the gate.
func (g *Gate) Pass(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if c.Path() == g.open {
			return next(c)
		}
		p := &place{gate: g, caller: SharerOf(c)}
		if p.caller != "" {
			p.share = g.shares.join(p.caller)
			defer g.shares.leave(p.caller)
		}
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
	ofShare := p.share != nil && places == p.gate.places
	if ofShare {
		if err := p.queue(c, p.share.places); err != nil {
			return err
		}
	}
	if err := p.queue(c, places); err != nil {
		if ofShare {
			<-p.share.places
		}
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
	giveUp, fits := p.gate.Queued.Add(1)
	if !fits {
		return problem.Busy("too many requests queue")
	}
	defer giveUp()
	late := time.NewTimer(p.gate.patience)
	defer late.Stop()
	select {
	case places <- struct{}{}:
		return nil
	case <-late.C:
		return problem.Busy("the service has had no time for this request")
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
		if p.share != nil {
			<-p.share.places
		}
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

// Outside runs something that waits, without a place meanwhile.
func Outside(c *echo.Context, wait func() error) error {
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

// EnterLarge has a request with a large body wait until few others have one:
// values that JSON is read into take many times its size.
func EnterLarge(c *echo.Context, size int) error {
	p := placeOf(c)
	if p == nil || size <= largeText {
		return nil
	}
	return p.enter(c, p.gate.large, &p.large)
}

// Answer counts the bytes of an answer that may be large, until it has been sent. If too
// much waits for slow readers already, it is refused.
func (g *Gate) Answer(text []byte) (sent func(), err error) {
	if len(text) <= largeText {
		return func() {}, nil
	}
	sent, fits := g.unsent.Add(int64(len(text)))
	if !fits {
		return nil, problem.Busy("too many large answers are under way")
	}
	return sent, nil
}
