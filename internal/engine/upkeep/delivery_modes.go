package upkeep

import (
	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
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
		past, err := t.Tx.PastThreshold(timeline, authors)
		if err != nil {
			return err
		}
		var due []plan.Work
		for _, author := range past {
			due = append(due, plan.DeliveryOf(plan.ChooseDelivery, timeline.Number, author))
		}
		if err := t.Tx.AppendDue(0, due); err != nil { // readers see the same before, after and meanwhile
			return err
		}
	}
	return nil
}

// deliveryMode does work on how an author's entries get to readers. The
// author's lock is held, so whoever delivers sees one state or the next.
func (t *turn) deliveryMode(timeline *plan.Timeline, d store.Due) error {
	if timeline.Deliver != design.Mixed {
		return t.finish([]store.Due{d})
	}
	now, err := t.Tx.DeliveryMode(d.Subject, d.Key)
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
	return t.finish([]store.Due{d}) // it has passed back meanwhile
}

func (t *turn) chooseDelivery(timeline *plan.Timeline, d store.Due, now store.DeliveryMode) error {
	many, err := t.Tx.Followers(timeline, d.Key)
	if err != nil {
		return err
	}
	next, step := now, plan.Step(0)
	switch {
	case many > timeline.Above && (!now.Collected || now.Pushing):
		next, step = store.DeliveryMode{Collected: true}, plan.Clear
	case many < timeline.Lower() && now.Collected && !now.Pushing:
		next, step = store.DeliveryMode{Collected: true, Pushing: true}, plan.Fill
	}
	if step != 0 {
		if err := t.Tx.SetDeliveryMode(d.Subject, d.Key, next); err != nil {
			return err
		}
		if err := t.Tx.AppendDue(0, []plan.Work{plan.DeliveryOf(step, d.Subject, d.Key)}); err != nil {
			return err
		}
	}
	return t.finish([]store.Due{d})
}

// clearSome takes what a reader collects anyway out of some timelines.
func (t *turn) clearSome(timeline *plan.Timeline, d store.Due, now store.DeliveryMode) error {
	followers, err := t.Tx.NextFollowers(timeline, d.Key, d.Cursor, followersAtOnce)
	if err != nil {
		return err
	}
	cuts, err := t.Tx.LockCuts(timeline.Number, followers)
	if err != nil {
		return err
	}
	lost, err := t.Tx.ClearEntries(timeline, d.Key, followers)
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
	if err := t.Tx.SetDeliveryMode(d.Subject, d.Key, now); err != nil {
		return err
	}
	return t.finish([]store.Due{d})
}

// fillSome brings entries back into some timelines. When all followers have
// them, readers no longer collect.
func (t *turn) fillSome(timeline *plan.Timeline, d store.Due, now store.DeliveryMode) error {
	posts := []store.Subscription{{Author: d.Key}}
	if err := t.Tx.CountPosts(timeline, posts); err != nil {
		return err
	}
	width := max(1, min(followersAtOnce, bringLimit/max(1, posts[0].Many)))
	followers, err := t.Tx.NextFollowers(timeline, d.Key, d.Cursor, width)
	if err != nil {
		return err
	}
	subscriptions := make([]store.Subscription, len(followers))
	for i, follower := range followers {
		subscriptions[i] = store.Subscription{Owner: follower, Author: d.Key, Many: posts[0].Many}
	}
	if _, err := t.Tx.LockCuts(timeline.Number, followers); err != nil {
		return err
	}
	if err := t.bringIn(timeline, subscriptions); err != nil {
		return err
	}
	if len(followers) == width {
		return t.goOnAfter(d, followers)
	}
	now.Collected = false
	if err := t.Tx.SetDeliveryMode(d.Subject, d.Key, now); err != nil {
		return err
	}
	return t.finish([]store.Due{d})
}

func (t *turn) goOnAfter(d store.Due, followers []int64) error {
	last := followers[len(followers)-1]
	return t.Tx.ContinueDue([]store.Progress{{Due: d, Next: last, Passed: int64(len(followers))}})
}

// skipCollected lets entries of authors who are collected from go to nobody but
// the author, and takes none from where there are none.
func (t *turn) skipCollected(timeline *plan.Timeline, step plan.Step, fanOuts []store.FanOut) error {
	if timeline.Deliver != design.Mixed {
		return nil
	}
	for i := range fanOuts {
		f := &fanOuts[i]
		now, err := t.Tx.DeliveryMode(f.Timeline, f.Author)
		if err != nil {
			return err
		}
		if now.Collected && !now.Pushing && (step == plan.Deliver || now.Clean) {
			f.Last, f.Many, f.Done = f.Due.Cursor, 0, true
		}
	}
	return nil
}
