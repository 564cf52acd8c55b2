package upkeep

import (
	"context"
	"time"

	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/auditsql"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/queuesql"
	"yalvo/internal/engine/store/readsql"
)

const (
	maintainEvery = 5 * time.Second
	answerAge     = 24 * time.Hour     // how long a repeated Idempotency-Key is recognised
	eventAge      = 7 * 24 * time.Hour // how long what a trigger sent can be sent again
	departedAge   = 8 * 24 * time.Hour // longer than answers and events are kept
	rewrittenAge  = time.Minute        // who has not asked for twice as long what was written remembers nothing
	doneKept      = 1_000_000          // for so many changes it can be looked up what followed from them
	dropChunk     = 20_000             // rows dropped in one transaction
)

// maintain looks after what no change makes due: timelines that outgrew their
// length, and rows that nobody will ask for again.
func (w *Workers) maintain(ctx context.Context) {
	tick := time.NewTicker(maintainEvery)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		for _, chore := range []func(context.Context) error{w.trimIfGrown, w.dropOld, w.meter} {
			if err := chore(ctx); err != nil && ctx.Err() == nil {
				w.Trouble("maintenance", err)
			}
		}
	}
}

// meter stores what has been counted.
func (w *Workers) meter(ctx context.Context) error { return w.Meter.Keep(ctx, w.Store) }

// atEnd is how long a service that ends takes at most to store what it has counted.
const atEnd = 2 * time.Second

func (w *Workers) keepMetered() {
	ctx, cancel := context.WithTimeout(context.Background(), atEnd)
	defer cancel()
	if err := w.Meter.KeepNow(ctx, w.Store); err != nil {
		w.Log.Warn("what was counted in the last seconds is lost", "error", err)
	}
}

func (w *Workers) dropOld(ctx context.Context) error {
	v, err := w.IfAny(ctx)
	if err != nil || v == nil {
		return err
	}
	references, frozen := v.Plan.Traces()
	for _, drop := range []func(*store.Tx) error{
		func(tx *store.Tx) error { return factsql.DropAnswers(tx, answerAge) },
		func(tx *store.Tx) error { return auditsql.DropDone(tx, doneKept, dropChunk) },
		func(tx *store.Tx) error { return queuesql.DropEvents(tx, eventAge, dropChunk) },
		func(tx *store.Tx) error { return readsql.DropRewritten(tx, rewrittenAge) },
		func(tx *store.Tx) error { return factsql.DropDeparted(tx, departedAge, dropChunk, references, frozen) },
	} {
		if err := w.Store.Upkeep(ctx, drop); err != nil {
			return err
		}
	}
	return nil
}
