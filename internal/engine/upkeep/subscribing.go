package upkeep

import (
	"cmp"
	"slices"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store/queuesql"
	"yalvo/internal/engine/store/timelinesql"
)

// bringLimit is how many entries subscriptions bring in together.
const bringLimit = 20_000

// subscribe brings owners' timelines in line with the pairs as they stand now.
func (t *turn) subscribe(timeline *plan.Timeline, due []queuesql.Due) error {
	rowsOf := map[[2]int64][]queuesql.Due{}
	var subscriptions []timelinesql.Subscription
	for _, d := range due {
		k := [2]int64{d.Doc, d.Key}
		if rowsOf[k] == nil {
			subscriptions = append(subscriptions, timelinesql.Subscription{Owner: d.Doc, Author: d.Key})
		}
		rowsOf[k] = append(rowsOf[k], d)
	}
	if err := timelinesql.CountPosts(t.Tx, timeline, subscriptions); err != nil {
		return err
	}
	subscriptions = asManyAsFit(subscriptions)
	if err := t.reconcile(timeline, subscriptions, rowsOf, due[0].Change); err != nil {
		return err
	}
	var done []queuesql.Due
	for _, s := range subscriptions {
		for _, d := range rowsOf[[2]int64{s.Owner, s.Author}] {
			d.Rows = int64(s.Many)
			done = append(done, d)
		}
	}
	return t.finish(done)
}

// reconcile takes out and brings in. Where a pair was set and nothing else is
// due, there is nothing to take out: an owner's whole timeline would be searched
// for that.
func (t *turn) reconcile(timeline *plan.Timeline, subscriptions []timelinesql.Subscription,
	rowsOf map[[2]int64][]queuesql.Due, change int64) error {
	cuts, err := timelinesql.LockCuts(t.Tx, timeline.Number, owners(subscriptions))
	if err != nil {
		return err
	}
	fresh := func(s timelinesql.Subscription) bool {
		rows := rowsOf[[2]int64{s.Owner, s.Author}]
		return !slices.ContainsFunc(rows, func(d queuesql.Due) bool { return !d.Fresh() })
	}
	old := slices.DeleteFunc(slices.Clone(subscriptions), fresh)
	if err := t.takeOutBelow(cuts, timeline, old, change); err != nil {
		return err
	}
	return t.bringIn(timeline, subscriptions)
}

// takeOut takes authors' entries out of owners' timelines as far as the facts
// do not justify them. It locks the owners' cuts.
func (t *turn) takeOut(timeline *plan.Timeline, subscriptions []timelinesql.Subscription, change int64) error {
	cuts, err := timelinesql.LockCuts(t.Tx, timeline.Number, owners(subscriptions))
	if err != nil {
		return err
	}
	return t.takeOutBelow(cuts, timeline, subscriptions, change)
}

// takeOutBelow is the same with the cuts locked.
func (t *turn) takeOutBelow(cuts timelinesql.Cuts, timeline *plan.Timeline, subscriptions []timelinesql.Subscription,
	change int64) error {
	if len(subscriptions) == 0 {
		return nil
	}
	lost, err := timelinesql.TakeOut(t.Tx, timeline, subscriptions)
	if err != nil {
		return err
	}
	return t.shorten(cuts.Of(lost), change)
}

// bringIn adds authors' newest entries to owners' timelines. The owners' cuts
// must be locked.
func (t *turn) bringIn(timeline *plan.Timeline, subscriptions []timelinesql.Subscription) error {
	var few, full []timelinesql.Subscription
	for _, s := range subscriptions {
		if s.Many < timeline.Length {
			few = append(few, s)
			continue
		}
		full = append(full, s)
	}
	many, err := timelinesql.BringIn(t.Tx, timeline, few)
	if err != nil {
		return err
	}
	newest, err := timelinesql.BringInNewest(t.Tx, timeline, full)
	t.workers.inserted.Add(many + newest)
	return err
}

func owners(subscriptions []timelinesql.Subscription) []int64 {
	all := make([]int64, len(subscriptions))
	for i, s := range subscriptions {
		all[i] = s.Owner
	}
	slices.Sort(all)
	return slices.Compact(all)
}

// asManyAsFit takes subscriptions, the light ones first, up to the limit of entries.
func asManyAsFit(subscriptions []timelinesql.Subscription) []timelinesql.Subscription {
	slices.SortStableFunc(subscriptions, func(a, b timelinesql.Subscription) int { return cmp.Compare(a.Many, b.Many) })
	total := 0
	for i, s := range subscriptions {
		if total += s.Many; total > bringLimit && i > 0 {
			return subscriptions[:i]
		}
	}
	return subscriptions
}
