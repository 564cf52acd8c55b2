package upkeep

import (
	"context"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/queuesql"
	"yalvo/internal/engine/store/timelinesql"
)

const (
	trimOwners = 200    // owners whose timelines one transaction looks at
	trimWorth  = 10_000 // entries written before a trim can be worth it
)

// trimIfGrown starts a trim when timelines have grown by a tenth.
func (w *Workers) trimIfGrown(ctx context.Context) error {
	inserted := w.inserted.Load()
	if inserted < trimWorth {
		return nil
	}
	total, err := timelinesql.EntryCount(ctx, w.Store)
	if err != nil || inserted < total/10 {
		return err
	}
	w.inserted.Add(-inserted)
	return w.Trim(ctx)
}

// Trim makes it due to cut every timeline that is longer than it need be.
func (w *Workers) Trim(ctx context.Context) error {
	v, err := w.Now(ctx)
	if err != nil {
		return err
	}
	var work []plan.Work
	for _, t := range v.Plan.Timelines {
		work = append(work, plan.TrimAll(t.Number))
	}
	err = w.Store.Write(ctx, func(tx *store.Tx) error { return queuesql.AppendDue(tx, 0, work) })
	w.Wake(plan.Trimming)
	return err
}

// trim cuts the timelines of some owners and goes on with the next.
func (t *turn) trim(due []queuesql.Due) error {
	for _, d := range due {
		timeline := t.Plan.TimelineNumbered(d.Subject)
		if timeline == nil {
			return t.finish(due)
		}
		if err := t.Tx.ShareTimeline(timeline.Number); err != nil {
			return err
		}
		reached, cut, last, err := timelinesql.TrimOwners(t.Tx, timeline, d.Cursor, trimOwners)
		if err != nil {
			return err
		}
		if err := t.recount(timeline, cut); err != nil {
			return err
		}
		t.vain = len(cut) == 0 && !last
		if last {
			err = t.finish([]queuesql.Due{d})
		} else {
			err = queuesql.ContinueDue(t.Tx, []queuesql.Progress{{Due: d, Next: reached}})
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
	transaction, err := timelinesql.Transaction(t.Tx)
	if err != nil {
		return err
	}
	work := make([]plan.Work, len(cut))
	for i, owner := range cut {
		work[i] = plan.RefillAfter(timeline.Number, owner, transaction)
	}
	return queuesql.AppendDue(t.Tx, 0, work)
}
