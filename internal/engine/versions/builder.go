package versions

import (
	"context"
	"sync"
	"time"

	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/queuesql"
	"yalvo/internal/engine/store/versionsql"
)

// builder is what carries steps out in the background.
type builder struct {
	wake  chan struct{}
	stop  context.CancelFunc
	group sync.WaitGroup
	pace  pace
	sweep sweeping
	asOne int // stretches that are not done in halves

	// What a stretch has left to be done outside of its transaction; it tells whether that
	// was done, and not by another service.
	aside func(context.Context) (bool, error)
}

// How long a stretch is to take, and how often an idle builder looks for steps that
// another service's request has left.
const (
	stretchFor   = 60 * time.Millisecond
	stretchAlone = 200 * time.Millisecond // while no client wants anything
	lookEvery    = time.Second
	failPause    = 2 * time.Second
)

// Start begins to carry steps out, whoever asked for them.
func (k *Keeper) Start() {
	ctx, cancel := context.WithCancel(context.Background())
	k.stop = cancel
	k.group.Go(func() { k.build(ctx) })
}

// Stop ends that. A stretch in hand is rolled back, and goes on elsewhere or at the
// next start.
func (k *Keeper) Stop() {
	if k.stop != nil {
		k.stop()
		k.group.Wait()
	}
}

func (k *Keeper) wakeUp() {
	select {
	case k.wake <- struct{}{}:
	default:
	}
}

// build carries on with the steps that are left.
func (k *Keeper) build(ctx context.Context) {
	for ctx.Err() == nil {
		pause, err := k.turn(ctx)
		if err != nil && ctx.Err() == nil {
			k.Trouble("changing what is stored to the new design", err)
			pause = failPause
		}
		if pause == 0 {
			continue
		}
		select {
		case <-k.wake:
		case <-time.After(pause):
		case <-ctx.Done():
		}
	}
}

// turn does a stretch of the step that is next, and tells how long to rest.
func (k *Keeper) turn(ctx context.Context) (time.Duration, error) {
	v, err := k.IfAny(ctx)
	if err != nil || v == nil {
		return lookEvery, err
	}
	if len(v.Builds) == 0 {
		return lookEvery, nil // another version's steps come with the version
	}
	began := time.Now()
	var b versionsql.Build
	var there bool
	k.aside = nil
	err = k.Store.Upkeep(ctx, func(tx *store.Tx) error {
		b, there, err = versionsql.ClaimBuild(tx)
		if err != nil || !there {
			return err
		}
		if err := inForce(tx, v); err != nil {
			return err
		}
		return k.stretch(ctx, tx, v, &b)
	})
	switch {
	case err != nil && there && ctx.Err() == nil && !k.IsAway(err) && !k.IsFull(err):
		if moved(err) {
			return 0, k.Reload(ctx)
		}
		return failPause, joined(err, versionsql.FailBuild(ctx, k.Store, b, err))
	case err != nil:
		return failPause, err
	case !there:
		return lookEvery, k.Reload(ctx) // another service is at it, or it is done
	}
	if k.aside != nil {
		return k.doAside(ctx, b)
	}
	if b.Ended != nil {
		err = k.ended(ctx, v, b)
	}
	return k.rest(time.Since(began)), err
}

// doAside does what a stretch has left, and tells how long to rest.
func (k *Keeper) doAside(ctx context.Context, b versionsql.Build) (time.Duration, error) {
	done, err := k.aside(ctx)
	switch {
	case err != nil && ctx.Err() == nil && !k.IsAway(err) && !k.IsFull(err):
		return failPause, joined(err, versionsql.FailBuild(ctx, k.Store, b, err))
	case err != nil:
		return failPause, err
	case !done:
		return lookEvery, nil
	}
	return 0, nil
}

// rest leaves a quarter of the time to clients alone while there are any.
func (k *Keeper) rest(worked time.Duration) time.Duration {
	if k.Store.Quiet() {
		return 0
	}
	return worked / 3
}

// ended takes up what is shown now that a step is done.
func (k *Keeper) ended(ctx context.Context, v *running.Version, b versionsql.Build) error {
	k.Log.Debug("a step of a change of the design is done", "version", b.Version, "does", b.Does, "name", b.Name,
		"rows", b.Rows, "seconds", b.Spent)
	if err := k.Reload(ctx); err != nil {
		return err
	}
	if now, err := k.IfAny(ctx); err == nil && len(now.Builds) == 0 {
		k.Log.Info("all that a version of the design asks for is done", "version", b.Version)
	}
	return nil
}

// pace is how many documents the next stretch of a step takes: as many as take
// about as long as a stretch is to.
type pace struct {
	version, nth, width int
}

// sweeping is how far the sweep in hand has come. It is not stored: a sweep that another
// service goes on with begins from the front again.
type sweeping struct {
	version, nth int
	at           queuesql.SweepPlace
}

func (s *sweeping) place(b versionsql.Build) queuesql.SweepPlace {
	if s.version != b.Version || s.nth != b.Nth {
		*s = sweeping{version: b.Version, nth: b.Nth}
	}
	return s.at
}

// The fewest and most documents of a stretch.
const (
	narrowest = 10
	widest    = 20_000
)

func (p *pace) of(b versionsql.Build) int {
	if p.version != b.Version || p.nth != b.Nth {
		*p = pace{b.Version, b.Nth, firstWidth}
	}
	return p.width
}

// A step begins narrow; what is only tried is as wide as says something.
const (
	firstWidth = 20
	triedWidth = 200
)

// took adjusts the pace to how long a stretch took.
func (p *pace) took(d time.Duration, alone bool) {
	want := stretchFor
	if alone {
		want = stretchAlone
	}
	by := float64(want) / float64(max(d, time.Millisecond))
	p.width = min(max(int(float64(p.width)*min(by, 3)), narrowest), widest)
}
