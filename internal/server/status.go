package server

import (
	"context"
	"encoding/json"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/labstack/echo/v5"

	"yalvo/internal/design"
	"yalvo/internal/engine"
	"yalvo/internal/plan"
	"yalvo/internal/store"
)

func (s *Server) healthz(c *echo.Context) error {
	return c.JSON(http.StatusOK, map[string]string{"status": "alive"})
}

// readyz: the database answers. Without a design the service is ready for one.
func (s *Server) readyz(c *echo.Context) error {
	if _, err := s.engine.Behind(c.Request().Context()); err != nil {
		s.log.Error("not ready", "error", err)
		return newProblem(http.StatusServiceUnavailable, codeInternal, "the database does not answer")
	}
	return c.JSON(http.StatusOK, map[string]string{"status": "ready"})
}

// status answers "is everything settled, and how much is there?".
type status struct {
	Settled   bool         `json:"settled"`
	LagMS     int64        `json:"lag_ms"` // age of the oldest due work that someone may wait for
	Due       int64        `json:"due"`
	Parked    int64        `json:"parked"`
	Lanes     []laneStatus `json:"lanes"`
	Documents []amount     `json:"documents"`
	Pairs     []amount     `json:"pairs"`
	Entries   []amount     `json:"entries"`
	Counted   time.Time    `json:"counted"` // when documents, pairs and entries were counted
}

type laneStatus struct {
	Lane  string `json:"lane"`
	Due   int64  `json:"due"`
	LagMS int64  `json:"lag_ms"`
}

type amount struct {
	Name string `json:"name"`
	Many int64  `json:"many"`
}

// countCache spares the database counts that several readers ask for at once.
// Where counting takes long it is done less often, and not while readers wait.
type countCache struct {
	mu       sync.Mutex
	last     counted
	counting bool
	failed   error // of counting aside, for the next reader
}

// counted is what there was at a time, and how long it took to count it.
type counted struct {
	store.Status
	at   time.Time
	took time.Duration
}

// How old a shown count may be, and which part of the time may go into counting.
const (
	maxCountAge   = 3 * time.Second
	countingShare = 20
	shortCount    = 50 * time.Millisecond // a reader waits for that
)

func countNow(ctx context.Context, e *engine.Engine) (counted, error) {
	began := time.Now()
	got, err := e.Status(ctx)
	return counted{got, time.Now(), time.Since(began)}, err
}

func (cc *countCache) get(ctx context.Context, e *engine.Engine) (counted, error) {
	cc.mu.Lock()
	defer cc.mu.Unlock()
	if err := cc.failed; err != nil {
		cc.failed = nil
		return cc.last, err
	}
	if time.Since(cc.last.at) < max(maxCountAge, countingShare*cc.last.took) {
		return cc.last, nil
	}
	if cc.last.took < shortCount {
		got, err := countNow(ctx, e)
		if err == nil {
			cc.last = got
		}
		return got, err
	}
	if !cc.counting {
		cc.counting = true
		go cc.countAside(context.WithoutCancel(ctx), e)
	}
	return cc.last, nil
}

// countAside counts while readers are given the counts there are.
func (cc *countCache) countAside(ctx context.Context, e *engine.Engine) {
	got, err := countNow(ctx, e)
	cc.mu.Lock()
	defer cc.mu.Unlock()
	if cc.counting, cc.failed = false, err; err == nil {
		cc.last = got
	}
}

func (s *Server) getStatus(c *echo.Context) error {
	if err := s.settle(c); err != nil {
		return err
	}
	ctx := c.Request().Context()
	now, err := s.engine.Behind(ctx)
	if err != nil {
		return err
	}
	counts, err := s.counted.get(ctx, s.engine)
	if err != nil {
		return err
	}
	st := status{Parked: now.Parked, Counted: counts.at.UTC()}
	for _, l := range now.Lanes {
		lane := laneStatus{Lane: l.Lane.String(), Due: l.Due}
		if l.Due > 0 {
			lane.LagMS = max(0, now.Now.Sub(l.Oldest).Milliseconds())
		}
		st.Lanes = append(st.Lanes, lane)
		if l.Lane != plan.Tidying {
			st.Due += l.Due
			st.LagMS = max(st.LagMS, lane.LagMS)
		}
	}
	st.Settled = st.Due == 0 && st.Parked == 0
	st.Documents, st.Pairs, st.Entries = []amount{}, []amount{}, []amount{}
	p, err := s.planIfAny(c)
	if err != nil {
		return err
	}
	if p != nil {
		for _, one := range p.Collections {
			st.Documents = append(st.Documents, amount{one.Name, many(counts.Documents, one.Number)})
		}
		for _, one := range p.Pairs {
			st.Pairs = append(st.Pairs, amount{one.Name, many(counts.Pairs, one.Number)})
		}
		for _, one := range p.Timelines {
			st.Entries = append(st.Entries, amount{one.Name, many(counts.Entries, one.Number)})
		}
	}
	return c.JSON(http.StatusOK, st)
}

func many(amounts []store.Amount, n plan.Number) int64 {
	for _, a := range amounts {
		if a.What == n {
			return a.Many
		}
	}
	return 0
}

// change is an entry of the journal.
type change struct {
	Position int64     `json:"position"`
	At       time.Time `json:"at"`
	Kind     string    `json:"kind"`
	Subject  string    `json:"subject"`
	Detail   string    `json:"detail,omitempty"`
	As       string    `json:"as,omitempty"`
	Cause    int64     `json:"cause,omitempty"`
}

func changeOf(r store.Record) change {
	return change{r.Seq, r.At.UTC(), string(r.Kind), r.Subject, r.Detail, r.Actor, r.Cause}
}

type changePage struct {
	Changes []change `json:"changes"`
	Next    string   `json:"next,omitempty"`
}

// getChanges answers the newest changes, newest first; with ?from= those after
// a place, oldest first, for a program that must miss none.
func (s *Server) getChanges(c *echo.Context) error {
	many, err := limit(c)
	if err != nil {
		return err
	}
	if err := s.settle(c); err != nil {
		return err
	}
	var records []store.Record
	page := changePage{Changes: []change{}}
	if c.QueryParams().Has("from") {
		records, page.Next, err = s.engine.ChangesFrom(c.Request().Context(), c.QueryParam("from"), many)
	} else {
		records, err = s.engine.Recent(c.Request().Context(), many)
	}
	if err != nil {
		return err
	}
	for _, r := range records {
		page.Changes = append(page.Changes, changeOf(r))
	}
	return c.JSON(http.StatusOK, page)
}

// parked is a piece of work that failed too often and waits for a person.
type parked struct {
	Work     int64     `json:"work"` // its number
	Step     string    `json:"step"`
	Lane     string    `json:"lane"`
	Change   int64     `json:"change,omitempty"`
	Attempts int       `json:"attempts"`
	Since    time.Time `json:"since"`
	Parked   time.Time `json:"parked"`
	Error    string    `json:"error"`
}

func (s *Server) getParked(c *echo.Context) error {
	many, err := limit(c)
	if err != nil {
		return err
	}
	rows, err := s.engine.Parked(c.Request().Context(), many)
	if err != nil {
		return err
	}
	all := []parked{}
	for _, r := range rows {
		all = append(all, parked{r.Seq, r.Step.String(), r.Lane.String(), r.Change, r.Attempts, r.Since.UTC(), r.Parked.UTC(), strings.TrimSpace(r.Error)})
	}
	return c.JSON(http.StatusOK, map[string][]parked{"parked": all})
}

func (s *Server) retryParked(c *echo.Context) error {
	n, err := s.engine.Retry(c.Request().Context())
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]int64{"retried": n})
}

func (s *Server) retryOne(c *echo.Context) error {
	work, err := numberIn(c)
	if err != nil {
		return err
	}
	if err := s.engine.RetryOne(c.Request().Context(), work); err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]int64{"retried": 1})
}

// replayTrigger has what a trigger sent sent again, from a position on.
func (s *Server) replayTrigger(c *echo.Context) error {
	raw, err := body(c, echo.MIMEApplicationJSON)
	if err != nil {
		return err
	}
	parts, err := members(raw, "from")
	if err != nil {
		return err
	}
	var from int64
	if err := json.Unmarshal(parts["from"], &from); err != nil || from < 0 {
		return wrongInput("/from", design.MistakeType, "from must be a position, a whole number")
	}
	n, err := s.engine.Replay(c.Request().Context(), c.Param("trigger"), from)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]int64{"replayed": n})
}
