package engine

import (
	"yalvo/internal/design"
	"yalvo/internal/plan"
	"yalvo/internal/store"
)

// How many documents, pairs or entries one transaction ends.
const (
	endDocuments = 200
	endPairs     = 2000
	endEntries   = 10_000
)

// end takes along what hung on a document that is gone, a chunk at a time.
// New things cannot come to hang on it: whoever wants that looks for it first.
func (t *turn) end(due []store.Due) error {
	for _, d := range due {
		if later, err := t.pairsLater(d); err != nil || later {
			return err
		}
		many, chunk, err := t.endSome(d)
		if err != nil {
			return err
		}
		if d.Rows = int64(many); many < chunk {
			err = t.finish([]store.Due{d})
		} else {
			err = t.tx.ContinueDue(d.Lane, []store.Progress{{Seq: d.Seq, Cursor: d.Cursor + int64(many), Rows: d.Rows}})
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// pairsLater: the pairs of what is forgotten end after what goes along with it,
// whose places in timelines are counted by the followers.
func (t *turn) pairsLater(d store.Due) (bool, error) {
	if _, forgotten := plan.MarkOf(d.Amount); forgotten == 0 || d.Step != plan.EndFrom && d.Step != plan.EndTo {
		return false, nil
	}
	first, err := t.tx.IsDue(plan.Ending, d.Doc, plan.EndReference, plan.EndNested)
	if err != nil || !first {
		return false, err
	}
	return true, t.tx.PostponeDue(d.Lane, d.Seq, idle)
}

// endSome ends up to a chunk and tells how many there were.
func (t *turn) endSome(d store.Due) (many, chunk int, err error) {
	switch d.Step {
	case plan.EndReference:
		many, err = t.endReference(d)
		return many, endDocuments, err
	case plan.EndNested:
		many, err = t.endNested(d)
		return many, endDocuments, err
	case plan.EndFrozen:
		return 0, 1, t.endFrozen(d)
	case plan.EndFrom, plan.EndTo:
		many, err = t.endPairs(d)
		return many, endPairs, err
	}
	dropped, err := t.tx.DropTimeline(d.Subject, d.Doc, endEntries)
	return int(dropped), endEntries, err
}

func (t *turn) endReference(d store.Due) (int, error) {
	ref := t.plan.ReferenceNumbered(d.Subject)
	if ref == nil {
		return 0, nil
	}
	sources, err := t.tx.PointingAt(ref.Number, d.Doc, 0, endDocuments)
	if err != nil {
		return 0, err
	}
	docs, err := t.tx.LockNumbered(sources)
	if err != nil {
		return 0, err
	}
	if docs, err = t.tx.StillPointing(ref.Number, d.Doc, docs); err != nil {
		return 0, err
	}
	if ref.WhenGone == design.GoneRemove {
		return len(sources), t.removeAlong(ref.In, docs, owing(d))
	}
	for _, doc := range docs {
		if err := t.clear(ref, doc, owing(d)); err != nil {
			return 0, err
		}
	}
	return len(sources), nil
}

// endFrozen empties the frozen copies of a document that is to be forgotten.
func (t *turn) endFrozen(d store.Due) error {
	c := t.plan.CopyNumbered(d.Subject)
	if c == nil {
		return nil
	}
	emptied, err := t.tx.EmptyFrozen(c, d.Doc)
	if err != nil {
		return err
	}
	return t.keptChanged(c.In, c.Name, emptied, d.Change)
}

// clear empties one reference, as an edit.
func (t *turn) clear(ref *plan.Reference, doc store.Document, why cause) error {
	fields, err := decodeFields(doc.Fields)
	if err != nil {
		return err
	}
	delete(fields, ref.Name)
	_, err = t.carryOutEdit(t.tx, ref.In, doc, edition{fields: fields, touched: []string{ref.Name}}, why)
	return err
}

func (t *turn) endNested(d store.Due) (int, error) {
	nested := t.plan.CollectionNumbered(d.Subject)
	if nested == nil {
		return 0, nil
	}
	ns, err := t.tx.NestedUnder(nested.Number, d.Doc, endDocuments)
	if err != nil {
		return 0, err
	}
	docs, err := t.tx.LockNumbered(ns)
	if err != nil {
		return 0, err
	}
	return len(ns), t.removeAlong(nested, docs, owing(d))
}

// owing is the cause of what the end of something brings with it.
func owing(d store.Due) cause {
	depth, forgotten := plan.MarkOf(d.Amount)
	return cause{change: d.Change, depth: depth, forgotten: forgotten}
}

// removeAlong removes locked documents with what they hung on.
func (t *turn) removeAlong(c *plan.Collection, docs []store.Document, why cause) error {
	if len(docs) == 0 {
		return nil
	}
	records := make([]store.Record, len(docs))
	for i, d := range docs {
		records[i] = store.Record{Kind: plan.Removed, Subject: c.Path(d.Key), Cause: why.change}
	}
	if _, _, err := t.tx.Journal(records...); err != nil {
		return err
	}
	if why.forgotten != 0 {
		if err := t.notePlaces(c, docs, why.forgotten); err != nil {
			return err
		}
	}
	return t.takeAway(t.tx, c, docs, why)
}

func (t *turn) endPairs(d store.Due) (int, error) {
	p := t.plan.PairNumbered(d.Subject)
	if p == nil {
		return 0, nil
	}
	unset := t.tx.UnsetFrom
	if d.Step == plan.EndTo {
		unset = t.tx.UnsetTo
	}
	gone, err := unset(p.Number, d.Doc, endPairs)
	if err != nil || len(gone) == 0 {
		return 0, err
	}
	records := make([]store.Record, len(gone))
	var due []plan.Work
	for i, ends := range gone {
		records[i] = store.Record{Kind: plan.Unset, Subject: p.Name, Detail: detail(p, ends.AKey, ends.BKey), Cause: d.Change}
		due = append(due, t.plan.Due(plan.Change{Kind: plan.Unset, Pair: p, From: ends.A, To: ends.B})...)
	}
	if _, _, err := t.tx.Journal(records...); err != nil {
		return 0, err
	}
	for _, ends := range gone {
		if err := t.firePair(t.tx, design.OnUnset, p, ends, owing(d)); err != nil {
			return 0, err
		}
	}
	return len(gone), t.tx.AppendDue(d.Change, due)
}
