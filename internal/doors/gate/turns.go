package gate

import (
	"time"

	"github.com/labstack/echo/v5"

	"yalvo/internal/doors/problem"
)

// How many pass a narrow place together, and how many wait for it.
const (
	narrowAtOnce  = 2
	narrowWaiting = 200
	narrowOfOne   = 50 // of one caller
)

// Narrow is a narrow place for what is slow on purpose or takes much memory: looking at a
// password, decoding a picture. Who waits for it takes no place elsewhere.
type Narrow struct {
	turns    chan struct{}
	waiting  Counter
	shares   *Shares // of those who wait
	patience time.Duration
	why      string
}

func newNarrow(why string) *Narrow {
	return &Narrow{turns: make(chan struct{}, narrowAtOnce), waiting: Counter{Most: narrowWaiting},
		shares: newShares(narrowOfOne), patience: queueTime, why: why}
}

// Pass runs something when it is its turn.
func (n *Narrow) Pass(c *echo.Context, run func() error) error {
	leave, fits := n.shares.Add(SharerOf(c))
	if !fits {
		return problem.Busy(n.why + " from here")
	}
	defer leave()
	giveUp, fits := n.waiting.Add(1)
	if !fits {
		return problem.Busy(n.why)
	}
	defer giveUp()
	turn := false
	defer func() {
		if turn {
			<-n.turns
		}
	}()
	err := Outside(c, func() error {
		late := time.NewTimer(n.patience)
		defer late.Stop()
		select {
		case n.turns <- struct{}{}:
			turn = true
			return nil
		case <-late.C:
			return problem.Busy(n.why)
		case <-c.Request().Context().Done():
			return c.Request().Context().Err()
		}
	})
	if err != nil {
		return err
	}
	return run()
}
