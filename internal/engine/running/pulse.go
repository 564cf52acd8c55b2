package running

import (
	"context"
	"errors"
	"sync"
	"time"
)

// ErrHangs is why requests are given up that wait for a database which does not answer: its process is
// stopped, or the network between swallows what is sent.
var ErrHangs = errors.New("the database does not answer")

// How often the database is asked whether it answers, how long it may take, and how often in a row it may fail to.
const (
	pulseEvery = time.Second
	pulseTime  = 2 * time.Second
	pulseTries = 2
)

// pulse is the time for which the database answers.
type pulse struct {
	mu   sync.Mutex
	beat context.Context // ends with [ErrHangs] when it does not any more
	stop context.CancelCauseFunc
}

// while is a context that ends when the database hangs.
func (p *pulse) while() context.Context {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.beat == nil {
		p.beat, p.stop = context.WithCancelCause(context.Background())
	}
	return p.beat
}

func (p *pulse) ends() {
	p.while()
	p.mu.Lock()
	defer p.mu.Unlock()
	p.stop(ErrHangs)
}

func (p *pulse) begins() {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.beat != nil && p.beat.Err() != nil {
		p.beat, p.stop = context.WithCancelCause(context.Background())
	}
}

// WhileItAnswers is a context of a request that is given up when the database hangs, at once if it does; it is
// looked after until the function is called. It ends with that of the request, and not before: whoever answers an
// error asks it why.
func (a *App) WhileItAnswers(ctx context.Context) (context.Context, func()) {
	beat := a.pulse.while()
	ctx, cancel := context.WithCancelCause(ctx)
	if beat.Err() != nil { // else some would be answered yet, until they are told
		cancel(ErrHangs)
	}
	stop := context.AfterFunc(beat, func() { cancel(ErrHangs) })
	return ctx, func() { stop() }
}

// Feel asks the database again and again whether it answers, until the context ends.
func (a *App) Feel(ctx context.Context) {
	tick := time.NewTicker(pulseEvery)
	defer tick.Stop()
	for failed := 0; ; {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		asking, cancel := context.WithTimeout(ctx, pulseTime)
		err := a.Store.Feel(asking)
		late := asking.Err() != nil
		cancel()
		switch {
		case err == nil:
			if failed >= pulseTries { // of any other outage those tell who have met it
				a.pulse.begins()
				a.Back()
			}
			failed = 0
		case late && ctx.Err() == nil: // what fails at once is told by every request
			if failed++; failed == pulseTries {
				if a.outage.begins() {
					a.Log.Error("the database does not answer: requests are answered with 503 until it does")
				}
				a.pulse.ends()
			}
		}
	}
}
