package upkeep

import (
	"slices"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/facts"
	"yalvo/internal/engine/metering"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/keptsql"
	"yalvo/internal/engine/store/queuesql"
	"yalvo/internal/engine/store/timelinesql"
)

// How much one transaction ends.
const (
	endDocuments = 200
	endPairs     = 2000
	endEntries   = 10_000
)

// end takes along what hung on documents that are gone, a chunk at a time. The
// rows are alike in everything but the document. New things cannot come to hang
// on it: whoever wants that looks for it first.
//
// A chunk and how far it has come are one transaction, so whoever dies between two chunks goes on behind the last.
// What others hold at the moment is skipped and not waited for: whoever holds it may be waiting for something that is
// held here. It is found by the next turn, which begins anew until nothing is left.
func (t *turn) end(due []queuesql.Due) error {
	due, err := t.withoutLater(due)
	if err == nil {
		due, err = t.withoutLeaving(due)
	}
	if err != nil || len(due) == 0 {
		return err
	}
	gone := make([]int64, len(due))
	for i, d := range due {
		gone[i] = d.Doc
	}
	many, more, err := t.endSome(due[0], gone)
	if err != nil {
		return err
	}
	due[0].Rows = int64(many)
	if !more {
		return t.finish(due)
	}
	t.vain = many == 0 // all that is left is held by others
	var on []queuesql.Progress
	for _, d := range due {
		on = append(on, queuesql.Progress{Due: d, Next: d.Cursor + 1, Passed: d.Rows})
	}
	return queuesql.ContinueDue(t.Tx, on)
}

// withoutLater leaves out the pairs of what is forgotten while something that
// goes along with it is still due: its places in timelines are counted by the
// followers.
func (t *turn) withoutLater(due []queuesql.Due) ([]queuesql.Due, error) {
	first := due[0]
	if first.Mark().Forgotten == 0 || first.Step != plan.EndFrom && first.Step != plan.EndTo {
		return due, nil
	}
	return t.postponing(due, func(d queuesql.Due) (bool, error) {
		return queuesql.IsDue(t.Tx, plan.Ending, d.Change, d.Doc, plan.EndReference, plan.EndNested)
	})
}

// postponing leaves for later what is too early, and returns the rest.
func (t *turn) postponing(due []queuesql.Due, early func(queuesql.Due) (bool, error)) ([]queuesql.Due, error) {
	var now, later []queuesql.Due
	for _, d := range due {
		is, err := early(d)
		if err != nil {
			return nil, err
		}
		if is {
			later = append(later, d)
			continue
		}
		now = append(now, d)
	}
	if len(later) == 0 {
		return now, nil
	}
	return now, queuesql.PostponeDue(t.Tx, idle, later...)
}

// withoutLeaving leaves out the followers of an author of many, as long as the
// author's posts are on their way out of their timelines: that goes through the
// followers in great steps. Without it each of them would have to be looked at.
func (t *turn) withoutLeaving(due []queuesql.Due) ([]queuesql.Due, error) {
	if len(due) == 0 || due[0].Step != plan.EndTo {
		return due, nil
	}
	p := t.Plan.PairNumbered(due[0].Subject)
	if p == nil {
		return due, nil
	}
	return t.postponing(due, func(d queuesql.Due) (bool, error) { return t.isLeaving(p, d) })
}

func (t *turn) isLeaving(p *plan.Pair, d queuesql.Due) (bool, error) {
	if len(p.Timelines) == 0 {
		return false, nil
	}
	many, err := factsql.HasMoreThan(t.Tx, p.Number, d.Doc, endPairs)
	if err != nil || !many {
		return false, err
	}
	for _, timeline := range p.Timelines {
		if is, err := factsql.IsLeaving(t.Tx, timeline, d.Doc, d.Change); err != nil || is {
			return is, err
		}
	}
	return false, nil
}

// endSome ends up to a chunk of what hung on documents. It tells how much there
// was, and whether there may be more.
func (t *turn) endSome(d queuesql.Due, gone []int64) (many int, more bool, err error) {
	switch d.Step {
	case plan.EndReference:
		return t.endReference(d, gone)
	case plan.EndNested:
		return t.endNested(d, gone)
	case plan.EndFrozen:
		return 0, false, t.endFrozen(d, gone)
	case plan.EndFrom, plan.EndTo:
		return t.endPairs(d, gone)
	}
	if err := t.Tx.ShareTimeline(d.Subject); err != nil {
		return 0, false, err
	}
	dropped, more, err := timelinesql.DropTimelines(t.Tx, d.Subject, gone, endEntries)
	return int(dropped), more, err
}

// Documents that others hold are left for the next turn: then there is more.

func (t *turn) endReference(d queuesql.Due, gone []int64) (many int, more bool, err error) {
	ref := t.Plan.ReferenceNumbered(d.Subject)
	if ref == nil {
		return 0, false, nil
	}
	sources, err := factsql.PointingAtAny(t.Tx, ref.Number, gone, endDocuments)
	if err != nil {
		return 0, false, err
	}
	docs, err := factsql.LockNumbered(t.Tx, ref.In, sources)
	if err != nil {
		return 0, false, err
	}
	more = len(sources) == endDocuments || len(docs) < len(sources)
	if docs, err = factsql.StillPointing(t.Tx, ref.Number, gone, docs); err != nil {
		return 0, false, err
	}
	if ref.WhenGone == design.GoneRemove {
		return len(docs), more, t.removeAlong(ref.In, docs, causeOf(d))
	}
	for _, doc := range docs {
		if err := t.Clear(ref, doc, causeOf(d)); err != nil {
			return 0, false, err
		}
	}
	return len(docs), more, nil
}

// endFrozen empties the frozen copies of documents that are to be forgotten.
func (t *turn) endFrozen(d queuesql.Due, gone []int64) error {
	c := t.Plan.CopyNumbered(d.Subject)
	if c == nil {
		return nil
	}
	emptied, err := keptsql.EmptyFrozen(t.Tx, c, gone)
	if err != nil {
		return err
	}
	t.rewrote(c.In, c.Name, int64(len(emptied)), int64(len(emptied)))
	return t.keptChanged(c.In, c.Name, emptied, d.Change)
}

func (t *turn) endNested(d queuesql.Due, gone []int64) (many int, more bool, err error) {
	nested := t.Plan.CollectionNumbered(d.Subject)
	if nested == nil {
		return 0, false, nil
	}
	ns, err := factsql.NestedUnder(t.Tx, nested.Number, gone, endDocuments)
	if err != nil {
		return 0, false, err
	}
	docs, err := factsql.LockNumbered(t.Tx, nested, ns)
	if err != nil {
		return 0, false, err
	}
	return len(docs), len(ns) == endDocuments || len(docs) < len(ns), t.removeAlong(nested, docs, causeOf(d))
}

// causeOf is the cause of what the end of something brings with it.
func causeOf(d queuesql.Due) facts.Cause { return facts.Cause{Change: d.Change, Mark: d.Mark()} }

// removeAlong removes locked documents with what they hung on.
func (t *turn) removeAlong(c *plan.Collection, docs []store.Document, why facts.Cause) error {
	if why.Forgotten != 0 && t.workers.Forgetting != nil && len(docs) > 0 {
		if err := t.workers.Forgetting(t.ctx, t.Unit, c, docs, why.Forgotten); err != nil {
			return err
		}
	}
	return t.RemoveAlong(c, docs, why)
}

func (t *turn) endPairs(d queuesql.Due, gone []int64) (many int, more bool, err error) {
	p := t.Plan.PairNumbered(d.Subject)
	if p == nil {
		return 0, false, nil
	}
	ended, more, err := factsql.UnsetOf(t.Tx, p, gone, d.Step == plan.EndFrom, endPairs)
	if err != nil || len(ended) == 0 {
		return 0, more, err
	}
	records := make([]factsql.Record, len(ended))
	var due []plan.Work
	for i, ends := range ended {
		records[i] = factsql.Record{Kind: plan.Unset, Subject: p.Name,
			Detail: running.EndsOf(p, ends.AKey, ends.BKey).String(), Cause: causeOf(d).Journalled()}
		due = append(due, t.Plan.Due(plan.Change{Kind: plan.Unset, Pair: p, From: ends.A, To: ends.B})...)
	}
	out, err := t.outOfTimelines(p, gone)
	if err != nil {
		return 0, false, err
	}
	// nothing is kept for them, and nothing of theirs is in a timeline
	ofGone := func(w plan.Work) bool {
		return w.Step == plan.Add && slices.Contains(gone, w.Doc) || w.Step == plan.Subscribe && out[w.Subject][w.Key]
	}
	due = slices.DeleteFunc(due, ofGone)
	if _, _, err := factsql.Journal(t.Tx, records...); err != nil {
		return 0, false, err
	}
	together := int64(len(ended))
	t.Tally.Add(metering.Of{Kind: metering.Along, Name: "unset " + p.Name},
		metering.Counts{Times: together, Pairs: together})
	for _, ends := range ended {
		if err := t.FirePair(design.OnUnset, p, ends, causeOf(d)); err != nil {
			return 0, false, err
		}
	}
	return len(ended), more, queuesql.AppendDue(t.Tx, d.Change, due)
}

// outOfTimelines are the authors among some, by timeline, of whom no entries are
// stored with others, so that nothing is to be taken out when a follow ends.
func (t *turn) outOfTimelines(p *plan.Pair, authors []int64) (map[plan.Number]map[int64]bool, error) {
	all := map[plan.Number]map[int64]bool{}
	for _, timeline := range slices.Concat(p.Timelines, p.Exclusions) {
		out, err := factsql.OutOfTimelines(t.Tx, timeline, authors)
		if err != nil {
			return nil, err
		}
		all[timeline.Number] = map[int64]bool{}
		for _, author := range out {
			all[timeline.Number][author] = true
		}
	}
	return all, nil
}
