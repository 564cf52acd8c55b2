package progress

import (
	"context"
	"sync"
	"time"

	"yalvo/internal/engine/store/queuesql"
)

// How often due work is looked at for the history, and how far back that goes.
const (
	historyEvery = 10 * time.Second
	historyLong  = time.Hour
)

// Sample is how much was due at a time.
type Sample struct {
	At    time.Time `json:"at"`
	Due   int64     `json:"due"`
	LagMS int64     `json:"lag_ms"` // age of the oldest due work that someone may wait for
}

// history remembers the last hour of due work, as far as this service has run.
type history struct {
	mu      sync.Mutex
	samples []Sample
}

func (h *history) add(s Sample) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.samples = append(h.samples, s)
	if extra := len(h.samples) - int(historyLong/historyEvery); extra > 0 {
		h.samples = append([]Sample{}, h.samples[extra:]...)
	}
}

// History is the last hour of due work since this service started, oldest first.
func (r *Reader) History() []Sample {
	r.history.mu.Lock()
	defer r.history.mu.Unlock()
	return append([]Sample{}, r.history.samples...)
}

// Watch looks at due work now and then until the context ends.
func (r *Reader) Watch(ctx context.Context) {
	tick := time.NewTicker(historyEvery)
	defer tick.Stop()
	for {
		now, err := queuesql.ReadBehind(ctx, r.Store)
		if err == nil {
			s := statusOf(now)
			r.history.add(Sample{now.Now.UTC(), s.Due, s.LagMS})
		} else if ctx.Err() == nil {
			r.Trouble("looking at due work for the history", err)
		}
		select {
		case <-tick.C:
		case <-ctx.Done():
			return
		}
	}
}
