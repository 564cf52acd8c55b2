package upkeep

import (
	"slices"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/queuesql"
	"yalvo/internal/engine/store/timelinesql"
)

// How much a worker takes on in one transaction.
const (
	firstWidth = 500    // followers of each entry, when many entries go together
	chunkWidth = 30_000 // followers of one entry, when it goes alone: a fifth of a second

	fanOutWorkers = 2      // how many workers share a long fan-out
	sharedRange   = 10_000 // row numbers that are worth a worker of their own
)

// fanOut takes entries through their authors' followers: many entries a little
// way each, or one that has already come some way by a whole chunk.
func (t *turn) fanOut(timeline *plan.Timeline, due []queuesql.Due, act func(*plan.Timeline,
	[]timelinesql.FanOut) error) error {
	width := firstWidth
	if due[0].Cursor > 0 || t.alone {
		due, width = due[:1], chunkWidth
	} else {
		due = slices.DeleteFunc(due, func(d queuesql.Due) bool { return d.Cursor > 0 })
	}
	due, repeated := withoutRepeats(due)
	fanOuts := make([]timelinesql.FanOut, len(due))
	for i, d := range due {
		fanOuts[i] = fanOutOf(timeline, d)
	}
	if err := timelinesql.Bound(t.Tx, fanOuts, width); err != nil {
		return err
	}
	if err := t.skipCollected(timeline, due[0].Step, fanOuts); err != nil {
		return err
	}
	if err := act(timeline, fanOuts); err != nil {
		return err
	}
	if err := t.share(fanOuts); err != nil {
		return err
	}
	return t.advance(fanOuts, repeated)
}

func fanOutOf(t *plan.Timeline, d queuesql.Due) timelinesql.FanOut {
	return timelinesql.FanOut{
		Due:      d,
		Timeline: d.Subject,
		Pair:     t.Through.Number,
		Author:   d.Key,
		Doc:      d.Doc,
		Rank:     d.Rank,
		Own:      t.Own && (d.Step == plan.Withdraw || d.Own()),
	}
}

// advance notes how far entries have come.
func (t *turn) advance(fanOuts []timelinesql.FanOut, repeated []queuesql.Due) error {
	var done, on []queuesql.Progress
	for _, d := range repeated {
		done = append(done, queuesql.Progress{Due: d})
	}
	for _, f := range fanOuts {
		p := queuesql.Progress{Due: f.Due, Next: f.Last, Passed: int64(f.Many)}
		if f.Done {
			done = append(done, p)
			continue
		}
		on = append(on, p)
	}
	if err := queuesql.FinishDue(t.Tx, done); err != nil {
		return err
	}
	return queuesql.ContinueDue(t.Tx, on)
}

// share splits entries that have a long way to go among the workers, when they
// have come through their first followers. Row numbers are spread evenly enough
// among an author's followers to be split by value.
func (t *turn) share(fanOuts []timelinesql.FanOut) error {
	for i := range fanOuts {
		f := &fanOuts[i]
		if f.Done || f.Due.Cursor != 0 {
			continue
		}
		end, err := timelinesql.LastFollower(t.Tx, f.Pair, f.Author)
		if err != nil {
			return err
		}
		part := (end - f.Last) / int64(fanOutWorkers)
		if part < sharedRange {
			continue
		}
		for n := fanOutWorkers - 1; n > 0; n-- {
			after := f.Last + int64(n)*part
			if err := queuesql.SplitDue(t.Tx, f.Due, after); err != nil {
				return err
			}
			f.Due.Until = after
		}
	}
	return nil
}

// withoutRepeats leaves one of several fresh rows for the same entry. They are
// merged only if they wait for the same change.
func withoutRepeats(due []queuesql.Due) (kept []queuesql.Due, repeated []queuesql.Due) {
	type entry struct {
		author, doc int64
		rank        int64
		change      int64
	}
	seen, placed := map[entry]bool{}, map[int64]bool{}
	for _, d := range due {
		e := entry{d.Key, d.Doc, d.Rank, d.Change}
		switch {
		case seen[e]:
			repeated = append(repeated, d)
		case placed[d.Doc]: // the same entry for another author or reader: its own turn
		default:
			seen[e], placed[d.Doc] = true, true
			kept = append(kept, d)
		}
	}
	return kept, repeated
}

func (t *turn) putIn(timeline *plan.Timeline, fanOuts []timelinesql.FanOut) error {
	many, err := timelinesql.Deliver(t.Tx, timeline, fanOuts)
	t.workers.inserted.Add(many)
	return err
}

// takeBack withdraws entries.
func (t *turn) takeBack(timeline *plan.Timeline, fanOuts []timelinesql.FanOut) error {
	cut, err := timelinesql.Withdraw(t.Tx, fanOuts)
	if err != nil {
		return err
	}
	if err := t.shorten(cut, fanOuts[0].Due.Change); err != nil {
		return err
	}
	for _, f := range fanOuts {
		if timeline.By.Fixed || !f.Done {
			continue
		}
		if err := t.deliverToNewAuthor(timeline, f); err != nil {
			return err
		}
	}
	return nil
}

// deliverToNewAuthor: where an entry's author can change, it may have been taken
// from someone who follows the new author too. So once it is out of the old
// one's timelines it is delivered again for the one it has now.
func (t *turn) deliverToNewAuthor(timeline *plan.Timeline, f timelinesql.FanOut) error {
	pointers, err := factsql.Pointers(t.Tx, []int64{f.Doc})
	if err != nil {
		return err
	}
	for _, p := range pointers {
		if p.Reference != timeline.By.Number || p.Target == f.Author {
			continue
		}
		rank, posted, err := timelinesql.RankOf(t.Tx, f.Timeline, p.Target, f.Doc)
		if err != nil || !posted {
			return err
		}
		entry := plan.Entry{Timeline: f.Timeline, Author: p.Target, Doc: f.Doc, Rank: rank}
		return queuesql.AppendDue(t.Tx, f.Due.Change, []plan.Work{plan.DeliverEntry(entry, timeline.Own)})
	}
	return nil
}

// shorten notes entries lost by timelines that had been cut, and has those that
// became too short refilled. Of several changes that shorten a timeline
// together the first one's reader waits for that.
func (t *turn) shorten(cut []timelinesql.Shortened, change int64) error {
	short, err := timelinesql.Shorten(t.Tx, cut)
	if err != nil {
		return err
	}
	var refills []plan.Work
	for _, s := range short {
		refills = append(refills, plan.RefillOf(s.Timeline, s.Owner))
	}
	return queuesql.AppendDue(t.Tx, change, refills)
}
