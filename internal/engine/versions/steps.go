package versions

import (
	"context"
	"errors"
	"time"

	"yalvo/internal/design/compare"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/auditsql"
	"yalvo/internal/engine/store/keptsql"
	"yalvo/internal/engine/store/listsql"
	"yalvo/internal/engine/store/queuesql"
	"yalvo/internal/engine/store/timelinesql"
	"yalvo/internal/engine/store/versionsql"
)

// stretch does a stretch of a claimed step and notes how far it has come. A step
// is done when there is nothing after the stretch.
func (k *Keeper) stretch(ctx context.Context, tx *store.Tx, v *running.Version, b *versionsql.Build) error {
	began := time.Now()
	s := step{Version: v, keeper: k, tx: tx, build: b, ctx: ctx, width: k.pace.of(*b), swept: &k.sweep}
	if b.Rows == 0 && b.Reached == 0 && b.Total == 0 {
		if err := s.count(); err != nil {
			return err
		}
	}
	done, err := s.some()
	if err != nil {
		return err
	}
	k.Wake(tx.Lanes()...)
	took := time.Since(began)
	k.pace.took(took, k.Store.Quiet())
	b.Spent += took.Seconds()
	if done {
		now := time.Now()
		b.Ended, b.Total = &now, b.Rows
	}
	return versionsql.SaveBuild(tx, *b)
}

// step is a step in hand.
type step struct {
	*running.Version
	keeper *Keeper // nil: it is only tried
	tx     *store.Tx
	build  *versionsql.Build
	ctx    context.Context
	width  int
	swept  *sweeping // how far the sweep in hand has come
	whole  bool      // not in halves: they would not see what the step's transaction has done
}

// some does the next stretch, and tells whether it was the last.
func (s step) some() (done bool, err error) {
	switch compare.Do(s.build.Does) {
	case compare.Documents:
		return s.documents()
	case compare.Pairs:
		return s.pairs()
	case compare.Ends:
		return s.ends()
	case compare.Modes:
		return s.modes()
	case compare.Strip:
		return s.strip()
	case compare.Unstore:
		if t := s.Plan.Timeline(s.build.Name); t != nil {
			return s.drop("entries", t.Number)
		}
		return true, nil
	case compare.Index:
		return s.index()
	case compare.Unindex:
		return s.unindex()
	case compare.Sweep:
		return s.sweep()
	}
	d, there := s.Plan.Duplicate(s.build.Aspect, s.build.Name)
	if !there {
		return true, nil
	}
	return s.derive(d)
}

// index sees that there is what a list is read with. PostgreSQL makes that beside writers,
// outside of any transaction and for as long as it takes: so it is done after the stretch.
func (s step) index() (done bool, err error) {
	l := s.Plan.List(s.build.Name)
	if l == nil || s.keeper == nil {
		return true, nil
	}
	if done, err = listsql.HasListIndex(s.tx, l); err != nil || done {
		s.build.Rows = s.build.Total
		return done, err
	}
	s.keeper.aside = func(ctx context.Context) (bool, error) { return listsql.IndexList(ctx, s.keeper.Store, l) }
	return false, nil
}

// unindex sees that there are no more indexes than the lists need.
func (s step) unindex() (done bool, err error) {
	if s.keeper == nil {
		return true, nil
	}
	extra, err := listsql.ExtraIndexes(s.tx, s.Plan)
	if err != nil || len(extra) == 0 {
		return true, err
	}
	s.keeper.aside = func(ctx context.Context) (bool, error) { return listsql.DropIndexes(ctx, s.keeper.Store, extra) }
	return false, nil
}

// walked is the collection whose documents a step goes through, nil if it goes
// through something else.
func (s step) walked() *plan.Collection {
	switch compare.Do(s.build.Does) {
	case compare.Documents, compare.Strip:
		return s.Plan.Collection(s.build.Name)
	case compare.Index:
		if l := s.Plan.List(s.build.Name); l != nil {
			return l.Entries
		}
	case compare.Modes:
		if t := s.Plan.Timeline(s.build.Name); t != nil {
			return t.By.To
		}
	case compare.Build:
		d, there := s.Plan.Duplicate(s.build.Aspect, s.build.Name)
		switch {
		case !there:
		case d.Kind == plan.AspectPosted:
			return d.Timeline.Entries
		default:
			return d.Walked
		}
	}
	return nil
}

// count finds out how much there is to go over.
func (s step) count() (err error) {
	if c := s.walked(); c != nil {
		s.build.Total, err = versionsql.CountOf(s.tx, "documents", "collection", c.Number)
	} else if p := s.Plan.Pair(s.build.Name); p != nil && s.build.Does == string(compare.Pairs) {
		s.build.Total, err = versionsql.CountOf(s.tx, "pairs", "kind", p.Number)
	}
	return err
}

// next is the next stretch of documents.
func (s step) next(c *plan.Collection) (store.Span, []int64, bool, error) {
	span, many, err := auditsql.Span(s.tx, c.Number, s.build.Reached, s.width)
	if err != nil {
		return span, nil, false, err
	}
	docs, err := auditsql.In(s.tx, c.Number, span)
	s.build.Reached = span.UpTo
	s.build.Rows += many
	return span, docs, many < int64(s.width), err
}

// derive derives a duplicate anew in the next stretch of documents.
func (s step) derive(d plan.Duplicate) (bool, error) {
	c := s.walked()
	if d.Kind == plan.AspectTimeline && s.build.Rows == 0 && d.Timeline.Deliver == "push" {
		if err := s.pushAll(d.Timeline); err != nil {
			return false, err
		}
		s.whole = true
	}
	if d.Kind == plan.AspectTimeline {
		if err := s.tx.LockTimeline(d.Timeline.Number); err != nil {
			return false, err
		}
	}
	if d.Kind == plan.AspectContribution {
		if err := keptsql.LockSummary(s.tx, d.Summary.Number); err != nil {
			return false, err
		}
	}
	return s.overNext(c, func(s step, span store.Span, docs []int64) (int64, error) {
		return s.put(d, c, docs, span)
	})
}

func (s step) pushAll(t *plan.Timeline) error {
	if err := s.tx.LockTimeline(t.Number); err != nil {
		return err
	}
	return versionsql.PushAll(s.tx, t.Number)
}

// ends has references that point at what is gone come to the end they have now.
func (s step) ends() (bool, error) {
	collection, name, _ := cut(s.build.Name)
	c := s.Plan.Collection(collection)
	if c == nil {
		return true, nil
	}
	for _, ref := range c.References {
		if ref.Name != name {
			continue
		}
		gone, err := versionsql.LostTargets(s.tx, ref.Number, s.build.Reached, s.width)
		if err != nil {
			return false, err
		}
		var due []plan.Work
		for _, doc := range gone {
			due = append(due, plan.EndOf(plan.EndReference, ref.Number, doc, plan.Mark{}))
			s.build.Reached = doc
		}
		s.build.Rows += int64(len(gone))
		return len(gone) < s.width, queuesql.AppendDue(s.tx, s.asking(), due)
	}
	return true, nil
}

// asking is what the endings that a step makes due are waited for with. They follow from no change of facts; audits
// that mend have the numbers above these.
func (s step) asking() int64 { return -(1<<40 + int64(s.build.Version)) }

// modes looks which authors have so many followers that they are collected from.
func (s step) modes() (bool, error) {
	t := s.Plan.Timeline(s.build.Name)
	if t == nil {
		return true, nil
	}
	_, docs, last, err := s.next(t.By.To)
	if err != nil {
		return false, err
	}
	past, err := timelinesql.PastThreshold(s.tx, t, docs)
	if err != nil {
		return false, err
	}
	var due []plan.Work
	for _, author := range past {
		due = append(due, plan.DeliveryOf(plan.ChooseDelivery, t.Number, author))
	}
	s.build.Written += int64(len(due))
	return last, queuesql.AppendDue(s.tx, 0, due)
}

// strip takes kept values that the design no longer has out of documents.
func (s step) strip() (bool, error) {
	c := s.Plan.Collection(s.build.Name)
	if c == nil {
		return true, nil
	}
	_, docs, last, err := s.next(c)
	if err == nil {
		err = keptsql.LockKept(s.tx, docs)
	}
	if err != nil {
		return false, err
	}
	names := make([]string, len(c.Kept))
	for i, kept := range c.Kept {
		names[i] = kept.Name
	}
	written, err := versionsql.StripKept(s.tx, docs, names)
	s.build.Written += written
	return last, err
}

func (s step) sweep() (bool, error) {
	kind, _, _ := cutAt(s.build.Name, " ")
	return s.drop(kind, s.build.Number)
}

// sweepRows is how many rows of each table a stretch of a sweep drops at most.
const sweepRows = 5000

func (s step) drop(kind string, n plan.Number) (bool, error) {
	if kind == "timeline" || kind == "entries" {
		if err := s.tx.LockTimeline(n); err != nil {
			return false, err
		}
	}
	many, at, more, err := queuesql.Sweep(s.tx, kind, n, s.swept.place(*s.build), sweepRows)
	s.build.Rows += many
	s.build.Written += many
	s.swept.at = at
	return !more, err
}

func inForce(tx *store.Tx, v *running.Version) error {
	version, err := versionsql.DesignInForce(tx)
	if err == nil && version != v.Number {
		err = running.ErrMoved
	}
	return err
}

func moved(err error) bool { return errors.Is(err, running.ErrMoved) }

func joined(errs ...error) error { return errors.Join(errs...) }
