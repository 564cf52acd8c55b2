package engine

import (
	"context"
	"fmt"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/plan"
	"yalvo/internal/store"
)

// Remove takes a document away. What hangs on it goes as due work.
func (e *Engine) Remove(ctx context.Context, caller Caller, target Target) (Result, error) {
	return e.write(ctx, caller, func(r *running, tx *store.Tx) (Result, error) {
		c, err := r.collection(target.Collection)
		if err != nil {
			return Result{}, err
		}
		return r.removeOne(tx, c, target, cause{actor: caller.Me})
	})
}

func (r *running) removeOne(tx *store.Tx, c *plan.Collection, target Target, why cause) (Result, error) {
	doc, found, err := tx.LockForRemoval(store.Address{Collection: c.Number, Key: target.Key})
	if err == nil {
		err = checkTarget(c, target, doc, found)
	}
	if err == nil {
		err = mayGo(tx, c, doc)
	}
	if err != nil {
		return Result{}, err
	}
	position, err := r.record(tx, store.Record{Kind: plan.Removed, Subject: c.Path(doc.Key), Actor: why.actor, Cause: why.change})
	if err != nil {
		return Result{}, err
	}
	err = r.takeAway(tx, c, []store.Document{doc}, why.from(position))
	return Result{Document: view(c, doc), Position: at(position), Fresh: true, Read: 1, Wrote: 1}, err
}

// mayGo asks the references that refuse to let their target go.
func mayGo(tx *store.Tx, c *plan.Collection, doc store.Document) error {
	var holders []string
	for _, ref := range c.PointedAt {
		if ref.WhenGone != design.GoneRefuse {
			continue
		}
		some, err := tx.PointingAt(ref.Number, doc.N, 0, 3)
		if err != nil {
			return err
		}
		if len(some) == 0 {
			continue
		}
		docs, err := tx.Numbered(some)
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
	return refuse(CodeHeld, "%s cannot go while others point at it: %s; remove or redirect these first", c.Path(doc.Key), strings.Join(holders, ", "))
}

// takeAway removes locked documents of one collection, with everything that is
// theirs alone, and appends what hangs on them as due work of the client's
// change that is the cause.
func (r *running) takeAway(tx *store.Tx, c *plan.Collection, docs []store.Document, why cause) error {
	ns := make([]int64, len(docs))
	for i, d := range docs {
		ns[i] = d.N
	}
	pointers, err := tx.Pointers(ns)
	if err != nil {
		return err
	}
	before := make(map[int64]plan.Targets, len(docs))
	for _, p := range pointers {
		ref := r.plan.ReferenceNumbered(p.Reference)
		if ref == nil {
			continue
		}
		if before[p.Source] == nil {
			before[p.Source] = plan.Targets{}
		}
		before[p.Source][ref] = p.Target
	}
	var due []plan.Work
	for _, d := range docs {
		fields, err := decodeFields(d.Fields)
		if err != nil {
			return err
		}
		at := ranks(c, d.Created, fields)
		due = append(due, r.plan.Due(plan.Change{Kind: plan.Removed, Collection: c, Doc: d.N, Parent: d.Parent, Before: before[d.N], RankBefore: at, Depth: why.depth, Forgotten: why.forgotten})...)
		for _, t := range c.EntersInto {
			if author := before[d.N][t.By]; author != 0 {
				if err := tx.Unpost(t.Number, author, at[t], d.N); err != nil {
					return err
				}
			}
		}
	}
	if err := tx.Delete(ns); err != nil {
		return err
	}
	if why.forgotten != 0 {
		if err := tx.NoteForgotten(why.forgotten, docs, c.Path); err != nil {
			return err
		}
	}
	for _, d := range docs {
		if err := r.fireDocument(tx, design.OnRemoved, c, d, nil, why); err != nil {
			return err
		}
	}
	return tx.AppendDue(why.change, due)
}
