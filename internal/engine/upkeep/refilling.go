package upkeep

import (
	"cmp"
	"maps"
	"slices"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store/queuesql"
	"yalvo/internal/engine/store/timelinesql"
)

// verifying is the cursor of a refill that has put entries in and is to look at
// them again.
const verifying = 1

// refill brings timelines that were cut back to their length, one at a time, or
// counts some that were cut just now.
func (t *turn) refill(timeline *plan.Timeline, due []queuesql.Due) error {
	if err := t.Tx.ShareTimeline(timeline.Number); err != nil {
		return err
	}
	switch d := due[0]; {
	case d.Cursor == verifying:
		return t.verify(timeline, d)
	case d.After() != 0:
		return t.countAgain(timeline, due)
	default:
		return t.refillOne(timeline, d)
	}
}

// countAgain counts what timelines hold that were cut, when nobody can still be
// working from before that. What is too short is refilled.
func (t *turn) countAgain(timeline *plan.Timeline, due []queuesql.Due) error {
	due = slices.DeleteFunc(slices.Clone(due), func(d queuesql.Due) bool { return d.After() == 0 || d.Cursor != 0 })
	last := slices.MaxFunc(due, func(a, b queuesql.Due) int { return cmp.Compare(a.After(), b.After()) })
	ended, err := timelinesql.AllEnded(t.Tx, last.After())
	if err != nil {
		return err
	}
	if !ended {
		return queuesql.PostponeDue(t.Tx, idle, due...)
	}
	owners := make([]int64, len(due))
	for i, d := range due {
		owners[i] = d.Doc
	}
	slices.Sort(owners)
	cuts, err := timelinesql.LockCuts(t.Tx, timeline.Number, owners)
	if err != nil {
		return err
	}
	many, err := timelinesql.CountAbove(t.Tx, timeline.Number, slices.Collect(maps.Keys(cuts)), mostCounted(timeline))
	if err != nil {
		return err
	}
	var short []plan.Work
	surplus := map[int64]int{}
	for owner, n := range many {
		if n < timeline.Length {
			short = append(short, plan.RefillOf(timeline.Number, owner))
			continue
		}
		surplus[owner] = n - timeline.Length
	}
	if err := timelinesql.SetSurplus(t.Tx, timeline.Number, surplus); err != nil {
		return err
	}
	if err := queuesql.AppendDue(t.Tx, due[0].Change, short); err != nil {
		return err
	}
	return t.finish(due)
}

// mostCounted is more than a timeline holds when it was cut.
func mostCounted(t *plan.Timeline) int { return t.Length + timelinesql.Slack(t.Length) }

// refillOne looks at a timeline that was cut: it may hold enough after all, or it
// gets older entries back. It meets facts that change meanwhile, so what it was
// given is verified in a transaction of its own: a fact committed later brings
// work of its own.
func (t *turn) refillOne(timeline *plan.Timeline, d queuesql.Due) error {
	cuts, err := timelinesql.LockCuts(t.Tx, d.Subject, []int64{d.Doc})
	if err != nil {
		return err
	}
	if len(cuts) == 0 {
		return t.finish([]queuesql.Due{d})
	}
	many, err := timelinesql.CountAbove(t.Tx, d.Subject, []int64{d.Doc}, mostCounted(timeline))
	if err != nil {
		return err
	}
	if n := many[d.Doc]; n >= timeline.Length {
		if err := timelinesql.SetSurplus(t.Tx, d.Subject, map[int64]int{d.Doc: n - timeline.Length}); err != nil {
			return err
		}
		return t.finish([]queuesql.Due{d})
	}
	if err := timelinesql.Refill(t.Tx, timeline, d.Doc); err != nil {
		return err
	}
	return queuesql.ContinueDue(t.Tx, []queuesql.Progress{{Due: d, Next: verifying}})
}

// verify takes out of one timeline what the facts do not justify. It holds the
// locks of the authors concerned from before it looks again until it commits,
// as everyone who takes entries out: else it could take one out that a new
// follow has just found in its place. Authors who are busy are left for later.
func (t *turn) verify(timeline *plan.Timeline, d queuesql.Due) error {
	authors, err := timelinesql.Doubtful(t.Tx, timeline, d.Doc)
	if err != nil || len(authors) == 0 {
		return t.finishUnless(err, d)
	}
	held, _, err := t.Tx.TryAuthors(timeline.Number, authors, false)
	if err != nil {
		return err
	}
	mine := slices.DeleteFunc(slices.Clone(authors), func(author int64) bool { return !held[author] })
	subscriptions := make([]timelinesql.Subscription, len(mine))
	for i, author := range mine {
		subscriptions[i] = timelinesql.Subscription{Owner: d.Doc, Author: author}
	}
	if err := t.takeOut(timeline, subscriptions, d.Change); err != nil {
		return err
	}
	if len(mine) < len(authors) {
		return queuesql.PostponeDue(t.Tx, idle, d)
	}
	return t.finish([]queuesql.Due{d})
}

func (t *turn) finishUnless(err error, d queuesql.Due) error {
	if err != nil {
		return err
	}
	return t.finish([]queuesql.Due{d})
}
