package upkeep

import (
	"slices"

	"yalvo/internal/plan"
	"yalvo/internal/store"
)

// deliver does work on timelines, of one step and one kind of timeline in one
// transaction. It holds each author's lock from before it looks at the facts
// until it commits. Rows whose author is busy elsewhere are left for later.
func (t *turn) deliver(due []store.Due) error {
	due, err := t.lockAuthors(alike(due))
	if err != nil {
		return err
	}
	timeline := t.Plan.TimelineNumbered(due[0].Subject)
	if timeline == nil { // of a design that is no longer in force
		return t.finish(due)
	}
	switch due[0].Step {
	case plan.Deliver:
		return t.fanOut(timeline, due, t.putIn)
	case plan.Withdraw:
		return t.fanOut(timeline, due, t.takeBack)
	case plan.Subscribe:
		return t.subscribe(timeline, due)
	case plan.Refill:
		return t.refill(timeline, due[0])
	}
	return t.deliveryMode(timeline, due[0])
}

// alike are the rows that are like the first.
func alike(due []store.Due) []store.Due {
	other := func(d store.Due) bool { return d.Step != due[0].Step || d.Subject != due[0].Subject }
	return slices.DeleteFunc(slices.Clone(due), other)
}

// lockAuthors keeps the rows whose authors' locks are free. If none is, it
// waits for the first: then it holds only that one. Those who only add what the
// author has posted share the lock.
func (t *turn) lockAuthors(due []store.Due) ([]store.Due, error) {
	if due[0].Key == 0 {
		return due, nil
	}
	var keys []int64
	for _, d := range due {
		keys = append(keys, store.AuthorLock(d.Subject, d.Key))
	}
	slices.Sort(keys)
	held, err := t.Tx.TryLocks(slices.Compact(keys), due[0].Step == plan.Deliver)
	if err != nil {
		return nil, err
	}
	if len(held) == 0 {
		first := store.AuthorLock(due[0].Subject, due[0].Key)
		if err := t.Tx.Lock(first); err != nil {
			return nil, err
		}
		held[first] = true
	}
	busy := func(d store.Due) bool { return !held[store.AuthorLock(d.Subject, d.Key)] }
	return slices.DeleteFunc(due, busy), nil
}
