package upkeep

import (
	"context"
	"errors"
	"log/slog"
	"net/netip"
	"sync"
	"sync/atomic"
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/facts"
	"yalvo/internal/engine/metering"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/queuesql"
)

// Workers do due work. Any number of services may do so on one database.
type Workers struct {
	*running.App
	Patience Patience       // with receivers of what triggers send
	Within   []netip.Prefix // private networks that triggers may send to

	// Forgetting, if set, hears of documents that go along with one that is
	// forgotten, in the transaction that removes them and before it does.
	Forgetting func(ctx context.Context, u facts.Unit, c *plan.Collection, docs []store.Document, forgotten int64) error

	inserted atomic.Int64 // entries written since this service last trimmed the timelines
	finished atomic.Int64 // rows of due work taken since it last cleared the queue
	stop     context.CancelFunc
	group    sync.WaitGroup
}

// New makes the workers of an app. They do nothing before Start.
func New(app *running.App) *Workers {
	return &Workers{App: app, Patience: Patience{10 * time.Second, time.Second}}
}

// Start begins to do due work.
func (w *Workers) Start() {
	ctx, cancel := context.WithCancel(context.Background())
	w.stop = cancel
	for name, l := range lanes() {
		for nth := range l.workers {
			w.group.Go(func() { w.work(ctx, name, l, claimer(name, l, nth)) })
		}
	}
	w.group.Go(func() { w.poll(ctx) })
	w.group.Go(func() { w.maintain(ctx) })
	w.group.Go(func() { w.sender(ctx) })
}

// Stop ends the workers. Work in hand is rolled back and stays due.
func (w *Workers) Stop() {
	if w.stop != nil {
		w.stop()
		w.group.Wait()
		w.keepMetered()
	}
}

// idle is how often a service looks for work that another process has left, or
// whose time has come.
const idle = 100 * time.Millisecond

// clearAfter is how many rows of due work leave enough behind for the queue to
// be cleared, and clearEvery how often that is looked at.
const (
	clearAfter = 2000
	clearEvery = time.Second
)

// poll wakes a worker of each lane that has work due: one look for all of
// them, so that a service with nothing to do takes next to nothing. The same
// look tells whether another service has applied a design, has begun a load or is done
// with a step.
func (w *Workers) poll(ctx context.Context) {
	cleared := time.Now()
	for ctx.Err() == nil {
		at := time.Now()
		look, err := queuesql.LookForWork(ctx, w.Store)
		if err == nil {
			w.Back()
			w.Wake(look.Lanes...)
			err = w.TakeUp(ctx, at, look.Design, look.Steps)
		}
		if err == nil {
			err = w.Sign(ctx, look.Session)
		}
		if err == nil && w.finished.Load() > clearAfter && time.Since(cleared) > clearEvery {
			w.finished.Store(0)
			cleared, err = time.Now(), queuesql.VacuumDue(ctx, w.Store)
		}
		if err != nil && ctx.Err() == nil {
			w.Trouble("looking for due work", err)
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

func (w *Workers) work(ctx context.Context, name plan.Lane, l lane, claim claim) {
	for ctx.Err() == nil {
		began := time.Now()
		result, err := w.turn(ctx, l, claim)
		if err != nil && ctx.Err() == nil {
			w.Trouble("due work", err, "lane", name)
		}
		switch {
		case result == worked && err == nil:
			continue
		case result == foundNothing && err == nil:
			rest(ctx, searchRest*time.Since(began))
			continue
		}
		select {
		case <-w.Work(name):
		case <-ctx.Done():
		}
	}
}

// turn is one transaction of a worker.
type turn struct {
	facts.Unit
	workers *Workers
	ctx     context.Context
	alone   bool // one row, after it failed together with others
	vain    bool // it looked for something to do and found nothing
}

func (w *Workers) newTurn(ctx context.Context, v *running.Version, tx *store.Tx) *turn {
	return &turn{Unit: facts.Unit{Version: v, Tx: tx, Tally: &metering.Tally{}}, workers: w, ctx: ctx}
}

// outcome is what came of a turn.
type outcome int

const (
	nothingDue   outcome = iota
	worked               // work was done
	foundNothing         // what was due was to look for work, and there was none
)

// searchRest is how many times as long as a turn that found nothing a worker
// rests after it: looking through everything is not to take the machine from
// those that have something to do.
const searchRest = 4

// turn takes work of a lane and does it.
//
// Locked, until it commits: the rows of due work that it has claimed (others skip them), and whatever its step locks.
// What it claims it does and deletes in one transaction, so a service that dies here has done nothing: the rows are
// due again as soon as PostgreSQL has ended its session. The design is looked at within that transaction: work that
// was planned under one design is never done by the plan of another. What may be stale is the plan that this service
// has in hand; then nothing is done, and it takes up the newer one.
func (w *Workers) turn(ctx context.Context, l lane, claim claim) (outcome, error) {
	v, err := w.IfAny(ctx)
	if err != nil || v == nil {
		return nothingDue, err
	}
	if l.counted {
		if claim, err = w.countFirst(ctx, plan.Reacting, claim); err != nil || claim == nil {
			return nothingDue, err
		}
	}
	var claimed []queuesql.Due
	var t *turn
	err = l.begin(w.Store)(ctx, func(tx *store.Tx) error {
		t = w.newTurn(ctx, v, tx)
		var design int
		if claimed, design, err = claim(tx); err != nil || len(claimed) == 0 {
			return err
		}
		if design != v.Number {
			return running.ErrMoved
		}
		return l.carry(t, claimed)
	})
	if l.counted && len(claimed) > 0 && (errors.Is(err, running.ErrMoved) || ctx.Err() != nil || t.vain) {
		err = errors.Join(err, queuesql.CountBack(context.WithoutCancel(ctx), w.Store, claimed[0])) // it was not tried
	}
	if errors.Is(err, running.ErrMoved) {
		return worked, w.Reload(ctx) // and do it by the new plan
	}
	if len(claimed) == 0 {
		return nothingDue, err
	}
	if err == nil {
		t.heard()
	} else if ctx.Err() == nil && !w.IsAway(err) && !w.IsFull(err) {
		err = w.oneByOne(ctx, v, l, claimed)
		w.Wake(plan.Lanes...)
	}
	w.finished.Add(int64(len(claimed)))
	w.Wake(t.Tx.Lanes()...)
	w.Settle()
	if t.vain {
		return foundNothing, err
	}
	return worked, err
}

// countFirst counts an attempt at the next work of a lane, and is the claim of it;
// nil if none is due. Work that has been counted often enough without an end has
// ended the services that tried it, and is parked.
func (w *Workers) countFirst(ctx context.Context, name plan.Lane, claim claim) (claim, error) {
	var next []queuesql.Due
	err := w.Store.Upkeep(ctx, func(tx *store.Tx) error {
		next = nil
		free, err := tx.TryLockLane(name)
		if err != nil || !free { // another service is at it
			return err
		}
		if next, _, err = claim(tx); err != nil || len(next) == 0 {
			return err
		}
		return queuesql.CountAttempt(tx, next[0])
	})
	if err != nil || len(next) == 0 {
		return nil, err
	}
	if d := next[0]; d.Attempts >= queuesql.MaxAttempts {
		d.Attempts = queuesql.MaxAttempts - 1
		return nil, w.fail(ctx, d, errEndless)
	}
	return func(tx *store.Tx) ([]queuesql.Due, int, error) {
		mine, there, design, err := queuesql.ClaimOne(tx, next[0])
		if err != nil || !there {
			return nil, 0, err
		}
		mine.Attempts = next[0].Attempts // this one is counted already
		return []queuesql.Due{mine}, design, nil
	}, nil
}

var errEndless = errors.New("each time this was tried, the service ended before it was done")

// oneByOne finds out which of several rows fails: it gets a pause, the others go ahead.
func (w *Workers) oneByOne(ctx context.Context, v *running.Version, l lane, claimed []queuesql.Due) error {
	for _, d := range claimed {
		var t *turn
		err := l.begin(w.Store)(ctx, func(tx *store.Tx) error {
			mine, there, design, err := queuesql.ClaimOne(tx, d)
			if err != nil || !there {
				return err
			}
			if design != v.Number {
				return running.ErrMoved
			}
			t = w.newTurn(ctx, v, tx)
			t.alone = true
			return l.carry(t, []queuesql.Due{mine})
		})
		switch {
		case err == nil:
			if t != nil {
				t.heard()
			}
			continue
		case ctx.Err() != nil:
			return ctx.Err()
		case errors.Is(err, running.ErrMoved):
			return w.Reload(ctx) // that was no failure of the work
		case w.IsAway(err) || w.IsFull(err):
			return err // nor was that
		}
		if err := w.fail(ctx, d, err); err != nil {
			return err
		}
	}
	return nil
}

// fail notes that work failed.
func (w *Workers) fail(ctx context.Context, d queuesql.Due, cause error) error {
	parked, err := queuesql.FailDue(ctx, w.Store, d, cause, running.IsHopeless(cause), firstPause)
	w.logFailure("due work", parked, cause, "step", d.Step, "document", d.Doc, "attempt", d.Attempts+1)
	if err != nil {
		return errors.Join(cause, err)
	}
	return nil
}

// logFailure says that work is parked; that it failed and is tried again, only to
// who wants to know everything.
func (w *Workers) logFailure(what string, parked bool, cause error, more ...any) {
	level, end := slog.LevelDebug, " failed and is tried again"
	if parked {
		level, end = slog.LevelWarn, " is parked: it failed too often, or cannot be done"
	}
	w.Log.Log(context.Background(), level, what+end, append(more, "error", queuesql.InWords(cause))...)
}

// firstPause is the pause after work has failed for the first time; each
// further one doubles it.
const firstPause = 100 * time.Millisecond

// finish marks rows as done.
func (t *turn) finish(due []queuesql.Due) error {
	if len(due) == 0 {
		return nil
	}
	return queuesql.FinishDue(t.Tx, progress(due))
}

func progress(due []queuesql.Due) []queuesql.Progress {
	all := make([]queuesql.Progress, len(due))
	for i, d := range due {
		all[i] = queuesql.Progress{Due: d, Passed: d.Rows}
	}
	return all
}
