package progress

import (
	"context"
	"sync"
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/auditsql"
	"yalvo/internal/engine/store/queuesql"
)

// Reader reads what an app has done.
type Reader struct {
	*running.App
	settling settling // those who wait for positions
	counted  countCache
	history  history
}

// New makes a reader of an app.
func New(app *running.App) *Reader { return &Reader{App: app} }

// Status answers "is everything settled, and how much is there?".
type Status struct {
	Settled   bool         `json:"settled"`
	LagMS     int64        `json:"lag_ms"` // age of the oldest due work that someone may wait for
	Due       int64        `json:"due"`
	Parked    int64        `json:"parked"`
	Lanes     []LaneStatus `json:"lanes"`
	Documents []Amount     `json:"documents"`
	Pairs     []Amount     `json:"pairs"`
	Entries   []Amount     `json:"entries"`
	Counted   time.Time    `json:"counted"` // when documents, pairs and entries were counted
}

// LaneStatus is the due work of one lane.
type LaneStatus struct {
	Lane  string `json:"lane"`
	Due   int64  `json:"due"`
	LagMS int64  `json:"lag_ms"`
}

// Amount is how many there are of something.
type Amount struct {
	Name string `json:"name"`
	Many int64  `json:"many"`
}

// Status reads it. Due work is looked at as it is; the rest was counted not
// long ago.
func (r *Reader) Status(ctx context.Context) (Status, error) {
	now, err := queuesql.ReadBehind(ctx, r.Store)
	if err != nil {
		return Status{}, err
	}
	counts, err := r.counted.get(ctx, r.Store)
	if err != nil {
		return Status{}, err
	}
	s := statusOf(now)
	s.Counted = counts.at.UTC()
	s.Documents, s.Pairs, s.Entries = []Amount{}, []Amount{}, []Amount{}
	v, err := r.IfAny(ctx)
	if err != nil || v == nil {
		return s, err
	}
	for _, c := range v.Plan.Collections {
		s.Documents = append(s.Documents, Amount{c.Name, many(counts.Documents, c.Number)})
	}
	for _, p := range v.Plan.Pairs {
		s.Pairs = append(s.Pairs, Amount{p.Name, many(counts.Pairs, p.Number)})
	}
	for _, t := range v.Plan.Timelines {
		s.Entries = append(s.Entries, Amount{t.Name, many(counts.Entries, t.Number)})
	}
	return s, nil
}

func statusOf(now queuesql.Behind) Status {
	s := Status{Parked: now.Parked}
	for _, l := range now.Lanes {
		lane := LaneStatus{Lane: l.Lane.String(), Due: l.Due}
		if l.Due > 0 {
			lane.LagMS = max(0, now.Now.Sub(l.Oldest).Milliseconds())
		}
		s.Lanes = append(s.Lanes, lane)
		if l.Lane.Upkeep() {
			s.Due += l.Due
			s.LagMS = max(s.LagMS, lane.LagMS)
		}
	}
	s.Settled = s.Due == 0 && now.ParkedUpkeep == 0
	return s
}

func many(amounts []auditsql.Amount, n plan.Number) int64 {
	for _, a := range amounts {
		if a.What == n {
			return a.Many
		}
	}
	return 0
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
	auditsql.Counts
	at   time.Time
	took time.Duration
}

// How old a shown count may be, and which part of the time may go into counting.
const (
	maxCountAge   = 3 * time.Second
	countingShare = 20
	shortCount    = 50 * time.Millisecond // a reader waits for that
)

func countNow(ctx context.Context, s *store.Store) (counted, error) {
	began := time.Now()
	got, err := auditsql.ReadCounts(ctx, s)
	return counted{got, time.Now(), time.Since(began)}, err
}

func (c *countCache) get(ctx context.Context, s *store.Store) (counted, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if err := c.failed; err != nil {
		c.failed = nil
		return c.last, err
	}
	if time.Since(c.last.at) < max(maxCountAge, countingShare*c.last.took) {
		return c.last, nil
	}
	if c.last.took < shortCount {
		got, err := countNow(ctx, s)
		if err == nil {
			c.last = got
		}
		return got, err
	}
	if !c.counting {
		c.counting = true
		go c.countAside(context.WithoutCancel(ctx), s)
	}
	return c.last, nil
}

// countAside counts while readers are given the counts there are.
func (c *countCache) countAside(ctx context.Context, s *store.Store) {
	got, err := countNow(ctx, s)
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.counting, c.failed = false, err; err == nil {
		c.last = got
	}
}
