package engine

import (
	"cmp"
	"slices"

	"yalvo/internal/plan"
	"yalvo/internal/store"
)

// How much a worker takes on in one transaction.
const (
	firstWidth = 500    // followers of each entry, when many entries go together
	chunkWidth = 30_000 // followers of one entry, when it goes alone: a fifth of a second
	bringLimit = 20_000 // entries that follows bring in together

	spreaders   = 2      // how many workers share a long fan-out
	sharedRange = 10_000 // row numbers that are worth a worker of their own
)

// deliver does work on timelines: entries spread to followers or withdrawn
// from them, owners related to authors, cut timelines refilled. It holds each
// author's lock from before it looks at the facts until it commits. Rows
// whose author is busy elsewhere are left for later.
func (t *turn) deliver(due []store.Due) error {
	due, err := t.lockAuthors(due)
	if err != nil {
		return err
	}
	byStep := map[plan.Step][]store.Due{}
	for _, d := range due {
		if t.plan.TimelineNumbered(d.Subject) == nil {
			if err := t.finish([]store.Due{d}); err != nil {
				return err
			}
			continue
		}
		byStep[d.Step] = append(byStep[d.Step], d)
	}
	if err := t.spread(byStep[plan.Deliver], t.putIn); err != nil {
		return err
	}
	if err := t.spread(byStep[plan.Withdraw], t.takeBack); err != nil {
		return err
	}
	if err := t.relate(byStep[plan.Relate]); err != nil {
		return err
	}
	for _, d := range slices.Concat(byStep[plan.Reaudience], byStep[plan.Clear], byStep[plan.Fill]) {
		if err := t.audience(d); err != nil {
			return err
		}
	}
	for _, d := range byStep[plan.Refill] {
		if err := t.refill(d); err != nil {
			return err
		}
	}
	return nil
}

// lockAuthors keeps the rows whose authors' locks are free. If none is, it
// waits for the first: then it holds only that one.
func (t *turn) lockAuthors(due []store.Due) ([]store.Due, error) {
	key := func(d store.Due) int64 { return store.AuthorLock(d.Subject, d.Key) }
	var keys []int64
	shared := map[int64]bool{}
	for _, d := range due {
		if d.Key == 0 {
			continue
		}
		k := key(d)
		others, seen := shared[k]
		shared[k] = d.Step == plan.Deliver && (others || !seen)
		keys = append(keys, k)
	}
	slices.Sort(keys)
	held, err := t.tx.TryLocks(slices.Compact(keys), shared)
	if err != nil {
		return nil, err
	}
	if len(held) == 0 && len(keys) > 0 {
		first := key(due[slices.IndexFunc(due, func(d store.Due) bool { return d.Key != 0 })])
		if err := t.tx.Lock(first); err != nil {
			return nil, err
		}
		held[first] = true
	}
	return slices.DeleteFunc(slices.Clone(due), func(d store.Due) bool { return d.Key != 0 && !held[key(d)] }), nil
}

// spread takes entries through their authors' followers: many entries a little
// way each, or one that has already come some way by a whole chunk.
func (t *turn) spread(due []store.Due, act func([]store.Spread) error) error {
	if len(due) == 0 {
		return nil
	}
	width := firstWidth
	if first := due[0]; first.Cursor > 0 || t.alone {
		due, width = due[:1], chunkWidth
	} else {
		due = slices.DeleteFunc(due, func(d store.Due) bool { return d.Cursor > 0 })
	}
	due, repeated := withoutRepeats(due)
	spreads := make([]store.Spread, len(due))
	for i, d := range due {
		timeline := t.plan.TimelineNumbered(d.Subject)
		own := timeline.Own && (d.Step == plan.Withdraw || d.Amount != 0)
		spreads[i] = store.Spread{Seq: d.Seq, Timeline: d.Subject, Pair: timeline.Through.Number, Author: d.Key, Doc: d.Doc, Rank: d.Rank, Own: own, Cursor: d.Cursor, Until: d.Until, Change: d.Change}
		if timeline.Unless != nil {
			spreads[i].Bar, spreads[i].BothWays = timeline.Unless.Number, timeline.Timeline.Unless.EitherWay
		}
	}
	if err := t.tx.Bound(spreads, width); err != nil {
		return err
	}
	if err := t.skipCollected(due[0].Step, spreads); err != nil {
		return err
	}
	if err := act(spreads); err != nil {
		return err
	}
	var done, on []store.Progress
	for _, seq := range repeated {
		done = append(done, store.Progress{Seq: seq})
	}
	for _, s := range spreads {
		p := store.Progress{Seq: s.Seq, Cursor: s.Last, Rows: int64(s.Many)}
		if s.Done {
			done = append(done, p)
			continue
		}
		on = append(on, p)
	}
	if err := t.tx.FinishDue(plan.Delivering, done); err != nil {
		return err
	}
	if err := t.share(due, spreads); err != nil {
		return err
	}
	return t.tx.ContinueDue(plan.Delivering, on)
}

// share splits entries that have a long way to go among the workers, when they
// have come through their first followers. Row numbers are spread evenly
// enough among an author's followers to be split by value.
func (t *turn) share(due []store.Due, spreads []store.Spread) error {
	for i, s := range spreads {
		if s.Done || s.Cursor != 0 || due[i].Step != plan.Deliver {
			continue
		}
		end, err := t.tx.LastFollower(s.Pair, s.Author)
		if err != nil {
			return err
		}
		part := (end - s.Last) / int64(spreaders)
		if part < sharedRange {
			continue
		}
		for n := spreaders - 1; n > 0; n-- {
			if err := t.tx.SplitDue(plan.Delivering, s.Seq, s.Last+int64(n)*part); err != nil {
				return err
			}
		}
	}
	return nil
}

// withoutRepeats leaves one of several fresh rows for the same entry. They are
// merged only if they wait for the same change.
func withoutRepeats(due []store.Due) (kept []store.Due, repeated []int64) {
	type entry struct {
		subject     plan.Number
		author, doc int64
		rank        int64
		change      int64
	}
	type place struct {
		subject plan.Number
		doc     int64
	}
	seen, placed := map[entry]bool{}, map[place]bool{}
	for _, d := range due {
		e, p := entry{d.Subject, d.Key, d.Doc, d.Rank, d.Change}, place{d.Subject, d.Doc}
		switch {
		case seen[e]:
			repeated = append(repeated, d.Seq)
		case placed[p]: // the same entry for another author or reader: its own turn
		default:
			seen[e], placed[p] = true, true
			kept = append(kept, d)
		}
	}
	return kept, repeated
}

func (t *turn) putIn(spreads []store.Spread) error {
	many, err := t.tx.Deliver(spreads)
	t.engine.inserted.Add(many)
	return err
}

// takeBack withdraws entries. Where an entry's author can change, it may have
// been taken from someone who follows the new author too, so once it is out of
// the old one's timelines it is delivered again for the one it has now.
func (t *turn) takeBack(spreads []store.Spread) error {
	_, cut, err := t.tx.Withdraw(spreads)
	if err != nil {
		return err
	}
	if err := t.spend(cut, spreads[0].Change); err != nil {
		return err
	}
	for _, s := range spreads {
		timeline := t.plan.TimelineNumbered(s.Timeline)
		if timeline.By.Fixed || !s.Done {
			continue
		}
		pointers, err := t.tx.Pointers([]int64{s.Doc})
		if err != nil {
			return err
		}
		for _, p := range pointers {
			if p.Reference != timeline.By.Number || p.Target == s.Author {
				continue
			}
			rank, posted, err := t.tx.RankOf(s.Timeline, p.Target, s.Doc)
			if err != nil {
				return err
			}
			if !posted {
				continue
			}
			again := plan.Work{Step: plan.Deliver, Subject: s.Timeline, Key: p.Target, Doc: s.Doc, Rank: rank}
			if timeline.Own {
				again.Amount = 1
			}
			if err := t.tx.AppendDue(s.Change, []plan.Work{again}); err != nil {
				return err
			}
		}
	}
	return nil
}

// spend books entries lost by timelines that had been cut, and has those that
// became too short refilled. Of several changes that shorten a timeline
// together the first one's reader waits for that.
func (t *turn) spend(cut []store.Shortened, change int64) error {
	short, err := t.tx.Spend(cut)
	if err != nil {
		return err
	}
	var refills []plan.Work
	for _, s := range short {
		refills = append(refills, plan.Work{Step: plan.Refill, Subject: s.Timeline, Doc: s.Owner})
	}
	return t.tx.AppendDue(change, refills)
}

// relate brings owners' timelines in line with the pairs as they stand now.
func (t *turn) relate(due []store.Due) error {
	byTimeline := map[plan.Number][]store.Due{}
	for _, d := range due {
		byTimeline[d.Subject] = append(byTimeline[d.Subject], d)
	}
	for n, rows := range byTimeline {
		if err := t.relateIn(t.plan.TimelineNumbered(n), rows); err != nil {
			return err
		}
	}
	return nil
}

func (t *turn) relateIn(timeline *plan.Timeline, due []store.Due) error {
	rowsOf := map[[2]int64][]store.Due{}
	var relations []store.Relation
	for _, d := range due {
		k := [2]int64{d.Doc, d.Key}
		if rowsOf[k] == nil {
			relations = append(relations, store.Relation{Owner: d.Doc, Author: d.Key})
		}
		rowsOf[k] = append(rowsOf[k], d)
	}
	if err := t.tx.Weigh(timeline, relations); err != nil {
		return err
	}
	relations = asManyAsFit(relations)
	_, cut, err := t.tx.TakeOut(timeline, relations)
	if err != nil {
		return err
	}
	if err := t.spend(cut, due[0].Change); err != nil {
		return err
	}
	if err := t.bringIn(timeline, relations); err != nil {
		return err
	}
	var done []store.Due
	for _, r := range relations {
		for _, d := range rowsOf[[2]int64{r.Owner, r.Author}] {
			d.Rows = int64(r.Many)
			done = append(done, d)
		}
	}
	return t.finish(done)
}

// bringIn adds authors' newest entries to owners' timelines.
func (t *turn) bringIn(timeline *plan.Timeline, relations []store.Relation) error {
	if err := t.tx.LockFloors(timeline.Number, relations); err != nil {
		return err
	}
	many, err := t.tx.BringIn(timeline, relations)
	if err != nil {
		return err
	}
	t.engine.inserted.Add(many)
	if slices.ContainsFunc(relations, func(r store.Relation) bool { return r.Many >= timeline.Length }) {
		return t.tx.CutAtLength(timeline, relations)
	}
	return nil
}

// asManyAsFit takes relations, the light ones first, up to the limit of entries.
func asManyAsFit(relations []store.Relation) []store.Relation {
	slices.SortStableFunc(relations, func(a, b store.Relation) int { return cmp.Compare(a.Many, b.Many) })
	total := 0
	for i, r := range relations {
		if total += r.Many; total > bringLimit && i > 0 {
			return relations[:i]
		}
	}
	return relations
}

// refill looks at a timeline that was cut: it may hold enough after all, or it
// gets older entries back. Then, in a transaction of its own, what it was
// given is verified.
func (t *turn) refill(d store.Due) error {
	timeline := t.plan.TimelineNumbered(d.Subject)
	if d.Cursor == 1 {
		_, cut, err := t.tx.Verify(timeline, d.Doc)
		if err != nil {
			return err
		}
		if err := t.spend(cut, d.Change); err != nil {
			return err
		}
		return t.finish([]store.Due{d})
	}
	if d.Amount != 0 { // right after a cut: wait until nobody can still be working from before it
		ended, err := t.tx.AllEnded(d.Amount)
		if err != nil {
			return err
		}
		if !ended {
			return t.tx.PostponeDue(d.Lane, d.Seq, idle)
		}
	}
	wasCut, err := t.tx.LockFloor(d.Subject, d.Doc)
	if err != nil {
		return err
	}
	if !wasCut {
		return t.finish([]store.Due{d})
	}
	many, err := t.tx.CountAbove(d.Subject, d.Doc, timeline.Length+store.Slack(timeline.Length))
	if err != nil {
		return err
	}
	if many >= timeline.Length {
		if err := t.tx.SetSpare(d.Subject, d.Doc, many-timeline.Length); err != nil {
			return err
		}
		return t.finish([]store.Due{d})
	}
	if err := t.tx.Refill(timeline, d.Doc); err != nil {
		return err
	}
	return t.tx.ContinueDue(d.Lane, []store.Progress{{Seq: d.Seq, Cursor: 1}})
}
