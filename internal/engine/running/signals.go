package running

import (
	"sync"

	"yalvo/internal/design/plan"
)

// Signals say within a service that something has happened. Writers say which
// lanes got work, workers that some was done; neither knows who listens.
type Signals struct {
	lanes   map[plan.Lane]chan struct{}
	settled *broadcast
}

func newSignals() Signals {
	s := Signals{lanes: map[plan.Lane]chan struct{}{}, settled: &broadcast{}}
	for _, lane := range plan.Lanes {
		s.lanes[lane] = make(chan struct{}, 1)
	}
	return s
}

// Wake says that lanes got work. One waiting token for each is enough.
func (s Signals) Wake(lanes ...plan.Lane) {
	for _, lane := range lanes {
		select {
		case s.lanes[lane] <- struct{}{}:
		default:
		}
	}
}

// Work receives when a lane got work.
func (s Signals) Work(lane plan.Lane) <-chan struct{} { return s.lanes[lane] }

// Settle says that due work was done.
func (s Signals) Settle() { s.settled.send() }

// Settled is closed when due work has next been done by this service.
func (s Signals) Settled() <-chan struct{} { return s.settled.next() }

// broadcast wakes everyone who waits, again and again.
type broadcast struct {
	mu sync.Mutex
	ch chan struct{}
}

// next is closed at the next send.
func (b *broadcast) next() <-chan struct{} {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.ch == nil {
		b.ch = make(chan struct{})
	}
	return b.ch
}

func (b *broadcast) send() {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.ch != nil {
		close(b.ch)
		b.ch = nil
	}
}
