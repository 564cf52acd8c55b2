package gate

import (
	"sync"

	"github.com/labstack/echo/v5"
)

// Shares bound what each caller has of something at once. There is an entry for whoever has some, or waits.
type Shares struct {
	most int
	mu   sync.Mutex
	of   map[string]*share
}

type share struct {
	places chan struct{}
	users  int // who have a place of it, or wait for one
}

func newShares(most int) *Shares { return &Shares{most: most, of: map[string]*share{}} }

// join is a caller's share, until it is left.
func (s *Shares) join(caller string) *share {
	s.mu.Lock()
	defer s.mu.Unlock()
	one := s.of[caller]
	if one == nil {
		one = &share{places: make(chan struct{}, s.most)}
		s.of[caller] = one
	}
	one.users++
	return one
}

func (s *Shares) leave(caller string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if one := s.of[caller]; one.users == 1 {
		delete(s.of, caller)
	} else {
		one.users--
	}
}

// Add takes one more for a caller, until it is given up; false if that is too many. Who is nobody in particular
// has no share, and any number.
func (s *Shares) Add(caller string) (giveUp func(), fits bool) {
	if caller == "" {
		return func() {}, true
	}
	one := s.join(caller)
	select {
	case one.places <- struct{}{}:
		return func() { <-one.places; s.leave(caller) }, true
	default:
		s.leave(caller)
		return nil, false
	}
}

// SharerOf is whose share a request counts towards: the account's, or of a stranger the address's. Operators
// have none.
func SharerOf(c *echo.Context) string {
	if account := noted(c, accountKey); account != "" {
		return "account " + account
	}
	if callerOf(c) != "" {
		return ""
	}
	return "address " + c.RealIP()
}
