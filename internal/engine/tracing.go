package engine

import (
	"context"
	"fmt"
	"slices"
	"time"

	"yalvo/internal/plan"
	"yalvo/internal/store"
)

// Cascade is a change with everything that followed from it.
type Cascade struct {
	Change  store.Record
	Settled bool
	Took    time.Duration // from the change to the last work on it, so far
	Follows []*Step
}

// Step is a part of a cascade: work that a change or other work made due, or
// further changes that such work made.
type Step struct {
	Says     string // what was done
	Changes  bool   // these are further changes, as the journal has them
	Many     int64  // pieces of work, or changes
	Rows     int64  // entries, copies or documents gone over
	Chunks   int64  // transactions
	Attempts int64  // beyond the first of each
	Left     int64  // pieces not done yet
	Parked   int64
	Error    string
	Since    time.Time
	Done     *time.Time
	Example  string // one of the changes
	Follows  []*Step
}

// Trace says what a change has caused, as a tree.
func (e *Engine) Trace(ctx context.Context, position int64) (Cascade, error) {
	r, err := e.planned(ctx)
	if err != nil {
		return Cascade{}, err
	}
	change, found, err := e.store.Change(ctx, position)
	if err != nil {
		return Cascade{}, err
	}
	if !found {
		return Cascade{}, refuse(CodeNotFound, "there is no change %d", position)
	}
	work, err := e.store.Trace(ctx, position)
	if err != nil {
		return Cascade{}, err
	}
	caused, err := e.store.Caused(ctx, position)
	if err != nil {
		return Cascade{}, err
	}
	c := Cascade{Change: change, Settled: true}
	for _, w := range work {
		c.Settled = c.Settled && w.Left == 0 && w.Parked == 0
		if w.Done != nil {
			c.Took = max(c.Took, w.Done.Sub(change.At))
		}
	}
	c.Follows = r.tree(change, work, caused)
	return c, nil
}

// branch is a step while the tree is put together: what it entails by the plan
// says what hangs on it.
type branch struct {
	step    *Step
	kind    plan.Entailed // of work
	entails []plan.Entailed
	removes func(store.Consequences) bool // of work: the changes it makes
}

// tree hangs each piece of work on the change or the work that makes such work
// due, by the plan; what could hang in two places hangs on the first.
func (r *running) tree(root store.Record, work []store.Traced, caused []store.Consequences) []*Step {
	top := &branch{step: &Step{}, entails: r.entailedBy(root.Kind, root.Subject)}
	var works, changes []*branch
	for _, w := range work {
		kind := plan.Entailed{Step: w.Step, Subject: w.Subject}
		works = append(works, &branch{kind: kind, entails: r.plan.EntailsWork(kind), removes: r.makes(kind), step: &Step{
			Says: r.plan.InWords(kind), Many: w.Works, Rows: w.Rows, Chunks: w.Chunks, Attempts: w.Attempts,
			Left: w.Left, Parked: w.Parked, Error: w.Error, Since: w.Since, Done: w.Done}})
	}
	for _, c := range caused {
		last := c.Last
		changes = append(changes, &branch{entails: r.entailedBy(c.Kind, c.Subject), step: &Step{
			Changes: true, Says: fmt.Sprintf("%s %s", c.Kind, c.Subject), Many: c.Many, Since: c.First, Done: &last, Example: c.Example}})
	}
	for i, c := range changes {
		at := slices.IndexFunc(works, func(w *branch) bool { return w.step.Rows > 0 && w.removes(caused[i]) })
		if at < 0 {
			hang(c, top)
			continue
		}
		hang(c, works[at])
	}
	for _, w := range works {
		candidates := slices.Concat([]*branch{top}, changes, works)
		at := slices.IndexFunc(candidates, func(b *branch) bool { return b != w && slices.Contains(b.entails, w.kind) && !below(b.step, w.step) })
		hang(w, candidates[max(at, 0)])
	}
	return top.step.Follows
}

func hang(b, on *branch) { on.step.Follows = append(on.step.Follows, b.step) }

// below tells whether a step hangs somewhere under another.
func below(s, under *Step) bool {
	return slices.ContainsFunc(under.Follows, func(f *Step) bool { return f == s || below(s, f) })
}

// entailedBy is the work that a change, as the journal has it, makes due.
func (r *running) entailedBy(kind plan.Kind, subject string) []plan.Entailed {
	if p := r.plan.Pair(subject); p != nil {
		return r.plan.EntailsPair(kind, p)
	}
	if c := r.plan.Collection(subject); c != nil {
		return r.plan.Entails(kind, c)
	}
	if c, _, err := r.locate(subject); err == nil {
		return r.plan.Entails(kind, c)
	}
	return nil
}

// makes tells which further changes work of a kind makes.
func (r *running) makes(kind plan.Entailed) func(store.Consequences) bool {
	return func(c store.Consequences) bool {
		switch kind.Step {
		case plan.EndReference:
			ref := r.plan.ReferenceNumbered(kind.Subject)
			return ref != nil && ref.In.Name == c.Subject && (c.Kind == plan.Removed) == (ref.WhenGone == "remove")
		case plan.EndNested:
			return r.plan.NameOf(kind.Subject) == c.Subject && c.Kind == plan.Removed
		case plan.EndFrom, plan.EndTo:
			return r.plan.NameOf(kind.Subject) == c.Subject && c.Kind == plan.Unset
		}
		return false
	}
}
