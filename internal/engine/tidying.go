package engine

import (
	"context"
	"time"

	"yalvo/internal/plan"
	"yalvo/internal/store"
)

const (
	houseTick  = 5 * time.Second
	answerAge  = 24 * time.Hour // how long a repeated Idempotency-Key is recognised
	sweepWidth = 200            // owners whose timelines one transaction looks at
	sweepFloor = 10_000         // entries written before a sweep can be worth it
)

// keepHouse looks after what no change makes due: designs that other processes
// applied, timelines that outgrew their length, answers nobody will ask for again.
func (e *Engine) keepHouse(ctx context.Context) {
	tick := time.NewTicker(houseTick)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		for _, chore := range []func(context.Context) error{e.reload, e.sweepIfGrown, e.dropAnswers, e.dropDone, e.dropFired, e.dropDeparted, e.auditIfDue} {
			if err := chore(ctx); err != nil && ctx.Err() == nil {
				e.log.Error("keeping house", "error", err)
			}
		}
	}
}

func (e *Engine) dropAnswers(ctx context.Context) error {
	return e.store.Write(ctx, func(tx *store.Tx) error { return tx.DropAnswers(answerAge) })
}

// How long the work that followed from a change can be looked up: for so many
// changes after it.
const (
	doneKept  = 1_000_000
	doneChunk = 20_000
)

func (e *Engine) dropDone(ctx context.Context) error {
	return e.store.Write(ctx, func(tx *store.Tx) error { return tx.DropDone(doneKept, doneChunk) })
}

// firedAge is how long what a trigger sent can be sent again.
const firedAge = 7 * 24 * time.Hour

func (e *Engine) dropFired(ctx context.Context) error {
	return e.store.Write(ctx, func(tx *store.Tx) error { return tx.DropFired(firedAge, doneChunk) })
}

func (e *Engine) dropDeparted(ctx context.Context) error {
	return e.store.Write(ctx, func(tx *store.Tx) error { return tx.DropDeparted(doneChunk) })
}

// sweepIfGrown starts a sweep when timelines have grown by a tenth.
func (e *Engine) sweepIfGrown(ctx context.Context) error {
	inserted := e.inserted.Load()
	if inserted < sweepFloor {
		return nil
	}
	total, err := e.store.EntryCount(ctx)
	if err != nil || inserted < total/10 {
		return err
	}
	e.inserted.Add(-inserted)
	return e.Sweep(ctx)
}

// Sweep makes it due to cut every timeline that is longer than it need be.
func (e *Engine) Sweep(ctx context.Context) error {
	r, err := e.planned(ctx)
	if err != nil {
		return err
	}
	var work []plan.Work
	for _, t := range r.plan.Timelines {
		work = append(work, plan.Work{Step: plan.Trim, Subject: t.Number})
	}
	err = e.store.Write(ctx, func(tx *store.Tx) error { return tx.AppendDue(0, work) })
	e.wakeAll()
	return err
}

// tidy cuts the timelines of some owners and goes on with the next.
func (t *turn) tidy(due []store.Due) error {
	for _, d := range due {
		timeline := t.plan.TimelineNumbered(d.Subject)
		if timeline == nil {
			if err := t.finish([]store.Due{d}); err != nil {
				return err
			}
			continue
		}
		reached, cut, done, err := t.tx.TrimOwners(timeline, d.Cursor, sweepWidth)
		if err != nil {
			return err
		}
		if err := t.recount(timeline, cut); err != nil {
			return err
		}
		t.vain = len(cut) == 0 && !done
		if done {
			err = t.finish([]store.Due{d})
		} else {
			err = t.tx.ContinueDue(d.Lane, []store.Progress{{Seq: d.Seq, Cursor: reached}})
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// recount has what was just cut counted again, once nobody can still be
// removing entries without having seen the cut.
func (t *turn) recount(timeline *plan.Timeline, cut []int64) error {
	if len(cut) == 0 {
		return nil
	}
	xid, err := t.tx.Transaction()
	if err != nil {
		return err
	}
	work := make([]plan.Work, len(cut))
	for i, owner := range cut {
		work[i] = plan.Work{Step: plan.Refill, Subject: timeline.Number, Doc: owner, Amount: xid}
	}
	return t.tx.AppendDue(0, work)
}
