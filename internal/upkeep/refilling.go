package upkeep

import (
	"slices"

	"yalvo/internal/plan"
	"yalvo/internal/store"
)

// verifying is the cursor of a refill that has put entries in and is to look at
// them again.
const verifying = 1

// refill looks at a timeline that was cut: it may hold enough after all, or it
// gets older entries back. It meets facts that change meanwhile, so what it was
// given is verified in a transaction of its own: a fact committed later brings
// work of its own.
func (t *turn) refill(timeline *plan.Timeline, d store.Due) error {
	if d.Cursor == verifying {
		return t.verify(timeline, d)
	}
	if d.After() != 0 { // right after a cut: wait until nobody can still be working from before it
		ended, err := t.Tx.AllEnded(d.After())
		if err != nil {
			return err
		}
		if !ended {
			return t.Tx.PostponeDue(d, idle)
		}
	}
	cuts, err := t.Tx.LockCuts(d.Subject, []int64{d.Doc})
	if err != nil {
		return err
	}
	if len(cuts) == 0 {
		return t.finish([]store.Due{d})
	}
	many, err := t.Tx.CountAbove(d.Subject, d.Doc, timeline.Length+store.Slack(timeline.Length))
	if err != nil {
		return err
	}
	if many >= timeline.Length {
		if err := t.Tx.SetSurplus(d.Subject, d.Doc, many-timeline.Length); err != nil {
			return err
		}
		return t.finish([]store.Due{d})
	}
	if err := t.Tx.Refill(timeline, d.Doc); err != nil {
		return err
	}
	return t.Tx.ContinueDue([]store.Progress{{Due: d, Next: verifying}})
}

// verify takes out of one timeline what the facts do not justify. It holds the
// locks of the authors concerned from before it looks again until it commits,
// as everyone who takes entries out: else it could take one out that a new
// follow has just found in its place. Authors who are busy are left for later.
func (t *turn) verify(timeline *plan.Timeline, d store.Due) error {
	authors, err := t.Tx.Doubtful(timeline, d.Doc)
	if err != nil || len(authors) == 0 {
		return t.finishUnless(err, d)
	}
	held, _, err := t.Tx.TryAuthors(timeline.Number, authors, false)
	if err != nil {
		return err
	}
	mine := slices.DeleteFunc(slices.Clone(authors), func(author int64) bool { return !held[author] })
	subscriptions := make([]store.Subscription, len(mine))
	for i, author := range mine {
		subscriptions[i] = store.Subscription{Owner: d.Doc, Author: author}
	}
	if err := t.takeOut(timeline, subscriptions, d.Change); err != nil {
		return err
	}
	if len(mine) < len(authors) {
		return t.Tx.PostponeDue(d, idle)
	}
	return t.finish([]store.Due{d})
}

func (t *turn) finishUnless(err error, d store.Due) error {
	if err != nil {
		return err
	}
	return t.finish([]store.Due{d})
}
