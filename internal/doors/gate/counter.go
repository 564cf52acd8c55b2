package gate

import "sync/atomic"

// Counter counts what is bounded.
type Counter struct {
	Most int64
	n    atomic.Int64
}

// Add counts so many more, until they are given up; false if that is too many.
func (c *Counter) Add(many int64) (giveUp func(), fits bool) {
	if c.n.Add(many) > c.Most {
		c.n.Add(-many)
		return nil, false
	}
	return func() { c.n.Add(-many) }, true
}

// Now is how many there are.
func (c *Counter) Now() int64 { return c.n.Load() }
