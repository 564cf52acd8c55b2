package proof

import (
	"context"
	"fmt"
	"slices"
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/progress"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store/auditsql"
	"yalvo/internal/engine/store/factsql"
)

// Cascade is a change with everything that followed from it.
type Cascade struct {
	Change  progress.Change `json:"change"`
	Settled bool            `json:"settled"`
	TookMS  int64           `json:"took_ms"` // from the change to the last work on it, so far
	Follows []*Step         `json:"follows"`
}

// Step is a part of a cascade: work that a change or other work made due, or
// further changes that such work made.
type Step struct {
	Says     string  `json:"says"`     // what was done
	Changes  bool    `json:"changes"`  // these are further changes, as the journal has them
	Many     int64   `json:"many"`     // pieces of work, or changes
	Rows     int64   `json:"rows"`     // entries, copies or documents gone over
	Chunks   int64   `json:"chunks"`   // transactions
	Attempts int64   `json:"attempts"` // beyond the first of each
	Left     int64   `json:"left"`     // pieces not done yet
	Parked   int64   `json:"parked"`
	Error    string  `json:"error,omitempty"`
	AfterMS  int64   `json:"after_ms"`          // from the change to when it became due
	DoneMS   *int64  `json:"done_ms,omitempty"` // from the change to when the last of it was done
	Example  string  `json:"example,omitempty"` // one of the changes
	Follows  []*Step `json:"follows"`
}

// Trace says what a change has caused, as a tree.
func (p *Prover) Trace(ctx context.Context, position int64) (Cascade, error) {
	v, err := p.Now(ctx)
	if err != nil {
		return Cascade{}, err
	}
	change, found, err := auditsql.Change(ctx, p.Store, position)
	if err != nil {
		return Cascade{}, err
	}
	if !found {
		return Cascade{}, running.Refuse(running.CodeNotFound, "there is no change %d", position)
	}
	work, err := auditsql.Trace(ctx, p.Store, position)
	if err != nil {
		return Cascade{}, err
	}
	caused, err := auditsql.Caused(ctx, p.Store, position)
	if err != nil {
		return Cascade{}, err
	}
	work = withCounts(v, change, caused, work)
	c := Cascade{Change: progress.ChangeOf(change), Settled: true}
	for _, w := range work {
		c.Settled = c.Settled && w.Left == 0 && w.Parked == 0
		if w.Done != nil {
			c.TookMS = max(c.TookMS, w.Done.Sub(change.At).Milliseconds())
		}
	}
	c.Follows = tree(v, change, work, caused)
	return c, nil
}

// withCounts adds what documents and pairs have been counted in. Of most of that
// no note is kept once it is done: which changes there were, and what each makes
// due, says it.
func withCounts(v *running.Version, root factsql.Record, caused []auditsql.Consequences,
	work []auditsql.Traced) []auditsql.Traced {
	changes := append([]auditsql.Consequences{{Kind: root.Kind, Subject: root.Subject, Many: 1, First: root.At}},
		caused...)
	for _, told := range countedBy(v, changes) {
		same := func(w auditsql.Traced) bool { return w.Step == told.Step && w.Subject == told.Subject }
		at := slices.IndexFunc(work, same)
		if at < 0 {
			work = append(work, auditsql.Traced{Step: told.Step, Subject: told.Subject, Since: told.Since})
			at = len(work) - 1
		}
		w := &work[at]
		if more := told.Works - w.Works; more > 0 {
			w.Works, w.Rows, w.Chunks = w.Works+more, w.Rows+more, w.Chunks+more
		}
	}
	return work
}

// countedBy is the counting that some changes have made due, as far as the
// journal tells.
func countedBy(v *running.Version, changes []auditsql.Consequences) []auditsql.Traced {
	var all []auditsql.Traced
	for _, c := range changes {
		if c.Kind == plan.Changed {
			continue
		}
		for _, kind := range dueBy(v, c.Kind, c.Subject) {
			if count := v.Plan.CountNumbered(kind.Subject); kind.Step != plan.Add || count == nil || !count.Told() {
				continue
			}
			at := slices.IndexFunc(all, func(t auditsql.Traced) bool { return t.Subject == kind.Subject })
			if at < 0 {
				all = append(all, auditsql.Traced{Step: kind.Step, Subject: kind.Subject, Since: c.First})
				at = len(all) - 1
			}
			all[at].Works += c.Many
		}
	}
	return all
}

// node is a step while the tree is put together: what it makes due by the plan
// says what hangs on it.
type node struct {
	step     *Step
	kind     plan.WorkKind // of work
	makesDue []plan.WorkKind
	removes  func(auditsql.Consequences) bool // of work: the changes it makes
}

// tree hangs each piece of work on the change or the work that makes such work
// due, by the plan; what could hang in two places hangs on the first.
func tree(v *running.Version, root factsql.Record, work []auditsql.Traced, caused []auditsql.Consequences) []*Step {
	top := &node{step: &Step{Follows: []*Step{}}, makesDue: dueBy(v, root.Kind, root.Subject)}
	var works, changes []*node
	for _, w := range work {
		kind := plan.WorkKind{Step: w.Step, Subject: w.Subject}
		step := &Step{Says: v.Plan.InWords(kind), Many: w.Works, Rows: w.Rows, Chunks: w.Chunks, Attempts: w.Attempts,
			Left: w.Left, Parked: w.Parked, Error: w.Error, AfterMS: w.Since.Sub(root.At).Milliseconds(),
			Follows: []*Step{}}
		if w.Done != nil && w.Left == 0 {
			step.DoneMS = since(root, *w.Done)
		}
		works = append(works, &node{kind: kind, makesDue: v.Plan.WorkAfter(kind), removes: makes(v, kind), step: step})
	}
	for _, c := range caused {
		changes = append(changes, &node{makesDue: dueBy(v, c.Kind, c.Subject), step: &Step{
			Changes: true, Says: fmt.Sprintf("%s %s", c.Kind, c.Subject), Many: c.Many,
			AfterMS: c.First.Sub(root.At).Milliseconds(),
			DoneMS:  since(root, c.Last), Example: c.Example, Follows: []*Step{}}})
	}
	for i, c := range changes {
		at := slices.IndexFunc(works, func(w *node) bool { return w.step.Rows > 0 && w.removes(caused[i]) })
		if at < 0 {
			attach(c, top)
			continue
		}
		attach(c, works[at])
	}
	for _, w := range works {
		candidates := slices.Concat([]*node{top}, changes, works)
		at := slices.IndexFunc(candidates, func(b *node) bool {
			return b != w && slices.Contains(b.makesDue, w.kind) && !below(b.step, w.step)
		})
		attach(w, candidates[max(at, 0)])
	}
	return top.step.Follows
}

// since is how long after a change something was, in milliseconds.
func since(root factsql.Record, at time.Time) *int64 {
	ms := at.Sub(root.At).Milliseconds()
	return &ms
}

func attach(b, on *node) { on.step.Follows = append(on.step.Follows, b.step) }

// below tells whether a step hangs somewhere under another.
func below(s, under *Step) bool {
	return slices.ContainsFunc(under.Follows, func(f *Step) bool { return f == s || below(s, f) })
}

// dueBy is the work that a change, as the journal has it, makes due.
func dueBy(v *running.Version, kind plan.Kind, subject string) []plan.WorkKind {
	if p := v.Plan.Pair(subject); p != nil {
		return v.Plan.WorkOfPair(kind, p)
	}
	if c := v.Plan.Collection(subject); c != nil {
		return v.Plan.WorkOf(kind, c)
	}
	if c, _, err := v.Locate(subject); err == nil {
		return v.Plan.WorkOf(kind, c)
	}
	return nil
}

// makes tells which further changes work of a kind makes.
func makes(v *running.Version, kind plan.WorkKind) func(auditsql.Consequences) bool {
	return func(c auditsql.Consequences) bool {
		switch kind.Step {
		case plan.EndReference:
			ref := v.Plan.ReferenceNumbered(kind.Subject)
			return ref != nil && ref.In.Name == c.Subject && (c.Kind == plan.Removed) == (ref.WhenGone == "remove")
		case plan.EndNested:
			return v.Plan.NameOf(kind.Subject) == c.Subject && c.Kind == plan.Removed
		case plan.EndFrom, plan.EndTo:
			return v.Plan.NameOf(kind.Subject) == c.Subject && c.Kind == plan.Unset
		}
		return false
	}
}
