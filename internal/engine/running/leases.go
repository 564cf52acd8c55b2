package running

import (
	"context"
	"sync"
	"time"

	"yalvo/internal/engine/store/queuesql"
)

// leaseFor is how long a version of the design is believed to be in force without another look. Services look several
// times a second; one that has hung looks before it answers, and who applies a design waits longer for the others.
const leaseFor = time.Second

// began is what times of looks count from, without jumps of the clock.
var began = time.Now()

// looked notes that the design in force has been looked at after a moment.
func (a *App) looked(at time.Time) {
	since := int64(at.Sub(began))
	for was := a.lookedAt.Load(); was < since && !a.lookedAt.CompareAndSwap(was, since); {
		was = a.lookedAt.Load()
	}
}

// leased tells whether it has been looked at so lately that it need not be again. Whoever applies a design waits for
// those that it sees: a service that it does not see yet has no lease.
func (a *App) leased() bool {
	return a.seen.Load() && time.Since(began)-time.Duration(a.lookedAt.Load()) < leaseFor
}

// lookAgain looks whether another design has come into force, and takes it up.
func (a *App) lookAgain(ctx context.Context) error {
	at := time.Now()
	version, steps, err := queuesql.DesignNow(ctx, a.Store)
	if err == nil {
		err = a.TakeUp(ctx, at, version, steps)
	}
	return err
}

// once is the version that a request works with.
type once struct {
	mu sync.Mutex
	v  *Version
	at time.Time
}

type onceKey struct{}

// OneVersion is a context of a request that works with one version of the design, taken when it is needed first,
// until [App.Reload] takes up another one for it.
func OneVersion(ctx context.Context) context.Context {
	return context.WithValue(ctx, onceKey{}, &once{})
}

func onceOf(ctx context.Context) *once {
	o, _ := ctx.Value(onceKey{}).(*once)
	return o
}

// take is the version of the request, or the one that is found now.
func (o *once) take(find func() (*Version, error)) (*Version, error) {
	if o == nil {
		return find()
	}
	o.mu.Lock()
	v := o.v
	o.mu.Unlock()
	if v != nil {
		return v, nil
	}
	at := time.Now()
	v, err := find()
	if err != nil {
		return nil, err
	}
	o.mu.Lock()
	defer o.mu.Unlock()
	if o.v == nil {
		o.v, o.at = v, at
	}
	return o.v, nil
}

func (o *once) drop() {
	if o == nil {
		return
	}
	o.mu.Lock()
	defer o.mu.Unlock()
	o.v = nil
}

// Stands fails with [ErrMoved] if what a request has made is not to be answered any more: it has taken so long that
// another version of the design may be in force, and it is. A service that has hung does not answer by what
// held before.
func (a *App) Stands(ctx context.Context) error {
	o := onceOf(ctx)
	if o == nil {
		return nil
	}
	o.mu.Lock()
	v, at := o.v, o.at
	o.mu.Unlock()
	if v == nil || time.Since(at) < leaseFor {
		return nil
	}
	if err := a.lookAgain(ctx); err != nil {
		return err
	}
	if now := a.inForce.Load(); now.Number != v.Number {
		return ErrMoved
	}
	return nil
}
