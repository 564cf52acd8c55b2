package measuring

import (
	"maps"
	"sync"
	"time"
)

// Screens counts how often each screen is opened at a service.
type Screens struct {
	since time.Time
	mu    sync.Mutex
	times map[string]int64
}

// mostCounted is how many screens are counted: those of some designs after one another. Then it begins anew.
const mostCounted = 1000

// NewScreens begins to count.
func NewScreens() *Screens { return &Screens{since: time.Now(), times: map[string]int64{}} }

// Note counts a look at a screen of the design in force.
func (s *Screens) Note(screen string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if _, is := s.times[screen]; !is && len(s.times) >= mostCounted {
		s.since = time.Now()
		clear(s.times)
	}
	s.times[screen]++
}

// Opened is what has been counted.
func (s *Screens) Opened() Opened {
	s.mu.Lock()
	defer s.mu.Unlock()
	return Opened{s.since, maps.Clone(s.times)}
}
