package engine

import (
	"yalvo/internal/design"
	"yalvo/internal/plan"
	"yalvo/internal/store"
)

// followersAtOnce is how many followers of an author whose entries come or go
// altogether one transaction looks at.
const followersAtOnce = 500

// gauge looks for authors whose number of followers has just passed the limit
// of a mixed timeline, either way.
func (t *turn) gauge(sums tally, there []int64) error {
	for _, timeline := range t.plan.Timelines {
		if timeline.Deliver != design.Mixed {
			continue
		}
		var authors []int64
		for _, doc := range there {
			if a := sums[doc][timeline.Followers().Name]; a != nil && a.in == timeline.By.To {
				authors = append(authors, doc)
			}
		}
		if len(authors) == 0 {
			continue
		}
		crossed, err := t.tx.Crossed(timeline, authors)
		if err != nil {
			return err
		}
		var due []plan.Work
		for _, author := range crossed {
			due = append(due, plan.Work{Step: plan.Reaudience, Subject: timeline.Number, Key: author})
		}
		if err := t.tx.AppendDue(0, due); err != nil { // readers see the same before, after and meanwhile
			return err
		}
	}
	return nil
}

// audience does work on how an author's entries get to readers. The author's
// lock is held, so whoever delivers sees one state or the next.
func (t *turn) audience(d store.Due) error {
	timeline := t.plan.TimelineNumbered(d.Subject)
	if timeline.Deliver != design.Mixed {
		return t.finish([]store.Due{d})
	}
	now, err := t.tx.Audience(d.Subject, d.Key)
	if err != nil {
		return err
	}
	switch {
	case d.Step == plan.Reaudience:
		return t.reaudience(timeline, d, now)
	case d.Step == plan.Clear && now.Collected && !now.Pushing:
		return t.clearSome(timeline, d, now)
	case d.Step == plan.Fill && now.Pushing:
		return t.fillSome(timeline, d, now)
	}
	return t.finish([]store.Due{d}) // it has crossed back meanwhile
}

func (t *turn) reaudience(timeline *plan.Timeline, d store.Due, now store.Audience) error {
	many, err := t.tx.Followers(timeline, d.Key)
	if err != nil {
		return err
	}
	next, step := now, plan.Step(0)
	switch {
	case many > timeline.Above && (!now.Collected || now.Pushing):
		next, step = store.Audience{Collected: true}, plan.Clear
	case many < store.Lowered(timeline.Above) && now.Collected && !now.Pushing:
		next, step = store.Audience{Collected: true, Pushing: true}, plan.Fill
	}
	if step != 0 {
		if err := t.tx.SetAudience(d.Subject, d.Key, next); err != nil {
			return err
		}
		if err := t.tx.AppendDue(0, []plan.Work{{Step: step, Subject: d.Subject, Key: d.Key}}); err != nil {
			return err
		}
	}
	return t.finish([]store.Due{d})
}

// clearSome takes what a reader collects anyway out of some timelines.
func (t *turn) clearSome(timeline *plan.Timeline, d store.Due, now store.Audience) error {
	owners, err := t.tx.NextFollowers(timeline, d.Key, d.Cursor, followersAtOnce)
	if err != nil {
		return err
	}
	_, cut, err := t.tx.ClearEntries(timeline, d.Key, owners)
	if err != nil {
		return err
	}
	if err := t.spend(cut, 0); err != nil {
		return err
	}
	if len(owners) == followersAtOnce {
		return t.tx.ContinueDue(d.Lane, []store.Progress{{Seq: d.Seq, Cursor: owners[len(owners)-1], Rows: int64(len(owners))}})
	}
	now.Clean = true
	if err := t.tx.SetAudience(d.Subject, d.Key, now); err != nil {
		return err
	}
	return t.finish([]store.Due{d})
}

// fillSome brings entries back into some timelines. When all followers have
// them, readers no longer collect.
func (t *turn) fillSome(timeline *plan.Timeline, d store.Due, now store.Audience) error {
	weight := []store.Relation{{Author: d.Key}}
	if err := t.tx.Weigh(timeline, weight); err != nil {
		return err
	}
	width := max(1, min(followersAtOnce, bringLimit/max(1, weight[0].Many)))
	owners, err := t.tx.NextFollowers(timeline, d.Key, d.Cursor, width)
	if err != nil {
		return err
	}
	relations := make([]store.Relation, len(owners))
	for i, owner := range owners {
		relations[i] = store.Relation{Owner: owner, Author: d.Key, Many: weight[0].Many}
	}
	if err := t.bringIn(timeline, relations); err != nil {
		return err
	}
	if len(owners) == width {
		return t.tx.ContinueDue(d.Lane, []store.Progress{{Seq: d.Seq, Cursor: owners[len(owners)-1], Rows: int64(len(owners))}})
	}
	now.Collected = false
	if err := t.tx.SetAudience(d.Subject, d.Key, now); err != nil {
		return err
	}
	return t.finish([]store.Due{d})
}

// skipCollected lets entries of authors who are collected from go to nobody
// but the author, and takes none from where there are none.
func (t *turn) skipCollected(step plan.Step, spreads []store.Spread) error {
	for i := range spreads {
		s := &spreads[i]
		if t.plan.TimelineNumbered(s.Timeline).Deliver != design.Mixed {
			continue
		}
		now, err := t.tx.Audience(s.Timeline, s.Author)
		if err != nil {
			return err
		}
		if now.Collected && !now.Pushing && (step == plan.Deliver || now.Clean) {
			s.Last, s.Many, s.Done = s.Cursor, 0, true
		}
	}
	return nil
}
