package upkeep

import (
	"slices"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store/queuesql"
)

// deliver does work on timelines, of one step and one kind of timeline in one
// transaction. It holds each author's lock from before it looks at the facts
// until it commits. Rows whose author is busy elsewhere are left for later.
//
// The lock is what makes one step of "look whether somebody still follows, and write the entry": without it an
// unfollow could look for entries to take out between the two, find none, and the entry would stay for good. Two
// fan-outs of one author may go on beside each other, as both only add; what takes out may not beside what adds.
func (t *turn) deliver(due []queuesql.Due) error {
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
		return t.refill(timeline, due)
	}
	return t.deliveryMode(timeline, due[0])
}

// alike are the rows that are like the first.
func alike(due []queuesql.Due) []queuesql.Due {
	other := func(d queuesql.Due) bool { return d.Step != due[0].Step || d.Subject != due[0].Subject }
	return slices.DeleteFunc(slices.Clone(due), other)
}

// lockAuthors keeps the rows whose authors' locks are free. If none is, it
// waits for one. Those who only add what the author has posted share the lock;
// an entry that is on its way out needs half of it.
func (t *turn) lockAuthors(due []queuesql.Due) ([]queuesql.Due, error) {
	first := due[0]
	if first.Key == 0 {
		return due, nil
	}
	if first.Step == plan.Withdraw && first.Cursor > 0 {
		return due[:1], t.Tx.LockPart(first.Subject, first.Key, first.Whole())
	}
	authors := make([]int64, len(due))
	for i, d := range due {
		authors[i] = d.Key
	}
	slices.Sort(authors)
	held, half, err := t.Tx.TryAuthors(first.Subject, slices.Compact(authors), first.Step == plan.Deliver)
	if err != nil {
		return nil, err
	}
	if len(held) == 0 {
		one := append(half, first.Key)[0]
		if err := t.Tx.LockAuthor(first.Subject, one); err != nil {
			return nil, err
		}
		held[one] = true
	}
	return slices.DeleteFunc(due, func(d queuesql.Due) bool { return !held[d.Key] }), nil
}
