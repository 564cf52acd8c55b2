package facts

import (
	"context"
	"fmt"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/metering"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/auditsql"
	"yalvo/internal/engine/store/factsql"
	"yalvo/internal/engine/store/timelinesql"
)

// Remove takes a document away. What hangs on it goes as due work.
func (w *Writer) Remove(ctx context.Context, caller running.Caller, target Target) (Result, error) {
	return w.Write(ctx, caller, func(u Unit) (Result, error) { return u.Remove(target, Cause{Actor: caller.Me}) })
}

// Remove takes a document away within a unit.
func (u Unit) Remove(target Target, why Cause) (Result, error) {
	c, err := u.Collection(target.Collection)
	if err != nil {
		return Result{}, err
	}
	doc, found, err := factsql.LockForRemoval(u.Tx, c, target.Key)
	if err != nil {
		return Result{}, err
	}
	seen, err := u.removable(c, target, doc, found)
	if err == nil {
		err = u.mayGo(c, doc)
	}
	if err != nil {
		return Result{}, err
	}
	record := factsql.Record{Kind: plan.Removed, Subject: c.Path(doc.Key), Actor: why.Actor, Cause: why.Journalled()}
	position, err := u.record(record)
	if err != nil {
		return Result{}, err
	}
	u.wrote("remove "+c.Name, why, metering.Counts{Times: 1, Documents: 1})
	result := Result{Document: seen, Position: running.At(position), Fresh: true, Read: 1, Wrote: 1}
	return result, u.takeAway(c, []store.Document{doc}, why.from(position))
}

// removable refuses to remove a document, as it was read, that the caller may not remove.
func (u Unit) removable(c *plan.Collection, target Target, doc store.Document, found bool) (seen running.Document,
	err error) {
	if found {
		seen, err = u.mayRemove(c, doc)
	}
	if err == nil {
		err = checkTarget(c, target, seen, found)
	}
	return seen, err
}

// holdersShown is how many documents are named that refuse to let another go.
const holdersShown = 3

// mayGo asks the references that refuse to let their target go.
func (u Unit) mayGo(c *plan.Collection, doc store.Document) error {
	var holders []string
	for _, ref := range c.PointedAt {
		if ref.WhenGone != design.GoneRefuse {
			continue
		}
		some, err := factsql.PointingAt(u.Tx, ref.Number, doc.N, 0, holdersShown)
		if err != nil {
			return err
		}
		docs, err := factsql.Numbered(u.Tx, some)
		if err != nil {
			return err
		}
		for _, d := range docs {
			holders = append(holders, fmt.Sprintf("%s (%s)", ref.In.Path(d.Key), ref.Name))
		}
	}
	if len(holders) == 0 {
		return nil
	}
	return running.Refuse(running.CodeHeld, "%s cannot go while %s; remove or redirect these first",
		c.Path(doc.Key), u.holdersTold(holders))
}

// RemoveAlong removes locked documents of one collection together with what
// they hung on.
func (u Unit) RemoveAlong(c *plan.Collection, docs []store.Document, why Cause) error {
	if len(docs) == 0 {
		return nil
	}
	records := make([]factsql.Record, len(docs))
	for i, d := range docs {
		records[i] = factsql.Record{Kind: plan.Removed, Subject: c.Path(d.Key), Cause: why.Journalled()}
	}
	if _, _, err := factsql.Journal(u.Tx, records...); err != nil {
		return err
	}
	many := int64(len(docs))
	u.wrote("remove "+c.Name, why, metering.Counts{Times: many, Documents: many})
	return u.takeAway(c, docs, why)
}

// takeAway removes locked documents of one collection, with everything that is
// theirs alone, and appends what hangs on them as due work of the client's
// change that is the cause.
func (u Unit) takeAway(c *plan.Collection, docs []store.Document, why Cause) error {
	pointed, err := u.pointed(docs)
	if err != nil {
		return err
	}
	var due []plan.Work
	posts := make([][]timelinesql.Posted, len(c.EntersInto))
	for _, d := range docs {
		before := pointed[d.N]
		due = append(due, u.Plan.Due(plan.Change{Kind: plan.Removed, Collection: c, Doc: d.N, Parent: d.Parent,
			Before: before, RankBefore: d.Ranks, Mark: why.Mark})...)
		for i, t := range c.EntersInto {
			if author := plan.AuthorAt(d.Ranks[i], before[t.By]); author != 0 {
				posts[i] = append(posts[i], timelinesql.Posted{Author: author, Rank: d.Ranks[i], Doc: d.N})
			}
		}
	}
	for i, t := range c.EntersInto {
		if err := timelinesql.Unpost(u.Tx, t.Number, posts[i]...); err != nil {
			return err
		}
	}
	if err := factsql.Delete(u.Tx, numbers(docs), u.Plan.Removing()); err != nil {
		return err
	}
	if why.Forgotten != 0 {
		if err := auditsql.NoteForgotten(u.Tx, why.Forgotten, docs, c.Path); err != nil {
			return err
		}
		late, err := u.forgetEarlier(numbers(docs), why.Forgotten)
		if err != nil {
			return err
		}
		due = append(due, late...)
	}
	for _, d := range docs {
		if err := u.fireDocument(design.OnRemoved, c, d, nil, why); err != nil {
			return err
		}
	}
	return factsql.AppendAfterRemoval(u.Tx, why.Change, due)
}

// forgetEarlier has what went before some documents, and would have gone with them,
// forgotten too, and returns what of it is to be ended.
func (u Unit) forgetEarlier(ns []int64, forgotten int64) ([]plan.Work, error) {
	earlier, err := factsql.DepartedWith(u.Tx, ns)
	if err != nil {
		return nil, err
	}
	return u.lateEndings(earlier, forgotten)
}

func (u Unit) lateEndings(docs []store.Document, forgotten int64) ([]plan.Work, error) {
	var due []plan.Work
	for _, d := range docs {
		c := u.Plan.CollectionNumbered(d.Collection)
		if c == nil {
			continue
		}
		if err := auditsql.NoteForgotten(u.Tx, forgotten, []store.Document{d}, c.Path); err != nil {
			return nil, err
		}
		due = append(due, plan.LateEndings(c, d.N, forgotten)...)
	}
	return due, nil
}

// ForgetDeparted has a document forgotten that is gone already, with what went
// before it and would have gone with it, and returns the change that readers of
// this wait for; it is 0 if there is no trace of the document.
func (u Unit) ForgetDeparted(c *plan.Collection, key string, forgotten int64) (int64, error) {
	doc, there, err := factsql.Departed(u.Tx, running.Address(c, key))
	if err != nil || !there {
		return 0, err
	}
	due, err := u.lateEndings([]store.Document{doc}, forgotten)
	if err != nil {
		return 0, err
	}
	earlier, err := u.forgetEarlier([]int64{doc.N}, forgotten)
	if err != nil {
		return 0, err
	}
	last, err := factsql.LastPosition(u.Tx)
	if err != nil {
		return 0, err
	}
	return last, factsql.AppendAfterRemoval(u.Tx, last, append(due, earlier...))
}

// pointed is where the references of documents point, by row number.
func (u Unit) pointed(docs []store.Document) (map[int64]plan.Targets, error) {
	pointers, err := factsql.Pointers(u.Tx, numbers(docs))
	targets := make(map[int64]plan.Targets, len(docs))
	for _, p := range pointers {
		ref := u.Plan.ReferenceNumbered(p.Reference)
		if ref == nil {
			continue
		}
		if targets[p.Source] == nil {
			targets[p.Source] = plan.Targets{}
		}
		targets[p.Source][ref] = p.Target
	}
	return targets, err
}

func numbers(docs []store.Document) []int64 {
	ns := make([]int64, len(docs))
	for i, d := range docs {
		ns[i] = d.N
	}
	return ns
}
