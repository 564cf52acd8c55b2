package engine

import (
	"context"
	"errors"
	"time"

	"yalvo/internal/plan"
	"yalvo/internal/store"
)

// lane says how the work of a lane is done.
type lane struct {
	workers int
	claim   int  // the most rows a worker takes at once
	facts   bool // it writes facts, which are to be durable when it has committed
	carry   func(*turn, []store.Due) error
}

// begin is how a lane's transactions are run.
func (l lane) begin(s *store.Store) func(context.Context, func(*store.Tx) error) error {
	if l.facts {
		return s.Write
	}
	return s.Upkeep
}

func lanes() map[plan.Lane]lane {
	return map[plan.Lane]lane{
		plan.Counting:   {1, 5000, false, (*turn).count},
		plan.Copying:    {1, 64, false, (*turn).recopy},
		plan.Delivering: {spreaders + 1, 256, false, (*turn).deliver},
		plan.Ending:     {1, 1, true, (*turn).end},
		plan.Tidying:    {1, 1, false, (*turn).tidy},
		plan.Reacting:   {1, 64, true, (*turn).react},
	}
}

// idle is how often a service looks for work that another process has left, or
// whose time has come.
const idle = 100 * time.Millisecond

// firstPause is the pause after work has failed for the first time; each
// further one doubles it.
const firstPause = 100 * time.Millisecond

// Start begins to do due work. Any number of processes may do so on one database.
func (e *Engine) Start() {
	ctx, cancel := context.WithCancel(context.Background())
	e.stop = cancel
	for name, l := range lanes() {
		for nth := range l.workers {
			e.workers.Go(func() { e.work(ctx, name, l, claimer(name, l, nth)) })
		}
	}
	e.workers.Go(func() { e.lookOut(ctx) })
	e.workers.Go(func() { e.keepHouse(ctx) })
	e.workers.Go(func() { e.auditor(ctx) })
	e.workers.Go(func() { e.sender(ctx) })
}

// claimer is how a worker of a lane takes work. A fan-out that is on its way is
// taken by itself: its other part is another worker's. Those take turns with
// what is short, and one worker does nothing but that.
func claimer(name plan.Lane, l lane, nth int) func(*store.Tx) ([]store.Due, error) {
	short := func(tx *store.Tx) ([]store.Due, error) { return tx.ClaimShort(name, l.claim) }
	long := func(tx *store.Tx) ([]store.Due, error) { return tx.ClaimLong(name) }
	switch {
	case name != plan.Delivering:
		return func(tx *store.Tx) ([]store.Due, error) { return tx.ClaimDue(name, l.claim) }
	case nth >= spreaders:
		return short
	}
	first, second := short, long
	return func(tx *store.Tx) ([]store.Due, error) {
		first, second = second, first
		claimed, err := first(tx)
		if err != nil || len(claimed) > 0 {
			return claimed, err
		}
		return second(tx)
	}
}

// Stop ends the workers. Work in hand is rolled back and stays due.
func (e *Engine) Stop() {
	if e.stop != nil {
		e.stop()
		e.workers.Wait()
	}
}

func (e *Engine) work(ctx context.Context, name plan.Lane, l lane, claim func(*store.Tx) ([]store.Due, error)) {
	for ctx.Err() == nil {
		began := time.Now()
		result, err := e.turn(ctx, l, claim)
		if err != nil && ctx.Err() == nil {
			e.log.Error("due work", "lane", name, "error", err)
		}
		if result == fruitful && err == nil {
			continue
		}
		if result == vain && err == nil {
			rest(ctx, vainRest*time.Since(began))
			continue
		}
		select {
		case <-e.wake[name]:
		case <-ctx.Done():
		}
	}
}

// lookOut wakes a worker of each lane that has work due: one look for all of
// them, so that a service with nothing to do takes next to nothing.
func (e *Engine) lookOut(ctx context.Context) {
	for ctx.Err() == nil {
		lanes, err := e.store.LanesDue(ctx)
		if err != nil && ctx.Err() == nil {
			e.log.Error("looking for due work", "error", err)
		}
		for _, lane := range lanes {
			e.wakeOne(lane)
		}
		rest(ctx, idle)
	}
}

func rest(ctx context.Context, pause time.Duration) {
	select {
	case <-time.After(pause):
	case <-ctx.Done():
	}
}

// wakeAll tells idle workers that there may be work. One waiting token is enough.
func (e *Engine) wakeAll() {
	for lane := range e.wake {
		e.wakeOne(lane)
	}
}

func (e *Engine) wakeOne(lane plan.Lane) {
	select {
	case e.wake[lane] <- struct{}{}:
	default:
	}
}

// turn is one transaction of a worker.
type turn struct {
	*running
	engine *Engine
	ctx    context.Context
	tx     *store.Tx
	alone  bool // one row, after it failed together with others
	vain   bool // it looked for something to do and found nothing
}

// outcome is what came of a turn.
type outcome int

const (
	nothing  outcome = iota // no work was due
	fruitful                // work was done
	vain                    // what was due was to look for work, and there was none
)

// vainRest is how many times as long as a turn in vain took a worker rests
// after it: looking through everything is not to take the machine from those
// that have something to do.
const vainRest = 4

// turn takes work of a lane and does it.
func (e *Engine) turn(ctx context.Context, l lane, claim func(*store.Tx) ([]store.Due, error)) (outcome, error) {
	r, err := e.ifPlanned(ctx)
	if err != nil || r == nil {
		return nothing, err
	}
	result := fruitful
	var claimed []store.Due
	err = l.begin(e.store)(ctx, func(tx *store.Tx) error {
		var err error
		if claimed, err = claim(tx); err != nil || len(claimed) == 0 {
			return err
		}
		t := &turn{running: r, engine: e, ctx: ctx, tx: tx}
		err = l.carry(t, claimed)
		if t.vain {
			result = vain
		}
		return err
	})
	if len(claimed) == 0 {
		return nothing, err
	}
	if err != nil && ctx.Err() == nil {
		err = e.oneByOne(ctx, r, l, claimed)
	}
	e.settled.send()
	e.wakeAll()
	return result, err
}

// oneByOne finds out which of several rows fails: it gets a pause, the others go ahead.
func (e *Engine) oneByOne(ctx context.Context, r *running, l lane, claimed []store.Due) error {
	for _, d := range claimed {
		err := l.begin(e.store)(ctx, func(tx *store.Tx) error {
			mine, there, err := tx.ClaimOne(d.Lane, d.Seq)
			if err != nil || !there {
				return err
			}
			return l.carry(&turn{running: r, engine: e, ctx: ctx, tx: tx, alone: true}, []store.Due{mine})
		})
		if err == nil {
			continue
		}
		if ctx.Err() != nil {
			return ctx.Err()
		}
		parked, failErr := e.store.FailDue(ctx, d, err, isHopeless(err), firstPause)
		e.log.Warn("due work failed", "step", d.Step, "document", d.Doc, "attempt", d.Attempts+1, "parked", parked, "error", err)
		if failErr != nil {
			return errors.Join(err, failErr)
		}
	}
	return nil
}

// finish marks rows as done.
func (t *turn) finish(due []store.Due) error {
	if len(due) == 0 {
		return nil
	}
	finished := make([]store.Progress, len(due))
	for i, d := range due {
		finished[i] = store.Progress{Seq: d.Seq, Rows: d.Rows}
	}
	return t.tx.FinishDue(due[0].Lane, finished)
}
