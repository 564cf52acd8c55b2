package upkeep

import (
	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store/queuesql"
	"yalvo/internal/engine/store/timelinesql"
)

// followersAtOnce is how many followers of an author whose entries come or go
// altogether one transaction looks at.
const followersAtOnce = 500

// passThresholds looks for authors whose number of followers has just passed
// the threshold of a mixed timeline, either way.
func (t *turn) passThresholds(sums deltas, there []int64) error {
	for _, timeline := range t.Plan.Timelines {
		if timeline.Deliver != design.Mixed {
			continue
		}
		var authors []int64
		for _, doc := range there {
			if d := sums[doc][timeline.Followers().Name]; d != nil && d.in == timeline.By.To {
				authors = append(authors, doc)
			}
		}
		if len(authors) == 0 {
			continue
		}
		past, err := timelinesql.PastThreshold(t.Tx, timeline, authors)
		if err != nil {
			return err
		}
		var due []plan.Work
		for _, author := range past {
			due = append(due, plan.DeliveryOf(plan.ChooseDelivery, timeline.Number, author))
		}
		if err := queuesql.AppendDue(t.Tx, 0, due); err != nil { // readers see the same before, after and meanwhile
			return err
		}
	}
	return nil
}

// deliveryMode does work on how an author's entries get to readers. The
// author's lock is held, so whoever delivers sees one state or the next.
func (t *turn) deliveryMode(timeline *plan.Timeline, d queuesql.Due) error {
	if timeline.Deliver != design.Mixed {
		return t.finish([]queuesql.Due{d})
	}
	now, err := timelinesql.FindDeliveryMode(t.Tx, d.Subject, d.Key)
	if err != nil {
		return err
	}
	switch {
	case d.Step == plan.ChooseDelivery:
		return t.chooseDelivery(timeline, d, now)
	case d.Step == plan.Clear && now.Collected && !now.Pushing:
		return t.clearSome(timeline, d, now)
	case d.Step == plan.Fill && now.Pushing:
		return t.fillSome(timeline, d, now)
	}
	return t.finish([]queuesql.Due{d}) // it has passed back meanwhile
}

func (t *turn) chooseDelivery(timeline *plan.Timeline, d queuesql.Due, now timelinesql.DeliveryMode) error {
	many, err := timelinesql.Followers(t.Tx, timeline, d.Key)
	if err != nil {
		return err
	}
	next, step := now, plan.Step(0)
	switch {
	case many > timeline.Above && (!now.Collected || now.Pushing):
		next, step = timelinesql.DeliveryMode{Collected: true}, plan.Clear
	case many < timeline.Lower() && now.Collected && !now.Pushing:
		next, step = timelinesql.DeliveryMode{Collected: true, Pushing: true}, plan.Fill
	}
	if step != 0 {
		if err := timelinesql.SetDeliveryMode(t.Tx, d.Subject, d.Key, next); err != nil {
			return err
		}
		if err := queuesql.AppendDue(t.Tx, 0, []plan.Work{plan.DeliveryOf(step, d.Subject, d.Key)}); err != nil {
			return err
		}
	}
	return t.finish([]queuesql.Due{d})
}

// clearSome takes what a reader collects anyway out of some timelines.
func (t *turn) clearSome(timeline *plan.Timeline, d queuesql.Due, now timelinesql.DeliveryMode) error {
	followers, err := timelinesql.NextFollowers(t.Tx, timeline, d.Key, d.Cursor, followersAtOnce)
	if err != nil {
		return err
	}
	cuts, err := timelinesql.LockCuts(t.Tx, timeline.Number, followers)
	if err != nil {
		return err
	}
	lost, err := timelinesql.ClearEntries(t.Tx, timeline, d.Key, followers)
	if err != nil {
		return err
	}
	if err := t.shorten(cuts.Of(lost), 0); err != nil {
		return err
	}
	if len(followers) == followersAtOnce {
		return t.goOnAfter(d, followers)
	}
	now.Clean = true
	if err := timelinesql.SetDeliveryMode(t.Tx, d.Subject, d.Key, now); err != nil {
		return err
	}
	return t.finish([]queuesql.Due{d})
}

// fillSome brings entries back into some timelines. When all followers have
// them, readers no longer collect.
func (t *turn) fillSome(timeline *plan.Timeline, d queuesql.Due, now timelinesql.DeliveryMode) error {
	posts := []timelinesql.Subscription{{Author: d.Key}}
	if err := timelinesql.CountPosts(t.Tx, timeline, posts); err != nil {
		return err
	}
	width := max(1, min(followersAtOnce, bringLimit/max(1, posts[0].Many)))
	followers, err := timelinesql.NextFollowers(t.Tx, timeline, d.Key, d.Cursor, width)
	if err != nil {
		return err
	}
	subscriptions := make([]timelinesql.Subscription, len(followers))
	for i, follower := range followers {
		subscriptions[i] = timelinesql.Subscription{Owner: follower, Author: d.Key, Many: posts[0].Many}
	}
	if _, err := timelinesql.LockCuts(t.Tx, timeline.Number, followers); err != nil {
		return err
	}
	if err := t.bringIn(timeline, subscriptions); err != nil {
		return err
	}
	if len(followers) == width {
		return t.goOnAfter(d, followers)
	}
	now.Collected = false
	if err := timelinesql.SetDeliveryMode(t.Tx, d.Subject, d.Key, now); err != nil {
		return err
	}
	return t.finish([]queuesql.Due{d})
}

func (t *turn) goOnAfter(d queuesql.Due, followers []int64) error {
	last := followers[len(followers)-1]
	return queuesql.ContinueDue(t.Tx, []queuesql.Progress{{Due: d, Next: last, Passed: int64(len(followers))}})
}

// skipCollected lets entries of authors who are collected from go to nobody but
// the author, and takes none from where there are none.
func (t *turn) skipCollected(timeline *plan.Timeline, step plan.Step, fanOuts []timelinesql.FanOut) error {
	if timeline.Deliver != design.Mixed {
		return nil
	}
	for i := range fanOuts {
		f := &fanOuts[i]
		now, err := timelinesql.FindDeliveryMode(t.Tx, f.Timeline, f.Author)
		if err != nil {
			return err
		}
		if now.Collected && !now.Pushing && (step == plan.Deliver || now.Clean) {
			f.Last, f.Many, f.Done = f.Due.Cursor, 0, true
		}
	}
	return nil
}
